"""NTFS."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make, cluster_of
from inkshelf.core.draw import serial64
from inkshelf.core.size import MIB
from inkshelf.core.value import replace

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


def _length(clusters: int, cluster: int, sector: int) -> int:
    """The whole clusters and the sector behind them, which keeps a copy of the boot sector."""
    return (clusters * cluster // sector + 1) * sector


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    clusters = (size - sector) // 4096  # the last sector keeps a copy of the boot sector
    return FileSystem(
        kind="ntfs",
        size_bytes=_length(clusters, 4096, sector),
        label=label,
        uuid=uuid,
        used_bytes=min(64 * MIB, size // 192) + clusters // 8 + 2 * MIB,
        dirty=False,
        hibernated=False,
        cluster_bytes=4096,
        clusters=clusters,
        sector_bytes=sector,
    )


def _resized(system: FileSystem, size: int) -> FileSystem:
    clusters = size // cluster_of(system) - 1  # the last place is kept for the backup boot sector
    length = _length(clusters, system.cluster_bytes, system.sector_bytes)
    return replace(system, size_bytes=length, clusters=clusters, used_map=())


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.nt_system import contents

    return contents(source)


def _make(make: Make) -> tuple[str, ...]:
    from inkshelf.core.disk.filesystems import hidden_sectors

    place = hidden_sectors(make.start, make.sector)
    return (
        f"mkfs.ntfs -Q -q -s {make.sector} -c 4096 -p {place} -H 255 -S 63{make.option('-L')} {make.node}",
        f"ntfslabel --new-serial={make.uuid} {make.node}",
    )


def _shrink(node: str, size: int) -> tuple[str, ...]:
    return (f"ntfsresize --info {node}", f"ntfsresize --no-action --size {size} {node}", f"ntfsresize --size {size} {node}")


def _grow(node: str, size: int) -> tuple[str, ...]:
    return (f"ntfsresize --no-action {node}", f"ntfsresize {node}")


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"ntfslabel {node} {label}",)


def _renew(node: str, uuid: str) -> tuple[str, ...]:
    return (f"ntfslabel --new-serial={uuid} {node}",)


KIND = Kind(
    "ntfs",
    "NTFS",
    rank=20,
    listed=("ntfs",),
    probe=_probe,
    label_units=32,
    smallest=2 * MIB,
    fresh=_fresh,
    resized=_resized,
    identity=serial64,
    make_lines=_make,
    make_tools=("mkfs.ntfs", "ntfslabel"),
    shrink_lines=_shrink,
    grow_lines=_grow,
    label_lines=_label,
    renew_lines=_renew,
    own_shrink=True,
    gives_room=True,
    hidden_at=(28,),
    renewable=True,
)
