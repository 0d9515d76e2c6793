"""Find files of a Btrfs volume by their paths, where its own system has them: in its top tree, or in the subvolume that is mounted as root.

Btrfs on-disk format, sections "Directory item", "Inode item", "Extent data": little-endian. Only branches that can hold a key are read.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.disk.btrfs import (
    DATA,
    FILE_EXTENT,
    IN_EXTENT,
    INODE,
    ROOT,
    ROOT_ITEM,
    ROOT_NAME,
    TOP_TREE,
    Btrfs,
    Item,
    open_btrfs,
    records,
)
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

NAME = 96  # the kind of a record that names something in a folder, by its place in it
FIRST_OBJECT = 256  # a tree's own folder
ENTRY = Layout("Btrfs directory item", "<", object=(0, "Q"), kind=(8, "B"), data=(25, "H"), name=(27, "H"), form=(29, "B"))
STORED = Layout("Btrfs file extent", "<", packed=(16, "B"), ciphered=(17, "B"), other=(18, "H"), form=(20, "B"))
SIZE = Layout("Btrfs inode", "<", size=(16, "Q"))
REFERENCE = Layout("Btrfs root reference", "<", folder=(0, "Q"), name=(16, "H"))
HOLE = 0
USUAL = b"@"  # what most installers call the subvolume that is mounted as root: looked at first
MOST = 64  # subvolumes that are looked into


class Tree(Value, frozen=True):
    """One subvolume: where its tree begins, and how high it stands."""

    volume: Btrfs
    address: int
    level: int

    def items(self, number: int, kind: int) -> Iterator[Item]:
        """Yield the records of one kind of an object."""
        return records(self.volume, self.address, self.level, (number, kind))

    def names(self, path: str) -> dict[str, int]:
        """Return the names in a folder with their numbers; nothing where there is no such folder."""
        number = self.lookup(path)
        return {} if number is None else self._folder(number)

    def lookup(self, path: str) -> int | None:
        """Return the number of an absolute path in this subvolume, or ``None``."""
        number = FIRST_OBJECT
        for part in filter(None, path.split("/")):
            found = self._folder(number).get(part)
            if found is None:
                return None
            number = found
        return number

    def read(self, path: str, limit: int) -> bytes | None:
        """Return the first ``limit`` bytes of a file; ``None`` where it is not there, or is packed in a way that is not read here."""
        number = self.lookup(path)
        heads = list(self.items(number, INODE)) if number is not None else []
        if number is None or not heads or len(heads[0].data) < SIZE.size:
            return None
        size = min(SIZE.of(heads[0].data).size, limit)
        out = bytearray(size)
        for item in self.items(number, DATA):
            piece = self._contents(item, size - item.offset) if item.offset < size else b""
            if piece is None:
                return None
            out[item.offset : item.offset + len(piece)] = piece
        return bytes(out)

    def _contents(self, item: Item, most: int) -> bytes | None:
        if len(item.data) < STORED.size:
            raise FormatError("A Btrfs file extent is cut short.", "Check the volume with its own utility first.")
        own = STORED.of(item.data)
        if own.packed or own.ciphered or own.other:
            return None
        if own.form != IN_EXTENT:
            return item.data[STORED.size :][:most] if own.form == HOLE else b""  # inline; what is only reserved reads as zeros
        if len(item.data) < FILE_EXTENT.size:
            raise FormatError("A Btrfs file extent is cut short.", "Check the volume with its own utility first.")
        where = FILE_EXTENT.of(item.data)
        if not where.address:
            return b""
        length = min(where.count, most)
        at = self.volume.place(where.address + where.start, length)
        return exactly(self.volume.source, at, length, "file contents")

    def _folder(self, number: int) -> dict[str, int]:
        found = {}
        for item in self.items(number, NAME):
            if len(item.data) < ENTRY.size:
                raise FormatError("A Btrfs folder is damaged.", "Check the volume with its own utility first.")
            own = ENTRY.of(item.data)
            if own.kind == INODE:  # another kind leads into a subvolume of its own
                found[item.data[ENTRY.size : ENTRY.size + own.name].decode("utf-8", "replace")] = own.object
        return found


def subvolumes(source: ByteSource) -> Iterator[Tree]:
    """Yield the top tree and the subvolumes that lie in it, the one that most installers mount as root first."""
    volume = open_btrfs(source)
    tops, names = {}, {}
    for one in records(volume, volume.root, volume.root_level, None):
        if one.kind == ROOT_ITEM:
            own = ROOT.of(one.data)
            tops[one.object] = Tree(volume, own.address, own.level)
        elif one.kind == ROOT_NAME and one.object == TOP_TREE and len(one.data) >= REFERENCE.size:
            own_name = REFERENCE.of(one.data).name
            names[one.offset] = one.data[REFERENCE.size : REFERENCE.size + own_name]
    order = sorted(names, key=lambda one: (names[one] != USUAL, names[one]))[:MOST]
    yield from (tops[one] for one in [*(one for one in order if names[one] == USUAL), TOP_TREE, *order] if one in tops)
