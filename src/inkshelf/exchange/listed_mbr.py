"""What listings say of an MBR: its extended partition stands among the others, its volumes' identities are made up of signature and number."""

from __future__ import annotations

import re

from inkshelf.core.disk.mbr import ACTIVE, EXTENDED
from inkshelf.core.machine.state import Disk, Extended, SystemRoot, Volume
from inkshelf.core.value import replace

CONTAINERS = {f"0x{one:02X}" for one in EXTENDED}
MADE_UP = re.compile(r"[0-9a-fA-F]{8}-[0-9a-fA-F]{2,}")
PRIMARIES = 4
SYSTEM_LEAST = 32 << 30  # bytes: a smaller volume is no system of the NT family's


def guid_of(said: str) -> str:
    """Return a partition's GUID as listed; what is made up for a volume of an MBR is none."""
    return "" if MADE_UP.fullmatch(said) else said.upper()


def made_up(disk: Disk, volume: Volume) -> str:
    """Return what listings name a volume by, upper case: its GUID, on an MBR the signature and the number in hexadecimal digits."""
    if disk.table.kind == "mbr":
        return f"{disk.table.signature}-{volume.number:02x}".upper()
    return volume.guid.upper()


def as_mbr(disk: Disk) -> Disk:
    """Return a listed disk with its extended partition as such and its logical volumes marked; a GPT is left as it is.

    Who lists logical volumes by numbers below 5 counts them on from the primary ones; here they begin at 5, as the table has them.
    """
    if disk.table.kind != "mbr":
        return disk
    around = next((one for one in disk.volumes if one.type_id in CONTAINERS), None)
    own = [_plain(one, around) for one in disk.volumes if one.type_id not in CONTAINERS]
    inside = [one for one in own if one.logical]
    if any(one.number <= PRIMARIES for one in inside):
        own = [one for one in own if not one.logical]
        own += [replace(one, number=number) for number, one in enumerate(inside, PRIMARIES + 1)]
    if around is None:
        return replace(disk, volumes=tuple(own))
    taken = {one.number for one in own}
    number = around.number if 0 < around.number <= PRIMARIES and around.number not in taken else _free(taken)
    extended = Extended(number, around.start, around.size, around.type_id)
    return replace(disk, table=replace(disk.table, extended=extended), volumes=tuple(own))


def with_old_system(disk: Disk) -> Disk:
    """Assume an NT-family system the legacy way: an active volume of its file system, and the first that is large enough to be its own."""
    kinds = {one.number: one.filesystem.kind for one in disk.volumes if one.filesystem}
    starts = any(one.active and kinds.get(one.number) == "ntfs" for one in disk.volumes)
    if (
        disk.table.kind != "mbr"
        or disk.removable
        or not starts
        or any(one.holds and one.holds.family == "nt" for one in disk.volumes)
    ):
        return disk
    own = [one for one in disk.volumes if kinds.get(one.number) in {"ntfs", "nt-encrypted"} and one.size >= SYSTEM_LEAST]
    first = min(own, key=lambda one: (not one.active, one.start), default=None)
    holds = SystemRoot("nt", "NT family", True, assumed=True)
    return replace(disk, volumes=tuple(replace(one, holds=holds) if one is first else one for one in disk.volumes))


def _plain(one: Volume, around: Volume | None) -> Volume:
    logical = one.number > PRIMARIES or (around is not None and 0 < around.start <= one.start < around.end)
    return replace(one, logical=logical, active=one.active or bool(one.attributes & ACTIVE), attributes=0)


def _free(taken: set[int]) -> int:
    return next(one for one in range(1, PRIMARIES + 2) if one not in taken)
