"""Move a stretch of an image, overlapping or not, so that a cut at any write loses nothing.

A piece is never longer than the shift, so it never writes over itself. Where the next piece would write over the source of one
that is not yet on the disk, the image is flushed and the journal notes how far the move is. Where the shift is so small that
this would happen all the time, the pieces are dealt to chains that advance side by side, one piece each between two flushes; what
the first piece of a chain writes over, the last ones of the chain before it, goes to a scratch file beforehand.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from inkshelf.atomic import flush_folder
from inkshelf.bench.journal import Journal
from inkshelf.bench.opening import open_own
from inkshelf.bench.sparse import PIECE, copy_some, data_ranges, move_pieces, punch, start_writing
from inkshelf.core.machine.state import Gap, Machine
from inkshelf.core.size import MIB

TOGETHER = 64 * MIB  # bytes between two flushes, where there are that many
LEAST_CHAIN = 8  # pieces: a chain is no shorter, so that little of a move is written twice
NAME = "window"
Piece = tuple[int, int]


class Mover:
    """Moves bytes of one open image; ``beat`` is called between pieces with the bytes done, and may raise to stop there."""

    def __init__(self, fd: int, journal: Journal, folder: Path, beat: Callable[[int], None] | None = None) -> None:
        self.fd, self.journal, self.folder = fd, journal, folder
        self.beat = beat or (lambda _: None)
        self.written = self.scratch = 0

    def move(self, start: int, size: int, to: int) -> None:
        """Move ``size`` bytes from ``start`` to ``to``, holes as holes; goes on where the journal says it stopped."""
        if not self.journal.entry.ranges:
            self.journal.note(ranges=tuple(data_ranges(self.fd, start, start + size)))
        shift, ranges = to - start, self.journal.entry.ranges
        close = abs(shift) < min(size, TOGETHER)
        pieces = move_pieces(ranges, shift, TOGETHER if close else PIECE)
        if close:
            self._by_chains(pieces, shift)
        else:
            self._by_pieces(pieces, shift)
        os.fsync(self.fd)
        self.journal.note(pieces=len(pieces), window=False)
        self._punch(ranges, start, size, to)

    def _by_pieces(self, pieces: list[Piece], shift: int) -> None:
        noted = self.journal.entry.pieces
        for number in range(noted, len(pieces)):
            at, length = pieces[number]
            if noted < number and _touches(at + shift, length, pieces[noted : number : max(1, number - noted - 1)]):
                os.fdatasync(self.fd)
                self.journal.reached(number)
                noted = number
            self._carry(self.fd, at, length, at + shift)

    def _carry(self, source: int, at: int, length: int, to: int) -> None:
        """Copy into the image, and be told of it a few MiB at a time."""
        for low in range(0, length, PIECE):
            step = min(PIECE, length - low)
            _copy(source, self.fd, at + low, step, to + low)
            start_writing(self.fd, to + low, step)
            self.written += step
            self.beat(step)

    def _by_chains(self, pieces: list[Piece], shift: int) -> None:
        """Each round copies one piece of every chain; what it writes over was copied in an earlier round or is in the scratch file."""
        length = chain_length(len(pieces), abs(shift))
        saved = _written_over(pieces, shift, length)
        if self.journal.entry.pieces >= length:
            return
        fd = open_own(self.folder, NAME, os.O_RDWR | os.O_CREAT)
        try:
            if not self.journal.entry.window:
                self._save(fd, pieces, saved)
                self.journal.reached(0, window=True)
            for turn in range(self.journal.entry.pieces, length):
                for number in range(turn, len(pieces), length):
                    at, count = pieces[number]
                    if number in saved:
                        self._carry(fd, saved[number], count, at + shift)
                    else:
                        self._carry(self.fd, at, count, at + shift)
                os.fdatasync(self.fd)
                self.journal.reached(turn + 1, window=True)
        finally:
            os.close(fd)
        (self.folder / NAME).unlink(missing_ok=True)

    def _save(self, fd: int, pieces: list[Piece], saved: dict[int, int]) -> None:
        for number, place in saved.items():
            _copy(self.fd, fd, *pieces[number], place)
            self.scratch += pieces[number][1]
            self.beat(0)
        os.fdatasync(fd)
        flush_folder(self.folder)

    def _punch(self, ranges: tuple[tuple[int, int], ...], start: int, size: int, to: int) -> None:
        """What was a hole becomes one; the place that was left is given back at the end of the work (``give_back``)."""
        shift, position = to - start, to
        for low, high in [*((low + shift, high + shift) for low, high in ranges), (to + size, to + size)]:
            punch(self.fd, position, low - position)
            position = high


def freed(machines: tuple[Machine, ...], disk_id: str, written: tuple[tuple[int, int], ...] = ()) -> list[tuple[int, int]]:
    """Return the (start, end) stretches that volumes once took, and that are free at the end.

    ``written``: what steps wrote beside volumes, as (start, end): an image that lies on a disk as it is has bytes outside its volumes too.
    """
    gaps = [_unrecorded(gap) for gap in machines[-1].disk(disk_id).gaps(1)]
    taken = {(one.start, one.end) for machine in machines for one in machine.disk(disk_id).volumes}
    free = {
        (max(low, gap.start), min(high, gap.end)) for low, high in taken for gap in gaps if low < gap.end and gap.start < high
    }
    for low, high in written:
        free = {part for start, end in free for part in ((start, min(end, low)), (max(start, high), end)) if part[0] < part[1]}
    return sorted(free)


def _unrecorded(gap: Gap) -> Gap:
    """The part of a gap in which no record of a logical volume can stand: those keep to its first and last MiB."""
    return Gap(gap.start + MIB, max(0, gap.size - 2 * MIB), gap.logical) if gap.logical else gap


def give_back(fd: int, stretches: list[tuple[int, int]]) -> None:
    """Make holes of stretches that nobody takes any more."""
    for low, high in stretches:
        punch(fd, low, high - low)


def _touches(start: int, length: int, ends: list[Piece]) -> bool:
    """Whether a stretch meets the span of pieces, of which the first and last are given (they come in order of place)."""
    low = min(at for at, _ in ends)
    high = max(at + count for at, count in ends)
    return start < high and low < start + length


def _copy(source: int, target: int, at: int, length: int, to: int) -> None:
    done = 0
    while done < length:
        done += copy_some(source, target, at + done, length - done, to + done)


def chain_length(count: int, shift: int) -> int:
    """Return how many of ``count`` pieces one chain takes: as many chains as fill what is written between two flushes."""
    chains = max(1, min(TOGETHER // shift, count // LEAST_CHAIN))
    return max(1, -(-count // chains))


def _written_over(pieces: list[Piece], shift: int, length: int) -> dict[int, int]:
    """Return the pieces that a chain writes over in the one before it, by number, with their places in the scratch file."""
    saved: dict[int, int] = {}
    place = 0
    for first in range(length, len(pieces), length):
        at, count = pieces[first]
        number = first - 1
        while number >= 0 and number not in saved and _reaches(at, count, shift, pieces[number]):
            saved[number] = place
            place += pieces[number][1]
            number -= 1
    return saved


def _reaches(at: int, length: int, shift: int, other: Piece) -> bool:
    """Whether another piece begins before the far end of where a piece, or any that follows it, is copied to."""
    return other[0] < at + length + shift if shift > 0 else other[0] + other[1] > at + shift
