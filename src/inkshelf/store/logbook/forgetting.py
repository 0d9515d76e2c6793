"""Take an owner's name out of a logbook, or the owner's jobs: nothing of the name is left to search for."""

from __future__ import annotations

import json
import re
import zlib

from sqlalchemy import delete as delete_from
from sqlalchemy import select
from sqlalchemy.orm import Session

from inkshelf.core.errors import JobError
from inkshelf.core.plan import document
from inkshelf.store.logbook import words
from inkshelf.store.logbook.book import Logbook, unpacked
from inkshelf.store.logbook.changes import Says, allowed, made
from inkshelf.store.logbook.models import Entry, KeptFile

WRITTEN = ("owner", "title", "reasons")
NOBODY = "somebody"
"""Who an owner becomes that is to be known no more."""


def forget(book: Logbook, owner: str, says: Says, *, delete: bool) -> int:
    """Take an owner's name out of every job, or delete the jobs; return how many there were."""
    if not owner.strip():
        raise JobError("No owner is named.", "Say whose jobs are meant.")
    with book.writing() as session:
        found = session.scalars(select(Entry).where(Entry.owner == owner)).all()
        for entry in found:
            revision = allowed(session, "job", entry.seed, says) or entry.revision
            made(session, "job", entry.seed, revision, says, gone=delete)
            words.put(session, entry.seed, None)
            if delete:
                remove(session, entry.seed)
            else:
                _without(session, entry, owner, revision)
        return len(found)


def remove(session: Session, seed: str) -> None:
    """Delete a job with everything that belongs to it."""
    words.put(session, seed, None)
    session.execute(delete_from(KeptFile).where(KeptFile.seed == seed))
    entry = session.get(Entry, seed)
    if entry is not None:
        session.delete(entry)
        session.flush()


def _without(session: Session, entry: Entry, owner: str, revision: int) -> None:
    entry.document = zlib.compress(without(unpacked(entry.document), owner))
    for name in ("owner", "title", "aim", "reasons", "words"):
        setattr(entry, name, _unnamed(getattr(entry, name), owner))
    for one in entry.findings:
        one.answered = _unnamed(one.answered, owner)
    for file in session.scalars(select(KeptFile).where(KeptFile.seed == entry.seed)):
        file.name = _unnamed(file.name, owner)
    entry.revision = revision
    session.flush()
    words.put(session, entry.seed, entry.words)


def _unnamed(said: str, owner: str) -> str:
    return re.sub(rf"(?<!\w){re.escape(owner)}(?!\w)", NOBODY, said)


def without(raw: bytes, owner: str) -> bytes:
    """Return a job's document without a name, wherever it stands as a word of its own; what comes of it can still be opened.

    Where the name is also a word that a document needs (a call number, a file system), only what somebody wrote is changed.
    """

    def walked(value: object) -> object:
        if isinstance(value, str):
            return _unnamed(value, owner)
        if isinstance(value, list):
            return [walked(one) for one in value]
        return {key: walked(one) for key, one in value.items()} if isinstance(value, dict) else value

    told = json.loads(raw)
    try:
        return document.dump(document.load(json.dumps(walked(told)).encode()))
    except JobError:
        job = told["job"]
        told["job"] = {**job, **{key: walked(job[key]) for key in WRITTEN if key in job}}
        for one in told["job"].get("work", []):
            one.update({key: walked(one[key]) for key in ("why", "text", "value", "name") if key in one})
        return document.dump(document.load(json.dumps(told).encode()))
