"""Block groups of ext: which of them keep copies of the super block."""

from __future__ import annotations

_COPIES = sorted({0, 1} | {base**power for base in (3, 5, 7) for power in range(1, 41)})


def sparse_groups(groups: int) -> int:
    """Return how many of the first groups keep a copy of the super block: 0, 1 and the powers of 3, 5 and 7."""
    return sum(one < groups for one in _COPIES)
