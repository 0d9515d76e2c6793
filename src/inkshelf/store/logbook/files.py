"""Pictures, captures and other files of a job, kept in the logbook with it: under their sums, so that none is there twice or changed."""

from __future__ import annotations

import hashlib
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkshelf.core.errors import JobError
from inkshelf.core.plan.job import Job
from inkshelf.core.texts import shown
from inkshelf.core.value import Value
from inkshelf.core.work.events import Attached
from inkshelf.store.kept import MOST, path_of
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import Says, allowed, made
from inkshelf.store.logbook.models import KeptFile


class Held(Value, frozen=True):
    """A file that is kept: its own name, and its sum (SHA-256, hexadecimal)."""

    name: str
    digest: str


def keep(book: Logbook, seed: str, name: str, raw: bytes, says: Says) -> Held:
    """Keep a file with a job; one that is there already stays. Raises ``JobError`` for one that is too large."""
    if len(raw) > MOST:
        raise JobError(f"{shown(name)} is too large to keep.", "Make it smaller, or note where it lies.")
    held = Held(shown(name)[:200] or "file", hashlib.sha256(raw).hexdigest())
    with book.writing() as session:
        put_file(session, seed, held, raw, says)
    return held


def put_file(session: Session, seed: str, held: Held, raw: bytes, says: Says) -> None:
    """Write a file's row and its change, where it is not there yet."""
    if session.get(KeptFile, (seed, held.digest)) is None:
        session.add(KeptFile(seed=seed, digest=held.digest, name=held.name, content=raw))
        record = f"{seed}/{held.digest}"
        revision = allowed(session, "file", record, says)
        made(session, "file", record, revision or 1, says)


def held_of(book: Logbook, seed: str) -> tuple[Held, ...]:
    """Return the files of a job."""
    with book.reading() as session:
        rows = session.execute(
            select(KeptFile.name, KeptFile.digest).where(KeptFile.seed == seed).order_by(KeptFile.name, KeptFile.digest)
        )
        return tuple(Held(name, digest) for name, digest in rows)


def content(book: Logbook, seed: str, digest: str) -> bytes:
    """Return the bytes of a kept file; raises ``JobError`` where it is not there, or is not what was put in."""
    with book.reading() as session:
        row = session.get(KeptFile, (seed, digest))
        raw = bytes(row.content) if row else b""
    if row is None:
        raise JobError("This file is not in the logbook.", "List what is: inkshelf log show ID")
    if hashlib.sha256(raw).hexdigest() != digest:
        raise JobError("This file in the logbook is damaged.", "Restore the last back-up of the logbook.")
    return raw


def keep_attached(book: Logbook, job: Job, place: Path, says: Says) -> int:
    """Keep the files that are attached to a job's steps and lie beside its file, and the captured texts that it was made from; return how
    many were there. Those that are gone are passed over."""
    count = 0
    for source in job.sources:
        path = Path(source.path)
        if source.kind != "image" and path.is_file() and path.stat().st_size <= MOST:
            keep(book, job.seed, f"before: {path.name}", path.read_bytes(), says)
            count += 1
    for one in job.work:
        if isinstance(one, Attached):
            path = path_of(place, one.digest, one.name)
            if path.is_file() and path.stat().st_size <= MOST:
                raw = path.read_bytes()
                if hashlib.sha256(raw).hexdigest() == one.digest:
                    keep(book, job.seed, one.name, raw, says)
                    count += 1
    return count
