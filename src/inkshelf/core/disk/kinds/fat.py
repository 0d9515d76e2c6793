"""FAT12, FAT16 and FAT32 (FAT file system specification 1.03): cluster counts decide the type, and whether firmware reads it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make
from inkshelf.core.draw import fat_serial
from inkshelf.core.size import MIB, align_up

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource

LEAST_CLUSTERS = 65_525
"""Below that many clusters a FAT32 is not mounted by firmware."""


def clusters(size: int, sector: int, per_cluster: int) -> int:
    """Return how many clusters the formatting utility makes of ``size`` bytes as FAT32.

    The tables are sized as the utility does (two of them, 32 reserved sectors, everything aligned to a cluster).
    """
    sectors = size // sector
    reserved = align_up(32, per_cluster)
    data = sectors - reserved
    cluster = per_cluster * sector
    count = (data * sector + 2 * 8) // (cluster + 2 * 4)
    table = align_up(-(-((count + 2) * 4) // sector), per_cluster)
    return (data - 2 * table) // per_cluster


def cluster_sectors(size: int, sector: int) -> int:
    """Return sectors in a cluster: the largest of 8, 4, 2, 1 that leaves enough clusters for FAT32 to be read by firmware."""
    for per_cluster in (8, 4, 2):
        if clusters(size, sector, per_cluster) >= LEAST_CLUSTERS + 16:
            return per_cluster
    return 1


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    per_cluster = cluster_sectors(size, sector)
    return FileSystem(
        kind="fat32",
        size_bytes=size,
        label=label,
        uuid=uuid,
        used_bytes=per_cluster * sector,
        smallest_why="FAT cannot be shrunk",
        dirty=False,
        hibernated=False,
        cluster_bytes=per_cluster * sector,
        clusters=clusters(size, sector, per_cluster),
        sector_bytes=sector,
    )


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.startup_files import contents

    return contents(source, known_guids)


def _make(make: Make) -> tuple[str, ...]:
    from inkshelf.core.disk.filesystems import hidden_sectors

    shape = f"-F 32 -S {make.sector} -s {cluster_sectors(make.size, make.sector)}"
    serial = make.uuid.replace("-", "")
    return (f"mkfs.fat {shape}{make.option('-n')} -i {serial} -h {hidden_sectors(make.start, make.sector)} {make.node}",)


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"fatlabel {node} {label}",)


def _renew(node: str, uuid: str) -> tuple[str, ...]:
    return (f"fatlabel -i {node} {uuid.replace('-', '')}",)


def _kind(key: str, title: str, *, makes: bool = False, hidden_at: tuple[int, ...] = (28,)) -> Kind:
    return Kind(
        key,
        title,
        rank=60,
        listed=("vfat",) if makes else (),
        probe=_probe if makes else None,
        label_units=11,
        upper_label=True,
        smallest=34 * MIB if makes else 0,
        fresh=_fresh if makes else None,
        identity=fat_serial,
        make_lines=_make if makes else None,
        make_tools=("mkfs.fat",) if makes else (),
        label_lines=_label,
        renew_lines=_renew,
        hidden_at=hidden_at,
        renewable=True,
        takes_files=True,
    )


KINDS = (_kind("fat32", "FAT32", makes=True), _kind("fat16", "FAT16"), _kind("fat12", "FAT12"))
