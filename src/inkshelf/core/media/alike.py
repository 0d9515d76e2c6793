"""Sticks that nobody tells apart by size and model."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from inkshelf.core.machine.state import Disk


def alike(disks: Iterable[Disk]) -> Iterator[tuple[Disk, Disk]]:
    """Yield pairs of disks of one size and one model; where no model is known, of one size."""
    known = list(disks)
    for at, one in enumerate(known):
        for other in known[at + 1 :]:
            if one.size == other.size and one.model.strip().lower() == other.model.strip().lower():
                yield one, other
