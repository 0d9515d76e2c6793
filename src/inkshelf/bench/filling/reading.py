"""Read the files of a volume back, each with its path, to be hashed: by the readers of the core, which did not write them."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator

import numpy as np

from inkshelf.bench.hashing import feed
from inkshelf.core.disk import exfat, exfat_files, ext, ext_files, fat, ntfs
from inkshelf.core.disk.source import ByteSource, Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.media.copying import File
from inkshelf.core.value import Value

DEEPEST = 60
UNREADABLE = "its own records cannot be read"


class Held(Value, frozen=True):
    """A file of a volume: ``path`` with ``/``; ``runs`` as (byte of the file, byte of the volume, length), or its ``value``.

    ``folder``: a folder of it, which has neither.
    """

    path: str
    size: int
    runs: tuple[tuple[int, int, int], ...]
    value: bytes = b""
    folder: bool = False

    def digest(self, source: ByteSource) -> str:
        """Hash its contents by places and bytes that are not zero, up to its size."""
        total = hashlib.sha256(self.size.to_bytes(8, "little"))
        if self.value:
            source, runs = Pieces(File("", self.size, (self.value[: self.size],)), source), [(0, 0, self.size)]
        else:
            runs = [(at, first, min(length, self.size - at)) for at, first, length in self.runs if at < self.size]
        feed(total, source, runs)
        return total.hexdigest()


class Pieces(Value, frozen=True):
    """The contents of a wanted file as a source."""

    file: File
    image: ByteSource

    @property
    def size(self) -> int:
        """Bytes of the file."""
        return self.file.size

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes of the file."""
        out, at, end = bytearray(), 0, min(offset + length, self.file.size)
        for one in self.file.pieces:
            size = len(one) if isinstance(one, bytes) else one[1]
            low, high = max(offset, at), min(end, at + size)
            if low < high:
                out += one[low - at : high - at] if isinstance(one, bytes) else self.image.read(one[0] + low - at, high - low)
            at += size
        return bytes(out)

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Yield the stretches that are no holes of the image."""
        at = 0
        for one in self.file.pieces:
            size = len(one) if isinstance(one, bytes) else one[1]
            low, high = max(start, at), min(end, at + size)
            if low < high and isinstance(one, bytes):
                yield low, high
            elif low < high:
                for first, last in self.image.data_ranges(one[0] + low - at, one[0] + high - at):
                    yield first - one[0] + at, last - one[0] + at
            at += size


def digest_of(file: File, image: ByteSource) -> str:
    """Hash a wanted file as ``Held.digest`` does."""
    total = hashlib.sha256(file.size.to_bytes(8, "little"))
    feed(total, Pieces(file, image), ((0, 0, file.size),))
    return total.hexdigest()


def in_fat(source: Slice) -> Iterator[Held]:
    """Yield the files of a FAT32 volume."""
    own = fat.layout(source)
    if own is None or own.bits != 32:
        raise FormatError(UNREADABLE)
    table = np.frombuffer(source.read(own.fat_start, own.fat_bytes), "<u4") & 0x0FFFFFFF
    for node in fat.listing(source, own, whole=True):
        if node.folder:
            yield Held(node.path.replace("\\", "/"), 0, (), folder=True)
            continue
        runs, at, cluster = list[tuple[int, int, int]](), 0, node.cluster
        while 2 <= cluster < own.clusters + 2 and at < node.size:
            place = own.data_start + (cluster - 2) * own.cluster
            if runs and runs[-1][1] + runs[-1][2] == place:
                runs[-1] = (*runs[-1][:2], runs[-1][2] + own.cluster)
            else:
                runs.append((at, place, own.cluster))
            at, cluster = at + own.cluster, int(table[cluster])
        yield Held(node.path.replace("\\", "/"), node.size, tuple(runs))


def in_exfat(source: Slice) -> Iterator[Held]:
    """Yield the files of an exFAT volume."""
    own = exfat.layout(source)
    if own is None:
        raise FormatError(UNREADABLE)
    for one in exfat_files.files(source, own, folders=True):
        at, runs = 0, []
        for first, length in one.runs:
            runs.append((at, first, length))
            at += length
        yield Held(one.path, one.size, tuple(runs), folder=one.folder)


def in_ext(source: Slice) -> Iterator[Held]:
    """Yield the files of an ext volume."""
    own = ext.open_ext(source)
    if own is None:
        raise FormatError(UNREADABLE)
    for one in ext_files.files(own, folders=True):
        if one.kind == ext_files.FILE:
            yield Held(one.path, one.size, one.runs, one.value)
        elif one.kind == ext_files.FOLDER:
            yield Held(one.path, 0, (), folder=True)


def in_ntfs(source: Slice) -> Iterator[Held]:
    """Yield the files of an NTFS volume, by names in small letters."""
    own = ntfs.open_ntfs(source)
    if own is None:
        raise FormatError(UNREADABLE)
    waiting = [("", ntfs.ROOT, 0)]
    seen = set[int]()
    while waiting:
        path, record, depth = waiting.pop()
        if record in seen or depth > DEEPEST:
            continue
        seen.add(record)
        for name, inner in ntfs.folder_names(own, record).items():
            if inner < 16:
                continue  # the file system's own
            held = ntfs.attributes(own, inner)
            data = next((one for one in held if one.kind == ntfs.DATA and not one.name), None)
            if data is None:
                waiting.append((f"{path}/{name}", inner, depth + 1))
                yield Held(f"{path}/{name}", 0, (), folder=True)
                continue
            at, runs = 0, []
            for first, count in data.runs:
                if first >= 0:
                    runs.append((at, first * own.cluster, count * own.cluster))
                at += count * own.cluster
            yield Held(f"{path}/{name}", data.size, tuple(runs), data.value)
