"""Move a stretch of an image, overlapping or not, so that a cut at any write loses nothing.

A piece is never longer than the shift, so it never writes over itself. Where the next piece would write over the source of one
that is not yet on the disk, the image is flushed and the journal notes how far the move is. Where the shift is so small that
this would happen all the time, a window of pieces goes to a scratch file first, and from there into the image.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from inkshelf.bench.journal import Journal
from inkshelf.bench.opening import open_own
from inkshelf.bench.sparse import copy_some, data_ranges, move_pieces, punch, start_writing
from inkshelf.core.machine.state import Gap, Machine
from inkshelf.core.size import MIB

WINDOW = 32 * MIB
SMALL_SHIFT = 4 * MIB
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
        pieces = move_pieces(ranges, shift)
        if abs(shift) < min(size, SMALL_SHIFT):
            self._by_windows(pieces, shift)
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
            self._copy(self.fd, self.fd, at, length, at + shift)
            start_writing(self.fd, at + shift, length)
            self.written += length
            self.beat(length)

    @staticmethod
    def _copy(source: int, target: int, at: int, length: int, to: int) -> None:
        done = 0
        while done < length:
            done += copy_some(source, target, at + done, length - done, to + done)

    def _by_windows(self, pieces: list[Piece], shift: int) -> None:
        number = self.journal.entry.pieces
        while number < len(pieces):
            window = _window(pieces, number)
            fd = open_own(self.folder, NAME, os.O_RDWR | os.O_CREAT)
            try:
                if not self.journal.entry.window:
                    self._fill(fd, window)
                    self.journal.reached(number, window=True)
                self._empty(fd, window, shift)
            finally:
                os.close(fd)
            number += len(window)
            os.fdatasync(self.fd)
            self.journal.reached(number)
        (self.folder / NAME).unlink(missing_ok=True)

    def _fill(self, fd: int, window: list[Piece]) -> None:
        place = 0
        for at, length in window:
            self._copy(self.fd, fd, at, length, place)
            start_writing(fd, place, length)
            place += length
            self.beat(0)
        self.scratch += place
        os.fdatasync(fd)

    def _empty(self, fd: int, window: list[Piece], shift: int) -> None:
        place = 0
        for at, length in window:
            self._copy(fd, self.fd, place, length, at + shift)
            start_writing(self.fd, at + shift, length)
            place += length
            self.written += length
            self.beat(length)

    def _punch(self, ranges: tuple[tuple[int, int], ...], start: int, size: int, to: int) -> None:
        """What was a hole becomes one; the place that was left is given back at the end of the work (``give_back``)."""
        shift, position = to - start, to
        for low, high in [*((low + shift, high + shift) for low, high in ranges), (to + size, to + size)]:
            punch(self.fd, position, low - position)
            position = high


def freed(machines: tuple[Machine, ...], disk_id: str) -> list[tuple[int, int]]:
    """Return the (start, end) stretches that volumes once took, and that are free at the end."""
    gaps = [_unrecorded(gap) for gap in machines[-1].disk(disk_id).gaps(1)]
    taken = {(one.start, one.end) for machine in machines for one in machine.disk(disk_id).volumes}
    return sorted(
        {(max(low, gap.start), min(high, gap.end)) for low, high in taken for gap in gaps if low < gap.end and gap.start < high}
    )


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


def _window(pieces: list[Piece], first: int) -> list[Piece]:
    total = 0
    found: list[Piece] = []
    for at, length in pieces[first:]:
        if found and total + length > WINDOW:
            break
        found.append((at, length))
        total += length
    return found
