"""New volumes from needs: where each one lies, by the rules of the disk's table, and the steps that make them."""

from __future__ import annotations

from inkshelf.core.aims.base import Need
from inkshelf.core.disk.kinds import kind_of
from inkshelf.core.disk.types import gpt_type, mbr_type
from inkshelf.core.draw import guid
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit, free_slots
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.state import Disk
from inkshelf.core.size import MIB, align_up
from inkshelf.core.steps.kinds import Create, Enclose, Format, Step
from inkshelf.core.steps.making import SUBVOLUMES
from inkshelf.core.steps.tables import PRIMARIES
from inkshelf.core.value import Value, replace
from inkshelf.data import exact


class New(Value, frozen=True):
    """New volumes: call numbers and identities of their file systems by part, and the steps that make them, in order."""

    calls: dict[str, str]
    uuids: dict[str, str]
    create: tuple[Create, ...]
    steps: tuple[Step, ...]

    def made(self, part: str) -> Create:
        """Return the step that makes the partition of a part."""
        return next(one for one in self.create if one.call == self.calls[part])


def drawn_for(filesystem: str, seed: str, purpose: str) -> str:
    """Return a new identity for a file system or container of a kind, as that kind has it."""
    draw = kind_of(filesystem).identity
    if draw is None:
        raise PlanError(f"A {filesystem} bears no identity that could be planned.", "Choose another file system.")
    return draw(seed, purpose)


def logicals(disk: Disk, needs: tuple[Need, ...], *, logical: bool) -> tuple[bool, ...]:
    """Tell of each new volume whether it becomes a logical one; raises ``PlanError`` where the table has no slot for it.

    ``logical``: their place is inside the extended partition. Where there are not slots enough one is made, for all behind the last that
    has to be a primary volume, or had better be one where the slots allow it.
    """
    primary = [need for need in needs if need.slot == "primary"]
    if logical and primary:
        raise PlanError(
            f"What starts from {primary[0].label or primary[0].part} has to be a primary volume, and this free room is inside the extended partition.",
            "Choose free room outside it, or change the table to GPT.",
        )
    free = free_slots(disk)
    if logical or (len(needs) <= free and not any(need.slot == "inside" for need in needs)):
        return (logical,) * len(needs)
    for firm in ({"better", "primary"}, {"primary"}):
        first = max((at for at, need in enumerate(needs, 1) if need.slot in firm), default=0)
        if disk.table.extended is None and free > first:
            return tuple(at >= first for at in range(len(needs)))
    swapped = free and len(needs) == free + 1 and any(need.role == "swap" for need in needs)
    raise PlanError(
        f"The MBR of disk {disk.id} has {free or 'no'} slot{'s' if free != 1 else ''} left, and {len(needs)} volumes are wanted.",
        f"{'Take swap as a file, use' if swapped else 'Use'} free room inside its extended partition, remove a volume, or change the table to GPT.",
    )


def lead(disk: Disk, needs: tuple[Need, ...], *, logical: bool) -> int:
    """Return the bytes that new volumes take beside themselves: a logical one has a record before it."""
    return MIB * sum(logicals(disk, needs, logical=logical))


def refuse_apart(needs: tuple[Need, ...]) -> None:
    """Refuse needs of which one does not stand right behind the one that it belongs behind."""
    for at, need in enumerate(needs):
        if need.behind and (not at or needs[at - 1].part != need.behind):
            raise PlanError(f"{need.part} has to stand right behind {need.behind}.", "Plan both in one piece.")


def make(disk: Disk, place: Fit, wanted: tuple[tuple[Need, int], ...], seed: str, taken: tuple[str, ...], by: str = "") -> New:
    """Return volumes of these sizes in bytes, one behind the other from the start of ``place``.

    ``taken``: call numbers that are given away. On an MBR they become logical where there are not slots enough, but for those that have to
    be primary volumes. ``by``: the profile of the system whose installer makes them by itself.
    """
    needs = tuple(need for need, _ in wanted)
    refuse_apart(needs)
    inside = logicals(disk, needs, logical=place.logical)
    numbers = {one.number for one in disk.volumes} | ({disk.table.extended.number} if disk.table.extended else set())
    steps: list[Step] = []
    enclosing = any(inside) and disk.table.extended is None
    next_logical = 5 + sum(one.logical for one in disk.volumes)
    given, calls, uuids, creates, at = list(taken), {}, {}, [], place.start
    for (need, size), logical in zip(wanted, inside, strict=True):
        if enclosing and logical:
            number = next(one for one in range(1, PRIMARIES + 1) if one not in numbers)
            numbers.add(number)
            steps.append(Enclose(disk.id, number, at, place.start + align_up(place.size, MIB) - at))
            enclosing = False
        at += MIB if logical else 0
        call = next_call(need.role, given)
        number = next_logical if logical else next(one for one in range(1, 1024) if one not in numbers)
        next_logical += logical
        given.append(call)
        numbers.add(number)
        calls[need.part] = call
        creates.append(replace(_create(disk, need, call, number, at, size, seed, logical=logical), by=by))
        steps.append(creates[-1])
        if need.filesystem:
            uuids[need.part] = drawn_for(need.filesystem, seed, need.part)
            below = SUBVOLUMES if need.filesystem == "btrfs" else ()
            steps.append(Format(call, need.filesystem, need.label, uuids[need.part], below, by))
        at += align_up(size, MIB)
    return New(calls, uuids, tuple(creates), tuple(steps))


def _create(disk: Disk, need: Need, call: str, number: int, at: int, size: int, seed: str, *, logical: bool) -> Create:
    on_gpt = disk.table.kind == "gpt"
    return Create(
        disk=disk.id,
        call=call,
        number=number,
        start=at,
        size=size,
        type_id=gpt_type(need.type_key) if on_gpt else mbr_type(need.type_key),
        guid=guid(seed, need.part) if on_gpt else "",
        role=need.role,
        name=exact("gpt_names", need.name) if on_gpt and need.name else "",
        attributes=need.attributes if on_gpt else 0,
        logical=logical,
    )
