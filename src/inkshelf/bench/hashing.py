"""Hash stretches of an image by their places and bytes, holes and written zeros alike."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable

from inkshelf.core.disk.source import ByteSource

GRID = 128 << 10
ZEROS = bytes(GRID)


def digest(source: ByteSource, start: int, end: int) -> str:
    """Hash a stretch by its places and bytes that are not zero: a hole and written zeros are the same."""
    total = hashlib.sha256()
    feed(total, source, ((0, start, end - start),))
    return total.hexdigest()


def feed(total: hashlib._Hash, source: ByteSource, runs: Iterable[tuple[int, int, int]]) -> None:
    """Feed runs of (place in the file, first byte of the source, length) on a fixed grid, so that their cut does not matter."""
    cells = _Cells(total)
    for place, first, length in sorted(runs):
        for low, high in source.data_ranges(first, first + length):
            at = low
            while at < high:
                cell, offset = divmod(place + at - first, GRID)
                data = source.read(at, min(GRID - offset, high - at))
                if not data:
                    break
                cells.put(cell, offset, data)
                at += len(data)
    cells.flush()


class _Cells:
    """The one cell of the grid that is being filled; whole ones pass straight through."""

    def __init__(self, total: hashlib._Hash) -> None:
        self._total, self._cell, self._filled = total, -1, bytearray()

    def put(self, cell: int, offset: int, data: bytes) -> None:
        """Put bytes into a cell; cells come in order."""
        if cell != self._cell:
            self.flush()
            if len(data) == GRID:
                self._update(cell, data)
                return
            self._cell, self._filled = cell, bytearray(GRID)
        self._filled[offset : offset + len(data)] = data

    def flush(self) -> None:
        """Hash the cell that is being filled."""
        if self._cell >= 0:
            self._update(self._cell, bytes(self._filled))
            self._cell = -1

    def _update(self, cell: int, data: bytes) -> None:
        if data != ZEROS:
            self._total.update(cell.to_bytes(8, "little"))
            self._total.update(data)
