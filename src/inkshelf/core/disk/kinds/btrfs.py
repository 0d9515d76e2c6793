"""Btrfs on one disk."""

from __future__ import annotations

import shlex
from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make
from inkshelf.core.draw import file_system_uuid
from inkshelf.core.size import KIB, MIB

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem(
        kind="btrfs",
        size_bytes=size,
        label=label,
        uuid=uuid,
        used_bytes=144 * KIB,
        smallest_why="online only, by its own system",
    )


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.linux_system import on_btrfs

    return on_btrfs(source)


def _make(make: Make) -> tuple[str, ...]:
    lines = [f"mkfs.btrfs -q -U {make.uuid}{make.option('-L')} {make.node}"]
    if make.subvolumes:
        lines.append(f'MOUNTED=$(mktemp -d) && mount {make.node} "$MOUNTED"')
        lines += [f'btrfs subvolume create "$MOUNTED"/{shlex.quote(one)}' for one in make.subvolumes]
        lines.append('umount "$MOUNTED" && rmdir "$MOUNTED"')
    return tuple(lines)


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"btrfs filesystem label {node} {label}",)


def _renew(node: str, uuid: str) -> tuple[str, ...]:
    return (f"btrfstune -U {uuid} {node}",)


KIND = Kind(
    "btrfs",
    "Btrfs",
    rank=76,
    listed=("btrfs",),
    probe=_probe,
    label_units=255,
    label_bytes=True,
    smallest=109 * MIB,
    fresh=_fresh,
    grows_itself="btrfs filesystem resize max",
    identity=file_system_uuid,
    make_lines=_make,
    make_tools=("mkfs.btrfs", "btrfs"),
    label_lines=_label,
    renew_lines=_renew,
    renewable=True,
)
