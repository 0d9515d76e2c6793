"""Files into exFAT: the bitmap, folders with their entry sets, chains only where a file lies in pieces (exFAT specification 1.00)."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime

import numpy as np
import numpy.typing as npt

from inkshelf.bench.filling.naming import refuse_barred
from inkshelf.bench.filling.plan import Carry, Filled, differing, placed
from inkshelf.core.disk import exfat, exfat_files
from inkshelf.core.disk.exfat_files import FOLDER, Node
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import BenchError
from inkshelf.core.media.copying import File

LAST = 0xFFFFFFFF
HEAD = struct.Struct("<BBHHHIIIBBBBB7x")  # 7.4, the file entry
STREAM = struct.Struct("<BBBBHHQIIQ")  # 7.6, the stream extension
NAME = struct.Struct("<BB30s")  # 7.7
FILE_ENTRY, STREAM_ENTRY, NAME_ENTRY = 0x85, 0xC0, 0xC1
ALLOCATED, IN_ONE_PIECE = 1, 2
ARCHIVE, UTC_ZONE, UNITS = 0x20, 0x80, 15
PERCENT_AT, BOOT_SECTORS = 112, 12


class _Folder:
    """A folder that files go into: its bytes, its clusters, and where the entry set that names it stands."""

    def __init__(self, raw: bytes, clusters: list[int], at: tuple[_Folder, int] | None) -> None:
        self.raw, self.clusters, self.at, self.had = bytearray(raw), clusters, at, len(clusters)
        self.names: dict[bytes, Node] = {}


class Filler:
    """Reckons where files go in one volume; nothing is written."""

    def __init__(self, source: ByteSource) -> None:
        found = exfat.layout(source)
        if found is None:
            raise BenchError("The volume is no exFAT any more.", "Throw the bench copy away and ink again.")
        self.source, self.own = source, found
        self.capitals = exfat_files.capitals(source, found)
        self.bitmap_at, length = exfat_files.bitmap(source, found)
        self.bitmap = source.read(self.bitmap_at, length)
        self.used = np.unpackbits(np.frombuffer(self.bitmap, np.uint8), bitorder="little").copy()
        self.free = np.flatnonzero(self.used[: found.clusters] == 0) + 2
        self.links: dict[int, int] = {}
        self.folders: dict[str, _Folder] = {}
        self.carries: list[Carry] = []

    def take(self, count: int, what: str) -> list[int]:
        """Return so many free clusters: in one piece where there is one, else the lowest."""
        if count > len(self.free):
            lacks = (count - len(self.free)) * self.own.cluster
            raise BenchError(f"{what} does not fit: {lacks} bytes lack.", "Take a larger stick, or leave an image out.")
        first = self._first(count)
        taken = self.free[first : first + count]
        self.free = self.free[count:] if first == 0 else np.delete(self.free, np.s_[first : first + count])
        self.used[taken - 2] = 1
        return [int(one) for one in taken]

    def _first(self, count: int) -> int:
        """Where in the list of free clusters a piece begins that is long enough; 0 where there is none."""
        if count < 2 or self.free[count - 1] - self.free[0] == count - 1:
            return 0
        whole: npt.NDArray[np.int64] = np.flatnonzero(
            self.free[count - 1 :] - self.free[: len(self.free) - count + 1] == count - 1
        )
        return int(whole[0]) if len(whole) else 0

    def chain(self, clusters: list[int]) -> None:
        """Link clusters, the last one to the end."""
        for one, following in zip(clusters, [*clusters[1:], LAST], strict=True):
            self.links[one] = following

    def key(self, name: str) -> bytes:
        """Return a name as it is compared: in the volume's own capitals."""
        refuse_barred(name)
        units = np.frombuffer(name.encode("utf-16-le", "surrogatepass"), "<u2")
        return bytes(self.capitals[units].astype("<u2").tobytes())

    def folder(self, path: str) -> _Folder:
        """Return the folder at a path, made where it is not there."""
        known = path.lower()
        if known not in self.folders:
            self.folders[known] = self._found(path) if path else self._read(self.own.root_cluster, None, None)
        return self.folders[known]

    def _found(self, path: str) -> _Folder:
        parent, _, name = path.rpartition("/")
        above = self.folder(parent)
        there = above.names.get(self.key(name))
        if there is None:
            (cluster,) = self.take(1, path)
            at = self.enter(above, name, FOLDER, [cluster], self.own.cluster, 0)
            return _Folder(b"", [cluster], (above, at))
        if not there.folder:
            raise BenchError(f"{path} is a file there.", "Take it away first.")
        return self._read(there.cluster, there, (above, there.at))

    def _read(self, cluster: int, node: Node | None, at: tuple[_Folder, int] | None) -> _Folder:
        clusters = (
            exfat_files.clusters_of(self.source, self.own, node) if node else exfat_files.linked(self.source, self.own, cluster)
        )
        raw = b"".join(self.source.read(self.own.place(one), self.own.cluster) for one in clusters)
        end = next((low for low in range(0, len(raw), 32) if raw[low] == 0), len(raw))
        found = _Folder(raw[:end], clusters, at)
        found.names = {self.key(one.name): one for one in exfat_files.nodes(raw[:end])}
        return found

    def enter(self, folder: _Folder, name: str, flag: int, clusters: list[int], size: int, time: int) -> int:
        """Add a name to a folder; return where its entry set begins. One that is there is refused."""
        key = self.key(name)
        if key in folder.names:
            raise BenchError(f"{name} is there already.", "Take it away first, or leave it out.")
        whole = flag != FOLDER and bool(clusters) and clusters[-1] - clusters[0] == len(clusters) - 1
        if clusters and not whole:
            self.chain(clusters)
        traits = (ALLOCATED if clusters else 0) | (IN_ONE_PIECE if whole else 0)
        at = len(folder.raw)
        first = clusters[0] if clusters else 0
        folder.raw += _entry_set(name, key, flag, traits, first, size, time)
        folder.names[key] = Node(name, flag == FOLDER, size, first, whole, at)
        return at

    def add(self, file: File) -> None:
        """Place one file, or make a folder."""
        if file.folder:
            self.folder(file.path.strip("/"))
            return
        parent, _, name = file.path.strip("/").rpartition("/")
        folder = self.folder(parent)
        clusters = self.take(-(-file.size // self.own.cluster), file.path)
        self.enter(folder, name, ARCHIVE, clusters, file.size, file.time)
        self.carries += placed(file, self._stretches(clusters))

    def _stretches(self, clusters: list[int]) -> Iterator[tuple[int, int]]:
        own = np.array(clusters, dtype=np.int64)
        for run in np.split(own, np.flatnonzero(np.diff(own) != 1) + 1) if len(own) else ():
            yield self.own.place(int(run[0])), len(run) * self.own.cluster

    def done(self) -> Filled:
        """Return what is to be done: folders grow when all their names are known, the inner ones first."""
        for path, one in sorted(self.folders.items(), key=lambda pair: -len(pair[0])):
            more = self.take(max(0, -(-len(one.raw) // self.own.cluster) - len(one.clusters)), path or "the root folder")
            if not more:
                continue
            one.clusters += more
            self.chain(one.clusters)
            if one.at:
                _longer(one.at[0].raw, one.at[1], len(one.clusters) * self.own.cluster)
        return Filled(tuple(self.carries), tuple(self._records()))

    def _records(self) -> Iterator[tuple[int, bytes]]:
        for one in self.folders.values():
            raw = bytes(one.raw).ljust(len(one.clusters) * self.own.cluster, b"\0")
            for at, cluster in enumerate(one.clusters):
                yield self.own.place(cluster), raw[at * self.own.cluster : (at + 1) * self.own.cluster]
        for cluster, following in self.links.items():
            yield self.own.fat_start + 4 * cluster, struct.pack("<I", following)
        after = np.packbits(self.used, bitorder="little").tobytes()[: len(self.bitmap)]
        yield from differing(self.bitmap, after, self.bitmap_at)
        percent = (self.own.clusters - len(self.free)) * 100 // self.own.clusters
        for region in (0, BOOT_SECTORS * self.own.sector):
            yield region + PERCENT_AT, bytes([percent])


def _entry_set(name: str, key: bytes, flag: int, traits: int, cluster: int, size: int, time: int) -> bytes:
    raw = name.encode("utf-16-le", "surrogatepass")
    parts = [raw[at : at + 2 * UNITS].ljust(2 * UNITS, b"\0") for at in range(0, len(raw), 2 * UNITS)]
    stamp, tens = _stamp(time)
    out = bytearray(
        HEAD.pack(FILE_ENTRY, 1 + len(parts), 0, flag, 0, stamp, stamp, stamp, tens, tens, UTC_ZONE, UTC_ZONE, UTC_ZONE)
    )
    out += STREAM.pack(STREAM_ENTRY, traits, 0, len(raw) // 2, _hash(key), 0, size, 0, cluster, size)
    for part in parts:
        out += NAME.pack(NAME_ENTRY, 0, part)
    struct.pack_into("<H", out, 2, _checksum(out))
    return bytes(out)


def _longer(raw: bytearray, at: int, size: int) -> None:
    """Say in the entry set of a folder that it is larger, and lies in a chain now."""
    count = raw[at + 1] + 1
    struct.pack_into("<B", raw, at + 33, ALLOCATED)
    struct.pack_into("<Q", raw, at + 32 + 8, size)
    struct.pack_into("<Q", raw, at + 32 + 24, size)
    struct.pack_into("<H", raw, at + 2, _checksum(raw[at : at + 32 * count]))


def _checksum(raw: bytes | bytearray) -> int:
    """Over the whole set but for its own two bytes (6.3.3)."""
    total = 0
    for at, byte in enumerate(raw):
        if at not in {2, 3}:
            total = ((total & 1) << 15 | total >> 1) + byte & 0xFFFF
    return total


def _hash(key: bytes) -> int:
    """Of the name in capitals (7.6.4)."""
    total = 0
    for byte in key:
        total = ((total & 1) << 15 | total >> 1) + byte & 0xFFFF
    return total


def _stamp(time: int) -> tuple[int, int]:
    """Date and time, two seconds apart from 1980 on, and the tens of milliseconds between (7.4.8)."""
    when = datetime.fromtimestamp(min(max(time, 315_532_800), 4_354_819_198), UTC)
    day = (when.year - 1980) << 25 | when.month << 21 | when.day << 16
    return day | when.hour << 11 | when.minute << 5 | when.second // 2, when.second % 2 * 100


def take_off(source: ByteSource, path: str) -> Filled:
    """Return what takes a file off the root of the exFAT that ``source`` holds: its entries are no longer in use, its clusters free."""
    filler = Filler(source)
    folder = filler.folder("")
    node = folder.names.get(filler.key(path.strip("/")))
    if node is None or node.folder:
        raise BenchError(f"{path} is not there.", "Take the stick in again.")
    for at in range(node.at, node.at + 32 * (folder.raw[node.at + 1] + 1), 32):
        folder.raw[at] &= 0x7F
    freed = exfat_files.clusters_of(source, filler.own, node)
    filler.used[[one - 2 for one in freed]] = 0
    filler.links |= {} if node.whole else dict.fromkeys(freed, 0)
    filler.free = np.flatnonzero(filler.used[: filler.own.clusters] == 0) + 2
    return filler.done()


def reckon(source: ByteSource, files: Iterable[File]) -> Filled:
    """Return where files go in the exFAT that ``source`` holds; raises ``BenchError`` where they do not fit, or are there already."""
    filler = Filler(source)
    for one in files:
        filler.add(one)
    return filler.done()
