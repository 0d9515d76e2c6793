"""The legacy way, as far as the state tells: code in sector 0 of the first disk, an active flag where that code looks for one.

What the code does is not followed byte by byte, and the words say so; what would certainly fail is told.
"""

from __future__ import annotations

from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.roles import named_by_boot_data, nt_targets
from inkshelf.core.machine.state import BootFile, Disk, Machine, Volume
from inkshelf.data import exact

FIRST = "a BIOS starts it by the code in sector 0; that code is there, and was not followed further"

NT_READS = {"ntfs", "fat12", "fat16", "fat32", "unknown"}
BY_CHOICE = "a BIOS starts it by the code in sector 0, and it is chosen in the menu of its boot data"
UNREAD = "a BIOS starts it by the code in sector 0, which was not read"


def _core_there(disk: Disk, lba: int) -> bool:
    """Whether the place of a loader's core is one that nothing else uses: the gap before the first volume, or a BIOS boot partition."""
    place = lba * disk.sector
    if any(one.start <= place < one.end for one in disk.volumes if one.type_id == gpt_type("bios_boot")):
        return True
    return disk.table.kind != "gpt" and 0 < place < min((one.start for one in disk.volumes), default=disk.size)


def of_another(active: Volume) -> bool:
    """Whether a volume certainly holds nothing that the NT family's code goes on with: another family's system, or a file system that it does not read."""
    if active.holds is not None:
        return active.holds.family != "nt"
    return active.filesystem is not None and active.filesystem.kind not in NT_READS


def only(disk: Disk, volume: Volume) -> bool:
    """Tell whether a system can start the legacy way only: its disk has an MBR with code in it, and no volume that UEFI could start from."""
    fat = any(
        one.type_id.lower() == "0xef" or any(file.kind != "nt-boot-data" for file in one.boot_files) for one in disk.volumes
    )
    return volume.number > 0 and disk.table.kind == "mbr" and bool(disk.table.boot_code) and not fat


def boot_data(disk: Disk) -> tuple[Volume, BootFile] | None:
    """Return the boot data that the NT family's start of this disk reads, with the active volume that it lies on; ``None`` where none was read."""
    active = [one for one in disk.volumes if one.active]
    data = active[0].boot_file(exact("paths", "nt_boot_data_legacy")) if len(active) == 1 else None
    return (active[0], data) if data else None


def names(data: BootFile, disk: Disk, volume: Volume) -> bool:
    """Whether boot data names a system's volume on its disk."""
    return named_by_boot_data(disk, volume) in nt_targets(data)


def starts(machine: Machine, disk: Disk, volume: Volume) -> tuple[bool, bool, str]:
    """Return whether a system starts, whether only when a person chooses its disk, and why or why not."""
    system = volume.holds
    if system is None:
        return False, False, "no system is on it"
    from_disk = _started_from(machine, disk, volume) if system.family == "nt" else disk
    later = machine.disks[0].id != from_disk.id
    why = UNREAD if from_disk.table.boot_code is None else FIRST
    if disk.table.kind == "none" and disk.table.boot_code is not False:
        return True, later, why
    fault = _no_code(from_disk, system.family) or (
        _nt_fault(from_disk, disk, volume) if system.family == "nt" else _core_fault(disk)
    )
    if fault:
        return False, False, fault
    read = boot_data(from_disk) if system.family == "nt" else None
    return True, later, why if read is None or read[1].begins in {"", named_by_boot_data(disk, volume)} else BY_CHOICE


def _started_from(machine: Machine, disk: Disk, volume: Volume) -> Disk:
    """The disk whose boot data names an NT-family system: its own, where that does, or was not read; else another one that does."""
    for one in (disk, *machine.disks):
        read = boot_data(one)
        if read is not None and names(read[1], disk, volume):
            return one
    return disk


def _no_code(disk: Disk, family: str) -> str:
    if disk.table.boot_code is False:
        return f"the legacy way starts by code in sector 0, and disk {disk.id} has none there"
    if disk.table.code_of == "nt" and family != "nt":
        return f"the code in sector 0 of disk {disk.id} is the NT family's, which starts the active volume and nothing else"
    return ""


def _core_fault(disk: Disk) -> str:
    """Why a Linux-family loader does not come further than its code in the first sector."""
    place = disk.table.core_lba
    if place is not None and not _core_there(disk, place):
        lies = next((one.call for one in disk.volumes if one.start <= place * disk.sector < one.end), "no gap")
        return f"the code in sector 0 of disk {disk.id} looks for its core where {lies} is now"
    if disk.table.kind == "gpt" and not any(one.type_id == gpt_type("bios_boot") for one in disk.volumes):
        return f"disk {disk.id} is GPT and has no BIOS boot partition for the loader's core"
    return ""


def _nt_fault(disk: Disk, home: Disk, volume: Volume) -> str:
    """Why a system of the NT family on disk ``home`` does not start by the code of ``disk``."""
    if home.table.kind == "gpt":
        return "the NT family does not start the legacy way from a GPT disk"
    active = [one for one in disk.volumes if one.active]
    if len(active) != 1:
        return f"{'no volume' if not active else 'more than one volume'} of disk {disk.id} is marked active"
    if disk.table.code_of == "nt" and of_another(active[0]):
        return (
            f"the code in sector 0 of disk {disk.id} starts the active volume, and {active[0].call} is none of the NT family's"
        )
    read = boot_data(disk)
    if read is not None and read[1].targets and not names(read[1], home, volume):
        return f"the boot data on {read[0].call} does not name the place where {volume.call} stands; it waits at a screen of its own"
    return ""
