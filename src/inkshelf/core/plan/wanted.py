"""Which need each new partition is for."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.aims import AimBase, Need
from inkshelf.core.plan.job import Job, found_by
from inkshelf.core.steps.kinds import Create


def wanted_by(job: Job) -> Iterator[tuple[AimBase, Need, Create]]:
    """Yield every partition that an aim makes with the aim and the need that it is for: they come in the order of the needs."""
    for aim in job.aims:
        own = [one for one in job.planned if isinstance(one, Create) and one.id.split(".")[0] == aim.id]
        if own and aim.made_of_needs:
            for need, create in zip(aim.needs(found_by(job, aim.id)), own, strict=True):
                yield aim, need, create


def wanted(job: Job) -> Iterator[tuple[Need, Create]]:
    """Yield every partition that an aim makes with the need that it is for."""
    return ((need, create) for _, need, create in wanted_by(job))
