"""Which limit binds the room of what is new: what a person set, comfort, a neighbour and what moving it would cost, or how far a volume gives."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from inkshelf.core.aims.base import AimBase, Need, lock_key
from inkshelf.core.fit.room import givers, stretches
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.plan.wanted import wanted_by
from inkshelf.core.size import GIB, MIB, binary
from inkshelf.core.steps.effort import copying_minutes
from inkshelf.core.steps.kinds import Create
from inkshelf.core.value import Value

WORTH = GIB  # less than that is not worth a word, nor a move


class Bound(Value, frozen=True):
    """What keeps the new volumes of one aim on one disk at their size. ``more``: bytes they could have otherwise, ``copied``: bytes that costs."""

    aim: str
    disk: str
    calls: tuple[str, ...]
    words: str
    more: int = 0
    copied: int = 0


def bounds(reading: Reading) -> tuple[Bound, ...]:
    """Return one value for every aim and disk on which it makes volumes of an open size."""
    made = list(wanted_by(reading.job))
    found = []
    for _, group in itertools.groupby(made, key=lambda one: (one[0].id, one[2].disk)):
        own = list(group)
        bound = _bound(reading, own[0][0], [(need, create) for _, need, create in own])
        found += [bound] if bound else []
    return tuple(found)


def _bound(reading: Reading, aim: AimBase, own: list[tuple[Need, Create]]) -> Bound | None:
    open_ones = [(need, create) for need, create in own if need.grows or need.comfort > need.floor]
    disk = reading.plan.planned.disk(own[0][1].disk)
    there = [one for one in disk.volumes if one.call in {create.call for _, create in own}]
    if not open_ones or not there:
        return None
    locks = dict(aim.sizes)
    calls = tuple(create.call for need, create in open_ones if lock_key(need) not in locks)
    if not calls:
        return Bound(aim.id, disk.id, tuple(create.call for _, create in open_ones), "every size is locked")
    last, first = max(there, key=lambda one: one.end), min(there, key=lambda one: one.start)
    room = next((gap for gap in stretches(disk) if 0 <= gap.start - last.end < MIB), None)
    gives = _gives(disk, first)
    if (room and room.size >= WORTH) or gives >= WORTH:
        return Bound(aim.id, disk.id, calls, _chosen(aim, own, max(room.size if room else 0, gives)))
    words, more, copied = _behind(disk, last)
    return Bound(aim.id, disk.id, calls, f"{_before(disk, first)}{words}", more, copied)


def _chosen(aim: AimBase, own: list[tuple[Need, Create]], left: int) -> str:
    """There is more room: somebody, or comfort, decided not to take it."""
    said = getattr(aim, "size_bytes", None)
    why = (
        f"their room was set at {binary(said)}"
        if said
        else "every one is comfortable"
        if _comfortable(own)
        else "the fit keeps it free"
    )
    return f"{why}; {binary(left)} more could be had"


def _comfortable(own: list[tuple[Need, Create]]) -> bool:
    return all(create.size >= (need.fixed or need.comfort) // MIB * MIB for need, create in own)


def _gives(disk: Disk, first: Volume) -> int:
    """What the volume in front could still give, with its reserve kept."""
    giver = next((one for one in givers(disk) if 0 <= first.start - one.volume.end < 2 * MIB), None)
    return max(0, giver.most - giver.behind) if giver and not giver.volume.planned else 0


def _before(disk: Disk, first: Volume) -> str:
    giver = next((one for one in givers(disk) if 0 <= first.start - one.volume.end < 2 * MIB), None)
    if giver is None or giver.volume.planned:
        return ""
    call, system = giver.volume.call, giver.volume.filesystem
    why = (
        f"its reserve of {binary(giver.kept - (giver.volume.used or 0))} stays free"
        if giver.kept >= giver.smallest
        else (system.smallest_why if system and system.smallest_why else "it is full")
    )
    return f"{call} gives no more: {why}; "


def _behind(disk: Disk, last: Volume) -> tuple[str, int, int]:
    """What stands behind, and what taking its place would cost: in words, bytes more, bytes copied."""
    others = sorted((one for one in disk.volumes if one.start >= last.end), key=lambda one: one.start)
    if not others:
        return f"disk {disk.id} ends behind {last.call}", 0, 0
    if others[0].planned:
        return f"{others[0].call} is new too, right behind {last.call}", 0, 0
    gaps = {gap.start: gap.size for gap in stretches(disk)}
    for count, one in enumerate(others, 1):
        free = next((size for start, size in gaps.items() if 0 <= start - one.end < MIB), 0)
        if free >= WORTH:
            moved = others[:count]
            copied = sum(two.used if two.used is not None else two.size for two in moved)
            names = " and ".join(two.call for two in moved)
            minutes = max(1, round(copying_minutes(copied)))
            words = (
                f"{binary(free)} more if {names} moved: {binary(copied)} to copy, about {minutes} minute{'s' * (minutes > 1)}"
            )
            return words, free, copied
    return f"{others[0].call} stands right behind {last.call}, and nothing is free behind it", 0, 0


def words_of(reading: Reading, aim: str) -> Iterator[str]:
    """Yield what binds an aim, a sentence for each disk."""
    for one in bounds(reading):
        if one.aim == aim:
            yield f"{', '.join(one.calls)} on disk {one.disk}: {one.words}."
