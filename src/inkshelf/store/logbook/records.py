"""The kinds of records that two logbooks exchange: each as bytes, read from one and written into the other as it is."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import msgspec
from sqlalchemy.orm import Session

from inkshelf.core.errors import JobError
from inkshelf.core.plan import document
from inkshelf.core.sheet.logged import Logged
from inkshelf.core.value import Value
from inkshelf.store.jobfile import LARGEST
from inkshelf.store.logbook import words
from inkshelf.store.logbook.book import logged_of, put_entry, unpacked
from inkshelf.store.logbook.changes import Kind, Says
from inkshelf.store.logbook.faults import Fault, fault_of
from inkshelf.store.logbook.faults import put_row as put_fault_row
from inkshelf.store.logbook.files import Held
from inkshelf.store.logbook.forgetting import remove
from inkshelf.store.logbook.models import Entry, KeptFile

Record = TypeVar("Record")


class JobRecord(Value, frozen=True):
    """A job as it goes from one logbook to another: what is kept of it, and its document."""

    logged: Logged
    raw: bytes


class FileRecord(Value, frozen=True):
    """A kept file on its way."""

    seed: str
    held: Held
    content: bytes


class Exchanged(Value, frozen=True):
    """One kind. ``pack``: the record's bytes (empty: it is not there); ``put``: write them at a revision; ``drop``: delete it."""

    pack: Callable[[Session, str], bytes]
    put: Callable[[Session, str, bytes, int, Says], None]
    drop: Callable[[Session, str], None]


def _pack_job(session: Session, seed: str) -> bytes:
    logged = logged_of(session, seed)
    if logged is None:
        return b""
    entry = session.get(Entry, seed)
    return msgspec.msgpack.encode(JobRecord(logged, unpacked(entry.document) if entry else b""))


def _put_job(session: Session, seed: str, raw: bytes, revision: int, says: Says) -> None:
    one = decoded(raw, JobRecord)
    if one.logged.seed != seed or len(one.raw) > LARGEST or document.load(one.raw).seed != seed:
        raise JobError(f"What the shop's logbook holds as {seed[:60]} is another job.", "Look at it: inkshelf log show ID")
    put_entry(session, one.logged, one.raw, revision, says)
    words.put(session, seed, one.logged.words)


def _pack_fault(session: Session, seed: str) -> bytes:
    found = fault_of(session, seed)
    return msgspec.msgpack.encode(found) if found else b""


def _put_fault(session: Session, seed: str, raw: bytes, revision: int, says: Says) -> None:
    put_fault_row(session, msgspec.structs.replace(decoded(raw, Fault), seed=seed), revision, says)


def _pack_file(session: Session, record: str) -> bytes:
    seed, _, digest = record.rpartition("/")
    row = session.get(KeptFile, (seed, digest))
    return msgspec.msgpack.encode(FileRecord(seed, Held(row.name, digest), bytes(row.content))) if row else b""


def _put_file(session: Session, record: str, raw: bytes, _revision: int, _says: Says) -> None:
    import hashlib

    one = decoded(raw, FileRecord)
    if record != f"{one.seed}/{one.held.digest}" or hashlib.sha256(one.content).hexdigest() != one.held.digest:
        raise JobError(f"A file of {one.seed[:60]} in the shop's logbook is damaged.", "Restore the last back-up of it.")
    session.merge(KeptFile(seed=one.seed, digest=one.held.digest, name=one.held.name, content=one.content))


def _drop_fault(session: Session, seed: str) -> None:
    """A fault that was taken back stays as a row without words: nothing to do beside what ``put`` does."""


def _drop_file(session: Session, record: str) -> None:
    seed, _, digest = record.rpartition("/")
    row = session.get(KeptFile, (seed, digest))
    if row is not None:
        session.delete(row)


def named(kind: str, raw: bytes) -> str:
    """Return what a record is about, in words (empty: it is not there)."""
    if not raw:
        return ""
    if kind == "job":
        job = decoded(raw, JobRecord).logged
        return ", ".join(one for one in (job.owner, job.title) if one)
    return decoded(raw, Fault).model if kind == "fault" else decoded(raw, FileRecord).held.name


def decoded(raw: bytes, kind: type[Record]) -> Record:
    """Return a record; raises ``JobError`` for bytes that are none."""
    try:
        return msgspec.msgpack.decode(raw, type=kind)
    except (msgspec.MsgspecError, RecursionError):
        raise JobError(
            "A record of the other logbook is of another version.", "Use the same Ink Shelf on both sides."
        ) from None


EXCHANGED: dict[Kind, Exchanged] = {
    "job": Exchanged(_pack_job, _put_job, remove),
    "fault": Exchanged(_pack_fault, _put_fault, _drop_fault),
    "file": Exchanged(_pack_file, _put_file, _drop_file),
}
"""Every kind of record; one that is missing here is refused."""
