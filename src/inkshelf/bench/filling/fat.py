"""Files into FAT32: chains of clusters, folders with long names (FAT file system specification 1.03, sections 4 to 7)."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime

import numpy as np
import numpy.typing as npt

from inkshelf.bench.filling.naming import long_records, plain, short_name
from inkshelf.bench.filling.plan import Carry, Filled, differing, placed
from inkshelf.core.disk import fat
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import BenchError
from inkshelf.core.media.copying import File

LAST, USED_BITS = 0x0FFFFFFF, 0x0FFFFFFF
LARGEST = (1 << 32) - 1
INFO_SECTOR, INFO_FREE, INFO_NEXT = 48, 488, 492  # where the boot sector names it; free clusters, and where to look next
RECORD = struct.Struct("<8s3sBBBHHHHHHHI")
FOLDER_FLAG, FILE_FLAG = 0x10, 0x20
Clusters = npt.NDArray[np.int64]  # the numbers of clusters, in the order of their file


class _Folder:
    """A folder that files go into: its records as they were and as they become, and its clusters."""

    def __init__(self, cluster: int, raw: bytes, clusters: list[int]) -> None:
        self.cluster, self.raw, self.clusters = cluster, bytearray(raw), clusters
        self.names: dict[str, fat.FatNode] = {}
        self.shorts = {bytes(raw[at : at + 11]) for at in range(0, len(raw), 32) if raw[at] not in {0, fat.DELETED}}


class Filler:
    """Reckons where files go in one volume; nothing is written."""

    def __init__(self, source: ByteSource) -> None:
        found = fat.layout(source)
        if found is None or found.bits != 32:
            raise BenchError("The volume is no FAT32 any more.", "Throw the bench copy away and ink again.")
        self.source, self.own = source, found
        self.before = source.read(found.fat_start, found.fat_bytes)
        self.table = np.frombuffer(self.before, "<u4").copy()
        heap = self.table[2 : found.clusters + 2] & USED_BITS
        self.free = np.flatnonzero(heap == 0) + 2
        self.next = 0
        self.folders: dict[str, _Folder] = {}
        self.carries: list[Carry] = []

    def take(self, count: int, what: str) -> Clusters:
        """Return so many free clusters, the lowest first."""
        if self.next + count > len(self.free):
            lacks = (self.next + count - len(self.free)) * self.own.cluster
            raise BenchError(f"{what} does not fit: {lacks} bytes lack.", "Take a larger stick, or leave an image out.")
        taken = self.free[self.next : self.next + count]
        self.next += count
        return taken

    def chain(self, clusters: Clusters) -> None:
        """Link clusters, the last one to the end."""
        if len(clusters):
            self.table[clusters[:-1]] = clusters[1:]
            self.table[clusters[-1]] = LAST

    def place(self, cluster: int) -> int:
        """Return the first byte of a cluster."""
        return self.own.data_start + (cluster - 2) * self.own.cluster

    def folder(self, path: str) -> _Folder:
        """Return the folder at a path, made where it is not there."""
        key = path.lower()
        if key in self.folders:
            return self.folders[key]
        if not path:
            made = self._read(self.own.root_cluster, "")
        else:
            parent, _, name = path.rpartition("/")
            above = self.folder(parent)
            there = above.names.get(name.lower())
            if there is not None and not there.folder:
                raise BenchError(f"{path} is a file there.", "Take it away first.")
            made = self._read(there.cluster, path) if there else self._made(above, name, path)
        self.folders[key] = made
        return made

    def _read(self, cluster: int, path: str) -> _Folder:
        clusters = list(fat._chain(self.source, self.own, cluster))  # noqa: SLF001 - the reader's own walk
        raw = b"".join(self.source.read(self.place(one), self.own.cluster) for one in clusters)
        end = next((at for at in range(0, len(raw), 32) if raw[at] == 0), len(raw))
        found = _Folder(cluster, raw[:end], clusters)
        nodes = fat._folder(self.source, self.own, path, cluster if path else None)  # noqa: SLF001
        found.names = {one.path.rsplit("\\", 1)[-1].lower(): one for one in nodes}
        return found

    def _made(self, above: _Folder, name: str, path: str) -> _Folder:
        own = self.take(1, path)
        self.chain(own)
        cluster = int(own[0])
        self.enter(above, name, FOLDER_FLAG, cluster, 0, 0)
        parent = 0 if above.cluster == self.own.root_cluster else above.cluster  # the root is named 0 there
        dots = _record(b".          ", FOLDER_FLAG, cluster, 0, 0) + _record(b"..         ", FOLDER_FLAG, parent, 0, 0)
        return _Folder(cluster, dots, [cluster])

    def enter(self, folder: _Folder, name: str, flag: int, cluster: int, size: int, time: int) -> None:
        """Add a name to a folder; one that is there is refused."""
        if name.lower() in folder.names:
            raise BenchError(f"{name} is there already.", "Take it away first, or leave it out.")
        folder.names[name.lower()] = fat.FatNode(name, flag == FOLDER_FLAG, size, cluster)
        short = short_name(name, folder.shorts)
        folder.shorts.add(short)
        folder.raw += b"" if plain(name) else long_records(name, short)
        folder.raw += _record(short, flag, cluster, size, time)

    def add(self, file: File) -> None:
        """Place one file, or make a folder."""
        if file.folder:
            self.folder(file.path.strip("/"))
            return
        if file.size > LARGEST:
            raise BenchError(f"{file.path} is larger than FAT32 holds.", "Split it, or choose another file system.")
        parent, _, name = file.path.strip("/").rpartition("/")
        folder = self.folder(parent)
        clusters = self.take(-(-file.size // self.own.cluster), file.path)
        self.chain(clusters)
        self.enter(folder, name, FILE_FLAG, int(clusters[0]) if len(clusters) else 0, file.size, file.time)
        self.carries += placed(file, self._stretches(clusters))

    def _stretches(self, clusters: Clusters) -> Iterator[tuple[int, int]]:
        for run in np.split(clusters, np.flatnonzero(np.diff(clusters) != 1) + 1) if len(clusters) else ():
            yield self.place(int(run[0])), len(run) * self.own.cluster

    def done(self) -> Filled:
        """Return what is to be done: folders grow last, when all their names are known."""
        records: list[tuple[int, bytes]] = []
        for path, one in self.folders.items():
            wanted = -(-max(1, len(one.raw)) // self.own.cluster)
            more = self.take(max(0, wanted - len(one.clusters)), path or "the root folder")
            one.clusters += more.tolist()
            self.chain(np.array(one.clusters))
            raw = bytes(one.raw).ljust(len(one.clusters) * self.own.cluster, b"\0")
            for at, cluster in enumerate(one.clusters):
                records.append((self.place(cluster), raw[at * self.own.cluster : (at + 1) * self.own.cluster]))
        after = self.table.tobytes()
        for copy in range(2):
            records += differing(self.before, after, self.own.fat_start + copy * self.own.fat_bytes)
        return Filled(tuple(self.carries), (*records, *self._info()))

    def _info(self) -> Iterator[tuple[int, bytes]]:
        """How many clusters are free, and where to look next: in both copies of the information sector."""
        sector = int.from_bytes(self.source.read(INFO_SECTOR, 2), "little")
        left = len(self.free) - self.next
        following = int(self.free[self.next]) if left else 0xFFFFFFFF
        for at in (sector, sector + self.own.backup) if self.own.backup else (sector,):
            raw = self.source.read(at * self.own.sector, self.own.sector)
            if raw[:4] == b"RRaA" and raw[484:488] == b"rrAa":
                yield at * self.own.sector + INFO_FREE, struct.pack("<II", left, following)


def take_off(source: ByteSource, path: str) -> Filled:
    """Return what takes a file off the root of the FAT32 that ``source`` holds: its records are marked, its clusters free."""
    filler = Filler(source)
    folder, name = filler.folder(""), path.strip("/").lower()
    node = folder.names.get(name)
    if node is None or node.folder:
        raise BenchError(f"{path} is not there.", "Take the stick in again.")
    first = None
    for at in range(0, len(folder.raw), 32):
        raw = bytes(folder.raw[at : at + 32])
        if raw[0] == fat.DELETED:
            first = None
            continue
        first = at if first is None else first
        if fat.RECORD.of(raw).attributes & 0x3F == fat.LONG_NAME:
            continue
        own = fat.RECORD.of(raw)
        if (
            own.cluster_high << 16 | own.cluster_low == node.cluster
            and own.size == node.size
            and not own.attributes & fat.VOLUME
        ):
            named = next(fat.named(bytes(folder.raw[first : at + 32])), "")
            if named.lower() == name:
                for one in range(first, at + 32, 32):
                    folder.raw[one] = fat.DELETED
        first = None
    freed = list(fat._chain(source, filler.own, node.cluster)) if node.cluster else []  # noqa: SLF001 - the reader's own walk
    filler.table[freed] = 0
    filler.free = np.union1d(filler.free[filler.next :], np.array(freed, dtype=np.int64))
    filler.next = 0
    return filler.done()


def _record(short: bytes, flag: int, cluster: int, size: int, time: int) -> bytes:
    day, clock = _stamp(time)
    return RECORD.pack(short[:8], short[8:], flag, 0, 0, clock, day, day, cluster >> 16, clock, day, cluster & 0xFFFF, size)


def _stamp(time: int) -> tuple[int, int]:
    """Date and time as FAT writes them, two seconds apart, from 1980 to 2107."""
    when = datetime.fromtimestamp(min(max(time, 315_532_800), 4_354_819_198), UTC)
    day = (when.year - 1980) << 9 | when.month << 5 | when.day
    return day, when.hour << 11 | when.minute << 5 | when.second // 2


def reckon(source: ByteSource, files: Iterable[File]) -> Filled:
    """Return where files go in the FAT32 that ``source`` holds; raises ``BenchError`` where they do not fit, or are there already."""
    filler = Filler(source)
    for one in files:
        filler.add(one)
    return filler.done()
