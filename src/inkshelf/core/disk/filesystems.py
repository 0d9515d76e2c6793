"""File-system facts that planning needs: limits, labels, and what a freshly formatted or shrunk one will look like."""

from __future__ import annotations

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import FileSystem
from inkshelf.core.size import KIB, MIB, align_up
from inkshelf.core.value import Value, replace

SLICES = 64
FAT32_LEAST_CLUSTERS = 65_525


class Facts(Value, frozen=True):
    """Limits of a kind of file system; sizes in bytes, ``None`` where no limit matters here."""

    label_units: int
    upper_label: bool
    can_shrink: bool
    title: str
    smallest: int = 0


FACTS = {
    "fat12": Facts(11, True, False, "FAT12"),
    "fat16": Facts(11, True, False, "FAT16"),
    "fat32": Facts(11, True, False, "FAT32"),
    "exfat": Facts(11, False, False, "exFAT"),
    "ntfs": Facts(32, False, True, "NTFS"),
    "ext2": Facts(16, False, True, "ext2"),
    "ext3": Facts(16, False, True, "ext3"),
    "ext4": Facts(16, False, True, "ext4", 8 * MIB),
    "swap": Facts(15, False, False, "swap", 40 * KIB),
    "btrfs": Facts(255, False, True, "Btrfs", 109 * MIB),
    "xfs": Facts(12, False, False, "XFS", 300 * MIB),
    "luks": Facts(0, False, True, "LUKS container"),
    "lvm": Facts(0, False, True, "LVM physical volume"),
    "apfs": Facts(0, False, False, "APFS"),
    "hfsplus": Facts(0, False, False, "HFS+"),
    "iso9660": Facts(32, True, False, "ISO 9660"),
    "unknown": Facts(0, False, False, "contents not known"),
    "damaged": Facts(0, False, False, "damaged"),
}


def title(kind: str) -> str:
    """Return the name of a kind as it is shown."""
    return FACTS[kind].title if kind in FACTS else kind


def slice_bytes(filesystem: FileSystem) -> int:
    """Return the length of one slice of ``used_map``."""
    return max(8, align_up(-(-filesystem.clusters // SLICES), 8)) * filesystem.cluster_bytes


def used_beyond(filesystem: FileSystem, place: int) -> int:
    """Return used bytes behind ``place``, at most: a slice that ``place`` cuts counts whole. 0 where no map is known."""
    if not filesystem.used_map:
        return 0
    each = slice_bytes(filesystem)
    return sum(filesystem.used_map[max(0, place // each) :])


def fat32_clusters(size: int, sector: int, per_cluster: int) -> int:
    """Return how many clusters the formatting utility makes of ``size`` bytes.

    The tables are sized as the utility does (two of them, 32 reserved sectors, everything aligned to a cluster).
    """
    sectors = size // sector
    reserved = align_up(32, per_cluster)
    data = sectors - reserved
    cluster = per_cluster * sector
    clusters = (data * sector + 2 * 8) // (cluster + 2 * 4)
    table = align_up(-(-((clusters + 2) * 4) // sector), per_cluster)
    return (data - 2 * table) // per_cluster


def fat32_cluster_sectors(size: int, sector: int) -> int:
    """Return sectors in a cluster: the largest of 8, 4, 2, 1 that leaves enough clusters for FAT32 to be read by firmware."""
    for per_cluster in (8, 4, 2):
        if fat32_clusters(size, sector, per_cluster) >= FAT32_LEAST_CLUSTERS + 16:
            return per_cluster
    return 1


EXT4_JOURNALS = ((8, 0), (128, 4), (1024, 16), (2048, 32), (16 << 10, 64), (32 << 10, 128), (64 << 10, 256), (128 << 10, 512))
"""MiB of journal by the MiB that a file system stays under, as the formatting utility chooses them; 1 GiB beyond."""
GROUP_BLOCKS, DESCRIPTORS, MOST_RESERVED = 32_768, 64, 1024


def sparse_groups(groups: int) -> int:
    """Return how many block groups keep a copy of the super block: 0, 1 and the powers of 3, 5 and 7."""
    powers = {0, 1} | {base**power for base in (3, 5, 7) for power in range(1, 40)}
    return sum(one < groups for one in powers)


def ext4_overhead(size: int) -> int:
    """Return the bytes that a fresh ext4 with 4 KiB blocks takes for itself: inode tables, journal, copies of the group table."""
    blocks = size // 4096
    groups = -(-blocks // GROUP_BLOCKS)
    journal = next((mib for limit, mib in EXT4_JOURNALS if size < limit * MIB), 1024)
    inodes = size // (16 if size < 512 * MIB else 64)
    table = -(-groups // DESCRIPTORS)
    reserved = min(MOST_RESERVED, max(0, blocks * 1024 // GROUP_BLOCKS // DESCRIPTORS - table))
    return journal * MIB + inodes + (sparse_groups(groups) * (1 + table + reserved) + 2 * groups + 6) * 4096


def fresh(kind: str, size: int, label: str, uuid: str, sector: int) -> FileSystem:
    """Return what a volume of ``size`` bytes holds right after formatting; raises ``StepError`` for a kind the bench cannot make."""
    if kind == "fat32":
        per_cluster = fat32_cluster_sectors(size, sector)
        cluster = per_cluster * sector
        clusters = fat32_clusters(size, sector, per_cluster)
        return FileSystem(
            kind, size, label, uuid, cluster, None, "FAT cannot be shrunk", None, False, False, cluster, clusters, sector
        )
    if kind == "ext4":
        used = ext4_overhead(size)
        return FileSystem(
            kind,
            size,
            label,
            uuid,
            used,
            align_up(used + used // 40, MIB),
            "blocks in use, offline only",
            None,
            False,
            False,
            4096,
            size // 4096,
        )
    if kind == "swap":
        return FileSystem(kind, size, label, uuid, 4096, None, "swap is made anew, not shrunk", None, False, False, 4096)
    raise StepError(f"{title(kind)} cannot be made on the bench.", "Choose FAT32, ext4 or swap.")


def resized(filesystem: FileSystem, size: int) -> FileSystem:
    """Return the file system after its volume was made ``size`` bytes long, with what lay behind moved in."""
    if filesystem.kind == "ntfs":
        clusters = size // filesystem.cluster_bytes - 1  # the last place is kept for the backup boot sector
        length = (clusters * filesystem.cluster_bytes // filesystem.sector_bytes + 1) * filesystem.sector_bytes
        return replace(filesystem, size_bytes=length, clusters=clusters, used_map=())
    if filesystem.kind in {"ext2", "ext3", "ext4"}:
        return replace(
            filesystem,
            size_bytes=size // filesystem.cluster_bytes * filesystem.cluster_bytes,
            clusters=size // filesystem.cluster_bytes,
            used_map=(),
        )
    raise StepError(f"{title(filesystem.kind)} cannot be resized.", "Copy its data off, remove it and make it again.")


def label_fault(kind: str, label: str) -> str:
    """Return why a label is refused, or an empty string."""
    facts = FACTS.get(kind)
    if facts is None or not label:
        return ""
    length = len(label.encode()) if kind.startswith("ext") else len(label)
    if length > facts.label_units:
        return f"{facts.title} takes labels of at most {facts.label_units} characters"
    if facts.upper_label and (label != label.upper() or set(label) & set('"*+,./:;<=>?[\\]|')):
        return f"{facts.title} labels are upper case and without signs"
    return ""
