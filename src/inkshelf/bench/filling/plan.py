"""What is put into a volume, and where: contents into clusters that nothing uses, then the few records that lead to them."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from inkshelf.bench.sparse import PIECE, copy_some, write_all
from inkshelf.core.errors import BenchError
from inkshelf.core.media.copying import File, Piece
from inkshelf.core.value import Value

if TYPE_CHECKING:
    from inkshelf.bench.image import ImageFile


class Carry(Value, frozen=True):
    """Contents with the byte of the volume at which they go."""

    at: int
    piece: Piece


class Filled(Value, frozen=True):
    """What is to be done to a volume: contents into free clusters, then records, as (byte of the volume, bytes)."""

    carries: tuple[Carry, ...]
    records: tuple[tuple[int, bytes], ...]


def placed(file: File, places: Iterable[tuple[int, int]]) -> Iterator[Carry]:
    """Yield the contents of a file over its stretches of the volume, as (first byte, length)."""
    pieces = list(file.pieces)
    left = file.size
    for start, room in places:
        at, end = start, start + min(room, left)
        left -= end - at
        while at < end:
            if not pieces:
                raise BenchError(f"{file.path} is shorter than its folder says.", "Get the image again.")
            one = pieces.pop(0)
            length = len(one) if isinstance(one, bytes) else one[1]
            taken = min(length, end - at)
            if taken:
                yield Carry(at, one[:taken] if isinstance(one, bytes) else (one[0], taken))
            if taken < length:
                pieces.insert(0, one[taken:] if isinstance(one, bytes) else (one[0] + taken, length - taken))
            at += taken


def differing(before: bytes, after: bytes, at: int, grain: int = 4096) -> Iterator[tuple[int, bytes]]:
    """Yield the stretches of a table that changed, as (byte, bytes); ``at``: where the table begins."""
    start = None
    for low in range(0, len(after), grain):
        if before[low : low + grain] != after[low : low + grain]:
            start = low if start is None else start
        elif start is not None:
            yield at + start, after[start:low]
            start = None
    if start is not None:
        yield at + start, after[start:]


def whole(file: File, source: ImageFile, target: Path) -> None:
    """Write a file's contents to a new ordinary file."""
    fd = os.open(target, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
    try:
        at = 0
        for one in file.pieces:
            if isinstance(one, bytes):
                write_all(fd, one, at)
                at += len(one)
                continue
            low, left = one
            while left:
                done = copy_some(source.fileno(), fd, low, min(PIECE, left), at)
                low, left, at = low + done, left - done, at + done
        if at != file.size:
            raise BenchError(f"{file.path} is shorter than its folder says.", "Get the image again.")
    finally:
        os.close(fd)
