"""ext2, ext3 and ext4: what the volume is, and a small reader for the files that matter for starting.

Source: the kernel's documentation of the ext4 data structures (super block, group descriptors, inodes, extents, folders).
"""

from __future__ import annotations

import struct
import uuid
from collections.abc import Iterator

from inkshelf.core.disk.source import ByteSource, exactly, unpack
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import FileSystem
from inkshelf.core.size import align_up, binary
from inkshelf.core.value import Value

MAGIC = 0xEF53
ROOT = 2
EXTENTS_FLAG, INLINE_FLAG = 0x80000, 0x10000000
JOURNAL, RECOVER, EXTENTS, WIDE = 0x4, 0x4, 0x40, 0x80


_COPIES = sorted({0, 1} | {base**power for base in (3, 5, 7) for power in range(1, 41)})


def sparse_groups(groups: int) -> int:
    """Return how many of the first groups keep a copy of the super block: 0, 1 and the powers of 3, 5 and 7."""
    return sum(one < groups for one in _COPIES)


class Ext(Value, frozen=True):
    """The super block's figures."""

    source: ByteSource
    block: int
    blocks: int
    free_blocks: int
    per_group: int
    inodes_per_group: int
    inode_bytes: int
    descriptor_bytes: int
    first_block: int
    label: str
    uuid: str
    clean: bool
    recover: bool
    kind: str


def open_ext(source: ByteSource) -> Ext | None:
    """Return the super block's figures, or ``None`` where it is not ext."""
    raw = source.read(1024, 1024)
    if len(raw) < 1024 or struct.unpack_from("<H", raw, 56)[0] != MAGIC:
        return None
    blocks, _, free, _, first, log = struct.unpack_from("<IIIIII", raw, 4)
    compat, incompat, _ = struct.unpack_from("<III", raw, 92)
    wide = bool(incompat & WIDE)
    if log > 6:
        raise FormatError("The super block of an ext volume is damaged (block size).", "Check it with its own checker.")
    per_group, _, inodes = struct.unpack_from("<III", raw, 32)
    if not 8 <= per_group <= 8 << (10 + log) or not 0 < inodes <= 8 << (10 + log):
        raise FormatError("The super block of an ext volume is damaged (groups).", "Check it with its own checker.")
    if wide:
        blocks |= struct.unpack_from("<I", raw, 336)[0] << 32
        free |= struct.unpack_from("<I", raw, 344)[0] << 32
    kind = "ext4" if incompat & (EXTENTS | WIDE) else "ext3" if compat & JOURNAL else "ext2"
    return Ext(
        source,
        1024 << log,
        blocks,
        free,
        per_group,
        inodes,
        struct.unpack_from("<H", raw, 88)[0] or 128,
        (struct.unpack_from("<H", raw, 254)[0] or 32) if wide else 32,
        first,
        raw[120:136].split(b"\0")[0].decode("utf-8", "replace"),
        str(uuid.UUID(bytes=raw[104:120])),
        bool(struct.unpack_from("<H", raw, 58)[0] & 1),
        bool(incompat & RECOVER),
        kind,
    )


def probe(source: ByteSource) -> FileSystem | None:
    """Return the facts, or ``None`` where it is not ext. The smallest size is as the resize utility reckons it."""
    from inkshelf.core.disk.ext_shrink import smallest_blocks

    ext = open_ext(source)
    if ext is None:
        return None
    used = max(0, ext.blocks - ext.free_blocks) * ext.block
    size = ext.blocks * ext.block
    smallest = min(size, align_up(smallest_blocks(ext) * ext.block, 1 << 20))
    return FileSystem(
        ext.kind,
        size,
        ext.label,
        ext.uuid,
        used,
        smallest,
        f"{binary(used)} in use with the groups' own tables, offline only",
        None,
        ext.recover or not ext.clean,
        False,
        ext.block,
        ext.blocks,
    )


