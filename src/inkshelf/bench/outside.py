"""What no step announced must not have changed: every byte outside volumes and tables, held against the source."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor

from inkshelf.bench.hashing import digest
from inkshelf.bench.image import ImageFile
from inkshelf.core.disk import mbr_write
from inkshelf.core.disk.mbr import MbrEntry
from inkshelf.core.disk.start_code import CORE_BYTES
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.size import MIB, binary
from inkshelf.core.steps.fold import Fold
from inkshelf.core.steps.kinds import NewTable, Step

Range = tuple[int, int]


def compare(plan: Fold, steps: tuple[Step, ...], disk_id: str, source: ImageFile, image: ImageFile) -> tuple[bool, str]:
    """Return whether every byte of a disk outside volumes, found or planned at any step, and outside its tables is as it was."""
    ranges = untouched(plan, steps, disk_id, source.size)

    def hashed(one: ImageFile) -> list[str]:
        return [digest(one, low, high) for low, high in ranges]

    with ThreadPoolExecutor(2) as pool:
        was, now = pool.map(hashed, (source, image))
    changed = [place for place, before, after in zip(ranges, was, now, strict=True) if before != after]
    if changed:
        low, high = changed[0]
        return False, f"changed between byte {low} and {high}, where no step writes" + (
            f"; and {len(changed) - 1} more" if changed[1:] else ""
        )
    return True, f"{binary(sum(high - low for low, high in ranges))} of gaps, boot code and ends as they were"


def untouched(plan: Fold, steps: tuple[Step, ...], disk_id: str, size: int) -> list[Range]:
    """Return the stretches of a disk that no step may write: all but volumes, tables, and what a fresh table takes away."""
    taken: list[Range] = []
    for machine in plan.machines:
        taken += _written(machine, disk_id)
    if any(isinstance(step, NewTable) and step.disk == disk_id for step in steps):
        edge = max(MIB, 40 * plan.found.disk(disk_id).sector)
        taken += [(0, edge), (size - edge, size)]
    spans = (one for step in steps for one in step.spans() if one[0] == disk_id)
    taken += [(low if low >= 0 else size + low, high if high > 0 else size) for _, low, high in spans]
    if any(step.start_code() == disk_id for step in steps):
        taken.append((0, mbr_write.SIGNATURE_AT))
        cores = {one.table.core_lba * one.sector for machine in plan.machines if (one := machine.disk(disk_id)).table.core_lba}
        taken += [(place, place + CORE_BYTES) for place in cores]
    return between(sorted(taken), size)


def _written(machine: Machine, disk_id: str) -> Iterable[Range]:
    disk = machine.disk(disk_id)
    yield from ((volume.start, volume.end) for volume in disk.volumes)
    yield from table_places(disk)


def table_places(disk: Disk) -> Iterable[Range]:
    """Yield where a disk's table stands: all its copies, and the records of logical volumes."""
    if disk.table.kind == "gpt":
        yield from _gpt_places(disk)
    elif disk.table.kind == "mbr":
        yield (mbr_write.SIGNATURE_AT, 512)
        yield from _records(disk)


def _gpt_places(disk: Disk) -> Iterable[Range]:
    """The protective records, both headers, both copies of the entries."""
    table, sector, last = disk.table, disk.sector, disk.size // disk.sector - 1
    room = -(-table.entry_count * table.entry_bytes // sector)
    yield (mbr_write.RECORDS_AT, 512)
    yield (sector, 2 * sector)
    yield (table.entries_lba * sector, (table.entries_lba + room) * sector)
    backup = table.backup_entries_lba or last - room
    yield (backup * sector, (backup + room) * sector)
    yield (table.backup_lba * sector, (table.backup_lba + 1) * sector)
    yield (last * sector, (last + 1) * sector)
    yield ((last - room) * sector, last * sector)


def _records(disk: Disk) -> Iterable[Range]:
    """Sectors that hold, or held, a record of a logical volume: the first of the extended partition and those before its volumes."""
    inside, sector = disk.table.extended, disk.sector
    if inside is None:
        return
    whole = MbrEntry(inside.number, 5, inside.start // sector, inside.size // sector)
    logicals = sorted((one for one in disk.volumes if one.logical), key=lambda one: one.number)
    entries = [MbrEntry(one.number, 0x83, one.start // sector, one.size // sector, logical=True) for one in logicals]
    yield (inside.start, inside.start + sector)
    for place in mbr_write.ebr_places(whole, entries, sector).values():
        yield (place * sector, (place + 1) * sector)


def between(taken: list[Range], size: int) -> list[Range]:
    """Return what lies between stretches that come in order, up to ``size``."""
    found, at = [], 0
    for low, high in taken:
        if low > at:
            found.append((at, min(low, size)))
        at = max(at, high)
    if at < size:
        found.append((at, size))
    return [(low, high) for low, high in found if high > low]
