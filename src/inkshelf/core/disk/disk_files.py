"""Files that are whole disks, fixed or growing (Virtual Hard Disk image format specification 1.0, "conectix" footer).

A fixed one is the disk's bytes and a footer behind them. A growing one has a copy of the footer, a header, a table of blocks, and only
the blocks that were written; each has a bitmap of its sectors before it. All numbers are big-endian, all places in 512-byte sectors.
"""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator
from typing import Literal

from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.size import GIB, MIB, align_up, binary
from inkshelf.core.value import Value
from inkshelf.data import exact

Form = Literal["fixed", "growing"]
SECTOR, BLOCK = 512, 2 * MIB
LARGEST = 2040 * GIB
NOWHERE = 0xFFFFFFFF
NO_OFFSET = 0xFFFFFFFFFFFFFFFF
VERSION, RESERVED = 0x00010000, 2
FIXED, GROWING = 2, 3
HEADER_AT, TABLE_AT = 512, 1536
FOOTER = Layout(
    "footer of a disk file",
    ">",
    mark=(0, "8s"),
    features=(8, "I"),
    version=(12, "I"),
    header_at=(16, "Q"),
    size=(48, "Q"),
    kind=(60, "I"),
    checksum=(64, "I"),
    identity=(68, "16s"),
    unused=(511, "B"),
)
HEADER = Layout(
    "header of a growing disk file",
    ">",
    mark=(0, "8s"),
    table_at=(16, "Q"),
    entries=(28, "I"),
    block=(32, "I"),
    checksum=(36, "I"),
    unused=(1023, "B"),
)


