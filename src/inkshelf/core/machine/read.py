"""Read a whole disk: its table, its volumes, what they hold. Bytes come through a ``ByteSource``; nothing is written."""

from __future__ import annotations

from inkshelf.core.disk.gpt import GptEntry, GptTable, read_gpt
from inkshelf.core.disk.mbr import EXTENDED, MbrTable, read_mbr
from inkshelf.core.disk.probe import probe
from inkshelf.core.disk.source import ByteSource, Slice
from inkshelf.core.disk.start_code import CODE_BYTES, code_of, core_of
from inkshelf.core.errors import TableError
from inkshelf.core.machine.files import with_clashes, with_disk_files, with_images
from inkshelf.core.machine.state import Disk, Extended, Table, Volume
from inkshelf.core.size import MIB
from inkshelf.core.value import replace

SECTORS = (512, 4096)


def read_disk(source: ByteSource, disk_id: str = "A", sector: int | None = None) -> Disk:
    """Return the disk that ``source`` holds.

    ``sector``: logical sector size in bytes where it is known; otherwise the size at which a GPT is found. Raises
    ``TableError`` where a table is there but cannot be used.
    """
    if source.size < MIB:
        raise TableError("This is too small for a disk image.", "Choose an image of at least 1 MiB.")
    for size in (sector,) if sector else SECTORS:
        gpt = read_gpt(source, size)
        if gpt is not None:
            return _from_gpt(source, disk_id, gpt, read_mbr(source, size))
    mbr = read_mbr(source, sector or 512)
    if mbr is not None and mbr.protective and not mbr.hybrid:
        raise TableError(
            "This disk is marked as GPT, but no copy of its table is there.",
            "The image may be cut short: make it again and compare its size with the disk's.",
        )
    if mbr is not None and mbr.entries:
        return _from_mbr(source, disk_id, mbr, sector or 512)
    bare = _bare(source, disk_id, sector or 512)
    first = source.read(0, 512)
    code = first[510:512] == b"\x55\xaa" and any(first[:CODE_BYTES])  # a BIOS runs nothing without that mark
    bare = replace(bare, table=replace(bare.table, boot_code=code, code_of=code_of(source) if code else ""))
    bare = replace(bare, table=replace(bare.table, core_lba=core_of(source, bare.table.code_of)))
    if mbr is not None and not bare.volumes and int(mbr.signature, 16):
        return _from_mbr(source, disk_id, mbr, sector or 512)  # a table without volumes: it has a signature of its own
    return bare


def _from_gpt(source: ByteSource, disk_id: str, gpt: GptTable, mbr: MbrTable | None) -> Disk:
    guids = tuple(entry.guid for entry in gpt.entries)
    volumes = [_gpt_volume(source, entry, gpt.sector, guids) for entry in gpt.entries]
    table = Table(
        kind="gpt",
        guid=gpt.guid,
        signature=mbr.signature if mbr else "",
        first_usable=gpt.first_usable,
        last_usable=gpt.last_usable,
        entry_count=gpt.entry_count,
        entry_bytes=gpt.entry_bytes,
        backup_lba=gpt.backup_lba,
        primary_ok=gpt.primary_ok,
        backup_ok=gpt.backup_ok,
        fault=gpt.fault,
        hybrid=bool(mbr and mbr.hybrid),
        boot_code=any(source.read(0, CODE_BYTES)),
        code_of=code_of(source),
        core_lba=core_of(source, code_of(source)),
        protective=bool(mbr and mbr.protective),
        entries_lba=gpt.entries_lba,
        backup_entries_lba=gpt.backup_entries_lba,
    )
    ordered = _looked_into(source, tuple(sorted(volumes, key=lambda one: one.start)))
    return Disk(disk_id, source.size, gpt.sector, max(4096, gpt.sector), table=table, volumes=ordered)


def _gpt_volume(source: ByteSource, entry: GptEntry, sector: int, guids: tuple[str, ...]) -> Volume:
    start, size = entry.first * sector, (entry.last - entry.first + 1) * sector
    inside = start < source.size and size > 0
    contents = probe(Slice(source, start, min(size, source.size - start)), guids) if inside else None
    return Volume(
        call="",
        number=entry.number,
        start=start,
        size=max(0, size),
        type_id=entry.type_guid,
        name=entry.name,
        guid=entry.guid,
        attributes=entry.attributes,
        filesystem=contents.filesystem if contents else None,
        boot_files=contents.boot_files if contents else (),
        holds=contents.holds if contents else None,
    )


def _from_mbr(source: ByteSource, disk_id: str, mbr: MbrTable, sector: int) -> Disk:
    volumes = []
    for entry in mbr.entries:
        if entry.type_byte in EXTENDED:
            continue
        start, size = entry.first * sector, entry.sectors * sector
        inside = start < source.size
        contents = probe(Slice(source, start, min(size, source.size - start))) if inside else None
        volumes.append(
            Volume(
                "",
                entry.number,
                start,
                size,
                f"0x{entry.type_byte:02X}",
                active=entry.active,
                logical=entry.logical,
                filesystem=contents.filesystem if contents else None,
                boot_files=contents.boot_files if contents else (),
                holds=contents.holds if contents else None,
            )
        )
    containers = [entry for entry in mbr.entries if entry.type_byte in EXTENDED and not entry.logical]
    extended = tuple(
        Extended(one.number, one.first * sector, one.sectors * sector, f"0x{one.type_byte:02X}") for one in containers
    )
    fault = "two extended partitions; one is all that systems agree on" if len(extended) > 1 else ""
    table = Table(
        "mbr",
        signature=mbr.signature,
        entry_count=4,
        entry_bytes=16,
        fault=fault,
        extended=extended[0] if extended else None,
        boot_code=any(source.read(0, CODE_BYTES)),
        code_of=code_of(source),
        core_lba=core_of(source, code_of(source)),
    )
    ordered = _looked_into(source, tuple(sorted(volumes, key=lambda one: one.start)))
    return Disk(disk_id, source.size, sector, max(4096, sector), table=table, volumes=ordered)


def _bare(source: ByteSource, disk_id: str, sector: int) -> Disk:
    contents = probe(Slice(source, 0, source.size))
    volumes: tuple[Volume, ...] = ()
    if contents.filesystem:
        volumes = (
            Volume(
                "", 0, 0, source.size, "", filesystem=contents.filesystem, boot_files=contents.boot_files, holds=contents.holds
            ),
        )
    return Disk(disk_id, source.size, sector, max(4096, sector), volumes=_looked_into(source, volumes))


def _looked_into(source: ByteSource, volumes: tuple[Volume, ...]) -> tuple[Volume, ...]:
    """Return volumes with what is of interest among their files."""
    return with_clashes(source, with_images(source, with_disk_files(source, volumes)))
