"""The job file: one open JSON document (``core.plan.document``), written atomically."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from inkshelf.atomic import write_atomically as put
from inkshelf.bounded import TooLargeError, read_bounded
from inkshelf.core.errors import JobError
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job
from inkshelf.data import text

LARGEST = 64 << 20
"""Bytes of a job's document."""

Stamp = tuple[int, int, int]
"""When a file was written, its bytes, and which file it is: what tells one state of it from another."""


def stamp(path: Path) -> Stamp | None:
    """Return the state of a file, ``None`` where none can be seen."""
    try:
        there = path.stat()
    except OSError:
        return None
    return there.st_mtime_ns, there.st_size, there.st_ino


def refuse_changed(path: Path, known: Stamp | None, remedy: str) -> None:
    """Raise ``JobError`` where another program wrote the file since it was in the ``known`` state; one that is gone is written anew."""
    there = stamp(path)
    if there is not None and there != known:
        raise JobError(f"{path} was changed by another program since it was read here, and is not written over.", remedy)


def load(path: Path) -> Job:
    """Return the job saved at ``path``."""
    try:
        raw = read_bounded(path, LARGEST)
    except FileNotFoundError:
        raise JobError(f"{path} is not there.", "Check the name, or start a new job.") from None
    except IsADirectoryError:
        raise JobError(f"{path} is a folder.", "Choose a job file.") from None
    except PermissionError:
        raise JobError(f"{path} may not be read by you.", "Change its permissions or copy it.") from None
    except TooLargeError:
        raise JobError(
            f"{path} is too large to be a job.", "Choose a job file; a disk image is taken in by: new, take."
        ) from None
    except OSError as error:
        raise JobError(f"{path} cannot be read: {error.strerror}.", "Check the disk that it is on.") from None
    return document.load(raw, str(path))


def save(job: Job, path: Path, *, make_folder: bool = False, read_back: bool = True) -> None:
    """Write the job beside its place, flush it to the disk, then put it in place: a cut leaves the old one or the new one.

    What could not be opened again never takes the place of what can; ``read_back`` is false only where anything is better than nothing.
    """
    raw = document.dump(job)
    if read_back:
        try:
            document.load(raw, "it")
        except JobError as error:
            raise JobError(
                f"This job could not be opened again if it were saved: {error.what}",
                f"{path} stays as it was. Take the last change back, and report what it was.",
            ) from None
    write_atomically(path, raw, make_folder=make_folder)


def write_atomically(path: Path, data: bytes, *, make_folder: bool = False) -> None:
    """Write ``data`` to ``path`` by way of a temporary file, with its folder flushed too."""
    try:
        if make_folder:
            path.parent.mkdir(parents=True, exist_ok=True)
        put(path, data)
    except PermissionError:
        raise JobError(f"{path} may not be written by you.", "Choose another folder.") from None
    except OSError as error:
        raise JobError(
            f"{path} cannot be written: {error.strerror}.",
            "Free some room or choose another folder; what stood there before is whole.",
        ) from None


def published_schema() -> dict[str, Any]:
    """Return the schema file that ships with the program."""
    return dict(msgspec.json.decode(text("job.schema.json")))
