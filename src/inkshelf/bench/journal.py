"""The journal of a bench: which step was begun and how far it got, on the disk before the bytes are.

The work goes on at the last checkpoint: tables, boot variables and fresh file systems are written anew; a volume that a utility
changed comes back from its scratch file, which is kept until the next checkpoint; a move goes on behind the last piece that is safe.
"""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import msgspec

from inkshelf.atomic import write_atomically
from inkshelf.core.errors import BenchError
from inkshelf.core.plan.job import Job
from inkshelf.core.value import Value, replace

NAME, JOB = "journal.json", "job.json"


class Entry(Value, frozen=True):
    """Where the work stands. ``part``: parts of the step that are done; ``back``: the scratch file is complete and is being
    brought back; ``ranges`` and ``pieces``: what a move carries (first byte, behind the last) and how many pieces are safe;
    ``window``: the scratch file holds the pieces behind those."""

    state: Literal["copying", "step", "reading back", "done"] = "copying"
    step: int = 0
    part: int = 0
    back: bool = False
    ranges: tuple[tuple[int, int], ...] = ()
    pieces: int = 0
    window: bool = False


class Journal:
    """The entry on disk, and the job that it belongs to."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.entry = Entry()

    def begin(self, job: Job) -> None:
        """Keep the job with the bench and start at copying."""
        write_atomically(self.folder / JOB, msgspec.json.encode(job))
        self._put(Entry())

    def _put(self, entry: Entry) -> None:
        write_atomically(self.folder / NAME, msgspec.json.encode(entry))
        self.entry = entry

    def step(self, number: int) -> None:
        """A step begins."""
        self._put(Entry("step", number))

    def note(self, **facts: object) -> None:
        """Something inside the step is safe now."""
        self._put(replace(self.entry, **facts))

    def over(self, state: Literal["reading back", "done"]) -> None:
        """All steps are done, or all of the work."""
        self._put(Entry(state, self.entry.step))

    def load(self) -> Job:
        """Read the job and the entry back; raises ``BenchError`` where there is nothing to go on with."""
        try:
            self.load_entry()
            return msgspec.json.decode((self.folder / JOB).read_bytes(), type=Job)
        except FileNotFoundError:
            raise BenchError(f"Nothing was begun in {self.folder}.", "Ink a job there first.") from None
        except (OSError, msgspec.MsgspecError) as error:
            raise BenchError(
                f"The journal in {self.folder} cannot be read.",
                "Ink the job again into an empty bench; the source is untouched.",
            ) from error

    def forget(self) -> None:
        """Nothing is begun any more."""
        (self.folder / NAME).unlink(missing_ok=True)
        (self.folder / JOB).unlink(missing_ok=True)

    def load_entry(self) -> None:
        """Read where the work stands."""
        self.entry = msgspec.json.decode((self.folder / NAME).read_bytes(), type=Entry)

    def unfinished(self) -> bool:
        """Whether work was begun there and not ended."""
        try:
            return msgspec.json.decode((self.folder / NAME).read_bytes(), type=Entry).state != "done"
        except (OSError, msgspec.MsgspecError):
            return False
