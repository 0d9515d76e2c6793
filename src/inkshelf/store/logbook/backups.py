"""A logbook's back-up: its file in one piece while it is in use, and all that a back-up holds put back: jobs, known faults, kept files."""

from __future__ import annotations

import os
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkshelf.atomic import flush_folder
from inkshelf.core.errors import JobError
from inkshelf.core.value import Value
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import Kind, Says, allowed, made
from inkshelf.store.logbook.connection import SQLITE, AwayError
from inkshelf.store.logbook.models import Change, Entry, KeptFile, KnownFault, Waiting
from inkshelf.store.logbook.records import EXCHANGED

MARK = b"SQLite format 3\0"  # how its file begins (database file format, 1.3)
OURS = "Choose a back-up that was made by: inkshelf log back-up FILE"


class PutBack(Value, frozen=True):
    """How many of each kind were put back; ``damaged``: what of the back-up could not be, and why."""

    jobs: int
    faults: int
    files: int
    damaged: tuple[str, ...] = ()


def back_up(book: Logbook, path: Path) -> None:
    """Copy a logbook into a new file, whole or not at all; raises ``JobError`` where it is a server's, and where it cannot be written."""
    source = _file(book)
    if path.exists():
        raise JobError(f"{path} is there already.", "Choose another name: a back-up is not written over.")
    try:
        with tempfile.TemporaryDirectory(prefix=".inkshelf-", dir=path.parent) as folder:
            part = Path(folder) / "part"
            with closing(sqlite3.connect(source)) as one, closing(sqlite3.connect(part)) as other:
                one.backup(other)
            with part.open("rb+") as written:
                os.fsync(written.fileno())
            part.rename(path)
        flush_folder(path.parent)
    except (OSError, sqlite3.Error) as error:
        raise JobError(f"{path} cannot be written: {error}.", "Choose a folder that is there, with room in it.") from None


def restore(book: Logbook, path: Path) -> PutBack:
    """Put all that a back-up holds in, in the place of what is there of it; the back-up itself stays as it is.

    What waited for the shop's logbook waits for it again. Raises ``JobError`` where the back-up cannot be read.
    """
    own = _file(book)
    _refuse_other(path)
    with tempfile.TemporaryDirectory(prefix=".inkshelf-", dir=own.parent) as folder:
        copy = Path(folder) / "held.sqlite"
        try:
            shutil.copyfile(path, copy)
        except OSError as error:
            raise JobError(
                f"{path} cannot be read: {error.strerror}.", "Look at its disk, or choose another back-up."
            ) from None
        held = _opened(copy, path)
        try:
            return _put_back(book, held)
        finally:
            held.close()


def _refuse_other(path: Path) -> None:
    """A file of another kind is not copied first: it may be a disk's image."""
    if not path.is_file():
        raise JobError(f"{path} is not there.", "Choose a back-up of a logbook.")
    try:
        with path.open("rb") as opened:
            begins = opened.read(len(MARK))
    except OSError as error:
        raise JobError(f"{path} cannot be read: {error.strerror}.", "Look at its disk, or choose another back-up.") from None
    if begins != MARK:
        raise JobError(f"{path} is no logbook.", OURS)


def _opened(copy: Path, path: Path) -> Logbook:
    try:
        return Logbook(f"{SQLITE}{copy}")
    except AwayError:
        raise JobError(f"{path} is no logbook.", OURS) from None


def _put_back(book: Logbook, held: Logbook) -> PutBack:
    with held.reading() as session:
        records = list(_records(session))
    done: dict[Kind, int] = {"job": 0, "fault": 0, "file": 0}
    damaged = []
    for kind, seed, says in records:
        try:
            with held.reading() as session:
                raw = EXCHANGED[kind].pack(session, seed)
            with book.writing() as session:
                revision = allowed(session, kind, seed, says) or 1
                EXCHANGED[kind].put(session, seed, raw, revision, says)
                made(session, kind, seed, revision, says)
        except AwayError:
            raise
        except JobError as error:
            damaged.append(f"{kind} {seed[:60]}: {error.what}")
        else:
            done[kind] += 1
    return PutBack(done["job"], done["fault"], done["file"], tuple(damaged))


def _records(session: Session) -> Iterator[tuple[Kind, str, Says]]:
    """Every record of a logbook, with who changed it last and when."""
    waiting = {(one.kind, one.seed) for one in session.scalars(select(Waiting))}

    def says(kind: Kind, seed: str, at: int, who: str) -> tuple[Kind, str, Says]:
        return kind, seed, Says(at, who, waits=(kind, seed) in waiting)

    for seed, at, who in session.execute(select(Entry.seed, Entry.changed, Entry.who).order_by(Entry.changed, Entry.seed)):
        yield says("job", seed, at, who)
    for fault in session.scalars(select(KnownFault).where(KnownFault.fault != "").order_by(KnownFault.seed)):
        yield says("fault", fault.seed, fault.changed, fault.who)
    kept = {one.seed: (one.at, one.who) for one in session.scalars(select(Change).where(Change.kind == "file"))}
    for seed, digest in session.execute(select(KeptFile.seed, KeptFile.digest).order_by(KeptFile.seed, KeptFile.digest)):
        yield says("file", f"{seed}/{digest}", *kept.get(f"{seed}/{digest}", (0, "")))


def _file(book: Logbook) -> Path:
    if not book.url.startswith(SQLITE):
        raise JobError(
            "A shop's own server is backed up by its own tools.",
            "Its jobs and known faults, without pictures and captures, go out as JSON lines: inkshelf log export -o FILE.jsonl",
        )
    return Path(book.url.removeprefix(SQLITE))
