"""The order of the work: which volume goes first, so that nothing is written over before it was moved away.

A target says where each volume is to stand and how large it is to be. Shrinks come first, inside their volumes; then moves, each
volume once; then growth. A move waits for every volume that still stands where it goes. Volumes that wait for each other need a
stop-over: of all sets of volumes whose stop-over resolves it, the one with the fewest bytes in use is taken.
"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import combinations, pairwise

from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import usable
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.size import MIB, binary
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


class _Standing(Value, frozen=True):
    """Where volumes stand while the moves are found; ``parked``: those that had their stop-over, which none has twice."""

    disk: Disk
    wanted: dict[str, Target]
    at: dict[str, int]
    sizes: dict[str, int]
    left: frozenset[str]
    parked: frozenset[str] = frozenset()

    def moved(self, call: str, to: int) -> _Standing:
        """Return the state after a move to where the volume goes."""
        return replace(self, at={**self.at, call: to}, left=self.left - {call})

    def in_the_way(self, call: str) -> list[str]:
        """Volumes that stand now where ``call`` goes, itself left out: a move may overlap its own place.

        A logical volume takes a sector more, for the record before it.
        """
        leads = {one.call: self.disk.sector if one.logical else 0 for one in self.disk.volumes}
        start, end = self.wanted[call].start - leads[call], self.wanted[call].start + self.sizes[call]
        return [
            one
            for one, place in self.at.items()
            if one != call and place - leads[one] < end and start < place + self.sizes[one]
        ]

    def standing(self) -> Disk:
        """The disk with every volume where it stands now."""
        volumes = tuple(replace(one, start=self.at[one.call], size=self.sizes[one.call]) for one in self.disk.volumes)
        return replace(self.disk, volumes=volumes)


def _moves(disk: Disk, wanted: dict[str, Target]) -> list[Step]:
    """Return the moves; every round one volume arrives, or one that never was is parked, so that there is an end."""
    at = {one.call: one.start for one in disk.volumes}
    sizes = {one.call: one.size for one in disk.volumes}
    now = _Standing(disk, wanted, at, sizes, frozenset(call for call, one in wanted.items() if one.start != at[call]))
    steps: list[Step] = []
    while now.left:
        ready = next((call for call in sorted(now.left) if not now.in_the_way(call)), None)
        if ready is not None:
            now = now.moved(ready, wanted[ready].start)
            steps.append(Move(ready, wanted[ready].start))
            continue
        call, place = _stop_over(now)
        now = replace(now, at={**now.at, call: place}, parked=now.parked | {call})
        steps.append(Move(call, place))
    return steps


def _stop_over(now: _Standing) -> tuple[str, int]:
    """Return the next volume to park, and where; raises ``PlanError`` that says which one and how large."""
    used = {one.call: one.size if one.used is None else one.used for one in now.disk.volumes}
    waits = {call: frozenset(one for one in now.in_the_way(call) if one in now.left) for call in now.left}
    circle = _circle(waits)
    best = _cheapest(waits, circle, used)
    others = sorted(circle - set(best), key=lambda one: (used[one], one))
    for call in [*sorted(best, key=lambda one: (-now.sizes[one], one)), *others]:
        place = _parking(now, call) if call not in now.parked else None
        if place is not None:
            return call, place
    call = min(best or now.left, key=lambda one: (now.sizes[one], one))
    gap = max((one.size for one in map(usable, now.standing().gaps(1))), default=0)
    names = ", ".join(sorted(now.left))
    raise PlanError(
        f"{names} stand in each other's way: {call} needs a stop-over of {binary(now.sizes[call])}, and {binary(gap)} are free in one piece.",
        "Shrink or remove a volume first, or put it on another disk for the time being.",
    )


def _circle(waits: Mapping[str, frozenset[str]], without: frozenset[str] = frozenset()) -> frozenset[str]:
    """The volumes that wait in a circle: whoever waits for nobody goes, until nobody does."""
    left = {call: others - without for call, others in waits.items() if call not in without}
    while True:
        free = {call for call, others in left.items() if not others & left.keys()}
        awaited = frozenset().union(*left.values()) if left else frozenset()
        free |= {call for call in left if call not in awaited}
        if not free:
            return frozenset(left)
        left = {call: others - free for call, others in left.items() if call not in free}


def _cheapest(waits: Mapping[str, frozenset[str]], circle: frozenset[str], used: dict[str, int]) -> tuple[str, ...]:
    """The set of volumes with the fewest used bytes without which nobody waits in a circle; the cheapest one of very many."""
    ordered = sorted(circle, key=lambda one: (used[one], one))
    if len(ordered) > MOST_WAITING:
        return (ordered[0],)
    sets = (one for count in range(1, len(ordered) + 1) for one in combinations(ordered, count))
    for chosen in sorted(sets, key=lambda one: (sum(used[call] for call in one), len(one))):
        if not _circle(waits, frozenset(chosen)):
            return chosen
    return tuple(ordered[:1])


def _parking(now: _Standing, call: str) -> int | None:
    """A free place elsewhere that nobody stands at and nobody else who is still to move goes to: the smallest that is large enough."""
    own = next(one for one in now.disk.volumes if one.call == call)
    standing = now.standing()
    ghosts = tuple(
        _ghost(one, now.wanted[one.call].start, now.sizes[one.call])
        for one in now.disk.volumes
        if one.call in now.left - {call}
    )
    there = tuple(_ghost(one, one.start, one.size) for one in standing.volumes)
    gaps = map(usable, replace(standing, volumes=(*there, *ghosts)).gaps(1))
    fitting = [one for one in gaps if one.size >= now.sizes[call] and one.logical == own.logical and one.start != now.at[call]]
    return min(fitting, key=lambda one: (one.size, one.start)).start if fitting else None


def _ghost(like: Volume, start: int, size: int) -> Volume:
    """A place that is spoken for; a logical volume's record takes the room before it."""
    lead = MIB if like.logical else 0
    return Volume("", 0, max(0, start - lead), size + lead, "", logical=like.logical)
