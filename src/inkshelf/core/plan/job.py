"""A job: the one document that everything reads. Immutable; an edit makes a new one."""

from typing import Literal

from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.aim import Aim
from inkshelf.core.plan.beside import steps_beside
from inkshelf.core.steps.kinds import Step
from inkshelf.core.value import Value, field, replace


class Source(Value, frozen=True):
    """Where a disk was read from: an image file, or captured text."""

    kind: Literal["image", "lsblk", "sfdisk", "sfdisk-dump", "blkid", "efibootmgr"]
    path: str
    disk: str = ""


class Override(Value, frozen=True):
    """A stop that somebody answers for, in writing."""

    finding: str
    reason: str


class Job(Value, frozen=True):
    """Who it is for, the machine as found, the aim, the steps, and the seed that random values are drawn from.

    ``steps`` are those that follow from the aim, then those made ``by_hand``, in the order in which they were made.
    """

    title: str = ""
    owner: str = ""
    found: Machine = field(default_factory=Machine)
    sources: tuple[Source, ...] = ()
    aim: Aim | None = None
    steps: tuple[Step, ...] = ()
    by_hand: tuple[Step, ...] = ()
    seed: str = ""
    unit: Literal["GiB", "GB"] = "GiB"
    overrides: tuple[Override, ...] = ()
    ticked: tuple[int, ...] = ()
    plan_fault: str = ""


def replan(job: Job) -> Job:
    """Return the job with steps that follow from what was found and the aim; a plan that cannot be is said in ``plan_fault``."""
    if job.aim is None:
        return replace(job, steps=job.by_hand, plan_fault="")
    try:
        planned = steps_beside(job.found, job.aim, job.seed)
    except PlanError as error:
        return replace(job, steps=job.by_hand, plan_fault=str(error), ticked=())
    return replace(job, steps=(*planned, *job.by_hand), plan_fault="", ticked=())


def with_aim(job: Job, aim: Aim) -> Job:
    """Return the job with a new aim, planned."""
    return replan(replace(job, aim=aim))


def with_found(job: Job, found: Machine) -> Job:
    """Return the job with other facts about the machine, planned again."""
    return replan(replace(job, found=found))