def inode_bytes(ext: Ext, number: int) -> bytes:
    """Return up to 256 bytes of an inode; raises ``FormatError`` where there is none of that number."""
    if not 0 < number <= -(-ext.blocks // ext.per_group) * ext.inodes_per_group:
        raise FormatError(f"There is no inode {number} on this ext volume.", "Check it with its own checker.")
    group, index = divmod(number - 1, ext.inodes_per_group)
    at = (ext.first_block + 1) * ext.block + group * ext.descriptor_bytes
    raw = exactly(ext.source, at, ext.descriptor_bytes, "group descriptor")
    table = struct.unpack_from("<I", raw, 8)[0]
    if ext.descriptor_bytes >= 64:
        table |= struct.unpack_from("<I", raw, 40)[0] << 32
    return exactly(ext.source, table * ext.block + index * ext.inode_bytes, min(ext.inode_bytes, 256), f"inode {number}")


def inode_runs(ext: Ext, raw: bytes) -> Iterator[tuple[int, int, int]]:
    """Yield (logical, physical, count) in blocks of an inode's contents; what is a hole, or was only reserved, is left out."""
    flags = struct.unpack_from("<I", raw, 32)[0]
    return _extent_runs(ext, raw[40:100]) if flags & EXTENTS_FLAG else _mapped_runs(ext, raw[40:100])


def _extent_runs(ext: Ext, node: bytes, depth: int = 0) -> Iterator[tuple[int, int, int]]:
    """Yield (logical, physical, count) in blocks; extents that were only reserved read as zeros and are left out."""
    magic, count, _, level = unpack("<HHHH", node, 0, "extent")
    if magic != 0xF30A or depth > 5:
        raise FormatError("A file's extents on an ext volume are damaged.", "Check it with its own checker.")
    for index in range(count):
        at = 12 + 12 * index
        logical, length, high, low = unpack("<IHHI", node, at, "extent")
        if level:
            place, upper = unpack("<IH", node, at + 4, "extent")
            yield from _extent_runs(
                ext, exactly(ext.source, (upper << 32 | place) * ext.block, ext.block, "extent block"), depth + 1
            )
        elif length <= 32768:
            yield logical, high << 32 | low, length


def _mapped_runs(ext: Ext, pointers: bytes) -> Iterator[tuple[int, int, int]]:
    """ext2 and ext3: twelve blocks, then one, two and three levels of blocks that point on."""
    blocks = struct.unpack_from("<15I", pointers)
    for logical, first in enumerate(blocks[:12]):
        if first:
            yield logical, first, 1
    each = ext.block // 4
    logical = 12
    for level in (1, 2, 3):
        yield from _indirect(ext, blocks[11 + level], level, logical)
        logical += each**level


def _indirect(ext: Ext, block: int, level: int, logical: int) -> Iterator[tuple[int, int, int]]:
    if not block:
        return
    each = ext.block // 4
    raw = exactly(ext.source, block * ext.block, ext.block, "block of pointers")
    for index, first in enumerate(struct.unpack(f"<{each}I", raw)):
        if first and level == 1:
            yield logical + index, first, 1
        elif first:
            yield from _indirect(ext, first, level - 1, logical + index * each ** (level - 1))


def read_inode(ext: Ext, number: int, limit: int | None = 1 << 20) -> bytes:
    """Return the first ``limit`` bytes of an inode's contents (``None``: as large as folders get, 64 MiB)."""
    raw = inode_bytes(ext, number)
    size = min(limit or 64 << 20, struct.unpack_from("<I", raw, 4)[0])
    flags = struct.unpack_from("<I", raw, 32)[0]
    if flags & INLINE_FLAG or (raw[1] >> 4 == 0xA and size < 60):
        return raw[40 : 40 + min(size, 60)]
    data = bytearray(size)
    for logical, first, count in inode_runs(ext, raw):
        at = logical * ext.block
        if at >= size:
            break
        length = min(count * ext.block, align_up(size - at, ext.block))
        piece = exactly(ext.source, first * ext.block, length, "file contents")
        data[at : at + len(piece)] = piece[: size - at]
    return bytes(data)


def folder(ext: Ext, number: int, limit: int | None = 1 << 20) -> dict[str, int]:
    """Return the names in a folder with their inode numbers (indexed folders read the same way, leaf by leaf)."""
    raw = read_inode(ext, number, limit)
    names: dict[str, int] = {}
    at = 0
    while at + 8 <= len(raw):
        inode, length, name_length = unpack("<IHB", raw, at, "folder")
        if length < 8:
            break
        if inode:
            names[raw[at + 8 : at + 8 + name_length].decode("utf-8", "replace")] = inode
        at += length
    return names


def lookup(ext: Ext, path: str) -> int | None:
    """Return the inode of an absolute path, or ``None``."""
    number = ROOT
    for part in path.strip("/").split("/"):
        found = folder(ext, number).get(part)
        if found is None:
            return None
        number = found
    return number
