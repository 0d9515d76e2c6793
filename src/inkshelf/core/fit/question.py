"""What the fit is asked, and what it answers; it knows nothing of aims. All places and sizes are whole MiB.

A shelf is the usable stretch of a disk with the volumes that stand on it; between them, before the first and behind the last, are gaps.
A piece is a group of new volumes that lie in one gap, side by side.
"""

from __future__ import annotations

from inkshelf.core.value import Value

RECORD = 1
"""MiB that the record of a logical volume takes before it: an alignment unit."""


class Held(Value, frozen=True):
    """A volume that is there: where it stands, what is in it, how far it may shrink from its end, whether it may move."""

    call: str
    start: int
    size: int
    used: int
    smallest: int
    may_move: bool = False
    why: str = ""

    @property
    def end(self) -> int:
        """The first MiB behind it."""
        return self.start + self.size


class Shelf(Value, frozen=True):
    """The usable stretch of one disk and what stands on it, in order.

    ``slots``: how many primary volumes its table has room for (``None``: as many as anybody wants); ``encloses``: an extended partition
    can still be made, which takes one of them. ``inside``: the stretch is that of an extended partition, where a volume takes no slot and
    has a record of ``RECORD`` before it.
    """

    disk: str
    start: int
    end: int
    held: tuple[Held, ...] = ()
    slots: int | None = None
    encloses: bool = False
    inside: bool = False


class Ask(Value, frozen=True):
    """One new volume: at least ``floor``, comfortable at ``comfort``; ``fixed``: a size that a person set; ``grows``: it takes the rest.

    ``primary``: it is no use inside an extended partition.
    """

    key: str
    floor: int
    comfort: int
    fixed: int = 0
    grows: bool = False
    primary: bool = False


class Piece(Value, frozen=True):
    """New volumes that lie side by side in one gap, in this order; ``disks``: where they may go (empty: anywhere).

    All of them are primary volumes, or all of them lie inside an extended partition, each behind its record.
    """

    key: str
    asks: tuple[Ask, ...]
    disks: tuple[str, ...] = ()

    @property
    def primary(self) -> bool:
        """One of its volumes has to be a primary one, so that all of them are."""
        return any(one.primary for one in self.asks)


class Problem(Value, frozen=True):
    """All of it."""

    shelves: tuple[Shelf, ...]
    pieces: tuple[Piece, ...]


class Put(Value, frozen=True):
    """Where a new volume goes; ``logical``: inside an extended partition, its record right before it."""

    key: str
    disk: str
    start: int
    size: int
    logical: bool = False


class Answer(Value, frozen=True):
    """The best placement: new volumes, sizes of those that shrink, starts of those that move.

    ``share``: how far every volume is from its floor to its comfort, at least (1: all are comfortable). ``proven``: nothing
    better is possible; else it is what was found in the time that was given.
    """

    put: tuple[Put, ...]
    shrunk: dict[str, int]
    moved: dict[str, int]
    share: float
    proven: bool = True


class Refusal(Value, frozen=True):
    """Nothing fits: ``because`` names limits that contradict each other, none of which could be left out."""

    because: tuple[str, ...]
