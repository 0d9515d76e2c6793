"""Free room goes to a volume: beside it at once, else what stands between is moved; with what it costs, or why it cannot be."""

from __future__ import annotations

from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import before_record, stretches
from inkshelf.core.machine.state import Disk, Gap, Volume
from inkshelf.core.size import MIB, align_down, align_up
from inkshelf.core.steps.kinds import Step


def can_grow(volume: Volume) -> bool:
    """Tell whether what is in a volume can follow when it grows."""
    system = volume.filesystem
    kind = KINDS.get(system.kind) if system else None
    return bool(system and kind and not system.keeps_size and (kind.resized or kind.grows_itself))


def takers(disk: Disk) -> tuple[Volume, ...]:
    """Return the volumes of a disk that could take room, systems first, then the largest."""
    open_ones = [one for one in disk.volumes if can_grow(one) and one.role in {"system", "data", "container"}]
    return tuple(sorted(open_ones, key=lambda one: (one.role != "system", -one.size)))


def gap_near(disk: Disk, place: int) -> Gap:
    """Return the free stretch that lies at a byte of a disk, or the largest one."""
    free = stretches(disk)
    if not free:
        raise PlanError(f"Disk {disk.id} has no free room to give.", "Remove a volume first.")
    return next((one for one in free if one.start <= place < one.end), max(free, key=lambda one: one.size))


def grown(disk: Disk, call: str, gap: Gap) -> tuple[Step, ...]:
    """Return the steps after which a volume has a free stretch of its disk too; raises ``PlanError`` that names what is in the way."""
    volume = next(one for one in disk.volumes if one.call == call)
    if not can_grow(volume):
        raise PlanError(f"{call} cannot grow.", "Give the room to another volume, or keep it for later.")
    if volume.logical != gap.logical:
        raise PlanError(
            f"The room lies {'inside' if gap.logical else 'outside'} the extended partition of disk {disk.id}, and {call} does not.",
            "Keep the room, or give it to a volume on the same side.",
        )
    if gap.start >= volume.end:
        return _from_behind(disk, volume, gap)
    return _from_before(disk, volume, gap)


def _from_behind(disk: Disk, volume: Volume, gap: Gap) -> tuple[Step, ...]:
    from inkshelf.core.fit.order import Target, order  # late: most plans move nothing

    between = [one for one in disk.volumes if volume.end <= one.start < gap.start and one.logical == gap.logical]
    if not between:
        end = align_down(before_record(disk, Gap(volume.end, gap.end - volume.end, gap.logical)).end, MIB)
        return order(disk, (Target(volume.call, volume.start, end - volume.start),))
    _refuse_fixed(disk, between, volume)
    shift = align_down(gap.size, MIB)
    moved = tuple(
        Target(one.call, align_up(one.start, MIB) + shift - (MIB if one.start % MIB else 0), one.size) for one in between
    )
    lead = MIB if volume.logical else 0
    end = align_down(min(one.start for one in moved) - lead, MIB)
    return order(disk, (Target(volume.call, volume.start, end - volume.start), *moved))


def _from_before(disk: Disk, volume: Volume, gap: Gap) -> tuple[Step, ...]:
    """The volume is moved to the start of the room, and grows from there; what stands between goes first."""
    from inkshelf.core.fit.order import Target, order

    between = [one for one in disk.volumes if gap.end <= one.start < volume.start and one.logical == gap.logical]
    _refuse_fixed(disk, [*between, volume], volume)
    lead = MIB if volume.logical else 0
    at, targets = gap.start + lead, []
    for one in between:
        targets.append(Target(one.call, at, one.size))
        at = align_up(at + one.size, MIB) + lead
    size = align_down(volume.end - at, MIB)
    return order(disk, (*targets, Target(volume.call, at, size)))


def _refuse_fixed(disk: Disk, between: list[Volume], volume: Volume) -> None:
    """On an MBR the NT family's boot data names a volume by its first byte: it stays where it is. So does what nobody can read."""
    for one in between:
        system = one.filesystem
        nt_here = any(other.holds and other.holds.family == "nt" for other in disk.volumes)
        if disk.table.kind == "mbr" and (
            one.active or (one.holds and one.holds.family == "nt") or (nt_here and one.role == "recovery")
        ):
            raise PlanError(
                f"{one.call} stands between {volume.call} and the room, and its start may not move on an MBR disk.",
                "Keep the room, or give it to a volume beside it.",
            )
        if system is not None and system.kind in {"unknown", "damaged"}:
            raise PlanError(
                f"{one.call} stands in the way, and what is in it cannot be told.", "Keep the room, or look into it first."
            )
