"""Findings about what leads to a start: entries that lead nowhere, loaders on a volume of another type, disks that can be out."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.checks.registry import ByHand, Finding, Show, check
from inkshelf.core.checks.touched import stick_letters
from inkshelf.core.machine.entries import mark_of, named_by
from inkshelf.core.machine.roles import is_esp
from inkshelf.core.plan.reading import Reading

LOADERS = {"nt-loader", "first-stage", "menu", "entry-menu"}


@check
def nowhere(reading: Reading) -> Iterator[Finding]:
    """A captured entry names a partition that is on no disk taken in."""
    firmware = reading.plan.found.firmware
    if not firmware.entries_known or not reading.plan.found.disks:
        return
    known = {mark_of(disk, volume) for disk, volume in reading.plan.found.volumes()}
    for entry in firmware.entries:
        if named_by(entry) and named_by(entry) not in known:
            yield Finding(
                f"start.entry.{entry.variable}",
                "note",
                f"“{entry.title}” leads nowhere",
                f"{entry.variable} names a partition that is on no disk taken in: its disk is out, or was made anew.",
                (),
                (Show("intake", "Take its disk in"), Show("start", "Look at the start map")),
            )


@check
def loaders_on_another_type(reading: Reading) -> Iterator[Finding]:
    """Loaders on a volume of an internal disk that is not an EFI system partition by its type, as found."""
    if reading.plan.found.firmware.mode == "legacy":
        return
    for disk, volume in reading.plan.found.volumes():
        holds = sum(file.kind in LOADERS for file in volume.boot_files)
        if not holds or disk.removable or is_esp(volume) or not volume.type_id:
            continue
        now = reading.plan.planned.find(volume.call)
        if now and is_esp(now[1]):
            continue
        yield Finding(
            f"start.type.{volume.call}",
            "warn",
            f"{volume.call} holds loaders under another type",
            "Installers and some firmware find the EFI system partition by its type; this one was hidden and not put back, or copied.",
            (volume.call,),
            (ByHand("type", volume.call, "Give it its type", (("type", "efi_system"),)), Show("shelf", "Look at the shelf")),
        )


@check
def may_be_out(reading: Reading) -> Iterator[Finding]:
    """A system, or what starts it, on a disk that can be unplugged, beside disks that cannot."""
    disks, sticks = reading.plan.planned.disks, stick_letters(reading)
    if all(disk.removable for disk in disks):
        return
    for disk in disks:
        calls = tuple(one.call for one in disk.volumes if one.holds or one.boot_files)
        if disk.removable and calls and disk.id not in sticks:
            yield Finding(
                f"disk.removable.{disk.id}",
                "note",
                f"Disk {disk.id} can be out",
                "What is on it starts only while it is plugged in, and what needs it does not start without it.",
                calls,
                (Show("start", "Look at the start map"),),
            )


@check
def fat_of_other_sectors(reading: Reading) -> Iterator[Finding]:
    """A FAT made for sectors of another length than the disk's: firmware and systems refuse it."""
    for disk, volume in reading.plan.planned.volumes():
        system = volume.filesystem
        if system is None or not system.kind.startswith("fat") or system.hidden_sectors is None:
            continue  # what was not read from a boot sector says nothing of it
        if system.sector_bytes != disk.sector:
            yield Finding(
                f"fs.sector.{volume.call}",
                "stop" if volume.role == "startup" else "warn",
                f"{volume.call} is made for {system.sector_bytes}-byte sectors",
                f"Disk {disk.id} has {disk.sector}-byte ones: firmware does not read it so. Copy what is on it, and format it there.",
                (volume.call,),
                (Show("intake", "Take the disk in as it was"), Show("shelf", "Look at the shelf")),
            )
