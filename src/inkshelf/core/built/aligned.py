"""Give a fresh reading of a machine the letters and call numbers of the plan, so that the two can be held against each other."""

from __future__ import annotations

from collections.abc import Callable

from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.captured import merge_identity, same_disk
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.size import MIB, align_down
from inkshelf.core.value import replace

Same = Callable[[Volume, Volume], bool]


def _by_guid(one: Volume, other: Volume) -> bool:
    return bool(one.guid) and one.guid.upper() == other.guid.upper()


def _by_uuid(one: Volume, other: Volume) -> bool:
    ids = [two.filesystem.uuid.lower() if two.filesystem else "" for two in (one, other)]
    return bool(ids[0]) and ids[0] == ids[1]


def _by_place(one: Volume, other: Volume) -> bool:
    return one.start == other.start


def _by_number(one: Volume, other: Volume) -> bool:
    """An installer that lays a volume out by itself rounds its place."""
    return one.number == other.number and one.logical == other.logical and max(one.start, other.start) < min(one.end, other.end)


WAYS: tuple[Same, ...] = (_by_guid, _by_uuid, _by_place, _by_number)
"""How a volume is known again, the surest first."""


def aligned(planned: Machine, built: Machine) -> Machine:
    """Return the reading with the plan's letters and call numbers; a disk or a volume that the plan does not have gets one that is free."""
    letters = _letters(planned, built)
    taken = [*planned.calls(), *built.calls()]
    disks = []
    for disk in built.disks:
        letter = letters[disk.id]
        twin = next((one for one in planned.disks if one.id == letter), None)
        named = merge_identity(replace(disk, id=letter), twin) if twin and not disk.serial else replace(disk, id=letter)
        disks.append(replace(named, volumes=_called(twin, disk, taken)))
    new = {old: letters[old] for old in letters}
    entries = tuple(replace(one, disk=new.get(one.disk, one.disk)) for one in built.firmware.entries)
    return replace(built, disks=tuple(disks), firmware=replace(built.firmware, entries=entries))


def _letters(planned: Machine, built: Machine) -> dict[str, str]:
    """The plan's letter of each disk of a reading: by serial, by its table, by its size where one of that size is left."""
    found: dict[str, str] = {}
    ways: tuple[Callable[[Disk, Disk], bool], ...] = (
        lambda one, other: bool(one.serial) and one.serial == other.serial,
        same_disk,
        lambda one, other: align_down(one.size, MIB) == align_down(other.size, MIB),
    )
    for same in ways:
        for disk in built.disks:
            left = [one for one in planned.disks if one.id not in found.values() and same(one, disk)]
            if disk.id not in found and len(left) == 1:
                found[disk.id] = left[0].id
    free = [one for one in "ABCDEFGHIJKLMNOPQRSTUVWXYZ" if one not in {*found.values(), *(disk.id for disk in planned.disks)}]
    for disk in built.disks:
        if disk.id not in found:
            found[disk.id] = free.pop(0)
    return found


def _called(twin: Disk | None, disk: Disk, taken: list[str]) -> tuple[Volume, ...]:
    known: dict[int, Volume] = {}
    for same in WAYS:
        for at, volume in enumerate(disk.volumes):
            left = [one for one in (twin.volumes if twin else ()) if one.call not in {two.call for two in known.values()}]
            match = next((one for one in left if same(one, volume)), None)
            if at not in known and match is not None:
                known[at] = match
    volumes = []
    for at, volume in enumerate(disk.volumes):
        if at in known:
            volumes.append(replace(volume, call=known[at].call, role=known[at].role))
        else:
            taken.append(next_call(volume.role, taken))
            volumes.append(replace(volume, call=taken[-1]))
    return tuple(volumes)
