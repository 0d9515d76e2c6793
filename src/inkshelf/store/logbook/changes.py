"""The order of changes: every one has a number that grows as they are made, and a key by which it is known when it is said again."""

from __future__ import annotations

import uuid
from typing import Literal

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkshelf.core.errors import JobError
from inkshelf.core.value import Value
from inkshelf.store.logbook.models import Change, Fact, Known, Waiting

Kind = Literal["job", "fault", "file"]
KINDS: tuple[Kind, ...] = ("job", "fault", "file")
COUNT, SELF = "changes", "identity"


class Says(Value, frozen=True):
    """Who makes a change, when (seconds since the epoch), and what was known.

    ``knows``: the revision that it was made from (``None``: whatever is there is replaced). ``key``: of this change (empty: a new one);
    ``tried``: of earlier ones of the same hand that may have arrived. ``waits``: it is to go to the shop's logbook, too.
    """

    at: int
    who: str = ""
    knows: int | None = None
    key: str = ""
    tried: tuple[str, ...] = ()
    waits: bool = False


class ChangedMeanwhileError(JobError):
    """Somebody else changed it in the logbook since it was read; ``revision`` is the one that is there now."""

    def __init__(self, revision: int) -> None:
        super().__init__("Somebody else changed this in the logbook meanwhile.", "Look at both, and put yours in once more.")
        self.revision = revision


def fact(session: Session, name: str) -> Fact:
    """Return a word of the logbook itself, made where it is not there."""
    found = session.get(Fact, name, with_for_update=True)
    if found is None:
        found = Fact(name=name, number=0, word="")
        session.add(found)
        session.flush()
    return found


def identity(session: Session) -> str:
    """Return what this logbook is known by, drawn once."""
    held = fact(session, SELF)
    held.word = held.word or uuid.uuid4().hex
    return held.word


def turn(session: Session) -> Fact:
    """Wait until nobody else is writing, and return the count of changes: so numbers are seen in the order in which they are given."""
    return fact(session, COUNT)


def allowed(session: Session, kind: Kind, seed: str, says: Says) -> int | None:
    """Return the revision that a change makes, or ``None`` where it was made already; raises ``ChangedMeanwhileError``.

    What this hand tried before and arrived after all counts as known.
    """
    turn(session)
    made = select(Change.revision).where(Change.kind == kind, Change.seed == seed)
    if says.key and session.scalar(made.where(Change.key == says.key)) is not None:
        return None
    there = session.scalar(select(func.max(Change.revision)).where(Change.kind == kind, Change.seed == seed)) or 0
    if says.knows is not None:
        own = session.scalars(made.where(Change.key.in_(says.tried))).all() if says.tried else ()
        if there != max((says.knows, *own)):
            raise ChangedMeanwhileError(there)
    return there + 1


def made(session: Session, kind: Kind, seed: str, revision: int, says: Says, *, gone: bool = False) -> None:
    """Write down that a change was made, and that it waits for the shop's logbook, where it is to go there."""
    count = turn(session)
    count.number += 1
    key = says.key or uuid.uuid4().hex
    session.add(
        Change(number=count.number, key=key, kind=kind, seed=seed, revision=revision, gone=gone, who=says.who, at=says.at)
    )
    if says.waits:
        wait(session, kind, seed, key, says.at)


def wait(session: Session, kind: Kind, seed: str, key: str, at: int) -> None:
    """Note that a record is to go to the shop's logbook as it is now."""
    one = session.get(Waiting, (kind, seed))
    if one is None:
        session.add(Waiting(kind=kind, seed=seed, keys=key, at=at))
    else:
        one.keys, one.at = f"{one.keys}\n{key}", at


def known_of(session: Session, kind: Kind, seed: str) -> int:
    """Return the shop's revision that a copy here was made from (0: the shop has none that is known)."""
    found = session.get(Known, (kind, seed))
    return found.revision if found else 0


def now_knows(session: Session, kind: Kind, seed: str, revision: int) -> None:
    """Note that the copy here is made from that revision of the shop's."""
    session.merge(Known(kind=kind, seed=seed, revision=revision))
