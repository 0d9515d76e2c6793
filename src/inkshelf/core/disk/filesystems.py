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
    title: str
    smallest: int = 0


FACTS = {
    "fat12": Facts(11, True, "FAT12"),
    "fat16": Facts(11, True, "FAT16"),
    "fat32": Facts(11, True, "FAT32", 34 * MIB),
    "exfat": Facts(11, False, "exFAT", 8 * MIB),
    "ntfs": Facts(32, False, "NTFS", 2 * MIB),
    "ext2": Facts(16, False, "ext2"),
    "ext3": Facts(16, False, "ext3"),
    "ext4": Facts(16, False, "ext4", 8 * MIB),
    "swap": Facts(15, False, "swap", 40 * KIB),
    "btrfs": Facts(255, False, "Btrfs", 109 * MIB),
    "xfs": Facts(12, False, "XFS", 300 * MIB),
    "luks": Facts(47, False, "LUKS container", 17 * MIB),
    "lvm": Facts(127, False, "LVM physical volume", 8 * MIB),
    "apfs": Facts(0, False, "APFS"),
    "hfsplus": Facts(0, False, "HFS+"),
    "iso9660": Facts(32, True, "ISO 9660"),
    "unknown": Facts(0, False, "contents not known"),
    "damaged": Facts(0, False, "damaged"),
}


GROWN_BY_ITS_OWN_SYSTEM = {"btrfs": "btrfs filesystem resize max", "xfs": "xfs_growfs", "luks": "cryptsetup resize"}
"""Kinds whose partition grows here, and whose inside grows only where it is mounted or unlocked: the command to type there."""


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
    if filesystem.kind == "lvm" and filesystem.cluster_bytes:
        count = max(0, (size - MIB) // filesystem.cluster_bytes)
        return replace(filesystem, size_bytes=size, clusters=count)
    if size > filesystem.size_bytes and filesystem.kind in GROWN_BY_ITS_OWN_SYSTEM:
        return filesystem if filesystem.kind != "luks" else replace(filesystem, size_bytes=size)
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
