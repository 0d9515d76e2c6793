"""Linux swap area: its mark ends the first page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make
from inkshelf.core.draw import file_system_uuid
from inkshelf.core.size import KIB

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem(
        kind="swap",
        size_bytes=size,
        label=label,
        uuid=uuid,
        used_bytes=4096,
        smallest_why="swap is made anew, not shrunk",
        dirty=False,
        hibernated=False,
        cluster_bytes=4096,
    )


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.others import probe_swap
    from inkshelf.core.disk.probe import Contents

    found = probe_swap(source)
    return Contents(found) if found else None


def _make(make: Make) -> tuple[str, ...]:
    return (f"mkswap -U {make.uuid}{make.option('-L')} {make.node}",)


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"swaplabel --label {label} {node}",)


def _renew(node: str, uuid: str) -> tuple[str, ...]:
    return (f"swaplabel --uuid {uuid} {node}",)


KIND = Kind(
    "swap",
    "swap",
    rank=50,
    listed=("swap",),
    probe=_probe,
    label_units=15,
    label_bytes=True,
    smallest=40 * KIB,
    fresh=_fresh,
    identity=file_system_uuid,
    make_lines=_make,
    make_tools=("mkswap",),
    label_lines=_label,
    renew_lines=_renew,
    renewable=True,
)
