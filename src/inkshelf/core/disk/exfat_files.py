"""Walk the files of an exFAT volume: names, sizes, where their contents lie (exFAT specification 1.00, sections 6 and 7)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from inkshelf.core.disk.exfat import BITMAP, BITMAP_ENTRY, SECOND, ExFat
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

CAPITALS, FILE, STREAM, NAME = 0x82, 0x85, 0xC0, 0xC1
FOLDER, IN_ONE_PIECE, UNITS = 0x10, 2, 15
MOST, DEEPEST, LARGEST_FOLDER = 400_000, 60, 256 << 20
HEAD = Layout("exFAT file entry", "<", kind=(0, "B"), count=(1, "B"), attributes=(4, "H"))
OWN = Layout("exFAT stream extension", "<", kind=(0, "B"), traits=(1, "B"), units=(3, "B"), cluster=(20, "I"), length=(24, "Q"))


class Node(Value, frozen=True):
    """A file or folder: ``whole``: it lies in one piece, without a chain; ``at``: where its entry set begins in its folder."""

    name: str
    folder: bool
    size: int
    cluster: int
    whole: bool
    at: int


class Placed(Value, frozen=True):
    """A file by its path (``/`` between the parts), with its stretches of the volume as (first byte, length)."""

    path: str
    size: int
    runs: tuple[tuple[int, int], ...]
    folder: bool = False


def linked(source: ByteSource, volume: ExFat, cluster: int, most: int = 0) -> list[int]:
    """Return the clusters of a chain; one that is longer than ``most`` (0: than a folder may be) ends in ``FormatError``, a circle too."""
    found: list[int] = []
    most = min(volume.clusters, most or max(1, LARGEST_FOLDER // volume.cluster))
    while 2 <= cluster < volume.clusters + 2:
        found.append(cluster)
        if len(found) > most:
            raise FormatError("A cluster chain is longer than what it belongs to.", "Check the volume before anything else.")
        cluster = int.from_bytes(exactly(source, volume.fat_start + 4 * cluster, 4, "FAT"), "little")
    return found


def clusters_of(source: ByteSource, volume: ExFat, node: Node) -> list[int]:
    """Return the clusters of a file or folder, in order."""
    count = -(-node.size // volume.cluster)
    if not node.whole:
        return linked(source, volume, node.cluster, count)
    if node.size and not 2 <= node.cluster <= volume.clusters + 2 - count:
        raise FormatError(f"{node.name} lies outside its volume.", "Check the volume before anything else.")
    return list(range(node.cluster, node.cluster + count))


def nodes(raw: bytes) -> Iterator[Node]:
    """Yield what a folder's bytes name."""
    at = 0
    while at + 32 <= len(raw) and raw[at]:
        if raw[at] != FILE:
            at += 32
            continue
        own = HEAD.of(raw, at)
        end = at + 32 * (own.count + 1)
        if own.count < 2 or end > len(raw) or raw[at + 32] != STREAM:
            raise FormatError("A folder of an exFAT volume has an entry that cannot be.", "Check the volume.")
        held = OWN.of(raw, at + 32)
        units = b"".join(raw[one + 2 : one + 32] for one in range(at + 64, end, 32) if raw[one] == NAME)
        name = units[: 2 * held.units].decode("utf-16-le", "replace")
        yield Node(shown(name), bool(own.attributes & FOLDER), held.length, held.cluster, bool(held.traits & IN_ONE_PIECE), at)
        at = end


def files(source: ByteSource, volume: ExFat, *, folders: bool = False) -> Iterator[Placed]:
    """Yield every file of the volume, and where asked its ``folders``; raises ``FormatError`` where its folders make no sense."""
    waiting: list[tuple[str, list[int], int]] = [("", linked(source, volume, volume.root_cluster), 0)]
    count, seen = 0, set[int]()
    while waiting:
        path, clusters, depth = waiting.pop()
        if depth > DEEPEST or len(clusters) * volume.cluster > LARGEST_FOLDER or not seen.isdisjoint(clusters):
            raise FormatError("A folder of an exFAT volume that cannot be.", "Check the volume before anything else.")
        seen.update(clusters)
        raw = b"".join(exactly(source, volume.place(one), volume.cluster, "folder") for one in clusters)
        for node in nodes(raw):
            count += 1
            if count > MOST:
                raise FormatError("An exFAT volume with more names than are read here.", "Compare it in its own system.")
            inside = clusters_of(source, volume, node)
            if node.folder:
                waiting.append((f"{path}/{node.name}", inside, depth + 1))
                if folders:
                    yield Placed(f"{path}/{node.name}", 0, (), folder=True)
            else:
                yield Placed(f"{path}/{node.name}", node.size, tuple(_runs(volume, inside)))


def _runs(volume: ExFat, clusters: list[int]) -> Iterator[tuple[int, int]]:
    start = 0
    for at in range(1, len(clusters) + 1):
        if at == len(clusters) or clusters[at] != clusters[at - 1] + 1:
            yield volume.place(clusters[start]), (at - start) * volume.cluster
            start = at


def root(source: ByteSource, volume: ExFat) -> bytes:
    """Return the bytes of the root folder."""
    return b"".join(
        exactly(source, volume.place(one), volume.cluster, "root folder") for one in linked(source, volume, volume.root_cluster)
    )


def bitmap(source: ByteSource, volume: ExFat) -> tuple[int, int]:
    """Return where the allocation bitmap begins and how many bytes it has (7.1); it lies in one piece."""
    raw = root(source, volume)
    for at in range(0, len(raw) - 31, 32):
        if raw[at] == BITMAP and not BITMAP_ENTRY.of(raw, at).flags & SECOND:
            own = BITMAP_ENTRY.of(raw, at)
            length = -(-volume.clusters // 8)
            pieces = linked(source, volume, own.first, max(1, -(-own.length // volume.cluster)))[: -(-length // volume.cluster)]
            if own.length < length or pieces != list(range(own.first, own.first + len(pieces))):
                break
            return volume.place(own.first), length
    raise FormatError("The allocation bitmap of an exFAT volume is not where it should be.", "Check the volume.")


def capitals(source: ByteSource, volume: ExFat) -> npt.NDArray[np.uint16]:
    """Return the volume's own table of capitals, unpacked: 65,536 units (7.2)."""
    import numpy as np

    raw = root(source, volume)
    table = np.arange(1 << 16, dtype=np.uint16)
    at = next((one for one in range(0, len(raw) - 31, 32) if raw[one] == CAPITALS), None)
    if at is None:
        raise FormatError("An exFAT volume without its table of capitals.", "Check the volume.")
    own = BITMAP_ENTRY.of(raw, at)
    if own.length > 2 << 16:
        raise FormatError("The table of capitals of an exFAT volume is too long.", "Check the volume.")
    packed = exactly(source, volume.place(own.first), own.length // 2 * 2, "table of capitals")
    units = [int(one) for one in np.frombuffer(packed, "<u2")]
    unit = place = 0
    while place < len(units) and unit < 1 << 16:
        if units[place] == 0xFFFF and place + 1 < len(units):
            unit += units[place + 1]
            place += 2
            continue
        table[unit] = units[place]
        unit, place = unit + 1, place + 1
    return table
