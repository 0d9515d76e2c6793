"""The journal of a bench: which step was begun and how far it got, on the disk before the bytes are.

The work goes on at the last checkpoint: tables, boot variables and fresh file systems are written anew; a volume that a utility
changed comes back from its scratch file, which is kept until the next checkpoint; a move goes on behind the last piece that is safe.

The entry is a file put in place whole. How far a move is changes up to a thousand times in a GiB: that stands in a small record
beside it, which belongs to exactly one entry and is written in place, two sectors taking turns.
"""

from __future__ import annotations

import os
import struct
import zlib
from pathlib import Path
from typing import Literal

import msgspec

from inkshelf.atomic import flush_folder, write_atomically
from inkshelf.bench.opening import open_own
from inkshelf.bench.sparse import write_all
from inkshelf.core.errors import BenchError, InkshelfError
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job
from inkshelf.core.texts import shown
from inkshelf.core.value import Value, replace

NAME, JOB, PROGRESS = "journal.json", "job.json", "progress"
RECORD, SECTOR = (
    struct.Struct("<IQQ?"),
    512,
)  # checksum of the entry, count of records, pieces that are safe, window; then a checksum


def _mark(raw: bytes) -> str:
    """Return what tells one job's document from another's."""
    import hashlib  # late: the window asks whether work is unfinished at every start

    return hashlib.sha256(raw).hexdigest()


class Entry(Value, frozen=True):
    """Where the work stands. ``part``: parts of the step that are done; ``back``: the scratch file is complete and is being
    brought back; ``ranges`` and ``pieces``: what a move carries (first byte, behind the last) and how many pieces of it, or of each
    chain, are safe; ``window``: the scratch file holds what chains write over. ``job``: the mark of the job's document that the entry belongs to."""

    state: Literal["copying", "step", "reading back", "done"] = "copying"
    step: int = 0
    part: int = 0
    back: bool = False
    ranges: tuple[tuple[int, int], ...] = ()
    pieces: int = 0
    window: bool = False
    job: str = ""
    format: Literal["inkshelf-journal"] = "inkshelf-journal"
    version: Literal[1] = 1


class Journal:
    """The entry on disk, and the job that it belongs to."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.entry = Entry()
        self._entry_sum = self._records = 0

    def begin(self, job: Job) -> None:
        """Keep the job with the bench and start at copying. The old entry goes first: none is ever paired with another job's document."""
        self.forget()
        raw = document.dump(job)
        write_atomically(self.folder / JOB, raw)
        self._put(Entry(job=_mark(raw)))

    def _put(self, entry: Entry) -> None:
        raw = msgspec.json.encode(entry)
        write_atomically(self.folder / NAME, raw)
        self.entry, self._entry_sum = entry, zlib.crc32(raw)

    def step(self, number: int) -> None:
        """A step begins."""
        self._put(Entry("step", number, job=self.entry.job))

    def note(self, **facts: object) -> None:
        """Something inside the step is safe now."""
        self._put(replace(self.entry, **facts))

    def reached(self, pieces: int, *, window: bool = False) -> None:
        """So many pieces of the move are safe now, and the scratch file holds what chains write over, or not. Flushed when it returns."""
        self._records += 1
        record = RECORD.pack(self._entry_sum, self._records, pieces, window)
        sector = (record + struct.pack("<I", zlib.crc32(record))).ljust(SECTOR, b"\0")
        new = not (self.folder / PROGRESS).exists()
        fd = open_own(self.folder, PROGRESS, os.O_RDWR | os.O_CREAT)
        try:
            write_all(fd, sector, self._records % 2 * SECTOR)
            os.fdatasync(fd)
        finally:
            os.close(fd)
        if new:
            flush_folder(self.folder)
        self.entry = replace(self.entry, pieces=pieces, window=window)

    def _read_progress(self) -> None:
        """Take the newest whole record that belongs to the entry on disk."""
        try:
            raw = (self.folder / PROGRESS).read_bytes()
        except OSError:
            return
        for at in range(0, len(raw) - RECORD.size - 3, SECTOR):
            record = raw[at : at + RECORD.size]
            entry_sum, count, pieces, window = RECORD.unpack(record)
            whole = struct.unpack_from("<I", raw, at + RECORD.size)[0] == zlib.crc32(record)
            if whole and entry_sum == self._entry_sum and count > self._records:
                self._records, self.entry = count, replace(self.entry, pieces=pieces, window=window)

    def over(self, state: Literal["reading back", "done"]) -> None:
        """All steps are done, or all of the work."""
        self._put(Entry(state, self.entry.step, job=self.entry.job))
        (self.folder / PROGRESS).unlink(missing_ok=True)

    def load(self) -> Job:
        """Read the job and the entry back; raises ``BenchError`` where there is nothing to go on with."""
        try:
            self.load_entry()
            raw = (self.folder / JOB).read_bytes()
        except FileNotFoundError:
            raise BenchError(f"Nothing was begun in {self.folder}.", "Ink a job there first.") from None
        except (OSError, msgspec.MsgspecError) as error:
            raise BenchError(
                f"The journal in {self.folder} cannot be read.",
                "Ink the job again into an empty bench; the source is untouched.",
            ) from error
        if _mark(raw) != self.entry.job:
            raise BenchError(
                f"The journal in {self.folder} belongs to another job than the one kept beside it.",
                "Ink the job again into an empty bench; the source is untouched.",
            )
        return document.load(raw, str(self.folder / JOB))

    def refuse_other(self, job: Job) -> None:
        """Refuse to begin, or go on with, a job where another one's work stands that is not over."""
        if not self.unfinished():
            return
        try:
            other = self.load()
        except InkshelfError:
            return  # nothing that could be gone on with
        if other.seed != job.seed:
            raise BenchError(
                f"In {self.folder} stands the work of another job, “{shown(other.title) or 'without a title'}”, that was cut or cancelled.",
                "Go on with it or go back there first (resume --bench, resume --back), or choose another folder for the bench.",
            )

    def forget(self) -> None:
        """Nothing is begun any more."""
        (self.folder / NAME).unlink(missing_ok=True)
        (self.folder / JOB).unlink(missing_ok=True)
        (self.folder / PROGRESS).unlink(missing_ok=True)

    def load_entry(self) -> None:
        """Read where the work stands."""
        raw = (self.folder / NAME).read_bytes()
        self.entry, self._entry_sum = msgspec.json.decode(raw, type=Entry), zlib.crc32(raw)
        self._read_progress()

    def unfinished_of(self, seed: str) -> bool:
        """Whether work of the job of that identity was begun there and not ended."""
        if not self.unfinished():
            return False
        try:
            return self.load().seed == seed
        except InkshelfError:
            return False

    def unfinished(self) -> bool:
        """Whether work was begun there and not ended."""
        try:
            return msgspec.json.decode((self.folder / NAME).read_bytes(), type=Entry).state != "done"
        except (OSError, msgspec.MsgspecError):
            return False
