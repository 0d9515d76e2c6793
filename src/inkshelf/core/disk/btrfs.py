"""Walk the subvolumes of a Btrfs volume on one disk: what they record of every file, and where its contents lie.

For proving that nothing was lost. Btrfs on-disk format, sections "Superblock", "Chunk tree", "Node", "Leaf", "Key": little-endian.
"""

from __future__ import annotations

import struct
from bisect import bisect_right
from collections.abc import Iterator

from inkshelf.core.disk.source import ByteSource, exactly, unpack
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

SUPER, SUPER_SIZE, MAGIC = 65_536, 4096, b"_BHRfS_M"
HEADER = struct.Struct("<32s16sQQ16sQQIB")
KEY, CHUNK, STRIPE = struct.Struct("<QBQ"), struct.Struct("<QQQQIIIHH"), struct.Struct("<QQ16s")
ITEM_SIZE, POINTER_SIZE = KEY.size + 8, KEY.size + 16
INODE, DATA, ROOT_ITEM, ROOT_NAME, CHUNK_ITEM = 1, 108, 132, 156, 228
TOP_TREE, FIRST_SUBVOLUME, LAST_SUBVOLUME = 5, 256, (1 << 64) - 257
COPIES = 16 | 32 | 512 | 1024  # chunk types whose stripes all hold the same
STRIPED = 8 | 64 | 128 | 256
DEEPEST = 8


class Item(Value, frozen=True):
    """One record of a tree: its key (object, kind, offset) and its bytes."""

    object: int
    kind: int
    offset: int
    data: bytes


class Extent(Value, frozen=True):
    """A stretch of file contents as it is stored: its logical address and its length, in bytes."""

    address: int
    length: int


class Btrfs(Value, frozen=True):
    """An opened volume: its chunks as (logical address, length, place on the volume), in order, and where its root tree is."""

    source: ByteSource
    node_size: int
    root: int
    root_level: int
    chunks: tuple[tuple[int, int, int], ...]

    def place(self, address: int, length: int) -> int:
        """Return where the bytes of a logical address lie on the volume; raises ``FormatError`` where no chunk holds them."""
        number = bisect_right(self.chunks, address, key=lambda one: one[0]) - 1
        if number >= 0:
            logical, size, place = self.chunks[number]
            if address + length <= logical + size:
                return place + address - logical
        raise FormatError(f"Btrfs: no chunk holds the address {address}.", "Check the volume with its own utility first.")


def open_btrfs(source: ByteSource) -> Btrfs:
    """Read the super block and the chunk tree; raises ``FormatError`` for damage, and for a volume on several disks."""
    head = exactly(source, SUPER, SUPER_SIZE, "Btrfs super block")
    if head[64:72] != MAGIC:
        raise FormatError("The Btrfs super block is damaged.", "Check the volume with its own utility first.")
    root, chunk_root = unpack("<QQ", head, 80, "Btrfs super block")
    devices = unpack("<Q", head, 136, "Btrfs super block")[0]
    if devices != 1:
        raise FormatError(f"This Btrfs spans {devices} disks.", "Change it from its own system, with all of them there.")
    node_size, length = unpack("<I", head, 148, "Btrfs super block")[0], unpack("<I", head, 160, "Btrfs super block")[0]
    if not 4096 <= node_size <= 65_536 or length > 2048:
        raise FormatError("The Btrfs super block names sizes that cannot be.", "Check the volume with its own utility first.")
    first = Btrfs(source, node_size, root, head[198], tuple(sorted(_first_chunks(head[811 : 811 + length]))))
    chunks = [_chunk(one.offset, one.data) for one in _tree(first, chunk_root, head[199]) if one.kind == CHUNK_ITEM]
    return Btrfs(source, node_size, root, head[198], tuple(sorted(chunks)))


def _first_chunks(raw: bytes) -> Iterator[tuple[int, int, int]]:
    """The super block's own list: the chunks in which the chunk tree lies."""
    at = 0
    while at + KEY.size + CHUNK.size <= len(raw):
        logical = KEY.unpack_from(raw, at)[2]
        at += KEY.size
        yield _chunk(logical, raw[at:])
        at += CHUNK.size + STRIPE.size * int(CHUNK.unpack_from(raw, at)[7])


def _chunk(logical: int, raw: bytes) -> tuple[int, int, int]:
    length, _, _, kind, _, _, _, stripes, _ = unpack(CHUNK.format, raw, 0, "Btrfs chunk")
    place = unpack(STRIPE.format, raw, CHUNK.size, "Btrfs chunk")[1]
    if not stripes or (stripes > 1 and (kind & STRIPED or not kind & COPIES)):
        raise FormatError("A Btrfs chunk is striped in a way that is not read here.", "Change it from its own system.")
    return logical, length, place


def _tree(volume: Btrfs, address: int, level: int, seen: set[int] | None = None) -> Iterator[Item]:
    """Yield the records of a tree in order of their keys; every node says where it is and how high it stands, and comes once."""
    seen = set() if seen is None else seen
    if level >= DEEPEST or address in seen:
        raise FormatError("A Btrfs tree leads to itself.", "Check the volume with its own utility first.")
    seen.add(address)
    what = "Btrfs node"
    raw = exactly(volume.source, volume.place(address, volume.node_size), volume.node_size, what)
    own, count, height = unpack("<Q", raw, 48, what)[0], unpack("<I", raw, 96, what)[0], raw[100]
    size = POINTER_SIZE if level else ITEM_SIZE
    if own != address or height != level or HEADER.size + count * size > len(raw):
        raise FormatError(f"The Btrfs node at {address} is damaged.", "Check the volume with its own utility first.")
    for at in range(HEADER.size, HEADER.size + count * size, size):
        if level:
            yield from _tree(volume, unpack("<Q", raw, at + KEY.size, what)[0], level - 1, seen)
            continue
        place, length = unpack("<II", raw, at + KEY.size, what)
        place += HEADER.size
        if place + length > len(raw):
            raise FormatError(f"A record of the Btrfs node at {address} is damaged.", "Check it with its own utility first.")
        number, kind, offset = KEY.unpack_from(raw, at)
        yield Item(number, kind, offset, raw[place : place + length])


def trees(volume: Btrfs) -> Iterator[tuple[int, Iterator[Item]]]:
    """Yield the number and the records of the top tree and of every subvolume and snapshot."""
    for one in _tree(volume, volume.root, volume.root_level):
        subvolume = FIRST_SUBVOLUME <= one.object <= LAST_SUBVOLUME
        if one.kind == ROOT_ITEM and (subvolume or one.object == TOP_TREE):
            address, level = unpack("<Q", one.data, 176, "Btrfs root")[0], unpack("<B", one.data, 238, "Btrfs root")[0]
            yield one.object, _tree(volume, address, level)


def subvolume_names(volume: Btrfs) -> dict[int, bytes]:
    """Return what names each subvolume in its parent: the parent's number, the folder's, a count, and the name, as recorded."""
    return {
        one.offset: one.object.to_bytes(8, "little") + one.data
        for one in _tree(volume, volume.root, volume.root_level)
        if one.kind == ROOT_NAME
    }


def extent(item: Item) -> Extent | None:
    """Return where the contents of a ``DATA`` record lie; ``None`` where it holds them itself, or where there are none."""
    if item.kind != DATA or len(item.data) < 53 or item.data[20] != 1:
        return None
    address, length = unpack("<QQ", item.data, 21, "Btrfs file extent")
    return Extent(address, length) if address else None
