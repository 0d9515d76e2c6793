"""What could not be known of a machine, and how to find it out: one line each, in the order in which it would be asked."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.value import Value

LISTING = "lsblk --json --bytes --output-all"


class Unknown(Value, frozen=True):
    """``what`` is not known of which thing, and ``how`` a person finds it out; ``command``: what to type on the machine."""

    what: str
    how: str
    command: str = ""


def unknown(machine: Machine) -> tuple[Unknown, ...]:
    """Return what is not known; questions that only a person can answer are asked elsewhere."""
    found: list[Unknown] = []
    for disk in machine.disks:
        found += _of_disk(disk)
    if machine.disks and machine.firmware.mode != "legacy" and not machine.firmware.entries_known:
        found.append(
            Unknown("the firmware's boot entries; one for each loader is assumed", "capture them as root", "efibootmgr -v")
        )
    return tuple(found)


def _of_disk(disk: Disk) -> Iterator[Unknown]:
    nameless = [words for words, value in (("model", disk.model), ("serial", disk.serial)) if not value]
    if nameless:
        yield Unknown(f"{' and '.join(nameless)} of disk {disk.id}", "capture the listing on the machine", LISTING)
    if disk.table.kind == "none" and not disk.volumes:
        yield Unknown(f"whether disk {disk.id} is really empty", "ask its owner; it has no table and no file system")
    blind = [one for one in disk.volumes if one.filesystem and one.filesystem.kind == "unknown"]
    if blind:
        device = disk.device or "/dev/DISK"
        yield Unknown(f"what {_calls(blind)} hold", "capture it as root, or take an image in", f"blkid -o export {device}*")
    unused = [one for one in disk.volumes if one not in blind and _hides_its_use(one)]
    if unused:
        yield Unknown(f"how full {_calls(unused)} are", "read it in their own system and type it above, or take an image in")
    assumed = [one for one in disk.volumes if one.holds and one.holds.assumed]
    if assumed:
        yield Unknown(f"which loaders start {_calls(assumed)}", "take an image in: captured text shows no files")
    locked = [one for one in disk.volumes if one.filesystem and one.filesystem.kind == "luks"]
    if locked:
        yield Unknown(f"what is inside {_calls(locked)}", "unlock it on the machine and capture the listing", LISTING)
    sleepy = [
        one for one in disk.volumes if one.filesystem and one.filesystem.kind == "ntfs" and one.filesystem.hibernated is None
    ]
    if sleepy:
        yield Unknown(f"whether {_calls(sleepy)} are half asleep", "take an image in, or shut the machine down fully first")


def _hides_its_use(volume: Volume) -> bool:
    system = volume.filesystem
    return bool(system) and volume.used is None and volume.role in {"system", "data", "recovery"}


def _calls(volumes: list[Volume]) -> str:
    return ", ".join(one.call for one in volumes)
