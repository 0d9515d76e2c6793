"""What a freshly formatted volume will look like, as the formatting utilities make it: kind by kind, clusters exactly."""

from __future__ import annotations

from collections.abc import Callable

from inkshelf.core.disk.ext import sparse_groups
from inkshelf.core.disk.filesystems import FACTS, fat32_cluster_sectors, fat32_clusters, title
from inkshelf.core.disk.lvm_write import DATA_START, EXTENT, extents_of
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import FileSystem
from inkshelf.core.size import GIB, KIB, MIB, align_up, binary

EXT4_JOURNALS = ((8, 0), (128, 4), (1024, 16), (2048, 32), (16 << 10, 64), (32 << 10, 128), (64 << 10, 256), (128 << 10, 512))
"""MiB of journal by the MiB that a file system stays under, as the formatting utility chooses them; 1 GiB beyond."""
GROUP_BLOCKS, DESCRIPTORS, MOST_RESERVED = 32_768, 64, 1024


def ext4_overhead(size: int) -> int:
    """Return the bytes that a fresh ext4 with 4 KiB blocks takes for itself: inode tables, journal, copies of the group table."""
    blocks = size // 4096
    groups = -(-blocks // GROUP_BLOCKS)
    journal = next((mib for limit, mib in EXT4_JOURNALS if size < limit * MIB), 1024)
    inodes = size // (16 if size < 512 * MIB else 64)
    table = -(-groups // DESCRIPTORS)
    reserved = min(MOST_RESERVED, max(0, blocks * 1024 // GROUP_BLOCKS // DESCRIPTORS - table))
    return journal * MIB + inodes + (sparse_groups(groups) * (1 + table + reserved) + 2 * groups + 6) * 4096


def exfat_cluster(size: int) -> int:
    """Return bytes in a cluster as the exFAT specification's table of defaults has them."""
    return 4 * KIB if size <= 256 * MIB else 32 * KIB if size <= 32 * GIB else 128 * KIB


def exfat_clusters(size: int) -> int:
    """Return how many clusters the formatting utility makes: the FAT at 1 MiB, the heap at the next whole MiB behind it."""
    cluster = exfat_cluster(size)
    table = align_up((size // cluster + 2) * 4, cluster)
    return (size - align_up(MIB + table, MIB)) // cluster


def _fat32(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    per_cluster = fat32_cluster_sectors(size, sector)
    cluster = per_cluster * sector
    clusters = fat32_clusters(size, sector, per_cluster)
    return FileSystem(
        "fat32", size, label, uuid, cluster, None, "FAT cannot be shrunk", None, False, False, cluster, clusters, sector
    )


def _ext4(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    used = ext4_overhead(size)
    smallest = align_up(used + used // 40, MIB)
    return FileSystem(
        "ext4", size, label, uuid, used, smallest, "blocks in use, offline only", None, False, False, 4096, size // 4096
    )


def _swap(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem("swap", size, label, uuid, 4096, None, "swap is made anew, not shrunk", None, False, False, 4096)


def _ntfs(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    clusters = (size - sector) // 4096  # the last sector keeps a copy of the boot sector
    used = min(64 * MIB, size // 192) + clusters // 8 + 2 * MIB
    length = (clusters * 4096 // sector + 1) * sector
    return FileSystem("ntfs", length, label, uuid, used, None, "", None, False, False, 4096, clusters, sector)


def _exfat(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    if sector != 512:
        raise StepError("exFAT is made for disks with 512-byte sectors only, here.", "Choose FAT32 or ext4.")
    cluster, clusters = exfat_cluster(size), exfat_clusters(size)
    return FileSystem(
        "exfat", size, label, uuid, 4 * cluster, None, "exFAT cannot be shrunk", None, False, False, cluster, clusters
    )


def _xfs(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    used = max(64 * MIB, size // 2048) + MIB
    return FileSystem("xfs", size, label, uuid, used, None, "XFS cannot be shrunk", None, None, False, 4096, size // 4096)


def _btrfs(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem("btrfs", size, label, uuid, 144 * KIB, None, "online only, by its own system")


def _luks(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem("luks", size, label, uuid, None, None, "inside first")


def _lvm(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem(
        "lvm",
        size,
        label,
        uuid,
        DATA_START,
        DATA_START + EXTENT,
        "no extent is in use",
        cluster_bytes=EXTENT,
        clusters=extents_of(size),
    )


MAKERS: dict[str, Callable[[int, str, str, int], FileSystem]] = {
    "fat32": _fat32,
    "exfat": _exfat,
    "ntfs": _ntfs,
    "ext4": _ext4,
    "xfs": _xfs,
    "btrfs": _btrfs,
    "swap": _swap,
    "luks": _luks,
    "lvm": _lvm,
}


def fresh(kind: str, size: int, label: str, uuid: str, sector: int) -> FileSystem:
    """Return what a volume of ``size`` bytes holds right after formatting; raises ``StepError`` for a kind the bench cannot make."""
    if kind not in MAKERS:
        raise StepError(f"{title(kind)} cannot be made on the bench.", f"Choose one of: {', '.join(MAKERS)}.")
    if size < FACTS[kind].smallest:
        raise StepError(
            f"{title(kind)} needs at least {binary(FACTS[kind].smallest)}.", "Make the volume larger, or choose another."
        )
    return MAKERS[kind](size, label, uuid, sector)
