"""What a number that was typed means here: beside the plan, the floor, and what is in the volume."""

from __future__ import annotations

from inkshelf.core.boxes import Meant, meaning
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import reserve_size
from inkshelf.core.machine.state import Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.plan.wanted import wanted
from inkshelf.core.size import MIB, apart, binary
from inkshelf.core.steps.ledger import Narrowing


def meant(reading: Reading, call: str, text: str, box: str) -> tuple[Meant, tuple[str, ...]]:
    """Return what ``text`` comes to in a box, and what that means for a volume; raises ``SizeError`` or ``PlanError``.

    For a volume that the plan shrinks, the box asks for the amount to take away; for every other one for its size.
    """
    found = reading.plan.planned.find(call) or reading.plan.found.find(call)
    if found is None:
        known = ", ".join(volume.call for _, volume in reading.plan.planned.volumes())
        raise PlanError(f"There is no volume {call}.", f"Choose one of: {known}." if known else "Take a disk in first.")
    disk, volume = found
    number = meaning(text, box, whole=disk.size, sector=disk.sector)
    times = [one for one in reading.ledger.shrinks if one.call == call]
    narrowed = min(times, key=lambda one: abs(one.from_bytes - one.to_bytes - number.size), default=None)
    said = _taken_away(reading, narrowed, number.size) if narrowed else _sized(reading, volume, number.size)
    if narrowed and len(times) > 1:  # a volume that shrinks twice: the number is meant for the nearest of the two
        said = (f"at step {narrowed.step}", *said)
    return number, (*said, *((number.mistake,) if number.mistake else ()))


def _difference(size: int, planned: int, slack: int = MIB) -> str:
    """How far a size is from the plan; a number that was rounded up to the box's unit is the plan."""
    if planned <= size < planned + slack:
        return "as planned"
    more = "more than" if size > planned else "short of"
    return f"{binary(abs(size - planned), 2)} {more} the plan"


def _taken_away(reading: Reading, narrowed: Narrowing, amount: int) -> tuple[str, ...]:
    wanted = narrowed.from_bytes - narrowed.to_bytes
    said = [_difference(amount, wanted)]
    left = narrowed.from_bytes - amount
    place = reading.plan.found.find(narrowed.call)
    system = place[1].filesystem if place else None
    if left <= 0:
        return (*said, f"{narrowed.call} has {binary(narrowed.from_bytes, 2)} in all")
    said.append(f"{narrowed.call} keeps {binary(left, 2)}")
    if amount < wanted:
        said.append("the gap is too small for the new volumes: plan them again, or take the rest away too")
    if system and system.used_bytes is not None and left < system.used_bytes:
        said.append(f"less than the {binary(system.used_bytes, 2)} in use: its own box will not take it")
    elif system and system.smallest_bytes and left < system.smallest_bytes:
        stops, asks = apart(system.smallest_bytes, left)
        said.append(f"its own system stops at {stops}, this asks for {asks}: {system.smallest_why}")
    elif system and system.used_bytes is not None and left < reserve_size(system.used_bytes):
        said.append("less stays free than its system should keep for updates and work")
    return tuple(said)


def _sized(reading: Reading, volume: Volume, size: int) -> tuple[str, ...]:
    if not volume.planned:
        words = "as it is" if volume.size <= size < volume.size + MIB else ""
        larger = "larger" if size > volume.size else "smaller"
        said = [words or f"{binary(abs(size - volume.size), 2)} {larger} than {volume.call} is"]
        if volume.used is not None and size < volume.used:
            said.append(f"less than the {binary(volume.used, 2)} in use")
        return tuple(said)
    said = [_difference(size, volume.size)]
    floor = _floor(reading, volume)
    if size < floor:
        said.append(f"below the floor of {binary(floor, 2)}")
    elif size < volume.size and floor:
        said.append("above the floor")
    elif size >= volume.size + MIB:
        said.append("it takes what the plan gives to others")
    return tuple(said)


def _floor(reading: Reading, volume: Volume) -> int:
    """The least that the aim wants for a volume; 0 where no aim asked for it."""
    return next((need.floor for need, step in wanted(reading.job) if step.call == volume.call), 0)
