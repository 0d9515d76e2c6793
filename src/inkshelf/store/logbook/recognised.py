"""A machine that was here before, and what its models are known for: said as findings beside those of the job."""

from __future__ import annotations

from datetime import UTC, datetime

from inkshelf.core.checks.registry import Finding, Show
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job
from inkshelf.store.logbook.book import Brief, Logbook
from inkshelf.store.logbook.faults import Fault, known_for
from inkshelf.store.logbook.history import last_note

MODELS_LEAST = 3  # letters of a model that says anything


def recognised(book: Logbook, job: Job) -> tuple[Finding, ...]:
    """Return what the logbook knows of the machine of a job: when it was here last, and faults of its models."""
    disks = [one for one in job.found.disks if not one.stick]
    before = book.before([one.serial for one in disks], job.seed)
    models = [one for one in (job.found.board, *(disk.model for disk in disks)) if len(one) >= MODELS_LEAST]
    found = [_known(one) for one in known_for(book, models)]
    if not before:
        return tuple(found)
    try:
        note = last_note(book, before[0].seed)
    except InkshelfError as error:  # one job that cannot be read hides nothing else that is known
        note = f"what was noted cannot be read ({error.what.rstrip('.')})."
    return (*found, _before(before, note))


def unread(error: InkshelfError) -> tuple[Finding, ...]:
    """Return what is said where the logbook could not be looked into: that nothing is known is then not known."""
    return (
        Finding(
            "logbook.unread",
            "note",
            "The logbook was not looked into",
            f"Whether this machine was here before is not known. {error.what} {error.remedy}",
        ),
    )


def day_of(at: int) -> str:
    """Return a day in words, for example ``14 March 2026``."""
    return f"{datetime.fromtimestamp(at, UTC):%-d %B %Y}"


def _before(jobs: tuple[Brief, ...], note: str) -> Finding:
    """The last job of this machine in a sentence, and the key that opened its firmware, whenever that was noted."""
    last, times = jobs[0], len(jobs)
    key = next((one.opened for one in jobs if one.opened), "")
    parts = [f"{day_of(last.begun or last.changed)}, {last.owner or 'nobody named'}: {last.aim or 'no aim'}."]
    parts += [f"It was here {times} times."] if times > 1 else []
    parts += [f"{key} opened its firmware."] if key else ["Which key opens its firmware was not noted."]
    parts += [f"Noted then: {note}"] if note else []
    return Finding(
        f"logbook.before.{last.seed}",
        "note",
        "This machine was here before",
        " ".join(parts),
        remedies=(Show("logbook", "Look at that job", 1),),
    )


def _known(fault: Fault) -> Finding:
    helps = f" What helps: {fault.workaround}" if fault.workaround else " Nobody has written down what helps."
    return Finding(f"logbook.fault.{fault.seed}", "warn", f"{fault.model} is known for this", f"{fault.fault}.{helps}")


def said(findings: tuple[Finding, ...]) -> str:
    """Return findings in lines of a text."""
    return "\n".join(f"{one.title}: {one.why}" for one in findings)
