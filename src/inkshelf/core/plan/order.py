"""The order of the work: which volume goes first, so that nothing is written over before it was moved away.

A target says where each volume is to stand and how large it is to be. Shrinks come first, inside their volumes; then moves, each
volume once; then growth. A move waits for every volume that still stands where it goes. Volumes that wait for each other need a
stop-over: of all sets of volumes whose stop-over resolves it, the one with the fewest bytes in use is taken.
"""

from __future__ import annotations

from itertools import combinations, pairwise

from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import aligned
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.size import binary
from inkshelf.core.steps.kinds import Grow, Move, Shrink, Step
from inkshelf.core.value import Value, replace

MOST_WAITING = 12  # volumes in each other's way for which every set of stop-overs is tried


class Target(Value, frozen=True):
    """Where a volume is to stand, and its size, in bytes."""

    call: str
    start: int
    size: int


def order(disk: Disk, targets: tuple[Target, ...]) -> tuple[Step, ...]:
    """Return the steps that bring ``disk`` to the targets (volumes that are not named stay); raises ``PlanError`` where none do."""
    volumes = {one.call: one for one in disk.volumes}
    wanted = {call: Target(call, one.start, one.size) for call, one in volumes.items()}
    for target in targets:
        if target.call not in volumes:
            raise PlanError(f"There is no volume {target.call} on disk {disk.id}.", f"Choose one of: {', '.join(volumes)}.")
        wanted[target.call] = target
    _refuse_overlaps(disk, wanted)
    shrinks = [Shrink(call, one.size) for call, one in wanted.items() if one.size < volumes[call].size]
    grows = [Grow(call, one.size) for call, one in wanted.items() if one.size > volumes[call].size]
    small = {call: replace(one, size=min(one.size, wanted[call].size)) for call, one in volumes.items()}
    moves = _moves(replace(disk, volumes=tuple(small.values())), wanted)
    return (*shrinks, *moves, *grows)


def _refuse_overlaps(disk: Disk, wanted: dict[str, Target]) -> None:
    inside = sorted(wanted.values(), key=lambda one: one.start)
    for one, other in pairwise(inside):
        if other.start < one.start + one.size:
            raise PlanError(f"{one.call} and {other.call} would overlap.", "Give one of them another place or size.")
    for one in inside:
        if one.start < disk.usable_start or one.start + one.size > disk.usable_end:
            raise PlanError(f"{one.call} would not fit on disk {disk.id} there.", "Choose another place or size.")


def _moves(disk: Disk, wanted: dict[str, Target]) -> list[Step]:
    at = {one.call: one.start for one in disk.volumes}
    sizes = {one.call: one.size for one in disk.volumes}
    left = {call for call, one in wanted.items() if one.start != at[call]}
    steps: list[Step] = []
    while left:
        ready = sorted(call for call in left if not _in_the_way(call, wanted, at, sizes))
        if ready:
            for call in ready:
                if not _in_the_way(call, wanted, at, sizes):
                    at[call] = wanted[call].start
                    left.discard(call)
                    steps.append(Move(call, wanted[call].start))
            continue
        call, place = _stop_over(disk, wanted, at, sizes, left)
        at[call] = place
        steps.append(Move(call, place))
    return steps


def _in_the_way(call: str, wanted: dict[str, Target], at: dict[str, int], sizes: dict[str, int]) -> list[str]:
    """Volumes that stand now where ``call`` goes, itself left out: a move may overlap its own place."""
    start, end = wanted[call].start, wanted[call].start + sizes[call]
    return [one for one, place in at.items() if one != call and place < end and start < place + sizes[one]]


def _stop_over(
    disk: Disk, wanted: dict[str, Target], at: dict[str, int], sizes: dict[str, int], left: set[str]
) -> tuple[str, int]:
    """Return the next volume to park, and where; raises ``PlanError`` that says which one and how large."""
    used = {one.call: one.size if one.used is None else one.used for one in disk.volumes}
    waits = {call: {one for one in _in_the_way(call, wanted, at, sizes) if one in left} for call in left}
    best = _cheapest(waits, used)
    for call in sorted(best, key=lambda one: (-sizes[one], one)):
        place = _parking(disk, wanted, at, sizes, left, call)
        if place is not None:
            return call, place
    for call in sorted(left, key=lambda one: (used[one], one)):  # no room for the cheapest: any other that is in a circle
        place = _parking(disk, wanted, at, sizes, left, call) if _in_circle(call, waits) else None
        if place is not None:
            return call, place
    call = min(best, key=lambda one: (sizes[one], one))
    gap = max((one.size for one in map(aligned, _standing(disk, at, sizes).gaps(1))), default=0)
    names = ", ".join(sorted(left))
    raise PlanError(
        f"{names} stand in each other's way: {call} needs a stop-over of {binary(sizes[call])}, and {binary(gap)} are free in one piece.",
        "Shrink or remove a volume first, or put it on another disk for the time being.",
    )


def _in_circle(call: str, waits: dict[str, set[str]]) -> bool:
    seen: set[str] = set()
    reached = set(waits[call])
    while reached - seen:
        seen |= reached
        reached = {further for one in reached for further in waits[one]}
    return call in seen


def _cheapest(waits: dict[str, set[str]], used: dict[str, int]) -> tuple[str, ...]:
    """The set of volumes with the fewest used bytes without which nobody waits in a circle."""
    circle = sorted((call for call in waits if _in_circle(call, waits)), key=lambda one: used[one])
    if len(circle) > MOST_WAITING:
        return (circle[0],)
    sets = (one for count in range(1, len(circle) + 1) for one in combinations(circle, count))
    for chosen in sorted(sets, key=lambda one: (sum(used[call] for call in one), len(one))):
        left = {call: others - set(chosen) for call, others in waits.items() if call not in chosen}
        if not any(_in_circle(call, left) for call in left):
            return chosen
    return (circle[0],)


def _standing(disk: Disk, at: dict[str, int], sizes: dict[str, int]) -> Disk:
    return replace(disk, volumes=tuple(replace(one, start=at[one.call], size=sizes[one.call]) for one in disk.volumes))


def _parking(
    disk: Disk, wanted: dict[str, Target], at: dict[str, int], sizes: dict[str, int], left: set[str], call: str
) -> int | None:
    """A free place that nobody stands at and nobody else who is still to move goes to: the smallest that is large enough."""
    own = next(one for one in disk.volumes if one.call == call)
    reserved = tuple(_ghost(own, wanted[one].start, sizes[one]) for one in left if one != call)
    standing = _standing(disk, at, sizes)
    gaps = map(aligned, replace(standing, volumes=(*standing.volumes, *reserved)).gaps(1))
    fitting = [one for one in gaps if one.size >= sizes[call] and one.logical == own.logical]
    return min(fitting, key=lambda one: one.size).start if fitting else None


def _ghost(like: Volume, start: int, size: int) -> Volume:
    return Volume("", 0, start, size, "", logical=like.logical)
