"""What a listing tells of the system that it was made in: where its root is, what is mounted where, its mount table and its name."""

from __future__ import annotations

from typing import Any

from inkshelf.core.disk.linux_system import mount_table, release_title
from inkshelf.core.machine.state import Disk, SystemRoot, Volume
from inkshelf.core.texts import shown
from inkshelf.core.value import replace
from inkshelf.exchange.fields import listed, word

ROOT, SWAP = "/", "[SWAP]"
DEEPEST = 12  # layers: a logical volume in a group in a container, cached and mirrored

Mounts = tuple[tuple[str, str], ...]


def places(node: dict[str, Any]) -> tuple[str, ...]:
    """Return where a node is mounted: old listings have one place, new ones a list."""
    many = [one for one in listed(node, "mountpoints") if isinstance(one, str)]
    return tuple(dict.fromkeys(shown(one) for one in (word(node, "mountpoint"), *many) if one))


def mounts(nodes: list[Any], depth: int = 0) -> Mounts:
    """Return what a whole listing shows as mounted, as a mount table names it: by UUID, and where; in the listing's order, each once."""
    found: list[tuple[str, str]] = []
    for node in nodes if depth <= DEEPEST else []:
        if isinstance(node, dict):
            uuid = word(node, "uuid")
            where = ["none" if one == SWAP else one for one in places(node) if one == SWAP or one.startswith("/")]
            found += [(f"UUID={uuid}", one) for one in where if uuid]
            found += mounts(listed(node, "children"), depth + 1)
    return tuple(dict.fromkeys(found))


def has_root(node: dict[str, Any], depth: int = 0) -> bool:
    """Tell whether a node, or something in it, is the root of the system that made the listing. A live medium's root lies in memory."""
    if ROOT in places(node):
        return True
    below = [one for one in listed(node, "children") if isinstance(one, dict)]
    return depth < DEEPEST and any(has_root(one, depth + 1) for one in below)


def root(running: Mounts) -> SystemRoot:
    """Return the system whose root is mounted; its files were not read, so that all of it is assumed."""
    return SystemRoot("linux", "Linux family", None, running, assumed=True)


def with_papers(disks: tuple[Disk, ...], table: str, release: str) -> tuple[Disk, ...]:
    """Return the disks with what a system's own mount table and release file say, where they are those of the root that is mounted."""
    lines, waits = mount_table(table)
    its_root = next((what.lower() for what, where in lines if where == ROOT), "")

    def told(volume: Volume) -> Volume:
        system = volume.holds
        if system is None or not system.assumed or ROOT not in {where for _, where in system.mounts}:
            return volume
        own = its_root in {what.lower() for what, where in system.mounts if where == ROOT}
        named = replace(system, title=release_title(release) or system.title)
        return replace(volume, holds=replace(named, mounts=lines, waits=waits) if own else named)

    return tuple(replace(disk, volumes=tuple(told(one) for one in disk.volumes)) for disk in disks)
