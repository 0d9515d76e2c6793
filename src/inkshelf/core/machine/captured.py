"""One disk, several readings: tell that two of them speak of the same disk, and join what each knows."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.state import Disk, SecureBoot
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


def adrift(disk: Disk) -> bool:
    """Tell whether nobody said where the partitions of a disk begin: old versions of the utility leave it out, and none begins with the disk."""
    return any(one.number and not one.start for one in disk.volumes)


def placed(known: Disk, listed: Disk) -> Disk:
    """Return a listed disk with what the listing leaves out as it is known from before: where partitions begin, how far an extended one reaches."""
    starts = {(one.number, one.size): one.start for one in known.volumes}
    volumes = tuple(replace(one, start=one.start or starts.get((one.number, one.size), 0)) for one in listed.volumes)
    old, new = known.table.extended, listed.table.extended
    if old is None or new is None or new.start not in {0, old.start} or new.size > SHOWN:
        return replace(listed, volumes=volumes)
    return replace(listed, volumes=volumes, table=replace(listed.table, extended=old))


def refuse_partial(disks: tuple[Disk, ...]) -> None:
    """Raise ``CaptureError`` for a disk of which nobody said where its partitions lie: free room would be guessed."""
    for disk in disks:
        name = disk.device or "a disk"
        what = f"Where the partitions of {name} begin" if adrift(disk) else f"How far the extended partition of {name} reaches"
        if adrift(disk) or boundless(disk):
            remedy = f"Capture sfdisk --json {disk.device or '/dev/THE-DISK'} on the machine, and give both."
            raise CaptureError(f"{what} is not in this listing.", remedy)


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
