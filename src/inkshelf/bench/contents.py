"""Compare what a volume held before with what it holds after, by hash: whole volumes byte for byte, others file by file."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor

from inkshelf.bench.image import ImageFile
from inkshelf.bench.sparse import PIECE
from inkshelf.core.disk import btrfs, exfat, ext, ext_files, fat, ntfs, ntfs_files, xfs
from inkshelf.core.disk.filesystems import GROWN_BY_ITS_OWN_SYSTEM
from inkshelf.core.disk.source import ByteSource, Slice, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import Volume
from inkshelf.core.size import MIB, binary
from inkshelf.data import exact

GRID = 128 << 10
ZEROS = bytes(GRID)
PAYLOAD = {"lvm": MIB, "luks": 16 * MIB}  # where what a container holds begins; its own records may change before that
BY_STRETCHES = {
    "xfs": "byte for byte the same but for super blocks and log, which the step rewrites",
    "exfat": "byte for byte the same but for the root folder, which holds the label",
}
UNREADABLE = "its own records cannot be read"
Digests = dict[object, str]


def kept(planned: tuple[Volume, ...], after: Volume, source: ImageFile, image: ImageFile) -> tuple[bool, str, str]:
    """Return whether all is still there, what was seen, and what was compared. Source and image are read side by side.

    ``planned`` is the volume as found and after every step, ``after`` the one that was read back.
    """
    before = planned[0]
    old, new = Slice(source, before.start, before.size), Slice(image, after.start, after.size)
    kind = before.filesystem.kind if before.filesystem else ""
    if all(_untouched(before, one) for one in (*planned, after)):
        was, now = _both(lambda one: {0: digest(one, 0, before.size)}, old, new)
        return was == now, "byte for byte the same" if was == now else "its bytes have changed", "contents"
    if kind in PAYLOAD:
        end = min(one.size for one in (*planned, after))
        was, now = _both(lambda one: {0: digest(one, PAYLOAD[kind], end)}, old, new)
        said = f"byte for byte the same from {binary(PAYLOAD[kind])} on" if was == now else "its bytes have changed"
        return was == now, said, "contents"
    reader = READERS.get(kind)
    if reader is None:
        return True, "checked by its own checker; files were not compared one by one", "contents"
    try:
        was, now = _both(reader, old, new)
    except FormatError as error:
        return False, f"could not be compared: {error.what}", "files"
    return (*_compared(was, now, kind), "contents" if kind in BY_STRETCHES else "files")


def _untouched(before: Volume, after: Volume) -> bool:
    """Whether no step had a reason to write inside: one that shrank and grew back has other bytes, and the same files."""
    kind = before.filesystem.kind if before.filesystem else ""
    only_outside = before.size < after.size and kind in GROWN_BY_ITS_OWN_SYSTEM
    return (
        before.boot_files == after.boot_files
        and _inside(before) == _inside(after)
        and (before.size == after.size or only_outside)
    )


def _compared(was: Digests, now: Digests, kind: str) -> tuple[bool, str]:
    lost = [key for key, value in was.items() if now.get(key) != value]
    if kind in BY_STRETCHES:
        return not lost, "its bytes have changed" if lost else BY_STRETCHES[kind]
    files = "files and folders" if kind == "btrfs" else "files"
    if lost:
        return False, f"{len(lost)} of {len(was)} {files} differ: {', '.join(sorted(map(str, lost))[:5])}"
    left_out = "; its page and hibernation files hold nothing of anybody's and are left out" if kind == "ntfs" else ""
    return True, f"{len(was)} {files} the same{left_out}"


def _both(reader: Callable[[Slice], Digests], old: Slice, new: Slice) -> tuple[Digests, Digests]:
    """Hashing leaves the interpreter free: two at a time take half as long."""
    with ThreadPoolExecutor(2) as pool:
        was, now = pool.map(reader, (old, new))
    return was, now


def _inside(volume: Volume) -> tuple[object, ...]:
    """What a step may change inside a volume that it keeps: its label, its identity, what a group holds, that its system sleeps."""
    system = volume.filesystem
    return (system.label, system.uuid, system.inside, bool(system.hibernated)) if system else ()


def digest(source: ByteSource, start: int, end: int) -> str:
    """Hash a stretch by its places and bytes that are not zero: a hole and written zeros are the same."""
    total = hashlib.sha256()
    feed(total, source, ((0, start, end - start),))
    return total.hexdigest()


def feed(total: hashlib._Hash, source: ByteSource, runs: Iterable[tuple[int, int, int]]) -> None:
    """Feed runs of (place in the file, first byte of the source, length) on a fixed grid, so that their cut does not matter."""
    cells = _Cells(total)
    for place, first, length in sorted(runs):
        for low, high in source.data_ranges(first, first + length):
            at = low
            while at < high:
                cell, offset = divmod(place + at - first, GRID)
                data = source.read(at, min(GRID - offset, high - at))
                if not data:
                    break
                cells.put(cell, offset, data)
                at += len(data)
    cells.flush()


class _Cells:
    """The one cell of the grid that is being filled; whole ones pass straight through."""

    def __init__(self, total: hashlib._Hash) -> None:
        self._total, self._cell, self._filled = total, -1, bytearray()

    def put(self, cell: int, offset: int, data: bytes) -> None:
        """Put bytes into a cell; cells come in order."""
        if cell != self._cell:
            self.flush()
            if len(data) == GRID:
                self._update(cell, data)
                return
            self._cell, self._filled = cell, bytearray(GRID)
        self._filled[offset : offset + len(data)] = data

    def flush(self) -> None:
        """Hash the cell that is being filled."""
        if self._cell >= 0:
            self._update(self._cell, bytes(self._filled))
            self._cell = -1

    def _update(self, cell: int, data: bytes) -> None:
        if data != ZEROS:
            self._total.update(cell.to_bytes(8, "little"))
            self._total.update(data)


def fat_digests(source: Slice) -> Digests:
    """Return the hash of every file of a FAT volume by its path."""
    table = fat.layout(source)
    if table is None:
        raise FormatError(UNREADABLE)
    nodes = [node for node in fat.listing(source, table) if not node.folder]
    return {node.path: hashlib.sha256(fat.read_file(source, table, node, node.size)).hexdigest() for node in nodes}


def ext_digests(source: Slice) -> Digests:
    """Return the hash of every file of an ext volume by its path, with its mode, owner and time."""
    volume = ext.open_ext(source)
    if volume is None:
        raise FormatError(UNREADABLE)
    found: Digests = {}
    for file in ext_files.files(volume):
        total = hashlib.sha256(file.head + file.value)
        feed(total, source, file.runs)
        found[file.path] = total.hexdigest()
    return found


def ntfs_digests(source: Slice) -> Digests:
    """Return the hash of every stream of every file of an NTFS volume by its record."""
    volume = ntfs.open_ntfs(source)
    if volume is None:
        raise FormatError(UNREADABLE)
    names = ntfs.root_names(volume)
    scratch = {names.get(exact("nt", key)) for key in ("hibernation_file", "page_file", "swap_file")}
    found: Digests = {}
    for file in ntfs_files.files(volume):
        if file.record not in scratch:
            total = hashlib.sha256(file.size.to_bytes(8, "little") + file.value)
            feed(total, source, _placed(file.runs))
            found[file.record, file.stream] = total.hexdigest()
    return found


def _placed(runs: Iterable[tuple[int, int]]) -> list[tuple[int, int, int]]:
    at, placed = 0, []
    for first, length in runs:
        if first >= 0:
            placed.append((at, first, length))
        at += length
    return placed


def exfat_digests(source: Slice) -> Digests:
    """Return the hash of all clusters of an exFAT volume but those of its root folder, which holds the label."""
    volume = exfat.layout(source)
    if volume is None:
        raise FormatError(UNREADABLE)
    root = sorted(volume.place(one) for one in exfat.chain(source, volume, volume.root_cluster))
    edges = [volume.heap_start, *(edge for place in root for edge in (place, place + volume.cluster)), source.size]
    return {low: digest(source, low, high) for low, high in zip(edges[::2], edges[1::2], strict=True) if high > low}


def xfs_digests(source: Slice) -> Digests:
    """Return the hash of every stretch of an XFS volume between the super blocks and the log, which a label or identity rewrites."""
    return {low: digest(source, low, high) for low, high in xfs.contents(source)}


def btrfs_digests(source: Slice) -> Digests:
    """Return the hash of every file and folder of a Btrfs volume, by subvolume and number: its records and its stored contents."""
    volume = btrfs.open_btrfs(source)
    found: Digests = {("name", key): hashlib.sha256(value).hexdigest() for key, value in btrfs.subvolume_names(volume).items()}
    stored: dict[int, bytes] = {}  # many files, of many snapshots, may share an extent
    for tree, items in btrfs.trees(volume):
        totals: dict[int, hashlib._Hash] = {}
        for item in items:
            total = totals.setdefault(item.object, hashlib.sha256())
            total.update(btrfs.KEY.pack(item.object, item.kind, item.offset) + item.data)
            extent = btrfs.extent(item)
            if extent and extent.address not in stored:
                stored[extent.address] = _stretch(source, volume.place(extent.address, extent.length), extent.length)
            if extent:
                total.update(stored[extent.address])
        found |= {(tree, number): total.hexdigest() for number, total in totals.items()}
    return found


def _stretch(source: Slice, start: int, length: int) -> bytes:
    """Hash a stretch that is short and holds no holes, as most stored extents are: without a grid to pad."""
    total = hashlib.sha256()
    for at in range(start, start + length, PIECE):
        total.update(exactly(source, at, min(PIECE, start + length - at), "file contents"))
    return total.digest()


READERS: dict[str, Callable[[Slice], Digests]] = {
    "ntfs": ntfs_digests,
    "exfat": exfat_digests,
    "xfs": xfs_digests,
    "btrfs": btrfs_digests,
    **dict.fromkeys(("fat12", "fat16", "fat32"), fat_digests),
    **dict.fromkeys(("ext2", "ext3", "ext4"), ext_digests),
}
