"""FAT12, FAT16 and FAT32: what the volume is, how much is used, and a small reader for start-up files.

Source: the published FAT file system specification 1.03; cluster counts decide the type, never the name in the boot sector.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.counting import entries_in_use
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

BOOT = Layout(  # 3.1: common to all three
    "FAT boot sector",
    "<",
    sector=(11, "H"),
    per_cluster=(13, "B"),
    reserved=(14, "H"),
    tables=(16, "B"),
    root_entries=(17, "H"),
    sectors_16=(19, "H"),
    media=(21, "B"),
    table_16=(22, "H"),
    hidden=(28, "I"),
    sectors_32=(32, "I"),
    mark=(510, "2s"),
)
WIDE = Layout("FAT32 boot sector", "<", table=(36, "I"), root=(44, "I"), backup=(50, "H"))  # 3.3
TAIL = Layout("FAT boot sector", "<", mark=(2, "B"), serial=(3, "I"), label=(7, "11s"))
TAIL_AT, WIDE_TAIL_AT, TAIL_MARK, BOOT_MARK = 36, 64, 0x29, b"\x55\xaa"
RECORD = Layout(  # 6
    "FAT folder record",
    "<",
    name=(0, "8s"),
    ending=(8, "3s"),
    attributes=(11, "B"),
    case=(12, "B"),
    cluster_high=(20, "H"),
    cluster_low=(26, "H"),
    size=(28, "I"),
)
LONG = Layout("FAT long name", "<", order=(0, "B"), first=(1, "10s"), second=(14, "12s"), third=(28, "4s"))  # 7
RECORD_BYTES = 32
LARGEST_FOLDER = 65_536 * 32  # section 6: what a folder may have in records
MOST = 60_000  # names that are listed: an installer's own tree has fewer
DEEPEST, MOST_WHOLE = (
    130,
    2_000_000,
)  # folders in each other that a path of 260 characters can name; names that are listed where all are wanted
DELETED, DOT, LONG_NAME, VOLUME, FOLDER = 0xE5, 0x2E, 0x0F, 0x08, 0x10
SMALL_NAME, SMALL_ENDING = 0x08, 0x10  # written in small letters
FAT16_FROM, FAT32_FROM = 4_085, 65_525


class FatLayout(Value, frozen=True):
    """Where things are in a FAT volume, in bytes from its start; ``backup``: the sector of the boot sector's copy, 0 for none."""

    bits: int
    sector: int
    cluster: int
    clusters: int
    fat_start: int
    fat_bytes: int
    root_start: int
    root_bytes: int
    data_start: int
    root_cluster: int
    total_bytes: int
    label: str
    serial: int
    hidden: int
    backup: int


class FatNode(Value, frozen=True):
    """A file or folder found by the reader."""

    path: str
    folder: bool
    size: int
    cluster: int


