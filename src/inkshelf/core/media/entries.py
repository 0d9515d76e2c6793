"""Files inside an image, as its own file systems list them: path, size, and where their bytes lie in the image."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime

from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

SECTOR = 2048
MOST, DEEPEST, LARGEST_FOLDER = 400_000, 48, 64 << 20
LIMIT = 1 << 26  # bytes that are read of one file inside an image


class Entry(Value, frozen=True):
    """One file: ``path`` from the image's root with ``/``; ``extents`` as (first byte, length), in order; ``time``: seconds since 1970, UTC (0: not known).

    ``folder``: a folder with nothing in it, which only those who copy ask for.
    """

    path: str
    size: int
    extents: tuple[tuple[int, int], ...]
    time: int = 0
    folder: bool = False

    def read(self, source: ByteSource, limit: int = LIMIT) -> bytes:
        """Return the first ``limit`` bytes of the file."""
        found = bytearray()
        for at, length in self.extents:
            left = min(length, self.size - len(found), limit - len(found))
            if left <= 0:
                break
            found += source.read(at, left)
        return bytes(found)


class Counted:
    """Counts what is listed, so that a listing that leads into itself or never ends is refused."""

    def __init__(self, what: str) -> None:
        self._what, self._count, self._seen = what, 0, set[int]()

    def one(self) -> None:
        """One more name; raises ``FormatError`` beyond what any image has."""
        self._count += 1
        if self._count > MOST:
            raise FormatError(f"{self._what}: it lists more names than any image has.")

    def folder(self, place: int, size: int, depth: int) -> None:
        """One more folder at a place; raises ``FormatError`` where it was listed already, is too deep or too large."""
        if place in self._seen:
            raise FormatError(f"{self._what}: a folder leads into itself.")
        if depth > DEEPEST or size > LARGEST_FOLDER:
            raise FormatError(f"{self._what}: a folder that cannot be.")
        self._seen.add(place)


def by_path(entries: Iterator[Entry] | tuple[Entry, ...]) -> dict[str, Entry]:
    """Return entries by their paths in small letters: media are looked into without regard to case."""
    return {one.path.lower(): one for one in entries}


def moment(year: int, rest: bytes, quarters: int = 0) -> int:
    """Return a time of an image in seconds since 1970, 0 where there is no such time.

    ``rest``: month, day, hour, minute, second, a byte each; ``quarters``: of an hour, east of Greenwich.
    """
    try:
        month, day, hour, minute, second = rest[:5]
        return max(0, int(datetime(year, month, day, hour, minute, second, tzinfo=UTC).timestamp()) - quarters * 900)
    except (ValueError, OverflowError):
        return 0
