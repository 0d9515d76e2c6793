"""One disk, several readings: tell that two of them speak of the same disk, and join what each knows."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.state import Disk, SecureBoot, Table
from inkshelf.core.size import align_up
from inkshelf.core.texts import Line
from inkshelf.core.value import Value, replace

SHOWN = 1024  # bytes of an extended partition that a kernel shows, however far it reaches


class Facts(Value, frozen=True):
    """What a capture says of the machine beside its disks; ``None``: it does not say."""

    mode: Literal["uefi", "legacy"] | None = None
    secure_boot: SecureBoot | None = None
    ram_bytes: int | None = None
    mains: bool | None = None
    encrypted: bool | None = None
    maker: Line = ""


def merge_identity(disk: Disk, captured: Disk) -> Disk:
    """Return ``disk``, read from an image, with model, serial and device names from a capture of the same disk, and what was found out of it."""
    return replace(
        disk,
        model=captured.model or disk.model,
        serial=captured.serial or disk.serial,
        transport=captured.transport or disk.transport,
        removable=captured.removable,
        rotational=disk.rotational if captured.rotational is None else captured.rotational,
        device=captured.device or disk.device,
        physical_sector=captured.physical_sector or disk.physical_sector,
        shown_sector=captured.sector if captured.sector != disk.sector else 0,
        failing=disk.failing if captured.failing is None else captured.failing,
        stick=captured.stick or disk.stick,
    )


def boundless(disk: Disk) -> bool:
    """Tell whether nobody said how far the extended partition of a disk reaches: its free room could be guessed only."""
    extended, inside = disk.table.extended, [one.end for one in disk.volumes if one.logical]
    if extended is None:
        return bool(inside)
    return extended.size <= align_up(SHOWN, disk.sector) or extended.end < max(inside, default=0)


def as_far(known: Table, listed: Table) -> Table:
    """Return a listed table, whose extended partition reaches as far as is known of it from before where the listing does not say it."""
    old, new = known.extended, listed.extended
    if old is None or new is None or old.start != new.start or new.size > SHOWN:
        return listed
    return replace(listed, extended=replace(new, size=old.size))


def refuse_boundless(disks: tuple[Disk, ...]) -> None:
    """Raise ``CaptureError`` for a disk of which nobody said how far its extended partition reaches."""
    for disk in disks:
        if boundless(disk):
            raise CaptureError(
                f"How far the extended partition of {disk.device or 'a disk'} reaches is not in this listing.",
                f"Capture sfdisk --json {disk.device or '/dev/THE-DISK'} on the machine, and give both.",
            )


def same_disk(one: Disk, other: Disk) -> bool:
    """Tell whether two readings speak of one disk: by table GUID or signature, else by size and the places of the volumes.

    Two empty disks of one size are two disks: nothing tells that they are one.
    """
    for name in ("guid", "signature"):
        mine, theirs = getattr(one.table, name), getattr(other.table, name)
        if mine and theirs and int(mine.replace("-", ""), 16):
            return bool(mine.upper() == theirs.upper())
    places = [[(volume.start, volume.size) for volume in disk.volumes] for disk in (one, other)]
    return one.size == other.size and places[0] == places[1] and any(places)