class OpenDiskFile(Value, frozen=True):
    """A disk file as a source of the disk's bytes. ``blocks``: the sector of each block's bitmap in a growing one, ``NOWHERE`` where it has none."""

    base: ByteSource
    form: Form
    size: int
    identity: str
    block: int = BLOCK
    blocks: tuple[int, ...] = ()

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes of the disk; never beyond its end. A block that is not there reads as zeros."""
        length = max(0, min(length, self.size - offset))
        if self.form == "fixed":
            return self.base.read(offset, length) if length else b""
        out = bytearray()
        while length > 0:
            number, inside = divmod(offset, self.block)
            count = min(length, self.block - inside)
            place = self._place(number)
            out += bytes(count) if place is None else exactly(self.base, place + inside, count, "block of a disk file")
            offset, length = offset + count, length - count
        return bytes(out)

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Yield the stretches that are stored, and are no holes of the file itself."""
        end = min(end, self.size)
        if self.form == "fixed":
            yield from self.base.data_ranges(start, end)
            return
        for number in range(start // self.block, -(-end // self.block)):
            low, high = max(start, number * self.block), min(end, (number + 1) * self.block)
            if self._place(number) is not None and high > low:
                yield low, high

    def _place(self, number: int) -> int | None:
        sector = self.blocks[number]
        return None if sector == NOWHERE else sector * SECTOR + _bitmap_bytes(self.block)


def _bitmap_bytes(block: int) -> int:
    return align_up(block // SECTOR // 8, SECTOR)


def _summed(raw: bytes | bytearray, at: int) -> int:
    """The checksum: the bits of the sum of all bytes turned round, its own four left out."""
    return ~(sum(raw) - sum(raw[at : at + 4])) & 0xFFFFFFFF


def open_disk_file(source: ByteSource) -> OpenDiskFile | None:
    """Return the disk in a file, or ``None`` where its end bears no footer; raises ``FormatError`` where it is damaged or of another kind."""
    raw = source.read(source.size - SECTOR, SECTOR) if source.size >= SECTOR else b""
    if len(raw) < SECTOR or FOOTER.of(raw).mark != exact("disk_files", "mark").encode():
        return None
    own = FOOTER.of(raw)
    if own.checksum != _summed(raw, FOOTER.place("checksum")):
        raise FormatError("The footer of a disk file is damaged.", "Let its own system check the file.")
    if own.kind not in {FIXED, GROWING}:
        raise FormatError("A disk file rests on another one.", "It is read only together with that one: not here.")
    if not 0 < own.size <= LARGEST or own.size % SECTOR:
        raise FormatError(f"A disk file says that its disk has {own.size} bytes.", "Let its own system check the file.")
    identity = own.identity.hex()
    if own.kind == FIXED:
        if own.size > source.size - SECTOR:
            raise FormatError("A fixed disk file is shorter than its disk.", "It was cut short: restore it.")
        return OpenDiskFile(source, "fixed", own.size, identity)
    block, blocks = _table(source, own.header_at, own.size)
    return OpenDiskFile(source, "growing", own.size, identity, block, blocks)


def _table(source: ByteSource, at: int, size: int) -> tuple[int, tuple[int, ...]]:
    raw = exactly(source, at, 1024, "header of a growing disk file")
    own = HEADER.of(raw)
    if own.mark != exact("disk_files", "growing_mark").encode() or own.checksum != _summed(raw, HEADER.place("checksum")):
        raise FormatError("The header of a growing disk file is damaged.", "Let its own system check the file.")
    if own.block & (own.block - 1) or not SECTOR * 8 <= own.block <= 256 * MIB or own.entries * own.block < size:
        raise FormatError("The table of a growing disk file cannot hold its disk.", "Let its own system check the file.")
    count = -(-size // own.block)
    blocks = struct.unpack(f">{count}I", exactly(source, own.table_at, 4 * count, "table of a disk file"))
    last = (source.size - SECTOR - own.block - _bitmap_bytes(own.block)) // SECTOR
    if any(one != NOWHERE and one > last for one in blocks):
        raise FormatError("A block of a growing disk file lies beyond its end.", "It was cut short: restore it.")
    return own.block, blocks


def footer(size: int, form: Form, identity: bytes) -> bytes:
    """Return the footer for a disk of ``size`` bytes; ``identity``: 16 bytes. Raises ``FormatError`` for a size that it cannot say."""
    if not 0 < size <= LARGEST or size % SECTOR:
        raise FormatError(f"A disk file cannot hold {binary(size)}.", f"At most {binary(LARGEST)}, in whole sectors.")
    raw = bytearray(SECTOR)
    kind, header_at = (FIXED, NO_OFFSET) if form == "fixed" else (GROWING, HEADER_AT)
    cylinders, heads, sectors = geometry(size)
    struct.pack_into(">8sIIQ", raw, 0, exact("disk_files", "mark").encode(), RESERVED, VERSION, header_at)
    creator, host = exact("disk_files", "creator").encode(), exact("disk_files", "host").encode()
    struct.pack_into(">I4sI4sQQHBBI", raw, 24, 0, creator, VERSION, host, size, size, cylinders, heads, sectors, kind)
    raw[68:84] = identity
    struct.pack_into(">I", raw, FOOTER.place("checksum"), _summed(raw, FOOTER.place("checksum")))
    return bytes(raw)


def growing_head(size: int, identity: bytes, written: Iterable[int]) -> tuple[bytes, dict[int, int]]:
    """Return what stands before the blocks of a growing file, and where the data of each ``written`` block goes, in bytes."""
    count = -(-size // BLOCK)
    table_bytes = align_up(4 * count, SECTOR)
    table, places, at = [NOWHERE] * count, {}, TABLE_AT + table_bytes
    for number in sorted(written):
        table[number] = at // SECTOR
        places[number] = at + _bitmap_bytes(BLOCK)
        at += _bitmap_bytes(BLOCK) + BLOCK
    header = bytearray(1024)
    mark = exact("disk_files", "growing_mark").encode()
    struct.pack_into(">8sQQIII", header, 0, mark, NO_OFFSET, TABLE_AT, VERSION, count, BLOCK)
    struct.pack_into(">I", header, HEADER.place("checksum"), _summed(header, HEADER.place("checksum")))
    packed = struct.pack(f">{count}I", *table).ljust(table_bytes, b"\xff")
    return footer(size, "growing", identity) + bytes(header) + packed, places


def stored_bytes(size: int, form: Form, written: int = 0) -> int:
    """Return the length of a disk file; ``written``: bytes of a growing one's disk that were written, in whole blocks at least."""
    if form == "fixed":
        return size + SECTOR
    blocks = -(-written // BLOCK)
    return TABLE_AT + align_up(4 * -(-size // BLOCK), SECTOR) + blocks * (_bitmap_bytes(BLOCK) + BLOCK) + SECTOR


def geometry(size: int) -> tuple[int, int, int]:
    """Return cylinders, heads and sectors a track for a size in bytes (appendix of the specification): old readers go by them."""
    total = min(size // SECTOR, 65535 * 16 * 255)
    if total >= 65535 * 16 * 63:
        return total // (16 * 255), 16, 255
    sectors, heads = 17, max(4, (total // 17 + 1023) // 1024)
    if total // 17 >= heads * 1024 or heads > 16:
        sectors, heads = 31, 16
    if total // sectors >= heads * 1024:
        sectors, heads = 63, 16
    return total // sectors // heads, heads, sectors
