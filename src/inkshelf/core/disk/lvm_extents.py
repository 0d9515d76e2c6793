"""What sizes and identifiers of LVM follow from, apart from its text: planning asks for no more of it."""

from __future__ import annotations

import itertools

from inkshelf.core.size import MIB

EXTENT = 4 * MIB
DATA_START = MIB
LETTERS = "0123456789abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"


def dashed(raw: str) -> str:
    """Return a 32-character identifier in its usual groups."""
    return "-".join(raw[low:high] for low, high in itertools.pairwise((0, 6, 10, 14, 18, 22, 26, 32)))


def identifier(words: str) -> str:
    """Return an LVM identifier drawn from ``words``, in its usual groups; the same words give the same one."""
    import hashlib  # late: the window opens sooner without it

    raw = hashlib.sha256(words.encode()).digest()
    return dashed("".join(LETTERS[one % len(LETTERS)] for one in raw))


def extents_of(size: int) -> int:
    """Return how many extents a physical volume of ``size`` bytes has."""
    return max(0, (size - DATA_START) // EXTENT)
