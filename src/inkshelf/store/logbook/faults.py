"""Faults that a model of disk, board or machine is known for, with what helps: kept by the shop, shown when such a machine is taken in."""

from __future__ import annotations

import uuid
from collections.abc import Iterable

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkshelf.core.errors import JobError
from inkshelf.core.texts import one_line
from inkshelf.core.value import Value, replace
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import Says, allowed, made
from inkshelf.store.logbook.models import KnownFault


class Fault(Value, frozen=True):
    """``model``: of a disk, board or machine, or what its name begins with; ``fault``: what it does (empty: it was taken back)."""

    model: str
    fault: str
    workaround: str = ""
    seed: str = ""
    who: str = ""
    changed: int = 0
    revision: int = 0


def put_fault(book: Logbook, fault: Fault, says: Says) -> Fault:
    """Keep a fault, anew where it has no identity; return it as it is kept. Raises ``JobError`` where it says nothing."""
    model = one_line(fault.model.strip(), "The model")
    if not model:
        raise JobError("Which model has this fault is not said.", "Write the model as the disk or the board names itself.")
    one = replace(
        fault,
        model=model,
        fault=one_line(fault.fault.strip(), "The fault"),
        workaround=one_line(fault.workaround.strip(), "What helps"),
        seed=fault.seed or uuid.uuid4().hex,
    )
    with book.writing() as session:
        revision = allowed(session, "fault", one.seed, says)
        if revision is None:
            return one
        put_row(session, one, revision, says)
        made(session, "fault", one.seed, revision, says, gone=not one.fault)
        return replace(one, revision=revision, who=says.who, changed=says.at)


def put_row(session: Session, one: Fault, revision: int, says: Says) -> None:
    """Write a fault's row, in the place of the one that is there."""
    session.merge(
        KnownFault(
            seed=one.seed,
            model=one.model,
            fault=one.fault,
            workaround=one.workaround,
            who=says.who,
            changed=says.at,
            revision=revision,
        )
    )


def fault_of(session: Session, seed: str) -> Fault | None:
    """Return one fault, or ``None``."""
    found = session.get(KnownFault, seed)
    return _fault(found) if found else None


def faults(book: Logbook) -> tuple[Fault, ...]:
    """Return every fault that was not taken back, by model."""
    with book.reading() as session:
        query = select(KnownFault).where(KnownFault.fault != "").order_by(KnownFault.model, KnownFault.changed)
        return tuple(_fault(one) for one in session.scalars(query))


def known_for(book: Logbook, models: Iterable[str]) -> tuple[Fault, ...]:
    """Return the faults of these models: where the name of one begins so, whatever its letters' case."""
    names = [one.strip().lower() for one in models if one.strip()]
    return tuple(one for one in faults(book) if any(name.startswith(one.model.lower()) for name in names))


def _fault(row: KnownFault) -> Fault:
    return Fault(**{name: getattr(row, name) for name in Fault.__struct_fields__})
