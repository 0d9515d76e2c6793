"""Btrfs: its super block, and a walk of the subvolumes on one disk: what they record of every file, and where its contents lie.

The walk is for proving that nothing was lost. Btrfs on-disk format, sections "Superblock", "Chunk tree", "Node", "Leaf", "Key": little-endian.
"""

from __future__ import annotations

import uuid
from bisect import bisect_right
from collections.abc import Iterator

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.texts import zero_ended
from inkshelf.core.value import Value

SUPER_AT, SUPER_SIZE, MAGIC = 65_536, 4096, b"_BHRfS_M"
SUPER = Layout(
    "Btrfs super block",
    "<",
    uuid=(32, "16s"),
    mark=(64, "8s"),
    root=(80, "Q"),
    chunk_root=(88, "Q"),
    total=(112, "Q"),
    used=(120, "Q"),
    devices=(136, "Q"),
    node_bytes=(148, "I"),
    chunk_bytes=(160, "I"),
    root_level=(198, "B"),
    chunk_level=(199, "B"),
    label=(299, "256s"),
    chunks=(811, "2048s"),
)
NODE = Layout("Btrfs node", "<", address=(48, "Q"), items=(96, "I"), level=(100, "B"))
KEY = Layout("Btrfs key", "<", object=(0, "Q"), kind=(8, "B"), offset=(9, "Q"))
ITEM = Layout("Btrfs item", "<", place=(17, "I"), length=(21, "I"))
POINTER = Layout("Btrfs pointer", "<", address=(17, "Q"), generation=(25, "Q"))
CHUNK = Layout("Btrfs chunk", "<", length=(0, "Q"), kind=(24, "Q"), stripes=(44, "H"), halves=(46, "H"))
STRIPE = Layout("Btrfs stripe", "<", device=(0, "Q"), place=(8, "Q"), uuid=(16, "16s"))
ROOT = Layout("Btrfs root", "<", address=(176, "Q"), level=(238, "B"))
FILE_EXTENT = Layout(
    "Btrfs file extent", "<", form=(20, "B"), address=(21, "Q"), length=(29, "Q"), start=(37, "Q"), count=(45, "Q")
)
IN_EXTENT = 1
INODE, DATA, ROOT_ITEM, ROOT_NAME, CHUNK_ITEM = 1, 108, 132, 156, 228
TOP_TREE, FIRST_SUBVOLUME, LAST_SUBVOLUME = 5, 256, (1 << 64) - 257
COPIES = 16 | 32 | 512 | 1024  # chunk types whose stripes all hold the same
STRIPED = 8 | 64 | 128 | 256
DEEPEST = 8


class Item(Value, frozen=True):
    """One record of a tree: its key (object, kind, offset), the key as recorded, and its bytes."""

    object: int
    kind: int
    offset: int
    key: bytes
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


def probe(source: ByteSource) -> FileSystem | None:
    """Return what the super block says, or ``None`` where there is none."""
    raw = source.read(SUPER_AT, SUPER_SIZE)
    if len(raw) < SUPER_SIZE or SUPER.of(raw).mark != MAGIC:
        return None
    own = SUPER.of(raw)
    return FileSystem(
        kind="btrfs",
        size_bytes=own.total,
        label=zero_ended(own.label),
        uuid=str(uuid.UUID(bytes=own.uuid)),
        used_bytes=own.used,
        smallest_why="online only, by its own system",
    )


def open_btrfs(source: ByteSource) -> Btrfs:
    """Read the super block and the chunk tree; raises ``FormatError`` for damage, and for a volume on several disks."""
    own = SUPER.of(exactly(source, SUPER_AT, SUPER_SIZE, "Btrfs super block"))
    if own.mark != MAGIC:
        raise FormatError("The Btrfs super block is damaged.", "Check the volume with its own utility first.")
    if own.devices != 1:
        raise FormatError(f"This Btrfs spans {own.devices} disks.", "Change it from its own system, with all of them there.")
    if not 4096 <= own.node_bytes <= 65_536 or own.chunk_bytes > len(own.chunks):
        raise FormatError("The Btrfs super block names sizes that cannot be.", "Check the volume with its own utility first.")
    known = tuple(sorted(_first_chunks(own.chunks[: own.chunk_bytes])))
    first = Btrfs(source, own.node_bytes, own.root, own.root_level, known)
    chunks = [_chunk(one.offset, one.data) for one in _tree(first, own.chunk_root, own.chunk_level) if one.kind == CHUNK_ITEM]
    return Btrfs(source, own.node_bytes, own.root, own.root_level, tuple(sorted(chunks)))


