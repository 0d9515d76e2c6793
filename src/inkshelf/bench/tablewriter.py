"""Write a disk's partition table into a bench image: changed sectors only, the state before the bytes."""

from __future__ import annotations

import os

from inkshelf.bench.handover import Written
from inkshelf.bench.sparse import punch
from inkshelf.core.disk import mbr_write
from inkshelf.core.disk.gpt import NAME_AT, OWN, GptEntry, GptTable, encode, name_of, with_entries
from inkshelf.core.disk.mbr import MbrEntry, MbrTable
from inkshelf.core.errors import BenchError, TableError
from inkshelf.core.machine.state import Disk
from inkshelf.core.size import MIB


def gpt_of(disk: Disk) -> GptTable:
    """Return the table that a disk's state describes, its backup at the end of the disk."""
    table, sector = disk.table, disk.sector
    entries = tuple(
        GptEntry(
            number=volume.number,
            type_guid=volume.type_id,
            guid=volume.guid,
            first=volume.start // sector,
            last=volume.end // sector - 1,
            attributes=volume.attributes,
            name=volume.name,
        )
        for volume in disk.volumes
    )
    return GptTable(
        sector=sector,
        disk_sectors=disk.size // sector,
        guid=table.guid,
        first_usable=table.first_usable,
        last_usable=table.last_usable,
        entries=entries,
        entry_count=table.entry_count,
        entry_bytes=table.entry_bytes,
        backup_lba=table.backup_lba,
        entries_lba=table.entries_lba,
        backup_entries_lba=table.backup_entries_lba,
    )


def mbr_of(disk: Disk) -> MbrTable:
    """Return the MBR that a disk's state describes, its extended partition among the primaries."""
    sector, inside = disk.sector, disk.table.extended
    entries = [
        MbrEntry(one.number, int(one.type_id, 16), one.start // sector, one.size // sector, one.active, one.logical)
        for one in disk.volumes
    ]
    if inside is not None:
        entries.append(MbrEntry(inside.number, int(inside.type_id, 16), inside.start // sector, inside.size // sector))
    return MbrTable(disk.table.signature, tuple(sorted(entries, key=lambda one: one.number)))


def write_table(fd: int, before: Disk, after: Disk, written: Written) -> None:
    """Write the table of ``after``, which ``before`` becomes; raises ``BenchError`` where it cannot be said in that table."""
    try:
        if after.table.kind == "gpt":
            _write_gpt(fd, before, after, written)
        elif after.table.kind == "mbr":
            _write_mbr(fd, after, written)
        else:
            raise BenchError(f"Disk {after.id} has no partition table.", "Make one first.")
    except TableError as error:
        raise BenchError(error.what, error.remedy) from error


def _write_gpt(fd: int, before: Disk, after: Disk, written: Written) -> None:
    """Backup entries and header first, so that one good copy stands at every moment."""
    table = gpt_of(after)
    pieces = encode(table)
    at, new = pieces.entries
    entries = keep_names(new, os.pread(fd, len(new), at), table)
    for offset, data in (
        (pieces.backup_entries[0], entries),
        _checked(pieces.backup_header, entries, table),
        (at, entries),
        _checked(pieces.header, entries, table),
    ):
        for low in range(0, len(data), after.sector):
            written.put(fd, data[low : low + after.sector], offset + low)
    if after.table.hybrid:
        records = mbr_write.follow_hybrid(os.pread(fd, 512, 0), _became(before, after), after.size // after.sector)
        written.put(fd, records, mbr_write.RECORDS_AT)
    else:
        written.put(fd, pieces.protective[1], pieces.protective[0])


def keep_names(new: bytes, found: bytes, table: GptTable) -> bytes:
    """Return entries whose names say the same as those found with the very bytes found: not every name can be written as it was read.

    What lies behind the 128 bytes that the specification defines stays too.
    """
    each, kept = table.entry_bytes, bytearray(new)
    for entry in table.entries:
        at = (entry.number - 1) * each
        old = found[at : at + each]
        if len(old) == each and OWN.of(old).guid == OWN.of(new, at).guid and name_of(old) == entry.name:
            kept[at + NAME_AT : at + each] = old[NAME_AT:]
    return bytes(kept)


def _checked(piece: tuple[int, bytes], entries: bytes, table: GptTable) -> tuple[int, bytes]:
    """The header over these entries."""
    return piece[0], with_entries(piece[1], entries[: table.entry_count * table.entry_bytes])


def _became(before: Disk, after: Disk) -> dict[tuple[int, int], tuple[int, int] | None]:
    now = {one.call: (one.start // after.sector, one.size // after.sector) for one in after.volumes}
    return {(one.start // before.sector, one.size // before.sector): now.get(one.call) for one in before.volumes}


def _write_mbr(fd: int, disk: Disk, written: Written) -> None:
    for offset, data in mbr_write.encode(mbr_of(disk), disk.sector):
        found = os.pread(fd, len(data), offset)
        written.put(fd, mbr_write.keep_cylinders(data, found) if len(data) > 4 else data, offset)


def wipe_table(fd: int, disk: Disk) -> None:
    """Take away what an earlier table or whole-disk file system left at both ends; code before the records goes too."""
    edge = max(MIB, 40 * disk.sector)
    punch(fd, 0, edge)
    punch(fd, disk.size - edge, edge)
