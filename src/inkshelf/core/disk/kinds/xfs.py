"""XFS: it grows where it is mounted, and never shrinks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make
from inkshelf.core.draw import file_system_uuid
from inkshelf.core.size import MIB

NO_LABEL = "''"
"""An empty label as a shell is told."""

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem(
        kind="xfs",
        size_bytes=size,
        label=label,
        uuid=uuid,
        used_bytes=max(64 * MIB, size // 2048) + MIB,
        smallest_why="XFS cannot be shrunk",
        hibernated=False,
        cluster_bytes=4096,
        clusters=size // 4096,
    )


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk import xfs
    from inkshelf.core.disk.probe import Contents

    found = xfs.probe(source)
    return Contents(found) if found else None


def _make(make: Make) -> tuple[str, ...]:
    return (f"mkfs.xfs -q -m uuid={make.uuid}{make.option('-L')} {make.node}",)


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"xfs_admin -L {label.replace(NO_LABEL, '--')} {node}",)


def _renew(node: str, uuid: str) -> tuple[str, ...]:
    return (f"xfs_admin -U {uuid} {node}",)


KIND = Kind(
    "xfs",
    "XFS",
    rank=72,
    listed=("xfs",),
    probe=_probe,
    label_units=12,
    label_bytes=True,
    smallest=300 * MIB,
    fresh=_fresh,
    grows_itself="xfs_growfs",
    identity=file_system_uuid,
    make_lines=_make,
    make_tools=("mkfs.xfs",),
    label_lines=_label,
    renew_lines=_renew,
    renewable=True,
)
