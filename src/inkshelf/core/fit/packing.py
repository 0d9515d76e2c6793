"""The largest share at which pieces go into gaps while nothing moves: by search, exact, in the fraction of the time that a solver takes.

Which gap a piece goes to is tried, the largest piece first and the tightest gap first. A way that is found gives its own exact share; the
next one must be better; when none is, the share is proved. A search that grows too long is given up, and left to the solver.
"""

from __future__ import annotations

from inkshelf.core.value import Value

STEP = 1e-7
MOST_TRIED = 60_000


class Load(Value, frozen=True):
    """A piece as it is packed: MiB at its floors, how many more at its comforts, and the gaps it may go to, by number."""

    floor: int
    more: int
    gaps: frozenset[int]

    def at(self, share: float) -> float:
        """Return the MiB that it takes at a share."""
        return self.floor + share * self.more


def largest_share(loads: tuple[Load, ...], rooms: tuple[int, ...]) -> float | None:
    """Return the share, 0 to 1; ``-1`` where not even the floors fit; ``None`` where the search was given up. ``rooms``: MiB of each gap."""
    share, wanted = -1.0, 0.0
    while True:
        tried = [MOST_TRIED]
        order = sorted(range(len(loads)), key=lambda one: -loads[one].at(wanted))
        chosen = _pack(loads, order, list(map(float, rooms)), wanted, {}, tried)
        if tried[0] <= 0:
            return None
        if chosen is None:
            return share
        share = _share_of(loads, rooms, chosen)
        if share >= 1:
            return 1.0
        wanted = share + STEP


def _share_of(loads: tuple[Load, ...], rooms: tuple[int, ...], chosen: dict[int, int]) -> float:
    """The share at which the tightest gap is full."""
    share = 1.0
    for gap in set(chosen.values()):
        here = [loads[one] for one, at in chosen.items() if at == gap]
        more = sum(one.more for one in here)
        if more:
            share = min(share, (rooms[gap] - sum(one.floor for one in here)) / more)
    return share


def _pack(
    loads: tuple[Load, ...], order: list[int], left: list[float], share: float, chosen: dict[int, int], tried: list[int]
) -> dict[int, int] | None:
    if len(chosen) == len(order):
        return dict(chosen)
    tried[0] -= 1
    if tried[0] <= 0:
        return None
    number = order[len(chosen)]
    load = loads[number]
    size = load.at(share)
    rest = [loads[one].at(share) for one in order[len(chosen) :]]
    if sum(one for one in left if one >= rest[-1]) < sum(rest) - 1e-9:
        return None  # the gaps that still hold anything hold less than what is left
    seen: set[tuple[float, bool]] = set()
    for gap in sorted((one for one in load.gaps if left[one] >= size - 1e-9), key=lambda one: left[one]):
        key = (round(left[gap], 6), all(gap in loads[one].gaps for one in order[len(chosen) :]))
        if key in seen and key[1]:
            continue  # a gap of the same room, open to the same pieces, was tried
        seen.add(key)
        left[gap] -= size
        chosen[number] = gap
        found = _pack(loads, order, left, share, chosen, tried)
        if found is not None:
            return found
        del chosen[number]
        left[gap] += size
        if tried[0] <= 0:
            return None
    return None
