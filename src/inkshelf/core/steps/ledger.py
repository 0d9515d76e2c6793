"""The data ledger: what becomes of every byte of every disk. It only reads the fold."""

from __future__ import annotations

import itertools
from typing import Literal

from inkshelf.core.disk.filesystems import used_beyond
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.size import mib_to_type
from inkshelf.core.steps.fold import Fold
from inkshelf.core.steps.kinds import Shrink, Step
from inkshelf.core.value import Value

Fate = Literal["kept", "moved", "new", "released", "erased", "free", "table"]


class Stretch(Value, frozen=True):
    """A stretch of a disk in the planned state and what it is; stretches of a disk add up to its size."""

    disk: str
    start: int
    size: int
    fate: Fate
    call: str = ""


class Narrowing(Value, frozen=True):
    """One shrink: sizes in bytes, and the MiB to type into the shrink box of the system that owns the volume; ``step``: its number.

    A volume may shrink more than once, each time from the size that the time before left.
    """

    call: str
    from_bytes: int
    to_bytes: int
    type_mib: int
    relocates_bytes: int
    step: int = 0


class Ledger(Value, frozen=True):
    """Totals in bytes. Used bytes count for what is kept, moved and erased; whole volumes where the use is not known, and for new ones."""

    kept_bytes: int
    moved_bytes: int
    erased_bytes: int
    new_bytes: int
    lost: tuple[str, ...]
    stretches: tuple[Stretch, ...]
    shrinks: tuple[Narrowing, ...]


def _used(volume: Volume) -> int:
    return volume.size if volume.used is None else volume.used


def ledger(plan: Fold, steps: tuple[Step, ...]) -> Ledger:
    """Account for every byte between the state found and the state planned."""
    done = steps[: len(plan.machines) - 1]
    given_up = {call for step, before in zip(done, plan.machines, strict=False) for call in step.gives_up(before)}
    kept = moved = erased = new = 0
    lost = []
    old = {volume.call: volume for _, volume in plan.found.volumes()}
    shrinks = tuple(_narrowings(plan, done))
    inside: dict[str, int] = {}
    for one in shrinks:
        inside[one.call] = inside.get(one.call, 0) + one.relocates_bytes
    for call, volume in old.items():
        after = plan.planned.find(call)
        if call in given_up or after is None:
            erased += _used(volume)
            lost.append(call)
        elif after[1].start != volume.start:
            moved += _used(volume)
        else:
            gone = [file for file in volume.disk_files if file.call in given_up]
            erased += sum(file.stored_bytes for file in gone)
            kept -= sum(file.stored_bytes for file in gone)
            lost += [file.call for file in gone]
            relocated = min(inside.get(call, 0), _used(volume))
            moved += relocated
            kept += _used(volume) - relocated
    new = sum(volume.size for _, volume in plan.planned.volumes() if volume.call not in old or volume.call in given_up)
    stretches = tuple(one for disk in plan.planned.disks for one in _stretches(plan.found, disk, given_up))
    return Ledger(
        kept_bytes=kept,
        moved_bytes=moved,
        erased_bytes=erased,
        new_bytes=new,
        lost=tuple(lost),
        stretches=stretches,
        shrinks=shrinks,
    )


def _narrowings(plan: Fold, steps: tuple[Step, ...]) -> list[Narrowing]:
    found = []
    for number, step in enumerate(steps):
        if isinstance(step, Shrink):
            before = plan.machines[number].find(step.call)
            if before is None:
                continue
            volume = before[1]
            behind = used_beyond(volume.filesystem, step.to_bytes) if volume.filesystem else 0
            found.append(
                Narrowing(step.call, volume.size, step.to_bytes, mib_to_type(volume.size - step.to_bytes), behind, number + 1)
            )
    return found


def _stretches(found: Machine, disk: Disk, given_up: set[str]) -> list[Stretch]:
    """Cut the disk at every edge, found or planned, and say what each piece is."""
    before = next((one.volumes for one in found.disks if one.id == disk.id), ())
    edges = {0, disk.size, disk.usable_start, disk.usable_end}
    for volume in (*before, *disk.volumes):
        edges |= {volume.start, volume.end}
    places = sorted(edge for edge in edges if 0 <= edge <= disk.size)
    pieces: list[Stretch] = []
    for start, end in itertools.pairwise(places):
        fate, call = _fate(disk, before, start, given_up)
        if pieces and (pieces[-1].fate, pieces[-1].call) == (fate, call):
            pieces[-1] = Stretch(disk.id, pieces[-1].start, end - pieces[-1].start, fate, call)
        else:
            pieces.append(Stretch(disk.id, start, end - start, fate, call))
    return pieces


def _fate(disk: Disk, before: tuple[Volume, ...], place: int, given_up: set[str]) -> tuple[Fate, str]:
    now = next((one for one in disk.volumes if one.start <= place < one.end), None)
    was = next((one for one in before if one.start <= place < one.end), None)
    if now is not None:
        origin = next((one for one in before if one.call == now.call), None)
        if origin is None or now.call in given_up:
            return "new", now.call
        return ("kept" if origin.start == now.start else "moved"), now.call
    if was is not None:
        still = any(one.call == was.call for one in disk.volumes) and was.call not in given_up
        return ("released" if still else "erased"), was.call
    return ("table" if place < disk.usable_start or place >= disk.usable_end else "free"), ""


class Position(Value, frozen=True):
    """Where a kept volume is after a step (0: as found): disk, first byte, size and used bytes, ``None`` where not known."""

    step: int
    call: str
    disk: str
    start: int
    size: int
    used: int | None


def positions(plan: Fold, steps: tuple[Step, ...]) -> tuple[Position, ...]:
    """Return where every kept volume is, as found and after each step that changes its place or size.

    A volume that is given up ends there: it has no position after the step that gives it up.
    """
    given_up: set[str] = set()
    calls = [volume.call for _, volume in plan.found.volumes()]
    last: dict[str, tuple[str, int, int]] = {}
    found = []
    for number, machine in enumerate(plan.machines):
        step = steps[number - 1] if number else None
        if step is not None:
            given_up.update(step.gives_up(plan.machines[number - 1]))
        for call in calls:
            place = machine.find(call)
            if place is None or call in given_up:
                continue
            disk, volume = place
            now = (disk.id, volume.start, volume.size)
            if last.get(call) != now:
                last[call] = now
                found.append(Position(number, call, *now, volume.used))
    return tuple(found)
