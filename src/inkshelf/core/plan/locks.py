"""Locked sizes: a number that a person set stays, and the others adapt. Kept with the aim, so that it outlives every replanning."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.aims.base import AimBase, Need, lock_key
from inkshelf.core.errors import PlanError
from inkshelf.core.plan.job import Job, changed_aim
from inkshelf.core.plan.wanted import wanted_by
from inkshelf.core.size import MIB, align_up
from inkshelf.core.steps.fold import fold
from inkshelf.core.value import replace


def lockable(job: Job) -> Iterator[tuple[str, AimBase, Need, int]]:
    """Yield the call number of every volume that an aim makes to stay, with the aim, what it is for, and the size that it ends up with."""
    planned = fold(job.found, job.planned).planned
    for aim, need, create in wanted_by(job):
        there = planned.find(create.call)
        if need.role != "medium":  # an installer's volume has the size of what is copied into it
            yield create.call, aim, need, there[1].size if there else create.size


def locked(job: Job) -> dict[str, int]:
    """Return the sizes in bytes that are locked, by call number."""
    if not any(aim.sizes for aim in job.aims):
        return {}
    return {call: dict(aim.sizes)[lock_key(need)] for call, aim, need, _ in lockable(job) if lock_key(need) in dict(aim.sizes)}


def lock(job: Job, call: str, size: int = 0) -> Job:
    """Return the job with the size of a new volume locked: at ``size`` bytes, whole MiB, or as it is; raises ``PlanError`` for another volume."""
    aim, need, now = _of(job, call)
    wanted = align_up(size or now, MIB)
    sizes = {**dict(aim.sizes), lock_key(need): wanted}
    return changed_aim(job, replace(aim, sizes=tuple(sorted(sizes.items()))))


def unlock(job: Job, call: str) -> Job:
    """Return the job with the size of a volume open again; raises ``PlanError`` where it is not locked."""
    if call not in locked(job):
        raise PlanError(f"The size of {call} is not locked.", "There is nothing to unlock.")
    aim, need, _ = _of(job, call)
    return changed_aim(job, replace(aim, sizes=tuple(one for one in aim.sizes if one[0] != lock_key(need))))


def unlock_all(job: Job) -> Job:
    """Return the job with every size open: the way back where what is locked cannot be planned."""
    for aim in job.aims:
        job = changed_aim(job, replace(aim, sizes=())) if aim.sizes else job
    return job


def _of(job: Job, call: str) -> tuple[AimBase, Need, int]:
    known = {one: (aim, need, size) for one, aim, need, size in lockable(job)}
    if call not in known:
        made = f"Those are: {', '.join(known)}." if known else "Nothing is planned that has one."
        raise PlanError(f"{call} is no volume that an aim makes: its size is not the fit's.", made)
    return known[call]
