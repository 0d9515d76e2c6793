"""FAT12, FAT16 and FAT32: what the volume is, how much is used, and a small reader for start-up files.

Source: the published FAT file system specification 1.03; cluster counts decide the type, never the name in the boot sector.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.counting import entries_in_use
from inkshelf.core.disk.source import ByteSource, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

BOOT = struct.Struct("<3s8sHBHBHHBHHHII")  # 36 bytes, common to all three
FAT16_FROM, FAT32_FROM = 4_085, 65_525


class FatLayout(Value, frozen=True):
    """Where things are in a FAT volume, in bytes from its start."""

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


class FatNode(Value, frozen=True):
    """A file or folder found by the reader."""

    path: str
    folder: bool
    size: int
    cluster: int


def layout(source: ByteSource) -> FatLayout | None:
    """Return the layout, or ``None`` where the boot sector is not one of a FAT volume."""
    head = source.read(0, 512)
    if len(head) < 512 or head[510:512] != b"\x55\xaa":
        return None
    _, _, sector, per_cluster, reserved, fats, roots, total16, media, fat16, _, _, hidden, total32 = BOOT.unpack_from(head)
    if sector not in {512, 1024, 2048, 4096} or per_cluster not in {1, 2, 4, 8, 16, 32, 64, 128} or not reserved:
        return None
    if fats not in {1, 2} or (media != 0xF0 and media < 0xF8):
        return None
    fat32 = struct.unpack_from("<I", head, 36)[0]
    fat_sectors, total = fat16 or fat32, total16 or total32
    root_sectors = -(-roots * 32 // sector)
    data = reserved + fats * fat_sectors + root_sectors
    if not fat_sectors or total <= data:
        return None
    clusters = (total - data) // per_cluster
    wide = not fat16
    bits = 32 if wide else (12 if clusters < FAT16_FROM else 16)
    tail = 64 if wide else 36
    label = head[tail + 7 : tail + 18].decode("ascii", "replace").rstrip() if head[tail + 2] == 0x29 else ""
    return FatLayout(
        bits=bits,
        sector=sector,
        cluster=per_cluster * sector,
        clusters=clusters,
        fat_start=reserved * sector,
        fat_bytes=fat_sectors * sector,
        root_start=(reserved + fats * fat_sectors) * sector,
        root_bytes=root_sectors * sector,
        data_start=data * sector,
        root_cluster=struct.unpack_from("<I", head, 44)[0] if wide else 0,
        total_bytes=total * sector,
        label="" if label == "NO NAME" else label,
        serial=struct.unpack_from("<I", head, tail + 3)[0],
        hidden=hidden,
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
        if raw[11] & 0x3F == 0x08 and raw[0] != 0xE5:
            yield raw[:11].decode("ascii", "replace").rstrip()
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
    for block in blocks:
        for at in range(0, len(block), 32):
            if block[at] == 0:
                return
            yield block[at : at + 32]


def listing(source: ByteSource, fat: FatLayout, depth: int = 6) -> list[FatNode]:
    """Return every file and folder down to ``depth``, with paths as boot entries write them (backslashes)."""
    found: list[FatNode] = []
    waiting: list[tuple[str, int | None, int]] = [("", None, depth)]
    while waiting and len(found) < 5_000:
        path, cluster, left = waiting.pop()
        for node in _folder(source, fat, path, cluster):
            found.append(node)
            if node.folder and left > 1 and node.cluster:
                waiting.append((node.path, node.cluster, left - 1))
    return sorted(found, key=lambda one: one.path.lower())


def _folder(source: ByteSource, fat: FatLayout, path: str, cluster: int | None) -> Iterator[FatNode]:
    long: dict[int, str] = {}
    for raw in _records(source, fat, cluster):
        if raw[0] == 0xE5:
            long = {}
        elif raw[11] & 0x3F == 0x0F:
            part = (raw[1:11] + raw[14:26] + raw[28:32]).decode("utf-16-le", "replace")
            long[raw[0] & 0x1F] = part.split("\0")[0]
        elif raw[11] & 0x08 or raw[0] == 0x2E:
            long = {}
        else:
            name = "".join(long[key] for key in sorted(long)) or _short_name(raw)
            first = struct.unpack_from("<H", raw, 20)[0] << 16 | struct.unpack_from("<H", raw, 26)[0]
            yield FatNode(f"{path}\\{name}", bool(raw[11] & 0x10), struct.unpack_from("<I", raw, 28)[0], first)
            long = {}


def _short_name(raw: bytes) -> str:
    stem, ending = (raw[low:high].decode("ascii", "replace").rstrip() for low, high in ((0, 8), (8, 11)))
    stem = stem.lower() if raw[12] & 0x08 else stem
    ending = ending.lower() if raw[12] & 0x10 else ending
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
