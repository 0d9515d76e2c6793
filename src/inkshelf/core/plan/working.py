"""A job that is worked: events are added and never lost; the ticks of its sheet follow from them."""

from __future__ import annotations

from inkshelf.core.plan.job import Job
from inkshelf.core.steps.identity import Tick
from inkshelf.core.value import replace
from inkshelf.core.work.events import AnyEvent, Ended, Reopened, Work
from inkshelf.core.work.worked import FINISHED


def with_events(job: Job, *events: AnyEvent) -> Job:
    """Return the job with more events behind those it has, and the ticks that they make or take off."""
    ticked = job.ticked
    for one in events:
        if isinstance(one, Ended | Reopened):
            ticked = tuple(tick for tick in ticked if tick.step != one.step)
        if isinstance(one, Ended) and one.how in FINISHED:
            ticked = (*ticked, Tick(one.step, one.of))
    return replace(job, work=(*job.work, *events), ticked=ticked)


def keeping(earlier: Job, now: Job) -> Job:
    """Return an earlier job with everything that was noted since: going back in the plan takes back no work."""
    known = len(earlier.work)
    if now.work[:known] != earlier.work:
        return replace(earlier, work=now.work, ticked=now.ticked)
    return with_events(earlier, *now.work[known:])


def joined(one: Work, other: Work) -> Work:
    """Return the events of both, each once, in the order of their times: what was noted on another sheet is taken in."""
    return tuple(sorted(dict.fromkeys((*one, *other)), key=lambda event: event.at))
