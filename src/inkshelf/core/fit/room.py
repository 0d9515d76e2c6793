"""Where the room comes from: a gap that is there, or the end of the volume before it."""

from __future__ import annotations

from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk, Gap, Volume
from inkshelf.core.size import MIB, align_down, align_up, apart, binary, parse_size
from inkshelf.core.steps.tables import PRIMARIES
from inkshelf.core.value import Value
from inkshelf.data import table

UNIT = MIB


class Giver(Value, frozen=True):
    """A volume that can give room from its end. All sizes in bytes.

    ``smallest``: what a shrink can reach; ``kept``: the size that also keeps the reserve; ``behind``: free room right behind it.
    """

    volume: Volume
    smallest: int
    kept: int
    behind: int

    @property
    def most(self) -> int:
        """The room it can give, with what is free behind it, keeping the reserve."""
        return max(0, align_down(self.volume.size - max(self.smallest, self.kept), UNIT)) + self.behind


class Fit(Value, frozen=True):
    """The stretch that the new volumes take; ``giver`` is shrunk to ``giver_bytes`` first where it is not ``None``.

    ``logical``: it lies inside the extended partition of an MBR.
    """

    start: int
    size: int
    giver: Volume | None = None
    giver_bytes: int = 0
    logical: bool = False


def free_slots(disk: Disk) -> int:
    """Return how many primary volumes an MBR has room for; a GPT has as many as anybody wants."""
    if disk.table.kind != "mbr":
        return 1 << 10
    taken = sum(not one.logical for one in disk.volumes) + (disk.table.extended is not None)
    return max(0, PRIMARIES - taken)


def reserve_size(used: int) -> int:
    """Return the smallest size at which the owner keeps max(20 GiB, 15 % of the new size) free."""
    rule = table("defaults")["reserve"]
    share = round(float(rule["share"]) * 100)
    return align_up(max(used + parse_size(rule["bytes"]), -(-used * 100 // (100 - share))), UNIT)


def givers(disk: Disk) -> tuple[Giver, ...]:
    """Return the volumes of a disk that can give room, the largest first."""
    found = []
    gaps = disk.gaps(1)
    for volume in disk.volumes:
        system = volume.filesystem
        if system is None or system.kind not in {"ntfs", "ext4", "ext3", "ext2"} or volume.role not in {"system", "data"}:
            continue
        if system.used_bytes is None:
            continue
        behind = next((gap.size for gap in gaps if gap.start == volume.end), 0)
        smallest = align_up(system.smallest_bytes or system.used_bytes, UNIT)
        found.append(Giver(volume, smallest, reserve_size(system.used_bytes), align_down(behind, UNIT)))
    return tuple(sorted(found, key=lambda one: -one.most))


def aligned(gap: Gap) -> Gap:
    """Return the part of a gap that starts and ends on an alignment unit."""
    start = align_up(gap.start, UNIT)
    return Gap(start, max(0, align_down(gap.end, UNIT) - start), gap.logical)


def before_record(disk: Disk, gap: Gap) -> Gap:
    """In front of a logical volume its record needs a place: a gap ends 1 MiB before it."""
    follows = any(one.logical and 0 <= one.start - gap.end < UNIT for one in disk.volumes)
    return Gap(gap.start, max(0, gap.size - UNIT), logical=True) if gap.logical and follows else gap


def stretches(disk: Disk) -> tuple[Gap, ...]:
    """Return the free stretches of a disk that new volumes may take, records of logical volumes counted in; in order."""
    found = (before_record(disk, aligned(gap)) for gap in disk.gaps())
    return tuple(gap for gap in found if gap.size >= UNIT)


def usable(gap: Gap) -> Gap:
    """Return the part of a gap that a volume may take: aligned, and behind the record's MiB inside an extended partition."""
    if gap.logical:
        gap = Gap(gap.start + 1, max(0, gap.size - 1), logical=True)
    inner = aligned(gap)
    return Gap(inner.start, inner.size, gap.logical)


def possible(disk: Disk, *, primary: bool = False) -> int:
    """Return the largest stretch that can be had on a disk, in bytes, by a gap or by one shrink; ``primary``: outside an extended partition."""
    best_gap = max((gap.size for gap in stretches(disk) if not (primary and gap.logical)), default=0)
    return max([best_gap, *(one.most for one in givers(disk) if not (primary and one.volume.logical))])


def fit(disk: Disk, size: int, *, primary: bool = False) -> Fit:
    """Find ``size`` bytes (rounded up to a MiB): the smallest gap that is there, else the end of the largest giver.

    ``primary``: one of the volumes is no use inside an extended partition.
    More than a giver may give is planned all the same, and a finding says so; raises ``PlanError`` where nothing can be planned.
    """
    size = align_up(size, UNIT)
    fitting = (one for one in stretches(disk) if one.size >= size and not (primary and one.logical))
    gaps = sorted(fitting, key=lambda one: one.size)
    if gaps:
        return Fit(gaps[0].start, size, logical=gaps[0].logical)
    candidates = [one for one in givers(disk) if not (primary and one.volume.logical)]
    if not candidates:
        raise PlanError(f"Disk {disk.id} has no gap of {binary(size)} and no volume that could give one.", _no_giver(disk))
    return given_by(disk, candidates[0], size)


def given_by(disk: Disk, giver: Giver, size: int) -> Fit:
    """Return the stretch of ``size`` bytes that a giver's end makes; raises ``PlanError`` where its files leave none."""
    volume = giver.volume
    wanted_start = align_down(volume.end + giver.behind - size, UNIT)
    new_size = wanted_start - volume.start
    used = volume.used or 0
    if new_size <= max(used, UNIT):
        most = possible(disk)
        asked, had = apart(size, most)
        raise PlanError(
            f"{asked} in one piece cannot be on disk {disk.id}: {volume.call} has {binary(used)} of its {binary(volume.size)} in use.",
            f"The largest piece that keeps the reserve is {had}, {binary(size - most)} short; choose that or less.",
        )
    # the box takes whole MiB, so an unaligned volume ends up to 1 MiB before the gap: a sliver that is shown, not hidden
    new_size = volume.size - align_up(volume.size - new_size, UNIT)
    return Fit(wanted_start, size, volume, new_size, volume.logical)


def _no_giver(disk: Disk) -> str:
    locked = [one.call for one in disk.volumes if one.filesystem and one.filesystem.kind == "nt-encrypted"]
    if locked:
        return (
            f"{', '.join(locked)} can give room from inside its own system only: shrink it there, then take the disk in again."
        )
    if any(volume.filesystem and volume.filesystem.used_bytes is None for volume in disk.volumes):
        return "Take the disk in from an image, so that its used space is known."
    return "Use another disk, or remove a volume that is no longer needed."
