"""What a system mounts, as lines of its mount table; and from where it wakes."""

from __future__ import annotations

from inkshelf.core.machine.profiles import profile
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.steps.making import SUBVOLUMES
from inkshelf.data import exact, table

MOUNT_OPTIONS = {
    "/": "ext4 defaults",
    "/home": "ext4 defaults",
    "/boot": "ext4 defaults",
    "/boot/efi": "vfat umask=0077",
    "none": "swap sw",
}


def mount_lines(mounts: tuple[tuple[str, str], ...], system: str = "") -> tuple[str, ...]:
    """Return one line of a mount table for each (what, where), parents before what is mounted in them.

    ``system``: the key of its profile; what its own layout packs is packed here too.
    """
    inside = in_subvolumes(mounts)
    packs = system in table("profiles") and "compression" in profile(system).automatic
    more = f",{exact('linux', 'packed')}" if packs else ""
    return tuple(
        f"{what} {where} btrfs subvol={inside[where]}{more} 0 0"
        if where in inside
        else f"{what} {where} {MOUNT_OPTIONS.get(where, 'auto defaults')} 0 {1 if where == '/' else 2 if where.startswith('/') else 0}"
        for what, where in mounts
    )


def in_subvolumes(mounts: tuple[tuple[str, str], ...]) -> dict[str, str]:
    """Return what is mounted from which subvolume: where root and home are of one file system, each has one of its own."""
    by_place = {where: what for what, where in mounts}
    one = "/home" in by_place and by_place.get("/") == by_place["/home"]
    return dict(zip(("/", "/home"), SUBVOLUMES, strict=True)) if one else {}


def wakes_from(mounts: tuple[tuple[str, str], ...], scene: Scene) -> str:
    """Return the UUID of a swap that holds the whole memory: hibernation was asked for, and the kernel must be told where it wakes from."""
    swap = next((what.removeprefix("UUID=") for what, where in mounts if where == "none"), "")
    sizes = [
        size
        for _, volume in scene.before.volumes()
        if volume.filesystem
        for uuid, size in [
            (volume.filesystem.uuid, volume.size),
            *((one.uuid, one.size_bytes) for one in volume.filesystem.inside),
        ]
        if swap and uuid == swap
    ]
    return swap if sizes and scene.before.ram_bytes is not None and sizes[0] > scene.before.ram_bytes else ""
