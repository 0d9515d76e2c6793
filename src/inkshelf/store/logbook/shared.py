"""A shop's logbook, and one's own copy of it: everything is kept here first, and goes to the shop's when it can be reached.

Work goes on without the network. What was changed here and there meanwhile is a conflict: both are kept until a person settles it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, cast

import msgspec
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkshelf.core.errors import JobError
from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.plan.working import joined, with_events
from inkshelf.core.sheet.logged import logged
from inkshelf.core.value import Value, replace
from inkshelf.store.logbook import changes
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import ChangedMeanwhileError, Kind, Says
from inkshelf.store.logbook.models import Change, Entry, Fact, KnownFault, Theirs, Waiting
from inkshelf.store.logbook.records import EXCHANGED, JobRecord, decoded

AT_ONCE = 200
"""Records that are taken in at once, at most: it begins with one and doubles, so that a line that breaks early still brings something each time."""
Way = Literal["mine", "theirs", "both"]
WAYS: tuple[Way, ...] = ("mine", "theirs", "both")


class Synced(Value, frozen=True):
    """How many records went to the shop's, and came from there; ``conflicts`` are open now, ``waiting`` still wait."""

    sent: int
    taken: int
    conflicts: int
    waiting: int


class Conflict(Value, frozen=True):
    """A record that was changed on both sides. ``mine`` and ``theirs``: its content (empty: deleted); ``who`` changed it there, and when."""

    kind: Kind
    seed: str
    mine: bytes
    theirs: bytes
    who: str
    at: int


def sync(here: Logbook, shop: Logbook) -> Synced:
    """Take in what is new at the shop's, then send what waits here. A break anywhere loses and doubles nothing: what was not confirmed is said again.

    Raises ``AwayError`` where the shop's cannot be reached; what went before it is kept.
    """
    taken = _pull(here, shop)
    sent = sum(_push(here, shop, kind, seed) for kind, seed in _waiting(here))
    return replace(standing(here), sent=sent, taken=taken)


def standing(here: Logbook) -> Synced:
    """Return how many conflicts are open, and how many records wait."""
    with here.reading() as session:
        counts = [session.scalar(select(func.count()).select_from(table)) or 0 for table in (Theirs, Waiting)]
    return Synced(0, 0, counts[0], counts[1])


# -- from the shop's ---------------------------------------------------------------------------------------------
def _pull(here: Logbook, shop: Logbook) -> int:
    with shop.writing() as session:
        name = f"read/{changes.identity(session)}"
    count, most = 0, 1
    while True:
        with here.reading() as session:
            done = _read_to(session, name)
        with shop.reading() as session:
            rows = session.scalars(select(Change).where(Change.number > done).order_by(Change.number).limit(most)).all()
            news = {(one.kind, one.seed): (one.revision, one.gone, one.who, one.at) for one in rows}
            keys = [(one.kind, one.seed, one.key, one.revision) for one in rows]
            last = rows[-1].number if rows else done
            records = [
                (cast("Kind", kind), seed, EXCHANGED[cast("Kind", kind)].pack(session, seed), *told)
                for (kind, seed), told in news.items()
            ]
        if not rows:
            return count
        with here.writing() as session:
            for one in keys:
                _arrived(session, *one)
            for kind, seed, raw, revision, gone, who, at in records:
                count += _take(session, kind, seed, b"" if gone and kind == "job" else raw, revision, Says(at, who))
            changes.fact(session, name).number = last
        most = min(AT_ONCE, 2 * most)


def _read_to(session: Session, name: str) -> int:
    found = session.get(Fact, name)
    return found.number if found else 0


def _arrived(session: Session, kind: str, seed: str, key: str, revision: int) -> None:
    """A change of one's own stands at the shop's, though nobody had said so: it waits no more, and what is there was made from it."""
    waiting = session.get(Waiting, (kind, seed))
    if waiting is None or key not in (keys := waiting.keys.split("\n")):
        return
    changes.now_knows(session, cast("Kind", kind), seed, revision)
    waiting.keys = "\n".join(keys[keys.index(key) + 1 :])
    if not waiting.keys:
        session.delete(waiting)
    session.flush()


def _take(session: Session, kind: Kind, seed: str, raw: bytes, revision: int, says: Says) -> bool:
    """Take one record in; where it was changed here, too, keep both."""
    if changes.known_of(session, kind, seed) >= revision:
        return False
    waiting = session.get(Waiting, (kind, seed))
    if waiting is not None:
        if kind == "file":  # it never changes: the shop has it already
            session.delete(waiting)
        else:
            _conflict(session, kind, seed, raw, revision, says)
            return False
    _write(session, kind, seed, raw, revision, says)
    return True


def _conflict(session: Session, kind: Kind, seed: str, raw: bytes, revision: int, says: Says) -> None:
    session.merge(Theirs(kind=kind, seed=seed, revision=revision, who=says.who, at=says.at, content=raw))


