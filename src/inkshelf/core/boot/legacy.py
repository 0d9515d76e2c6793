"""The legacy way, as far as the state tells: code in sector 0 of the first disk, an active flag where that code looks for one.

What the code does is not followed byte by byte, and the words say so; what would certainly fail is told.
"""

from __future__ import annotations

from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.state import Disk, Machine, Volume

FIRST = "a BIOS starts it by the code in sector 0; that code is there, and was not followed further"

NT_READS = {"ntfs", "fat12", "fat16", "fat32", "unknown"}
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
    fat = any(one.type_id.lower() == "0xef" or one.boot_files for one in disk.volumes)
    return volume.number > 0 and disk.table.kind == "mbr" and bool(disk.table.boot_code) and not fat


def starts(machine: Machine, disk: Disk, volume: Volume) -> tuple[bool, bool, str]:
    """Return whether a system starts, whether only when a person chooses its disk, and why or why not."""
    system = volume.holds
    if system is None:
        return False, False, "no system is on it"
    why = UNREAD if disk.table.boot_code is None else FIRST
    if disk.table.kind == "none" and disk.table.boot_code is not False:
        return True, machine.disks[0].id != disk.id, why
    if disk.table.boot_code is False:
        return False, False, f"the legacy way starts by code in sector 0, and disk {disk.id} has none there"
    if disk.table.code_of == "nt" and system.family != "nt":
        return (
            False,
            False,
            f"the code in sector 0 of disk {disk.id} is the NT family's, which starts the active volume and nothing else",
        )
    if system.family != "nt" and disk.table.core_lba is not None and not _core_there(disk, disk.table.core_lba):
        lies = next((one.call for one in disk.volumes if one.start <= disk.table.core_lba * disk.sector < one.end), "no gap")
        return False, False, f"the code in sector 0 of disk {disk.id} looks for its core where {lies} is now"
    if system.family == "nt":
        if disk.table.kind == "gpt":
            return False, False, "the NT family does not start the legacy way from a GPT disk"
        active = [one for one in disk.volumes if one.active]
        if len(active) != 1:
            return False, False, f"{'no volume' if not active else 'more than one volume'} of disk {disk.id} is marked active"
        if disk.table.code_of == "nt" and of_another(active[0]):
            return (
                False,
                False,
                f"the code in sector 0 of disk {disk.id} starts the active volume, and {active[0].call} is none of the NT family's",
            )
    elif disk.table.kind == "gpt" and not any(one.type_id == gpt_type("bios_boot") for one in disk.volumes):
        return False, False, f"disk {disk.id} is GPT and has no BIOS boot partition for the loader's core"
    return True, machine.disks[0].id != disk.id, why
