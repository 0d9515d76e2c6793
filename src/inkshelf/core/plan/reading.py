"""Everything that readers make of one job: fold, ledger, rehearsal, findings. Computed anew after every edit."""

from __future__ import annotations

from inkshelf.core.boot.rehearse import Outcome, if_it_stops, rehearse
from inkshelf.core.plan.job import Job
from inkshelf.core.steps.fold import Fold, fold
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
        """The number of the first step whose undoing needs more than the way back that is printed beside it, or ``None``.

        Tables, types and boot variables can be put back; what is written inside a volume that was there, or given up, cannot; a file that is only added can be deleted.
        """
        there = {volume.call for _, volume in self.plan.found.volumes()}
        for number, (step, before) in enumerate(zip(self.job.steps, self.plan.machines, strict=False), 1):
            if not step.undone and there & {*step.inside(), *step.gives_up(before)}:
                return number
        return None


def read(job: Job) -> Reading:
    """Return the reading of a job."""
    plan = fold(job.found, job.steps)
    return Reading(
        job,
        plan,
        ledger(plan, job.steps),
        rehearse(plan.found, job.mishaps),
        rehearse(plan.planned, job.mishaps),
        if_it_stops(plan),
    )
