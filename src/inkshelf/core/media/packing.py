"""Which images go on which stick: the best use by weight, exactly, and what stays for the next one. Sizes in bytes.

Multiple knapsack: where all the room as one stick could hold no more than the sticks are found to hold, that is the proof (``filling``);
else it is solved as a mixed-integer program (SciPy's HiGHS). Its arithmetic is not exact: what it answers is held against whole
bytes, and a stick that would overflow by a few of them is forbidden that very set, until the answer fits. Where an image is so small beside
a stick that the solver does not see it, its word is no proof: everything better is tried in whole bytes (``searching``).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import lru_cache

from inkshelf.core.errors import PlanError
from inkshelf.core.media import filling
from inkshelf.core.media.searching import Search
from inkshelf.core.size import binary
from inkshelf.core.value import Value

MOST = 400  # images times sticks: more than anybody packs at once
ROUNDS = 200
FINE = 1e-5  # a share of a stick that is near what the solver takes for nothing


class Item(Value, frozen=True):
    """An image that is wanted: what it takes on a stick, its largest file there, and how much it is wanted (1: as much as any other)."""

    name: str
    size: int
    largest: int
    weight: int = 1


class Room(Value, frozen=True):
    """What a stick has for images: bytes, and the largest file that its file system holds (``None``: no limit that matters)."""

    key: str
    size: int
    file_limit: int | None = None

    def takes(self, item: Item) -> bool:
        """Tell whether an image could be on it at all."""
        return item.size <= self.size and (self.file_limit is None or item.largest <= self.file_limit)


class Packing(Value, frozen=True):
    """``put``: (name, key of the stick) of what fits; ``left``: (name, why not); ``free``: (key, bytes that stay, largest next image).

    ``proven``: nothing better is possible, and the solver says so.
    """

    put: tuple[tuple[str, str], ...]
    left: tuple[tuple[str, str], ...]
    free: tuple[tuple[str, int, int], ...]
    weight: int
    proven: bool = True


@lru_cache(maxsize=32)
def pack(items: tuple[Item, ...], rooms: tuple[Room, ...]) -> Packing:
    """Return the packing of the greatest weight, with small images rather than large ones where both are wanted alike.

    Raises ``PlanError`` for what cannot be asked. The same question is solved once: findings, screens and the plan ask it in turn.
    """
    names = [one.name for one in items]
    if len(set(names)) != len(names) or len({one.key for one in rooms}) != len(rooms):
        raise PlanError("Two images, or two sticks, bear one name.", "Give them names of their own.")
    if len(items) * len(rooms) > MOST:
        raise PlanError(
            f"{len(items)} images on {len(rooms)} sticks are too many to be packed at once.", "Pack them in two goes."
        )
    if any(one.size <= 0 or one.weight < 0 for one in items) or any(one.size < 0 for one in rooms):
        raise PlanError("An image without a size, or with a weight below zero.", "Say its size first.")
    pairs = [(at, room) for at in range(len(items)) for room in range(len(rooms)) if rooms[room].takes(items[at])]
    chosen, proven = _quickly(items, rooms) or (_exactly(items, rooms, pairs) if pairs else ([], True))
    return _told(items, rooms, _smaller(items, rooms, chosen), proven=proven)


Pair = tuple[int, int]


def _quickly(items: tuple[Item, ...], rooms: tuple[Room, ...]) -> tuple[list[Pair], bool] | None:
    """The weight that all the room as one could hold, where the sticks really hold it: then nothing better is possible."""
    able = [at for at, one in enumerate(items) if one.weight and any(room.takes(one) for room in rooms)]
    if not able or sum(items[at].weight for at in able) > filling.MOST_WEIGHT:
        return None
    sizes, weights = [items[at].size for at in able], [items[at].weight for at in able]
    _, places = filling.lightest(sizes, weights, sum(room.size for room in rooms))
    takes = [(room.size, frozenset(at for at in able if room.takes(items[at]))) for room in rooms]
    where = filling.spread({able[place]: sizes[place] for place in places}, takes)
    return (sorted(where.items()), True) if where is not None else None


def _solved(items: tuple[Item, ...], rooms: tuple[Room, ...], pairs: list[Pair]) -> tuple[list[Pair], bool]:
    """Solve for the greatest weight; a set that overflows in whole bytes is forbidden, and all is solved again."""
    import numpy as np
    from scipy.optimize import Bounds, LinearConstraint, milp

    rows, upper = _limits(items, rooms, pairs)
    gain = np.array([-items[at].weight for at, _ in pairs], float)
    for _ in range(ROUNDS):
        found = milp(
            gain,
            constraints=LinearConstraint(np.array(rows), -np.inf, np.array(upper)),
            integrality=np.ones(len(pairs)),
            bounds=Bounds(0, 1),
            options={"mip_rel_gap": 0},
        )
        if found.x is None:
            return [], False
        chosen = [pair for pair, value in zip(pairs, found.x, strict=True) if value > 0.5]
        over = _overflowing(items, rooms, chosen)
        if not over:
            return chosen, bool(found.success)
        rows += [[float(pair in one) for pair in pairs] for one in over]
        upper += [len(one) - 1.0 for one in over]
    return [], False


def _exactly(items: tuple[Item, ...], rooms: tuple[Room, ...], pairs: list[Pair]) -> tuple[list[Pair], bool]:
    """What the solver finds, or a better one that it did not see; and whether that is proved."""
    chosen, proven = _solved(items, rooms, pairs)
    largest = max(room.size for room in rooms)
    if proven and all(one.size >= FINE * largest for one in items if one.weight):
        return chosen, True
    takes = [(room.size, frozenset(at for at, one in enumerate(items) if room.takes(one))) for room in rooms]
    known = sum(items[at].weight for at, _ in chosen)
    search = Search([one.size for one in items], [one.weight for one in items], takes, known)
    return (sorted(search.found.items()) if search.found else chosen), search.complete


def _smaller(items: tuple[Item, ...], rooms: tuple[Room, ...], chosen: list[Pair]) -> list[Pair]:
    """Exchange images for smaller ones that are wanted as much, one by one: what stays for the next grows, and nothing is claimed of it."""
    made = dict(chosen)
    for at in sorted(range(len(items)), key=lambda one: items[one].size):
        if at in made:
            continue
        worse = [
            own
            for own in made
            if items[own].weight <= items[at].weight and items[own].size > items[at].size and rooms[made[own]].takes(items[at])
        ]
        if worse:
            out = max(worse, key=lambda one: items[one].size)
            made[at] = made.pop(out)
    return sorted(made.items())


def _limits(items: tuple[Item, ...], rooms: tuple[Room, ...], pairs: list[Pair]) -> tuple[list[list[float]], list[float]]:
    """Every image at most once; on every stick no more than its room, as shares of it so that all rows are of one order."""
    rows = [[float(at == one) for one, _ in pairs] for at in range(len(items)) if any(at == one for one, _ in pairs)]
    upper = [1.0] * len(rows)
    for number, room in enumerate(rooms):
        if any(number == one for _, one in pairs):
            rows.append([items[at].size / room.size if number == one else 0.0 for at, one in pairs])
            upper.append(1.0)
    for small, large in _dominated(items, rooms):
        rows.append([float(at == large) - float(at == small) for at, _ in pairs])
        upper.append(0.0)
    return rows, upper


def _dominated(items: tuple[Item, ...], rooms: tuple[Room, ...]) -> Iterator[Pair]:
    """Pairs of images of which the second goes nowhere before the first does: no larger, wanted no less, and taken wherever the other is.

    Nothing is lost by that, as the one could stand in the other's place; and the solver has far less to try.
    """
    order = sorted(range(len(items)), key=lambda at: (items[at].size, -items[at].weight, at))
    for place, small in enumerate(order):
        for large in order[place + 1 :]:
            one, other = items[small], items[large]
            if one.weight >= other.weight and all(room.takes(one) for room in rooms if room.takes(other)):
                yield small, large
                break


def _overflowing(items: tuple[Item, ...], rooms: tuple[Room, ...], chosen: list[Pair]) -> list[frozenset[Pair]]:
    found = []
    for number, room in enumerate(rooms):
        own = frozenset(pair for pair in chosen if pair[1] == number)
        if sum(items[at].size for at, _ in own) > room.size:
            found.append(own)
    return found


def _told(items: tuple[Item, ...], rooms: tuple[Room, ...], chosen: Iterable[Pair], *, proven: bool) -> Packing:
    where = dict(chosen)
    free = []
    for number, room in enumerate(rooms):
        left = room.size - sum(items[at].size for at, own in where.items() if own == number)
        free.append((room.key, left, left if room.file_limit is None else min(left, room.file_limit)))
    out = [(one.name, _why(one, rooms, free)) for at, one in enumerate(items) if at not in where]
    put = tuple((items[at].name, rooms[own].key) for at, own in sorted(where.items()))
    return Packing(put, tuple(out), tuple(free), sum(items[at].weight for at in where), proven)


def _why(item: Item, rooms: tuple[Room, ...], free: list[tuple[str, int, int]]) -> str:
    """Why an image is left out: what it lacks on the stick that comes nearest."""
    if not rooms:
        return "there is no stick"
    if all(room.file_limit is not None and item.largest > room.file_limit for room in rooms):
        return f"its largest file has {binary(item.largest)}, and no file system here holds it"
    fits = [room for room in rooms if room.file_limit is None or item.largest <= room.file_limit]
    if all(item.size > room.size for room in fits):
        return f"it lacks {binary(min(item.size - room.size for room in fits))} on an empty stick"
    lacks = min(item.size - left for key, left, _ in free for room in fits if room.key == key)
    return f"it lacks {binary(lacks)} beside the others" if lacks > 0 else "it is not wanted at all"