def _write(session: Session, kind: Kind, seed: str, raw: bytes, revision: int, says: Says) -> None:
    """Write the shop's record in the place of the one here, as a change that waits for nothing."""
    exchanged = EXCHANGED[kind]
    own = changes.allowed(session, kind, seed, replace(says, knows=None, key="", tried=())) or 1
    if raw:
        exchanged.put(session, seed, raw, own, says)
    else:
        exchanged.drop(session, seed)
    changes.made(session, kind, seed, own, replace(says, key="", waits=False), gone=not raw)
    changes.now_knows(session, kind, seed, revision)


# -- to the shop's -----------------------------------------------------------------------------------------------
def _waiting(here: Logbook) -> Iterator[tuple[Kind, str]]:
    with here.reading() as session:
        open_ones = {(one.kind, one.seed) for one in session.scalars(select(Theirs))}
        rows = [(one.kind, one.seed) for one in session.scalars(select(Waiting).order_by(Waiting.at, Waiting.seed))]
    for kind, seed in rows:
        if (kind, seed) not in open_ones:
            yield cast("Kind", kind), seed


def _push(here: Logbook, shop: Logbook, kind: Kind, seed: str) -> bool:
    """Send one record as it is here; tell whether it went."""
    with here.reading() as session:
        waiting = session.get(Waiting, (kind, seed))
        if waiting is None:
            return False
        *tried, key = waiting.keys.split("\n")
        raw, who, at = EXCHANGED[kind].pack(session, seed), _who(session, kind, seed), waiting.at
        says = Says(at, who, changes.known_of(session, kind, seed) if kind != "file" else None, key, tuple(tried))
    try:
        revision = _arrive(shop, kind, seed, raw, says)
    except ChangedMeanwhileError:
        return False  # the next pull brings theirs, and both are kept
    with here.writing() as session:
        changes.now_knows(session, kind, seed, revision)
        still = session.get(Waiting, (kind, seed))
        if still is not None and still.keys.endswith(key):
            session.delete(still)
        elif still is not None:  # it was changed here meanwhile: that goes with the next
            still.keys = still.keys.split(f"{key}\n", 1)[-1]
    return True


def _who(session: Session, kind: Kind, seed: str) -> str:
    row = session.get(Entry, seed) if kind == "job" else session.get(KnownFault, seed) if kind == "fault" else None
    return row.who if row is not None else ""


def _arrive(shop: Logbook, kind: Kind, seed: str, raw: bytes, says: Says) -> int:
    """Write a record into the shop's, and return its revision there; once, however often it is said."""
    with shop.writing() as session:
        revision = changes.allowed(session, kind, seed, says)
        if revision is None:
            return session.scalars(select(Change.revision).where(Change.key == says.key)).one()
        if raw:
            EXCHANGED[kind].put(session, seed, raw, revision, says)
        else:
            EXCHANGED[kind].drop(session, seed)
        changes.made(session, kind, seed, revision, says, gone=not raw)
        return revision


# -- what was changed on both sides ------------------------------------------------------------------------------
def conflicts(here: Logbook) -> tuple[Conflict, ...]:
    """Return what was changed here and at the shop's, and is not settled."""
    with here.reading() as session:
        return tuple(
            Conflict(
                cast("Kind", one.kind),
                one.seed,
                EXCHANGED[cast("Kind", one.kind)].pack(session, one.seed),
                bytes(one.content),
                one.who,
                one.at,
            )
            for one in session.scalars(select(Theirs).order_by(Theirs.at, Theirs.seed))
        )


def settle(here: Logbook, conflict: Conflict, way: Way, says: Says) -> None:
    """Settle a conflict: this side's, the shop's, or the shop's with what was noted at work on this side (jobs only)."""
    if way not in WAYS:
        raise JobError(f"“{way}” is no way to settle it.", f"Choose one of: {', '.join(WAYS)}.")
    kind, seed = conflict.kind, conflict.seed
    both = _both(conflict) if way == "both" else b""
    with here.writing() as session:
        theirs = session.get(Theirs, (kind, seed))
        if theirs is None or bytes(theirs.content) != conflict.theirs:
            raise JobError("It changed meanwhile.", "Look at it once more.")
        revision, who, at = theirs.revision, theirs.who, theirs.at
        session.delete(theirs)
        if way == "mine":
            changes.now_knows(session, kind, seed, revision)
            return
        waiting = session.get(Waiting, (kind, seed))
        if waiting is not None:
            session.delete(waiting)
            session.flush()
        _write(session, kind, seed, conflict.theirs, revision, Says(at, who))
        if both:
            own = changes.allowed(session, kind, seed, replace(says, knows=None)) or 1
            EXCHANGED[kind].put(session, seed, both, own, says)
            changes.made(session, kind, seed, own, replace(says, waits=True))


def _both(conflict: Conflict) -> bytes:
    """The shop's job with everything that was noted at work on either side."""
    if conflict.kind != "job" or not conflict.mine or not conflict.theirs:
        raise JobError("These two cannot be put together.", "Choose yours or theirs.")
    mine, theirs = (decoded(one, JobRecord).raw for one in (conflict.mine, conflict.theirs))
    job, other = document.load(theirs), document.load(mine)
    known = set(job.work)
    whole = with_events(job, *(one for one in other.work if one not in known))
    whole = replace(whole, work=joined(job.work, other.work))
    return msgspec.msgpack.encode(JobRecord(logged(read(whole)), document.dump(whole)))