def _first_chunks(raw: bytes) -> Iterator[tuple[int, int, int]]:
    """The super block's own list: the chunks in which the chunk tree lies."""
    at = 0
    while at + KEY.size + CHUNK.size <= len(raw):
        logical = KEY.of(raw, at).offset
        at += KEY.size
        yield _chunk(logical, raw[at:])
        at += CHUNK.size + STRIPE.size * CHUNK.of(raw, at).stripes


def _chunk(logical: int, raw: bytes) -> tuple[int, int, int]:
    own, first = CHUNK.of(raw), STRIPE.of(raw, CHUNK.size)
    if not own.stripes or (own.stripes > 1 and (own.kind & STRIPED or not own.kind & COPIES)):
        raise FormatError("A Btrfs chunk is striped in a way that is not read here.", "Change it from its own system.")
    return logical, own.length, first.place


def _tree(
    volume: Btrfs, address: int, level: int, seen: set[int] | None = None, wanted: tuple[int, int] | None = None
) -> Iterator[Item]:
    """Yield the records of a tree in order of their keys; every node says where it is and how high it stands, and comes once.

    ``wanted``: an (object, kind); branches that cannot hold it are left out.
    """
    seen = set() if seen is None else seen
    if level >= DEEPEST or address in seen:
        raise FormatError("A Btrfs tree leads to itself.", "Check the volume with its own utility first.")
    seen.add(address)
    raw = exactly(volume.source, volume.place(address, volume.node_size), volume.node_size, "Btrfs node")
    own, size = NODE.of(raw), POINTER.size if level else ITEM.size
    if own.address != address or own.level != level or NODE.size + own.items * size > len(raw):
        raise FormatError(f"The Btrfs node at {address} is damaged.", "Check the volume with its own utility first.")
    places = range(NODE.size, NODE.size + own.items * size, size)
    for at in places if wanted is None or not level else _can_hold(raw, places, wanted):
        if level:
            yield from _tree(volume, POINTER.of(raw, at).address, level - 1, seen, wanted)
            continue
        key, item = KEY.of(raw, at), ITEM.of(raw, at)
        place = NODE.size + item.place
        if place + item.length > len(raw):
            raise FormatError(f"A record of the Btrfs node at {address} is damaged.", "Check it with its own utility first.")
        yield Item(key.object, key.kind, key.offset, raw[at : at + KEY.size], raw[place : place + item.length])


def _can_hold(raw: bytes, places: range, wanted: tuple[int, int]) -> Iterator[int]:
    """A branch holds keys from its own up to the next one's."""
    keys = [(own.object, own.kind) for own in (KEY.of(raw, at) for at in places)]
    for number, at in enumerate(places):
        if keys[number] <= wanted and (number + 1 == len(keys) or keys[number + 1] >= wanted):
            yield at


def records(volume: Btrfs, address: int, level: int, wanted: tuple[int, int] | None) -> Iterator[Item]:
    """Yield the records of a tree, or only those of one (object, kind): of a large tree only the branches that can hold them are read."""
    for item in _tree(volume, address, level, wanted=wanted):
        if wanted is None or (item.object, item.kind) == wanted:
            yield item


def trees(volume: Btrfs) -> Iterator[tuple[int, Iterator[Item]]]:
    """Yield the number and the records of the top tree and of every subvolume and snapshot."""
    for one in _tree(volume, volume.root, volume.root_level):
        subvolume = FIRST_SUBVOLUME <= one.object <= LAST_SUBVOLUME
        if one.kind == ROOT_ITEM and (subvolume or one.object == TOP_TREE):
            top = ROOT.of(one.data)
            yield one.object, _tree(volume, top.address, top.level)


def subvolume_names(volume: Btrfs) -> dict[int, bytes]:
    """Return what names each subvolume in its parent: the parent's number, the folder's, a count, and the name, as recorded."""
    return {
        one.offset: one.object.to_bytes(8, "little") + one.data
        for one in _tree(volume, volume.root, volume.root_level)
        if one.kind == ROOT_NAME
    }


def extent(item: Item) -> Extent | None:
    """Return where the contents of a ``DATA`` record lie; ``None`` where it holds them itself, or where there are none."""
    if item.kind != DATA or len(item.data) < FILE_EXTENT.size:
        return None
    own = FILE_EXTENT.of(item.data)
    return Extent(own.address, own.length) if own.form == IN_EXTENT and own.address else None