def layout(source: ByteSource) -> FatLayout | None:
    """Return the layout, or ``None`` where the boot sector is not one of a FAT volume."""
    head = source.read(0, 512)
    if len(head) < 512:
        return None
    own, wide_head = BOOT.of(head), WIDE.of(head)
    if own.mark != BOOT_MARK or own.sector not in {512, 1024, 2048, 4096}:
        return None
    if own.per_cluster not in {1, 2, 4, 8, 16, 32, 64, 128} or not own.reserved or own.tables not in {1, 2}:
        return None
    if own.media != 0xF0 and own.media < 0xF8:
        return None
    table, total = own.table_16 or wide_head.table, own.sectors_16 or own.sectors_32
    root_sectors = -(-own.root_entries * RECORD_BYTES // own.sector)
    data = own.reserved + own.tables * table + root_sectors
    if not table or total <= data:
        return None
    clusters, wide = (total - data) // own.per_cluster, not own.table_16
    tail = TAIL.of(head, WIDE_TAIL_AT if wide else TAIL_AT)
    label = tail.label.decode("ascii", "replace").rstrip() if tail.mark == TAIL_MARK else ""
    return FatLayout(
        bits=32 if wide else 12 if clusters < FAT16_FROM else 16,
        sector=own.sector,
        cluster=own.per_cluster * own.sector,
        clusters=clusters,
        fat_start=own.reserved * own.sector,
        fat_bytes=table * own.sector,
        root_start=(own.reserved + own.tables * table) * own.sector,
        root_bytes=root_sectors * own.sector,
        data_start=data * own.sector,
        root_cluster=wide_head.root if wide else 0,
        total_bytes=total * own.sector,
        label="" if label == "NO NAME" else label,
        serial=tail.serial,
        hidden=own.hidden,
        backup=wide_head.backup if wide else 0,
    )


def probe(source: ByteSource) -> FileSystem | None:
    """Return what the volume's own structures say, or ``None`` where it is not FAT."""
    fat = layout(source)
    if fat is None or fat.total_bytes > source.size:
        return None
    free, clean = _table_facts(source, fat)
    label = next((name for name in _volume_label(source, fat)), fat.label)
    serial = f"{fat.serial >> 16:04X}-{fat.serial & 0xFFFF:04X}"
    return FileSystem(
        kind=f"fat{fat.bits}",
        size_bytes=fat.total_bytes,
        label=shown(label),
        uuid=serial,
        used_bytes=(fat.clusters - free) * fat.cluster,
        smallest_why="FAT cannot be shrunk",
        dirty=not clean,
        hibernated=False,
        cluster_bytes=fat.cluster,
        clusters=fat.clusters,
        sector_bytes=fat.sector,
        hidden_sectors=fat.hidden,
    )


def _table_facts(source: ByteSource, fat: FatLayout) -> tuple[int, bool]:
    """Count free clusters in the first table, and tell whether it is marked clean."""
    wanted = fat.clusters + 2
    if fat.bits == 12:
        raw = source.read(fat.fat_start, min(fat.fat_bytes, wanted * 3 // 2 + 3)).ljust(wanted * 3 // 2 + 3, b"\0")
        entries = int.from_bytes(raw, "little") & (1 << 12 * wanted) - 1
        return fat.clusters - entries_in_use((entries >> 24).to_bytes(len(raw), "little"), 12, 0xFFF), True
    width, mask = (4, 0x0FFFFFFF) if fat.bits == 32 else (2, 0xFFFF)
    first = int.from_bytes(source.read(fat.fat_start + width, width), "little")
    end = fat.fat_start + min(fat.fat_bytes, wanted * width)
    used = 0
    for low, high in source.data_ranges(fat.fat_start, end):
        for at in range(low, high, 1 << 20):
            piece = source.read(at, min(1 << 20, high - at))
            used += entries_in_use(piece, width * 8, mask)
    used -= 2  # the two entries that are not clusters
    clean = bool(first & (0x08000000 if fat.bits == 32 else 0x8000))
    return max(0, fat.clusters - used), clean


def _volume_label(source: ByteSource, fat: FatLayout) -> Iterator[str]:
    for raw in _records(source, fat, None):
        own = RECORD.of(raw)
        if own.attributes & 0x3F == VOLUME and raw[0] != DELETED:
            yield (own.name + own.ending).decode("ascii", "replace").rstrip()
            return


def _chain(source: ByteSource, fat: FatLayout, cluster: int) -> Iterator[int]:
    """Yield the clusters of a file; a chain that runs in a circle ends in ``FormatError``."""
    seen = 0
    while 2 <= cluster < fat.clusters + 2:
        yield cluster
        seen += 1
        if seen > fat.clusters:
            raise FormatError("A file's cluster chain runs in a circle.", "Check the volume before anything else.")
        if fat.bits == 32:
            cluster = int.from_bytes(exactly(source, fat.fat_start + 4 * cluster, 4, "FAT"), "little") & 0x0FFFFFFF
        elif fat.bits == 16:
            cluster = int.from_bytes(exactly(source, fat.fat_start + 2 * cluster, 2, "FAT"), "little")
        else:
            pair = int.from_bytes(exactly(source, fat.fat_start + cluster * 3 // 2, 2, "FAT"), "little")
            cluster = pair >> 4 if cluster % 2 else pair & 0xFFF


def _records(source: ByteSource, fat: FatLayout, cluster: int | None) -> Iterator[bytes]:
    """Yield the 32-byte records of a folder (``None``: the root)."""
    if cluster is None and fat.bits != 32:
        blocks = iter([exactly(source, fat.root_start, fat.root_bytes, "root folder")])
    else:
        first = fat.root_cluster if cluster is None else cluster
        blocks = (
            exactly(source, fat.data_start + (one - 2) * fat.cluster, fat.cluster, "folder")
            for one in _chain(source, fat, first)
        )
    total = 0
    for block in blocks:
        total += len(block)
        if total > LARGEST_FOLDER + fat.cluster:
            raise FormatError("A folder is larger than a folder may be.", "Check the volume before anything else.")
        for at in range(0, len(block), RECORD_BYTES):
            if block[at] == 0:
                return
            yield block[at : at + RECORD_BYTES]


def listing(source: ByteSource, fat: FatLayout, depth: int = 6, *, whole: bool = False) -> list[FatNode]:
    """Return every file and folder down to ``depth``, with paths as boot entries write them (backslashes).

    ``whole``: all that there are; raises ``FormatError`` where they are more, or deeper, than is read here.
    """
    found: list[FatNode] = []
    waiting: list[tuple[str, int | None, int]] = [("", None, DEEPEST if whole else depth)]
    while waiting and len(found) < (MOST_WHOLE if whole else MOST):
        path, cluster, left = waiting.pop()
        for node in _folder(source, fat, path, cluster):
            found.append(node)
            if node.folder and node.cluster and left > 1:
                waiting.append((node.path, node.cluster, left - 1))
            elif node.folder and node.cluster and whole:
                raise FormatError(
                    "Folders of a FAT volume lie deeper than paths may be.", "Check the volume before anything else."
                )
    if waiting and whole:
        raise FormatError("A FAT volume has more files than are read here.", "Compare them in their own system.")
    return sorted(found, key=lambda one: one.path.lower())


def root(source: ByteSource, fat: FatLayout) -> list[FatNode]:
    """Return what the root folder names, in its own order."""
    return list(_folder(source, fat, "", None))


def _folder(source: ByteSource, fat: FatLayout, path: str, cluster: int | None) -> Iterator[FatNode]:
    for name, raw in _named(_records(source, fat, cluster)):
        own = RECORD.of(raw)
        first = own.cluster_high << 16 | own.cluster_low
        yield FatNode(f"{path}\\{name}", bool(own.attributes & FOLDER), own.size, first)


def named(records: bytes) -> Iterator[str]:
    """Yield the names that the bytes of a folder bear."""
    yield from (name for name, _ in _named(records[at : at + RECORD_BYTES] for at in range(0, len(records), RECORD_BYTES)))


def _named(records: Iterable[bytes]) -> Iterator[tuple[str, bytes]]:
    """The records of files and folders, each with its long name where it has one."""
    long: dict[int, str] = {}
    for raw in records:
        own = RECORD.of(raw)
        if raw[0] == DELETED:
            long = {}
        elif own.attributes & 0x3F == LONG_NAME:
            part = LONG.of(raw)
            name = (part.first + part.second + part.third).decode("utf-16-le", "replace")
            long[part.order & 0x1F] = name.split("\0")[0]
        elif own.attributes & VOLUME or raw[0] == DOT:
            long = {}
        else:
            yield "".join(long[key] for key in sorted(long)) or _short_name(raw), raw
            long = {}


def _short_name(raw: bytes) -> str:
    own = RECORD.of(raw)
    stem, ending = (part.decode("ascii", "replace").rstrip() for part in (own.name, own.ending))
    stem = stem.lower() if own.case & SMALL_NAME else stem
    ending = ending.lower() if own.case & SMALL_ENDING else ending
    return f"{stem}.{ending}" if ending else stem


def read_file(source: ByteSource, fat: FatLayout, node: FatNode, limit: int = 1 << 20) -> bytes:
    """Return a file's first ``limit`` bytes."""
    wanted = min(node.size, limit)
    data = bytearray()
    for cluster in _chain(source, fat, node.cluster):
        if len(data) >= wanted:
            break
        data += exactly(source, fat.data_start + (cluster - 2) * fat.cluster, fat.cluster, node.path)
    return bytes(data[:wanted])
