"""A quick way to a packing that is proved at once: no more weight than one stick of all the room could have, and a way to have just that.

Where it finds no such packing it says nothing, and the solver is asked. Sizes in bytes; sticks are filled in whole MiB, rounded up.
"""

from __future__ import annotations

from collections.abc import Sequence

from inkshelf.core.size import MIB

MOST_WEIGHT = 20_000


def lightest(sizes: Sequence[int], weights: Sequence[int], room: int) -> tuple[int, list[int]]:
    """Return the greatest weight that could lie on one stick of ``room`` bytes, and the fewest bytes that have it, as places in ``sizes``.

    A knapsack by weight: exact, in as many steps as there are images times weights.
    """
    whole = sum(weights)
    never = sum(sizes) + room + 1
    least = [0] + [never] * whole
    taken = [bytearray(whole + 1) for _ in sizes]
    for at, (size, weight) in enumerate(zip(sizes, weights, strict=True)):
        for total in range(whole, weight - 1, -1) if weight else ():
            with_it = least[total - weight] + size
            if with_it < least[total]:
                least[total], taken[at][total] = with_it, 1
    best = max(total for total in range(whole + 1) if least[total] <= room)
    chosen, left = [], best
    for at in range(len(sizes) - 1, -1, -1):
        if taken[at][left]:
            chosen.append(at)
            left -= weights[at]
    return best, chosen[::-1]


def fullest(sizes: Sequence[int], room: int) -> list[int]:
    """Return the places of the images that fill ``room`` bytes as far as can be: sums of subsets, one bit for each MiB."""
    whole = room // MIB
    mask = (1 << whole + 1) - 1
    reached = [1]
    units = [-(-size // MIB) for size in sizes]
    for unit in units:
        reached.append((reached[-1] | reached[-1] << unit) & mask)
    left = reached[-1].bit_length() - 1
    chosen = []
    for at in range(len(sizes) - 1, -1, -1):
        if not reached[at] >> left & 1:
            chosen.append(at)
            left -= units[at]
    return chosen


def spread(sizes: dict[int, int], rooms: Sequence[tuple[int, frozenset[int]]]) -> dict[int, int] | None:
    """Return on which stick each image goes, or ``None`` where this way finds none: the smallest stick is filled first, as far as can be.

    ``sizes``: bytes by image. ``rooms``: bytes of each stick, and the images that it takes.
    """
    where: dict[int, int] = {}
    left = dict(sizes)
    for number in sorted(range(len(rooms)), key=lambda one: rooms[one][0]):
        room, takes = rooms[number]
        fitting = [one for one in left if one in takes]
        for place in fullest([left[one] for one in fitting], room):
            where[fitting[place]] = number
        left = {one: size for one, size in left.items() if one not in where}
    return None if left else where
