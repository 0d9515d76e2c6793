"""The MBR reader: four records, and the chain of extended boot records behind an extended one."""

from __future__ import annotations

import struct

from inkshelf.core.disk.source import ByteSource, Layout
from inkshelf.core.errors import TableError
from inkshelf.core.value import Value

RECORD = struct.Struct("<B3sB3sII")  # flag, first cylinder, type, last cylinder, first sector, sectors
HEAD = Layout("MBR", "<", signature=(440, "I"), records=(446, "64s"), mark=(510, "2s"))
MARK, ACTIVE, PROTECTIVE = b"\x55\xaa", 0x80, 0xEE
EXTENDED = {0x05, 0x0F, 0x85}
LONGEST_CHAIN = 256


class MbrEntry(Value, frozen=True):
    """One partition; LBAs in logical sectors, ``number`` as the Linux family counts (logicals from 5)."""

    number: int
    type_byte: int
    first: int
    sectors: int
    active: bool = False
    logical: bool = False


class MbrTable(Value, frozen=True):
    """An MBR: disk signature as eight hexadecimal digits, and the partitions."""

    signature: str
    entries: tuple[MbrEntry, ...]

    @property
    def protective(self) -> bool:
        """Whether a 0xEE record stands in it."""
        return any(entry.type_byte == PROTECTIVE for entry in self.entries)

    @property
    def hybrid(self) -> bool:
        """Whether real records stand beside the protective one."""
        return self.protective and len(self.entries) > 1


def read_mbr(source: ByteSource, sector: int) -> MbrTable | None:
    """Return the MBR, or ``None`` where there is none: no 55AA, or records that cannot be ones (a boot sector's code)."""
    head = source.read(0, 512)
    if len(head) < HEAD.size or HEAD.of(head).mark != MARK:
        return None
    own = HEAD.of(head)
    records = list(RECORD.iter_unpack(own.records))
    if any(record[0] not in {0, ACTIVE} for record in records):
        return None
    entries = []
    for index, (flag, _, kind, _, first, count) in enumerate(records):
        if kind and count:
            entries.append(MbrEntry(index + 1, kind, first, count, active=flag == ACTIVE))
    for entry in [one for one in entries if one.type_byte in EXTENDED]:
        entries.extend(_logicals(source, entry.first, sector))
    return MbrTable(f"{own.signature:08x}", tuple(entries))


def _logicals(source: ByteSource, base: int, sector: int) -> list[MbrEntry]:
    found: list[MbrEntry] = []
    seen: set[int] = set()
    at = base
    while at:
        if at in seen or len(seen) > LONGEST_CHAIN:
            raise TableError(
                "The chain of logical partitions runs in a circle.",
                "Nothing may be changed on this disk until it is repaired; copy the data off first.",
                field="EBR",
                offset=at * sector,
            )
        seen.add(at)
        head = source.read(at * sector, 512)
        if len(head) < HEAD.size or HEAD.of(head).mark != MARK:
            raise TableError(
                "A record of the chain of logical partitions is missing.",
                "Copy the data off before anything is changed.",
                field="EBR",
                offset=at * sector,
            )
        own, following, *_ = RECORD.iter_unpack(HEAD.of(head).records)
        flag, _, kind, _, first, count = own
        _, _, next_kind, _, next_first, next_count = following
        if kind and count:
            found.append(MbrEntry(5 + len(found), kind, at + first, count, active=flag == ACTIVE, logical=True))
        at = base + next_first if next_kind in EXTENDED and next_count else 0
    return found
