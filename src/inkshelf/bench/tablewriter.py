"""Write a disk's partition table into a bench image: both copies, changed sectors only, the state before the bytes."""

from __future__ import annotations

from inkshelf.bench.handover import Written
from inkshelf.core.disk.gpt import GptEntry, GptTable, encode
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk


def gpt_of(disk: Disk) -> GptTable:
    """Return the table that a disk's state describes, its backup at the end of the disk."""
    table, sector = disk.table, disk.sector
    entries = tuple(
        GptEntry(
            volume.number,
            volume.type_id,
            volume.guid,
            volume.start // sector,
            volume.end // sector - 1,
            volume.attributes,
            volume.name,
        )
        for volume in disk.volumes
    )
    return GptTable(
        sector,
        disk.size // sector,
        table.guid,
        table.first_usable,
        table.last_usable,
        entries,
        table.entry_count,
        table.entry_bytes,
    )


def write_table(fd: int, disk: Disk, written: Written) -> None:
    """Write the table of ``disk``; backup entries and header first, so that one good copy stands at every moment."""
    if disk.table.kind != "gpt":
        raise BenchError("Only GPT tables are written on the bench for now.", "Plan on a GPT disk.")
    pieces = encode(gpt_of(disk))
    for offset, data in (pieces[3], pieces[4], pieces[2], pieces[1]):
        for at in range(0, len(data), disk.sector):
            written.put(fd, data[at : at + disk.sector], offset + at)
    if not disk.table.hybrid:
        written.put(fd, pieces[0][1], pieces[0][0])
