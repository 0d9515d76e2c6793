"""ext2, ext3 and ext4: what the volume is, and a small reader for the files that matter for starting.

Source: the kernel's documentation of the ext4 data structures (super block, group descriptors, inodes, extents, folders).
"""

from __future__ import annotations

import struct
import uuid
from collections.abc import Iterator

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.size import align_up, binary
from inkshelf.core.texts import zero_ended
from inkshelf.core.value import Value

MAGIC, SUPER_AT = 0xEF53, 1024
ROOT = 2
EXTENTS_FLAG, INLINE_FLAG = 0x80000, 0x10000000
JOURNAL, SPARSE2 = 0x4, 0x200  # compatible features
RECOVER, EXTENTS, WIDE, INLINE_DATA = 0x4, 0x40, 0x80, 0x8000  # incompatible ones
BIGALLOC = 0x200  # read-only compatible
CLUSTERED = "its blocks come in clusters, and its own utility calls another size for such a one not fully tested"
UNDERSTOOD = 0x2 | RECOVER | 0x10 | EXTENTS | WIDE | 0x100 | 0x200 | 0x400 | 0x2000 | 0x4000 | INLINE_DATA | 0x10000 | 0x20000
"""Incompatible features that the reader of files knows; a volume with another one is not compared file by file."""
LARGEST_INODE, LARGEST_FOLDER = 4096, 64 << 20
SUPER = Layout(
    "ext super block",
    "<",
    inodes=(0, "I"),
    blocks_low=(4, "I"),
    free_low=(12, "I"),
    free_inodes=(16, "I"),
    first_block=(20, "I"),
    log_block=(24, "I"),
    log_cluster=(28, "I"),
    per_group=(32, "I"),
    inodes_per_group=(40, "I"),
    magic=(56, "H"),
    state=(58, "H"),
    inode_size=(88, "H"),
    compat=(92, "I"),
    incompat=(96, "I"),
    ro_compat=(100, "I"),
    uuid=(104, "16s"),
    label=(120, "16s"),
    reserved_gdt=(206, "H"),
    descriptor_size=(254, "H"),
    first_meta_group=(260, "I"),
    blocks_high=(336, "I"),
    free_high=(344, "I"),
    log_flex=(372, "B"),
    backup_groups=(588, "2I"),
)
DESCRIPTOR = Layout("ext group descriptor", "<", table_low=(8, "I"))
WIDE_DESCRIPTOR = Layout("ext group descriptor", "<", table_low=(8, "I"), table_high=(40, "I"))
INODE = Layout(
    "ext inode",
    "<",
    mode=(0, "H"),
    owner=(2, "H"),
    size_low=(4, "I"),
    changed=(16, "I"),
    group=(24, "H"),
    flags=(32, "I"),
    contents=(40, "60s"),
    size_high=(108, "I"),
)
INODE_BYTES = 128  # what every inode has; behind them its extra fields, and behind those its attributes
ATTRIBUTES_MARK = 0xEA020000
ATTRIBUTE = Layout("ext attribute", "<", name_length=(0, "B"), index=(1, "B"), value_at=(2, "H"), size=(8, "I"), hash=(12, "I"))
SYSTEM_ATTRIBUTES = 7
EXTENT_HEADER = Layout("ext extents", "<", mark=(0, "H"), count=(2, "H"), depth=(6, "H"), generation=(8, "I"))
EXTENT = Layout("ext extent", "<", logical=(0, "I"), length=(4, "H"), place_high=(6, "H"), place_low=(8, "I"))
EXTENT_INDEX = Layout("ext extent", "<", logical=(0, "I"), place_low=(4, "I"), place_high=(8, "H"), unused=(10, "H"))
EXTENT_MARK, RESERVED_FROM = 0xF30A, 32_768  # longer extents were only reserved
NAME = Layout("ext folder", "<", inode=(0, "I"), length=(4, "H"), name_length=(6, "B"))
NAME_AT = 8
LINK, IN_INODE = 0xA, 60  # a short link's target stands in the inode


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
    incompat: int = 0
    ro_compat: int = 0
    reserved_gdt: int = 0

    @property
    def descriptors_at(self) -> int:
        """Where the group descriptors begin: in the block behind the one that holds the super block, which stands at byte 1024."""
        return (1024 // self.block + 1) * self.block


def open_ext(source: ByteSource) -> Ext | None:
    """Return the super block's figures, or ``None`` where it is not ext."""
    raw = source.read(SUPER_AT, SUPER_AT)
    if len(raw) < SUPER.size or SUPER.of(raw).magic != MAGIC:
        return None
    own = SUPER.of(raw)
    wide = bool(own.incompat & WIDE)
    if own.log_block > 6 or own.log_cluster > 20:
        raise FormatError("The super block of an ext volume is damaged (block size).", "Check it with its own checker.")
    most = 8 << (10 + own.log_block)
    in_cluster = 1 << max(0, own.log_cluster - own.log_block) if own.ro_compat & BIGALLOC else 1
    if not 8 <= own.per_group <= most * in_cluster or not 0 < own.inodes_per_group <= most:
        raise FormatError("The super block of an ext volume is damaged (groups).", "Check it with its own checker.")
    inode, descriptor = own.inode_size or 128, (own.descriptor_size or 32) if wide else 32
    if not 128 <= inode <= 1024 << own.log_block or inode & (inode - 1) or not 32 <= descriptor <= 1024:
        raise FormatError("The super block of an ext volume is damaged (inodes).", "Check it with its own checker.")
    return Ext(
        source=source,
        block=1024 << own.log_block,
        blocks=own.blocks_low | (own.blocks_high << 32 if wide else 0),
        free_blocks=own.free_low | (own.free_high << 32 if wide else 0),
        per_group=own.per_group,
        inodes_per_group=own.inodes_per_group,
        inode_bytes=inode,
        descriptor_bytes=descriptor,
        first_block=own.first_block,
        label=zero_ended(own.label),
        uuid=str(uuid.UUID(bytes=own.uuid)),
        clean=bool(own.state & 1),
        recover=bool(own.incompat & RECOVER),
        kind="ext4" if own.incompat & (EXTENTS | WIDE) else "ext3" if own.compat & JOURNAL else "ext2",
        incompat=own.incompat,
        ro_compat=own.ro_compat,
        reserved_gdt=own.reserved_gdt,
    )


def probe(source: ByteSource) -> FileSystem | None:
    """Return the facts, or ``None`` where it is not ext. The smallest size is as the resize utility reckons it."""
    from inkshelf.core.disk.ext_shrink import smallest_blocks

    ext = open_ext(source)
    if ext is None:
        return None
    used = max(0, ext.blocks - ext.free_blocks) * ext.block
    size = ext.blocks * ext.block
    reckoned = not ext.ro_compat & BIGALLOC
    smallest = min(size, align_up(smallest_blocks(ext) * ext.block, 1 << 20)) if reckoned else size
    why = f"{binary(used)} in use with the groups' own tables, offline only"
    return FileSystem(
        kind=ext.kind,
        size_bytes=size,
        label=ext.label,
        uuid=ext.uuid,
        used_bytes=used,
        smallest_bytes=smallest,
        smallest_why=why if reckoned else CLUSTERED,
        keeps_size="" if reckoned else CLUSTERED,
        dirty=ext.recover or not ext.clean,
        hibernated=False,
        cluster_bytes=ext.block,
        clusters=ext.blocks,
        group_bytes=ext.per_group * ext.block,
        group_table_bytes=ext.inodes_per_group * ext.inode_bytes,
        group_reserved=ext.reserved_gdt,
    )


def inode_bytes(ext: Ext, number: int) -> bytes:
    """Return the bytes of an inode; raises ``FormatError`` where there is none of that number."""
    if not 0 < number <= -(-ext.blocks // ext.per_group) * ext.inodes_per_group:
        raise FormatError(f"There is no inode {number} on this ext volume.", "Check it with its own checker.")
    group, index = divmod(number - 1, ext.inodes_per_group)
    length = min(ext.inode_bytes, LARGEST_INODE)
    return exactly(ext.source, inode_table(ext, group) * ext.block + index * ext.inode_bytes, length, f"inode {number}")


def inode_table(ext: Ext, group: int) -> int:
    """Return the block where the inode table of a group begins."""
    raw = exactly(ext.source, ext.descriptors_at + group * ext.descriptor_bytes, ext.descriptor_bytes, "group descriptor")
    if ext.descriptor_bytes < WIDE_DESCRIPTOR.size:
        return int(DESCRIPTOR.of(raw).table_low)
    own = WIDE_DESCRIPTOR.of(raw)
    return int(own.table_low | own.table_high << 32)


def inline_value(raw: bytes) -> bytes:
    """Return what an inode holds in itself: its block map's 60 bytes, and the rest in the attribute ``system.data`` behind it."""
    own: bytes = INODE.of(raw).contents
    if len(raw) <= INODE_BYTES + 4:
        return own
    first = INODE_BYTES + int.from_bytes(raw[INODE_BYTES : INODE_BYTES + 2], "little")
    if int.from_bytes(raw[first : first + 4], "little") != ATTRIBUTES_MARK:
        return own
    at = base = first + 4
    while at + ATTRIBUTE.size <= len(raw) and raw[at]:
        found, name_at = ATTRIBUTE.of(raw, at), at + ATTRIBUTE.size
        if found.index == SYSTEM_ATTRIBUTES and raw[name_at : name_at + found.name_length] == b"data":
            return own + raw[base + found.value_at : base + found.value_at + found.size]
        at = name_at + align_up(found.name_length, 4)
    return own


def inode_runs(ext: Ext, raw: bytes) -> Iterator[tuple[int, int, int]]:
    """Yield (logical, physical, count) in blocks of an inode's contents; what is a hole, or was only reserved, is left out."""
    own = INODE.of(raw)
    return _extent_runs(ext, own.contents) if own.flags & EXTENTS_FLAG else _mapped_runs(ext, own.contents)


def _extent_runs(ext: Ext, node: bytes, depth: int = 0) -> Iterator[tuple[int, int, int]]:
    """Yield (logical, physical, count) in blocks; extents that were only reserved read as zeros and are left out."""
    head = EXTENT_HEADER.of(node)
    if head.mark != EXTENT_MARK or depth > 5:
        raise FormatError("A file's extents on an ext volume are damaged.", "Check it with its own checker.")
    for at in range(EXTENT_HEADER.size, EXTENT_HEADER.size + EXTENT.size * head.count, EXTENT.size):
        own = (EXTENT_INDEX if head.depth else EXTENT).of(node, at)
        place = own.place_high << 32 | own.place_low
        if head.depth:
            yield from _extent_runs(ext, exactly(ext.source, place * ext.block, ext.block, "extent block"), depth + 1)
        elif own.length <= RESERVED_FROM:
            yield own.logical, place, own.length


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
    """Return the first ``limit`` bytes of an inode's contents (``None``: all of a folder, which has at most 64 MiB)."""
    raw = inode_bytes(ext, number)
    own = INODE.of(raw)
    if limit is None and own.size_low > LARGEST_FOLDER:
        raise FormatError("A folder of an ext volume is longer than is read here.", "Compare it in its own system.")
    size = min(limit or LARGEST_FOLDER, own.size_low)
    if own.flags & INLINE_FLAG:
        return inline_value(raw)[:size]
    if own.mode >> 12 == LINK and size < IN_INODE:
        return bytes(own.contents[:size])
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
    """Return the names in a folder with their inode numbers (indexed folders read the same way, leaf by leaf).

    A folder that an inode holds in itself begins with its parent's number; its names go on in the attribute behind it.
    """
    raw = inode_bytes(ext, number)
    if INODE.of(raw).flags & INLINE_FLAG:
        whole = inline_value(raw)
        return _names(whole[4:IN_INODE]) | _names(whole[IN_INODE:])
    return _names(read_inode(ext, number, limit))


def _names(raw: bytes) -> dict[str, int]:
    names: dict[str, int] = {}
    at = 0
    while at + NAME_AT <= len(raw):
        own = NAME.of(raw, at)
        if own.length < NAME_AT or at + own.length > len(raw):
            raise FormatError("A folder of an ext volume is damaged.", "Check it with its own checker.")
        if own.inode:
            names[raw[at + NAME_AT : at + NAME_AT + own.name_length].decode("utf-8", "surrogateescape")] = own.inode
        at += own.length
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
