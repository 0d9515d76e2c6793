"""Disks that nobody tells apart by size and model."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import combinations

from inkshelf.core.machine.state import Disk

HUNDREDTH = 100  # sizes that differ by less than one part in so many are shown alike


def alike(disks: Iterable[Disk]) -> Iterator[tuple[Disk, Disk]]:
    """Yield pairs of disks of about one size and of one model; where no model is known, of one size."""
    for one, other in combinations(disks, 2):
        if abs(one.size - other.size) * HUNDREDTH < one.size and one.model.strip().lower() == other.model.strip().lower():
            yield one, other
