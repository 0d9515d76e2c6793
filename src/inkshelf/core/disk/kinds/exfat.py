"""exFAT (exFAT specification 1.00)."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make
from inkshelf.core.draw import fat_serial
from inkshelf.core.errors import StepError
from inkshelf.core.size import GIB, KIB, MIB, align_up

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


def cluster(size: int) -> int:
    """Return bytes in a cluster as the specification's table of defaults has them."""
    return 4 * KIB if size <= 256 * MIB else 32 * KIB if size <= 32 * GIB else 128 * KIB


def clusters(size: int) -> int:
    """Return how many clusters the formatting utility makes: the FAT at 1 MiB, the heap at the next whole MiB behind it."""
    each = cluster(size)
    table = align_up((size // each + 2) * 4, each)
    return (size - align_up(MIB + table, MIB)) // each


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    if sector != 512:
        raise StepError("exFAT is made for disks with 512-byte sectors only, here.", "Choose FAT32 or ext4.")
    return FileSystem(
        kind="exfat",
        size_bytes=size,
        label=label,
        uuid=uuid,
        used_bytes=4 * cluster(size),
        smallest_why="exFAT cannot be shrunk",
        dirty=False,
        hibernated=False,
        cluster_bytes=cluster(size),
        clusters=clusters(size),
    )


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk import exfat
    from inkshelf.core.disk.probe import Contents

    found = exfat.probe(source)
    return Contents(found) if found else None


def _make(make: Make) -> tuple[str, ...]:
    return (
        f"mkfs.exfat -c {cluster(make.size)}{make.option('-L')} {make.node}",
        f"exfatlabel -i {make.node} 0x{make.uuid.replace('-', '')}",
    )


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"exfatlabel {node} {label}",)


KIND = Kind(
    "exfat",
    "exFAT",
    rank=40,
    listed=("exfat",),
    probe=_probe,
    label_units=11,
    smallest=8 * MIB,
    fresh=_fresh,
    identity=fat_serial,
    make_lines=_make,
    make_tools=("mkfs.exfat", "exfatlabel"),
    label_lines=_label,
    renewable=True,
)
