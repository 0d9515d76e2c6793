"""Everything that readers make of one job: fold, ledger, rehearsal, findings. Computed anew after every edit."""

from __future__ import annotations

from inkshelf.core.boot.rehearse import Outcome, if_it_stops, rehearse
from inkshelf.core.plan.job import Job
from inkshelf.core.steps.fold import Fold, fold
from inkshelf.core.steps.kinds import Delete, Enclose, Format, Grow, Install, Label, MakeLogical, Move, NewTable, Renew, Shrink
from inkshelf.core.steps.ledger import Ledger, ledger
from inkshelf.core.value import Value


class Reading(Value, frozen=True):
    """One consistent view of a job."""

    job: Job
    plan: Fold
    ledger: Ledger
    before: tuple[Outcome, ...]
    after: tuple[Outcome, ...]
    stops: tuple[tuple[Outcome, ...], ...]

    @property
    def no_return(self) -> int | None:
        """The number of the first step that changes what is on a disk beyond the table, or ``None``."""
        kinds = (Shrink, Grow, Move, NewTable, Enclose, Delete, Format, Install, Label, Renew, MakeLogical)
        return next((number for number, step in enumerate(self.job.steps, 1) if isinstance(step, kinds)), None)


def read(job: Job) -> Reading:
    """Return the reading of a job."""
    plan = fold(job.found, job.steps)
    return Reading(job, plan, ledger(plan, job.steps), rehearse(plan.found), rehearse(plan.planned), if_it_stops(plan))
