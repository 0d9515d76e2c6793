"""The role of a volume, as it follows from its type, and from its contents where the type leaves it open."""

from __future__ import annotations

from inkshelf.core.disk.nt_boot_data import on_mbr
from inkshelf.core.disk.types import gpt_type, type_key
from inkshelf.core.machine.state import BootFile, Disk, Machine, Role, Volume
from inkshelf.data import exact

_BY_TYPE: dict[str, Role] = {
    "efi_system": "startup",
    "linux_extended_boot": "startup",
    "bios_boot": "startup",
    "nt_reserved": "reserved",
    "nt_recovery": "recovery",
    "linux_root_x64": "system",
    "linux_home": "data",
    "linux_swap": "swap",
    "linux_lvm": "container",
    "linux_luks": "container",
    "apfs": "system",
    "hfs_plus": "system",
}


_BY_MBR_TYPE: dict[str, Role] = {
    "0x27": "recovery",
    "0x82": "swap",
    "0x8e": "container",
    "0x07": "data",
    "0x0b": "data",
    "0x0c": "data",
    "0x06": "data",
    "0x0e": "data",
    "0x83": "data",
}


def is_esp(volume: Volume) -> bool:
    """Tell whether a volume is an EFI system partition by its type, never by its place."""
    return volume.type_id.upper() == gpt_type("efi_system") or volume.type_id.lower() == "0xef"


def role_of(volume: Volume, *, removable: bool = False) -> Role:
    """Return the role of a volume from its type, and from its contents where the type leaves it open."""
    key = type_key(volume.type_id)
    if is_esp(volume) or key in {"linux_extended_boot", "bios_boot"}:
        return "startup"
    if volume.holds and not (volume.filesystem and volume.filesystem.kind == "lvm"):
        return "system"  # what a group holds, it holds beside other things
    if key in _BY_TYPE:
        return _BY_TYPE[key]
    kind = volume.filesystem.kind if volume.filesystem else ""
    by_number = _BY_MBR_TYPE.get(volume.type_id.lower())
    if by_number == "recovery":
        return by_number
    if kind in {"luks", "lvm"}:
        return "container"
    if kind == "swap":
        return "swap"
    if removable and kind == "iso9660":
        return "medium"
    return by_number or ("data" if kind else "unknown")


def named_by_boot_data(disk: Disk, volume: Volume) -> str:
    """Return what the NT family's boot data calls a volume by: its GUID, on an MBR the disk's signature and the volume's first byte (empty: it cannot)."""
    if disk.table.kind == "mbr":
        return on_mbr(disk.table.signature, volume.start) if disk.table.signature else ""
    return volume.guid.upper()


def nt_targets(data: BootFile | None) -> frozenset[str]:
    """Return what boot data names, in one spelling: that of ``named_by_boot_data``, disk files in lower case."""
    return frozenset(spelt(one) for one in data.targets) if data else frozenset()


def systems_named(machine: Machine, data: BootFile) -> list[str]:
    """Return the call numbers of the NT family's systems that boot data names, of those that are there, on volumes and in disk files."""
    named = nt_targets(data)
    found = [
        one.call
        for disk, one in machine.volumes()
        if one.holds and one.holds.family == "nt" and named_by_boot_data(disk, one) in named
    ]
    return found + [
        file.call for _, one in machine.volumes() for file in one.disk_files if file.holds and spelt(file.path) in named
    ]


def spelt(target: str) -> str:
    """Return a target of boot data in one spelling: GUIDs in capitals, disk files and signatures in lower case."""
    return target.lower() if target.startswith("\\") or "@" in target else target.upper()


def root_uuid(volume: Volume) -> str:
    """Return the UUID that menus and mount tables call a system's root by: that of the file system, inside where it lies in a container.

    Which of several inside it is, its own mount table says; where that names no UUID, the one that is called root.
    """
    system = volume.filesystem
    if system is None:
        return ""
    said = {
        what.removeprefix("UUID=").strip('"').lower()
        for what, where in (volume.holds.mounts if volume.holds else ())
        if where == "/"
    }
    named = [one.uuid for one in system.inside if one.uuid and one.uuid.lower() in said]
    named += [one.uuid for one in system.inside if one.name == "root" and one.uuid]
    return (named or [system.uuid])[0].lower()


def uuids_of(volume: Volume) -> frozenset[str]:
    """Return what the file systems of a volume are called by, lower case: its own, or those in its container."""
    system = volume.filesystem
    return (
        frozenset(one.lower() for one in (system.uuid, *(two.uuid for two in system.inside)) if one) if system else frozenset()
    )


def own_uuids(volume: Volume) -> frozenset[str]:
    """Return what a menu of the system on a volume may name first: its root, or the volume of its own that holds its kernels."""
    boot = exact("linux", "boot_folder")
    mounts = volume.holds.mounts if volume.holds else ()
    apart = (
        what.removeprefix("UUID=").strip('"').lower() for what, where in mounts if where == boot and what.startswith("UUID=")
    )
    return frozenset(one for one in (root_uuid(volume), *apart) if one)


def flag_words(volume: Volume) -> list[str]:
    """Return a volume's attributes in words (UEFI 5.3.3 and the families' own bits 60-63)."""
    words = {0: "required", 1: "ignored by firmware", 2: "legacy start", 60: "read-only", 62: "hidden", 63: "no letter"}
    known = [word for bit, word in words.items() if volume.attributes >> bit & 1]
    rest = [f"bit {bit}" for bit in range(64) if volume.attributes >> bit & 1 and bit not in words]
    return known + rest + (["active"] if volume.active else []) + (["logical"] if volume.logical else [])


def startup_on(disk: Disk) -> Volume | None:
    """Return the EFI system partition of a disk with the lowest number: found by type, never by its place."""
    found = [one for one in disk.volumes if is_esp(one)]
    return min(found, key=lambda one: one.number) if found else None
