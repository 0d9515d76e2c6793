"""The GPT codec: bytes to table and back (UEFI specification 2.10, section 5.3).

Reading takes either copy and says what is wrong with the other. Writing gives both copies and the protective MBR as
(offset, bytes) pieces; who writes them is not this module's business.
"""

from __future__ import annotations

import struct
import uuid
import zlib
from typing import NamedTuple

from inkshelf.core.disk.mbr import HEAD, MARK, PROTECTIVE, RECORD
from inkshelf.core.disk.source import ByteSource, Layout
from inkshelf.core.errors import TableError
from inkshelf.core.value import Value

SIGNATURE = b"EFI PART"
HEADER = struct.Struct("<8sIIIIQQQQ16sQIII")  # 92 bytes: 5.3.2, table 5-5
ENTRY = struct.Struct("<16s16sQQQ72s")  # 128 bytes: 5.3.3, table 5-6
SUMS = Layout("GPT header", "<", header=(16, "I"), entries=(88, "I"))
OWN = Layout("GPT entry", "<", guid=(16, "16s"), name=(56, "72s"))
NAME_AT = OWN.place("name")
RECORDS_AT = HEAD.place("records")
ENTRIES_LIMIT = 1 << 22  # 4 MiB of entries: 32 times the usual, and still quick to read


class GptEntry(Value, frozen=True):
    """One used entry; LBAs inclusive, ``number`` counts from 1."""

    number: int
    type_guid: str
    guid: str
    first: int
    last: int
    attributes: int = 0
    name: str = ""


