"""Findings about MBR disks: what their 32 bits and four records cannot hold."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.checks.registry import Finding, Show, check
from inkshelf.core.machine.roles import is_esp
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import GIB, binary

MOST = 1 << 32  # sectors that an MBR can name


@check
def beyond_reach(reading: Reading) -> Iterator[Finding]:
    """A disk longer than an MBR can tell."""
    for disk in reading.plan.planned.disks:
        reach = MOST * disk.sector
        if disk.table.kind == "mbr" and disk.size > reach:
            yield Finding(
                f"disk.large-mbr.{disk.id}",
                "warn",
                f"{binary(disk.size - reach)} of disk {disk.id} are out of reach",
                f"An MBR names places up to {binary(reach)} at {disk.sector}-byte sectors; a GPT has no such bound.",
                (),
                (Show("shelf", "Look at the shelf"),),
            )


@check
def no_slot(reading: Reading) -> Iterator[Finding]:
    """Four primaries and free room: nothing can be made there."""
    for disk in reading.plan.planned.disks:
        primaries = [one.call for one in disk.volumes if not one.logical]
        free = sum(gap.size for gap in disk.gaps())
        if disk.table.kind == "mbr" and disk.table.extended is None and len(primaries) > 3 and free >= GIB:
            yield Finding(
                f"disk.slots.{disk.id}",
                "warn",
                f"Disk {disk.id} has no slot left",
                f"An MBR holds four primaries, and all are taken; {binary(free)} are free and cannot be used. "
                "One of them would have to go, for an extended partition in its place.",
                tuple(primaries),
                (Show("shelf", "Look at the shelf"),),
            )


@check
def startup_inside(reading: Reading) -> Iterator[Finding]:
    """An EFI system partition inside the extended one: no entry leads there, as firmware numbers what lies inside in its own way."""
    machine = reading.plan.planned
    for disk, volume in machine.volumes() if machine.firmware.mode == "uefi" else ():
        if disk.table.kind == "mbr" and volume.logical and is_esp(volume):
            yield Finding(
                f"start.logical.{volume.call}",
                "warn",
                f"No boot entry leads to {volume.call}",
                f"{volume.call} lies inside the extended partition of disk {disk.id}, where firmware counts volumes in another way than the "
                "systems that make entries: only the file that it looks for without an entry starts from there.",
                (volume.call,),
                (Show("start", "Look at the start map"),),
            )
