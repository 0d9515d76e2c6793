"""exFAT: size, use and state from the boot sector, the root folder and the allocation bitmap (exFAT specification 1.00)."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.counting import bits_set
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

BOOT = Layout(  # 3.1, table 4
    "exFAT boot sector",
    "<",
    mark=(3, "8s"),
    sectors=(72, "Q"),
    table=(80, "I"),
    heap=(88, "I"),
    clusters=(92, "I"),
    root=(96, "I"),
    serial=(100, "I"),
    flags=(106, "H"),
    sector_bits=(108, "B"),
    cluster_bits=(109, "B"),
)
BITMAP_ENTRY = Layout("exFAT bitmap entry", "<", kind=(0, "B"), flags=(1, "B"), first=(20, "I"), length=(24, "Q"))  # 7.1
LABEL_ENTRY = Layout("exFAT label entry", "<", kind=(0, "B"), count=(1, "B"), text=(2, "22s"))  # 7.3
BITMAP, LABEL, SECOND = 0x81, 0x83, 1
DIRTY = 2
ROOT_LIMIT = 1 << 20


class ExFat(Value, frozen=True):
    """Geometry of a volume; sizes in bytes, places from its start."""

    sector: int
    cluster: int
    clusters: int
    fat_start: int
    heap_start: int
    root_cluster: int
    size: int
    serial: int
    dirty: bool

    def place(self, cluster: int) -> int:
        """Return the first byte of a cluster; clusters count from 2."""
        return self.heap_start + (cluster - 2) * self.cluster


def layout(source: ByteSource) -> ExFat | None:
    """Return the geometry, or ``None`` where the boot sector is not exFAT's."""
    head = source.read(0, 512)
    if len(head) < 512 or BOOT.of(head).mark != b"EXFAT   ":
        return None
    own = BOOT.of(head)
    if not 9 <= own.sector_bits <= 12 or own.cluster_bits > 25 - own.sector_bits or not own.clusters:
        raise FormatError("The boot sector of an exFAT volume is damaged.", "Let its own system check it.")
    sector = 1 << own.sector_bits
    return ExFat(
        sector=sector,
        cluster=sector << own.cluster_bits,
        clusters=own.clusters,
        fat_start=own.table * sector,
        heap_start=own.heap * sector,
        root_cluster=own.root,
        size=own.sectors * sector,
        serial=own.serial,
        dirty=bool(own.flags & DIRTY),
    )


def chain(source: ByteSource, volume: ExFat, cluster: int) -> Iterator[int]:
    """Yield the clusters of a chain, at most as many as a root folder can have."""
    seen = 0
    while 2 <= cluster < volume.clusters + 2:
        yield cluster
        seen += 1
        if seen > volume.clusters or seen * volume.cluster > ROOT_LIMIT:
            return
        cluster = int.from_bytes(exactly(source, volume.fat_start + 4 * cluster, 4, "FAT"), "little")


def _root(source: ByteSource, volume: ExFat) -> Iterator[bytes]:
    for cluster in chain(source, volume, volume.root_cluster):
        block = exactly(source, volume.place(cluster), min(volume.cluster, ROOT_LIMIT), "root folder")
        for at in range(0, len(block), 32):
            if block[at] == 0:
                return
            yield block[at : at + 32]


def probe(source: ByteSource) -> FileSystem | None:
    """Return the facts, or ``None`` where it is not exFAT."""
    volume = layout(source)
    if volume is None:
        return None
    label, used = "", None
    for entry in _root(source, volume):
        if entry[0] == LABEL:
            own = LABEL_ENTRY.of(entry)
            label = own.text[: 2 * own.count].decode("utf-16-le", "replace")
        elif entry[0] == BITMAP and not BITMAP_ENTRY.of(entry).flags & SECOND:
            own = BITMAP_ENTRY.of(entry)
            used = _set_bits(source, volume, own.first, own.length) * volume.cluster
    serial = f"{volume.serial >> 16:04X}-{volume.serial & 0xFFFF:04X}"
    return FileSystem(
        kind="exfat",
        size_bytes=volume.size,
        label=shown(label),
        uuid=serial,
        used_bytes=used,
        smallest_why="exFAT cannot be shrunk",
        dirty=volume.dirty,
        hibernated=False,
        cluster_bytes=volume.cluster,
        clusters=volume.clusters,
        sector_bytes=volume.sector,
    )


def _set_bits(source: ByteSource, volume: ExFat, first: int, length: int) -> int:
    """Count the bits of the bitmap, which the specification's formatters lay out in one piece; holes are not read."""
    start = volume.place(first)
    end = start + min(length, -(-volume.clusters // 8))
    total = 0
    for low, high in source.data_ranges(start, end):
        for at in range(low, high, 1 << 20):
            total += bits_set(source.read(at, min(1 << 20, high - at)))
    return min(total, volume.clusters)
