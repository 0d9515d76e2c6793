"""What was ticked, noted and timed on a page without the program: a small file, hostile like everything that comes from outside."""

from __future__ import annotations

import msgspec

from inkshelf.core.errors import JobError
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.working import joined, with_events
from inkshelf.core.sheet.papercode import of_this_job
from inkshelf.core.value import Value, replace
from inkshelf.core.work.events import AnyEvent, Ended, Work

FORMAT, VERSION = "inkshelf-work", 1
LARGEST = 4 << 20
MOST = 20_000


class WorkFile(Value, frozen=True):
    """The whole file: of which sheet it is, and what happened."""

    format: str
    version: int
    code: str
    events: tuple[AnyEvent, ...]


def read_work(raw: bytes, job: Job) -> tuple[Work, bool]:
    """Return the events of a file, and whether its sheet showed the plan as it is now. Raises ``JobError`` where it is not of this job."""
    if len(raw) > LARGEST:
        raise JobError("That file is too large to be what a sheet saved.", "Choose the file that the page saved.")
    try:
        found = msgspec.json.decode(raw, type=WorkFile)
    except (msgspec.MsgspecError, ValueError, RecursionError) as error:
        raise JobError(f"That is not what a sheet saved: {str(error)[:200]}.", "Choose the file that the page saved.") from None
    if (found.format, found.version) != (FORMAT, VERSION) or len(found.events) > MOST:
        raise JobError("That is not what a sheet of this Ink Shelf saved.", "Save it again from the page.")
    return found.events, of_this_job(job, found.code)


def take_work(job: Job, raw: bytes) -> tuple[Job, int, bool]:
    """Return the job with what a page saved, how many events were new, and whether the page showed the plan as it is now; twice is once."""
    events, same = read_work(raw, job)
    known = {one.id for one in job.steps} | {one.step for one in job.work}
    strange = next((one.step for one in events if one.step and one.step not in known), "")
    if strange:
        raise JobError(f"The page speaks of a step {strange}, which this job never had.", "Choose the file of this job.")
    new = tuple(one for one in dict.fromkeys(events) if one not in set(job.work))
    work = joined(job.work, new)
    ends = tuple(one for one in work if isinstance(one, Ended))
    fresh = with_events(
        replace(job, work=(), ticked=tuple(one for one in job.ticked if one.step not in {two.step for two in ends})), *work
    )
    return fresh, len(new), same


def write_work(code: str, events: Work) -> bytes:
    """Return the file of some events; a page writes the same."""
    return msgspec.json.encode(WorkFile(FORMAT, VERSION, code, events))
