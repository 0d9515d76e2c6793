"""The logbook itself: put a job in, find it again, list what was done on a machine before; by URL, SQLite in the person's folder by default."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, selectinload

from inkshelf.core.errors import JobError
from inkshelf.core.sheet.logged import Logged, LoggedDisk, LoggedFinding, LoggedStep
from inkshelf.core.value import Value
from inkshelf.store.jobfile import LARGEST
from inkshelf.store.logbook import words
from inkshelf.store.logbook.changes import Says, allowed, made
from inkshelf.store.logbook.connection import Opened
from inkshelf.store.logbook.models import Entry, MetFinding, SeenDisk, TimedStep

MOST = 500
PLAIN = ("seed", "title", "owner", "aim", "reasons", "begun", "ended", "planned", "took", "words", "board", "opened")


class Brief(Value, frozen=True):
    """A job in a list: minutes, times as seconds since the epoch."""

    seed: str
    title: str
    owner: str
    aim: str
    changed: int
    begun: int | None
    ended: int | None
    planned: float
    took: float
    revision: int
    opened: str
    who: str


class Logbook(Opened):
    """One logbook. Every call is a transaction of its own; raises ``JobError`` where the database cannot be reached."""

    # -- writing -------------------------------------------------------------------------------------------------
    def put(self, job: Logged, raw: bytes, says: Says) -> int:
        """Keep a job, in the place of what is known of it, and return its revision (that of an earlier time, where this change was made already).

        Raises ``ChangedMeanwhileError`` where somebody else changed what ``says.knows`` was read at.
        """
        if not job.seed:
            raise JobError("This job has no identity yet.", "Take a disk in first.")
        with self.writing() as session:
            revision = allowed(session, "job", job.seed, says)
            if revision is None:
                return self._revision(session, job.seed)
            put_entry(session, job, raw, revision, says)
            made(session, "job", job.seed, revision, says)
            words.put(session, job.seed, job.words)
            return revision

    def _revision(self, session: Session, seed: str) -> int:
        return session.scalar(select(Entry.revision).where(Entry.seed == seed)) or 0

    # -- reading -------------------------------------------------------------------------------------------------
    def brief(self, limit: int = MOST) -> tuple[Brief, ...]:
        """Return the jobs that were changed last, the newest first."""
        with self.reading() as session:
            return tuple(
                _brief(one) for one in session.scalars(select(Entry).order_by(Entry.changed.desc(), Entry.seed).limit(limit))
            )

    def count(self) -> int:
        """Return how many jobs there are."""
        with self.reading() as session:
            return int(session.scalar(select(func.count()).select_from(Entry)) or 0)

    def search(self, asked: str, limit: int = MOST) -> tuple[Brief, ...]:
        """Return jobs that hold every word, or begin of a word, the newest first; all of them where nothing is typed."""
        parts = words.parts(asked)
        if not parts:
            return self.brief(limit)
        with self.reading() as session:
            query = select(Entry).order_by(Entry.changed.desc(), Entry.seed).limit(limit)
            return tuple(
                _brief(one) for one in session.scalars(query.where(Entry.seed.in_(words.found(session, parts, limit))))
            )

    def found(self, asked: str) -> int:
        """Return how many jobs a search would find."""
        parts = words.parts(asked)
        if not parts:
            return self.count()
        with self.reading() as session:
            return words.count(session, parts)

    def read(self, seed: str) -> tuple[bytes, int]:
        """Return the document of a job and its revision; raises ``JobError`` for one that is not there."""
        with self.reading() as session:
            entry = session.get(Entry, seed)
            if entry is None:
                raise gone(seed)
            return unpacked(entry.document), entry.revision

    def logged(self, seed: str) -> Logged:
        """Return what is kept of a job; raises ``JobError`` for one that is not there."""
        with self.reading() as session:
            found = logged_of(session, seed)
        if found is None:
            raise gone(seed)
        return found

    def seeds(self) -> tuple[str, ...]:
        """Return every job's identity."""
        with self.reading() as session:
            return tuple(session.scalars(select(Entry.seed).order_by(Entry.seed)))

    def before(self, serials: Sequence[str], but: str = "") -> tuple[Brief, ...]:
        """Return what was done on a machine with one of these disks before, the newest first; ``but``: without this job."""
        known = [one for one in serials if one]
        if not known:
            return ()
        with self.reading() as session:
            query = select(Entry).where(
                Entry.seed.in_(select(SeenDisk.seed).where(SeenDisk.serial.in_(known))), Entry.seed != but
            )
            return tuple(_brief(one) for one in session.scalars(query.order_by(Entry.changed.desc())))


def put_entry(session: Session, job: Logged, raw: bytes, revision: int, says: Says) -> None:
    """Write a job's rows, in the place of those that are there."""
    entry = session.get(Entry, job.seed) or Entry(seed=job.seed)
    for name in PLAIN[1:]:
        setattr(entry, name, getattr(job, name))
    entry.document, entry.changed, entry.revision, entry.who = zlib.compress(raw), says.at, revision, says.who
    entry.disks = [SeenDisk(**_fields(one)) for one in job.disks]
    entry.steps = [TimedStep(**_fields(one)) for one in job.steps]
    entry.findings = [MetFinding(**_fields(one)) for one in job.findings]
    session.add(entry)
    session.flush()


def unpacked(held: bytes) -> bytes:
    """Return a document as it was put in; raises ``JobError`` for one that is none."""
    if held[:1] == b"{":  # as earlier versions kept it
        return held
    try:
        reader = zlib.decompressobj()
        raw = reader.decompress(held, LARGEST)
    except zlib.error:
        raise JobError("This job's document in the logbook is damaged.", "Restore the last back-up of the logbook.") from None
    if reader.unconsumed_tail:
        raise JobError("This job's document is larger than any job's.", "Restore the last back-up of the logbook.")
    return raw


def gone(seed: str) -> JobError:
    """Return what is said of a job that is not there."""
    return JobError(f"The logbook has no job {seed}.", "Look for it by its owner, machine or a word: inkshelf log search ...")


def logged_of(session: Session, seed: str) -> Logged | None:
    """Return what is kept of a job, or ``None`` for one that is not there."""
    query = select(Entry).where(Entry.seed == seed)
    query = query.options(selectinload(Entry.disks), selectinload(Entry.steps), selectinload(Entry.findings))
    entry = session.scalars(query).one_or_none()
    if entry is None:
        return None
    return Logged(
        **{name: getattr(entry, name) for name in PLAIN},
        disks=tuple(LoggedDisk(**_fields(one, LoggedDisk)) for one in entry.disks),
        steps=tuple(LoggedStep(**_fields(one, LoggedStep)) for one in entry.steps),
        findings=tuple(LoggedFinding(**_fields(one, LoggedFinding)) for one in entry.findings),
    )


def _fields(one: object, kind: type[Value] | None = None) -> dict[str, Any]:
    return {name: getattr(one, name) for name in (kind or type(one)).__struct_fields__}  # type: ignore[attr-defined]


def _brief(entry: Entry) -> Brief:
    return Brief(**{name: getattr(entry, name) for name in Brief.__struct_fields__})
