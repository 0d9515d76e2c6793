"""Write what was reckoned so that a cut at any byte loses nothing.

Contents go to clusters that nothing uses, and are flushed; then the few records that lead to them are kept beside the image, flushed,
and written. A cut before that leaves the volume as it was, one after it is made good from the records that were kept.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from inkshelf.bench.filling.plan import Carry, Filled
from inkshelf.bench.handover import flush
from inkshelf.bench.hands import HAND, Hands
from inkshelf.bench.opening import make_folder, open_own
from inkshelf.bench.sparse import PIECE, copy_some, data_ranges, punch, write_all
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Volume

RECORDS = "records"
HEAD = struct.Struct("<QI")


def fill(hands: Hands, volume: Volume, fd: int, source: int, reckon: Callable[[], Filled]) -> None:
    """Put into a volume what ``reckon`` says; ``source``: the open file that pieces lie in. Can be done again after a cut."""
    kept = hands.bench.folder / HAND / RECORDS
    if not begun(hands):
        make_folder(hands.bench.folder, HAND)
        todo = reckon()
        hands.expect(fd, sum(len(one.piece) if isinstance(one.piece, bytes) else one.piece[1] for one in todo.carries))
        for one in todo.carries:
            _carry(hands, fd, source, one, volume.start)
        hands.flush(fd)
        _keep(kept, todo.records)
        hands.journal.note(back=True)
    for at, data in _kept(kept):
        if at + len(data) > volume.size:
            raise BenchError("A record would lie outside its volume.", "Ink again into an empty bench.")
        hands.written.put(fd, data, volume.start + at)


def begun(hands: Hands) -> bool:
    """Whether the records of the step that is gone on with were kept: its contents are there, and nothing else in the folder is wanted."""
    return hands.journal.entry.back and (hands.bench.folder / HAND / RECORDS).exists()


def _carry(hands: Hands, fd: int, source: int, one: Carry, base: int) -> None:
    if isinstance(one.piece, bytes):
        write_all(fd, one.piece, base + one.at)
        hands.written.image += len(one.piece)
        hands.wrote(fd, len(one.piece))
        return
    low, end, shift = one.piece[0], one.piece[0] + one.piece[1], base + one.at - one.piece[0]
    for first, last in [*data_ranges(source, low, end), (end, end)]:
        punch(fd, low + shift, first - low)  # a hole of the source: what lay there before must not be seen
        hands.wrote(fd, first - low)  # a stick is written zeros
        low = first
        while low < last:
            done = copy_some(source, fd, low, min(PIECE, last - low), low + shift)
            low += done
            hands.written.image += done
            hands.wrote(fd, done)
            hands.carried(done)


def _keep(path: Path, records: Iterable[tuple[int, bytes]]) -> None:
    fd = open_own(path.parent, path.name, fresh=True)
    try:
        at = 0
        for place, data in records:
            write_all(fd, HEAD.pack(place, len(data)) + data, at)
            at += HEAD.size + len(data)
    finally:
        os.close(fd)
    flush(path)


def _kept(path: Path) -> Iterator[tuple[int, bytes]]:
    with path.open("rb") as file:
        while head := file.read(HEAD.size):
            place, length = HEAD.unpack(head)
            yield place, file.read(length)
