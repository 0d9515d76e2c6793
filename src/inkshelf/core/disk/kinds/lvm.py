"""LVM physical volumes, with the group and the logical volumes in them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make, cluster_of
from inkshelf.core.disk.lvm_extents import DATA_START, EXTENT, extents_of, identifier
from inkshelf.core.errors import StepError
from inkshelf.core.size import MIB
from inkshelf.core.value import replace

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem(
        kind="lvm",
        size_bytes=size,
        label=label,
        uuid=uuid,
        used_bytes=DATA_START,
        smallest_bytes=DATA_START + EXTENT,
        smallest_why="no extent is in use",
        cluster_bytes=EXTENT,
        clusters=extents_of(size),
    )


def _resized(system: FileSystem, size: int) -> FileSystem:
    if not system.cluster_bytes:
        raise StepError("LVM physical volume cannot be resized: it has no group.", "Make its group first.")
    return replace(system, size_bytes=size, clusters=max(0, (size - MIB) // cluster_of(system)))


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.probe import physical_volume

    return physical_volume(source)


def _identity(seed: str, purpose: str) -> str:
    return identifier(f"{seed}/lvm/{purpose}")


def _make(make: Make) -> tuple[str, ...]:
    import shlex

    return (f"pvcreate --uuid {make.uuid} --norestorefile {make.node}", f"vgcreate {shlex.quote(make.label)} {make.node}")


def _shrink(node: str, size: int) -> tuple[str, ...]:
    return (f"pvresize --setphysicalvolumesize {size}b {node}", f"pvs --units b {node}")


def _grow(node: str, size: int) -> tuple[str, ...]:
    return (f"pvresize {node}", f"pvs --units b {node}")


KIND = Kind(
    "lvm",
    "LVM physical volume",
    rank=10,
    listed=("LVM2_member",),
    probe=_probe,
    label_units=127,
    smallest=8 * MIB,
    fresh=_fresh,
    resized=_resized,
    identity=_identity,
    make_lines=_make,
    make_tools=("pvcreate", "vgcreate", "lvcreate"),
    shrink_lines=_shrink,
    grow_lines=_grow,
    payload=MIB,
    container=True,
)