class GptTable(Value, frozen=True):
    """A whole table; all places are LBAs of ``sector`` bytes."""

    sector: int
    disk_sectors: int
    guid: str
    first_usable: int
    last_usable: int
    entries: tuple[GptEntry, ...] = ()
    entry_count: int = 128
    entry_bytes: int = 128
    backup_lba: int = 0
    primary_ok: bool = True
    backup_ok: bool = True
    fault: str = ""
    entries_lba: int = 2
    backup_entries_lba: int = 0

    @property
    def entry_sectors(self) -> int:
        """Sectors that one copy of the entries takes."""
        return -(-self.entry_count * self.entry_bytes // self.sector)


class Pieces(NamedTuple):
    """What makes up a table on the disk, as (offset, bytes)."""

    protective: tuple[int, bytes]
    header: tuple[int, bytes]
    entries: tuple[int, bytes]
    backup_entries: tuple[int, bytes]
    backup_header: tuple[int, bytes]


class _Copy(Value, frozen=True):
    lba: int
    alternate: int
    first_usable: int
    last_usable: int
    guid: str
    count: int
    entry_bytes: int
    raw: bytes
    entries_lba: int


def blank(disk_bytes: int, sector: int, guid: str) -> GptTable:
    """Return an empty table of the usual shape: 128 entries of 128 bytes."""
    sectors = disk_bytes // sector
    room = -(-128 * 128 // sector)
    return GptTable(
        sector=sector,
        disk_sectors=sectors,
        guid=guid,
        first_usable=2 + room,
        last_usable=sectors - 2 - room,
        backup_lba=sectors - 1,
    )


def read_gpt(source: ByteSource, sector: int) -> GptTable | None:
    """Return the table made at this sector size, or ``None`` where no copy has its signature.

    Raises ``TableError`` where a signature stands but neither copy can be used.
    """
    sectors = source.size // sector
    if sectors < 8:
        return None
    faults: list[str] = []
    primary, signed = _copy_at(source, 1, sector, "primary", faults)
    elsewhere = primary is not None and 1 < primary.alternate < sectors
    backup, also = _copy_at(source, primary.alternate if primary and elsewhere else sectors - 1, sector, "backup", faults)
    if not signed and not also:
        return None
    good = primary or backup
    if good is None:
        raise _unusable(faults, sector)
    if primary and backup and (primary.raw, primary.guid) != (backup.raw, backup.guid):
        entries, disk = "its entries differ from the primary's", "its disk GUID differs from the primary's"
        faults.append(f"backup copy: {entries if primary.raw != backup.raw else disk}")
        backup = None
    lba = good.alternate if good.lba == 1 else good.lba
    usual = lba - -(-good.count * good.entry_bytes // sector)
    return GptTable(
        sector=sector,
        disk_sectors=sectors,
        guid=good.guid,
        first_usable=good.first_usable,
        last_usable=good.last_usable,
        entries=tuple(_entries(good.raw, good.count, good.entry_bytes)),
        entry_count=good.count,
        entry_bytes=good.entry_bytes,
        backup_lba=lba,
        primary_ok=primary is not None,
        backup_ok=backup is not None,
        fault="; ".join(faults),
        entries_lba=primary.entries_lba if primary else 2,
        backup_entries_lba=backup.entries_lba if backup and backup.entries_lba != usual else 0,
    )


def _copy_at(source: ByteSource, lba: int, sector: int, which: str, faults: list[str]) -> tuple[_Copy | None, bool]:
    """Return a copy, ``None`` where it cannot be used and ``faults`` says why, and whether its signature stands there."""
    signed = source.read(lba * sector, len(SIGNATURE)) == SIGNATURE
    try:
        return _read_copy(source, lba, sector, source.size // sector), signed
    except TableError as error:
        faults.append(f"{which} copy: {error.what}")
        return None, signed


def _unusable(faults: list[str], sector: int) -> TableError:
    cut = next((fault for fault in faults if "cut short" in fault), "")
    if cut:
        return TableError(
            f"This image is not whole: {cut.split(': ', 1)[1]}.",
            "Make the image again and compare its size with the disk's.",
            field="usable LBA",
        )
    return TableError("The partition table is damaged in both copies.", "; ".join(faults), field="header", offset=sector)


def _read_copy(source: ByteSource, lba: int, sector: int, sectors: int) -> _Copy:
    at = lba * sector
    head = source.read(at, sector)
    if len(head) < HEADER.size or head[:8] != SIGNATURE:
        raise TableError("no signature", field="signature", offset=at)
    (_, _, header_bytes, crc, _, my_lba, alternate, first, last, guid, entries_lba, count, each, entries_crc) = (
        HEADER.unpack_from(head)
    )
    if not HEADER.size <= header_bytes <= sector:
        raise TableError(f"header size {header_bytes} is not possible", field="header size", offset=at + 12)
    if zlib.crc32(head[:16] + bytes(4) + head[20:header_bytes]) != crc:
        raise TableError("header checksum does not match", field="header CRC", offset=at + 16)
    if my_lba != lba:
        raise TableError(f"header says it is at LBA {my_lba}, but stands at {lba}", field="my LBA", offset=at + 24)
    if each < ENTRY.size or each % 8 or not 1 <= count * each <= ENTRIES_LIMIT:
        raise TableError(f"{count} entries of {each} bytes are not possible", field="entry size", offset=at + 84)
    if lba == 1 and 2 <= first <= last and last >= sectors:
        short = f"the table speaks of at least {(last + 1) * sector} bytes, the image holds {sectors * sector}"
        raise TableError(f"the image is cut short: {short}", field="usable LBA", offset=at + 48)
    if not 2 <= first <= last < sectors:
        raise TableError(f"usable LBAs {first} to {last} do not fit the disk", field="usable LBA", offset=at + 40)
    raw = source.read(entries_lba * sector, count * each) if entries_lba < sectors else b""
    if len(raw) != count * each or zlib.crc32(raw) != entries_crc:
        raise TableError("entries checksum does not match", field="entries CRC", offset=at + 88)
    return _Copy(
        lba=lba,
        alternate=alternate,
        first_usable=first,
        last_usable=last,
        guid=_guid(guid),
        count=count,
        entry_bytes=each,
        raw=raw,
        entries_lba=entries_lba,
    )


def _entries(raw: bytes, count: int, each: int) -> list[GptEntry]:
    found = []
    for index in range(count):
        kind, own, first, last, attributes, name = ENTRY.unpack_from(raw, index * each)
        if any(kind):
            text = name.decode("utf-16-le", errors="replace").split("\0")[0]
            found.append(
                GptEntry(
                    number=index + 1,
                    type_guid=_guid(kind),
                    guid=_guid(own),
                    first=first,
                    last=last,
                    attributes=attributes,
                    name=text,
                )
            )
    return found


def name_of(entry: bytes) -> str:
    """Return the name in the bytes of an entry, as it is read."""
    return str(OWN.of(entry).name.decode("utf-16-le", errors="replace").split("\0")[0])


def with_entries(header: bytes, entries: bytes) -> bytes:
    """Return a header whose checksums are those of these entries."""
    made = bytearray(header)
    own = SUMS.place("header")
    struct.pack_into("<I", made, SUMS.place("entries"), zlib.crc32(entries))
    struct.pack_into("<I", made, own, 0)
    struct.pack_into("<I", made, own, zlib.crc32(bytes(made[: HEADER.size])))
    return bytes(made)


def _guid(raw: bytes) -> str:
    return str(uuid.UUID(bytes_le=raw)).upper()


def encode(table: GptTable) -> Pieces:
    """Return the pieces to write: protective MBR part, primary header and entries, backup entries and header.

    The protective MBR piece starts at byte 446, so that code before it stays as it was found. Raises ``TableError`` for
    an entry outside the table or a name of more than 36 UTF-16 units.
    """
    raw = _packed(table)
    room = table.entry_sectors
    last = table.disk_sectors - 1
    backup_at = _backup_place(table, last)
    if not 2 <= table.entries_lba <= table.first_usable - room:
        raise TableError(
            f"The table's entries lie at LBA {table.entries_lba}, among the volumes.",
            "Copy the data off; its table is not changed here.",
        )
    crc = zlib.crc32(raw)
    padded = raw.ljust(room * table.sector, b"\0")
    return Pieces(
        protective=(RECORDS_AT, _protective(table.disk_sectors)),
        header=(table.sector, _header(table, 1, last, table.entries_lba, crc)),
        entries=(table.entries_lba * table.sector, padded),
        backup_entries=(backup_at * table.sector, padded),
        backup_header=(last * table.sector, _header(table, last, 1, backup_at, crc)),
    )


def _packed(table: GptTable) -> bytes:
    raw = bytearray(table.entry_count * table.entry_bytes)
    for entry in table.entries:
        if not 1 <= entry.number <= table.entry_count:
            raise TableError(f"Entry {entry.number} does not exist in a table of {table.entry_count}.", field="number")
        name = entry.name.encode("utf-16-le", errors="replace")
        if len(name) > 72:
            raise TableError(f"The name “{entry.name}” is longer than 36 units.", "Shorten it.", field="name")
        ENTRY.pack_into(
            raw,
            (entry.number - 1) * table.entry_bytes,
            uuid.UUID(entry.type_guid).bytes_le,
            uuid.UUID(entry.guid).bytes_le,
            entry.first,
            entry.last,
            entry.attributes,
            name,
        )
    return bytes(raw)


def _backup_place(table: GptTable, last: int) -> int:
    """Where the backup's entries go: where its header said, as long as that header stays the last sector; else right before it."""
    there = table.backup_entries_lba
    if table.backup_lba == last and table.last_usable < there <= last - table.entry_sectors:
        return there
    return last - table.entry_sectors


def _header(table: GptTable, lba: int, other: int, entries_lba: int, entries_crc: int) -> bytes:
    fields = (
        SIGNATURE,
        0x10000,
        HEADER.size,
        0,
        0,
        lba,
        other,
        table.first_usable,
        table.last_usable,
        uuid.UUID(table.guid).bytes_le,
        entries_lba,
        table.entry_count,
        table.entry_bytes,
        entries_crc,
    )
    crc = zlib.crc32(HEADER.pack(*fields))
    return HEADER.pack(*fields[:3], crc, *fields[4:]).ljust(table.sector, b"\0")


def _protective(disk_sectors: int) -> bytes:
    """One 0xEE record over the whole disk, capped at 32 bits (UEFI 5.2.3)."""
    record = RECORD.pack(0, b"\0\2\0", PROTECTIVE, b"\xff\xff\xff", 1, min(disk_sectors - 1, 0xFFFFFFFF))
    return record + bytes(48) + MARK
