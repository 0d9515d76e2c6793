"""A job whose work is done: the fresh reading that is held against it, and the job that starts from the machine as it is."""

from __future__ import annotations

from inkshelf.core.built.aligned import aligned
from inkshelf.core.built.firmware import twin_of
from inkshelf.core.built.line import Line
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, Override, replan
from inkshelf.core.steps.fold import fold
from inkshelf.core.texts import one_line
from inkshelf.core.value import replace

ACCEPTED = "built."
"""What the key of a difference begins with, among what is answered for in writing."""


def with_built(job: Job, built: Machine) -> Job:
    """Return the job with a fresh reading beside its plan; raises ``PlanError`` where no disk of it is one of the plan's."""
    planned = fold(job.found, job.steps).planned
    now = aligned(planned, built)
    if not {one.id for one in now.disks} & {one.id for one in planned.disks}:
        raise PlanError(
            "No disk of that reading is one of this job's.", "Take the reading of the machine that this job is about."
        )
    return replace(job, built=now)


def accepted(job: Job, line: Line) -> str:
    """Return why a difference was accepted, in writing (empty: it was not)."""
    return next((one.reason for one in job.overrides if one.finding == ACCEPTED + line.key), "")


def accept(job: Job, line: Line, reason: str) -> Job:
    """Return the job with a difference accepted in writing; raises ``PlanError`` for one that cannot be, or without a reason."""
    if line.stands != "differs":
        raise PlanError(f"{line.key} does not differ.", "There is nothing to accept.")
    if line.matters == "stop":
        raise PlanError(f"{line.about}, {line.what}: {line.why}.", "That is put right, and not accepted.")
    text = one_line(reason.strip(), "The reason")
    if not text:
        raise PlanError("No reason is given.", "Write who accepts it, and why.")
    key = ACCEPTED + line.key
    return replace(job, overrides=(*(one for one in job.overrides if one.finding != key), Override(key, text)))


def as_built(job: Job) -> Job:
    """Return a job that starts from the machine as it is now: what was found, said and noted stays, the plan that was carried out is over."""
    if job.built is None:
        raise PlanError("There is no fresh reading of the machine.", "Capture it, and compare.")
    planned = fold(job.found, job.steps).planned
    read = {one.id for one in job.built.disks}
    disks = (*job.built.disks, *(one for one in planned.disks if one.id not in read and not one.stick))
    firmware = job.built.firmware if job.built.firmware.entries_known else replace(planned.firmware)
    found = replace(
        job.found, disks=tuple(sorted(disks, key=lambda one: one.id)), firmware=firmware, conditions=planned.conditions
    )
    plain = tuple(one for one in job.overrides if not one.finding.startswith(ACCEPTED))
    return replan(
        replace(
            job,
            found=found,
            built=None,
            aims=(),
            by_hand=(),
            steps=(),
            ticked=(),
            idle=(),
            unproved=(),
            overrides=plain,
            sources=(),
        )
    )


REPAIRS = ("type", "label", "active", "order", "entry")
"""Kinds of differences that one step by hand puts right."""


def repair_of(line: Line) -> str:
    """Return the kind of step that puts a difference right (empty: none does by itself)."""
    if line.stands != "differs":
        return ""
    last = line.key.rsplit(".", 1)[-1]
    if line.about == "firmware" and last.startswith("Boot") and line.built == "off":
        return "entry"
    return last if last in REPAIRS else ""


def repaired(job: Job, line: Line) -> Job:
    """Return the job that starts from the machine as it is, with the step that puts one difference right; raises ``PlanError`` where there is none."""
    kind = repair_of(line)
    planned = fold(job.found, job.steps).planned
    place = planned.find(line.about)
    now = as_built(job)
    if kind == "type" and place:
        return change(now, "type", line.about, type=place[1].type_id)
    if kind == "label" and place and place[1].filesystem:
        return change(now, "label", line.about, label=place[1].filesystem.label)
    if kind == "active" and place:
        return change(now, "flag", line.about, flag="active", state="on" if place[1].active else "off")
    if kind == "order":
        first = planned.firmware.entry(planned.firmware.order[0])
        twin = twin_of(first, now.found.firmware.entries) if first else None
        if twin:
            return change(now, "order", twin.variable, place="first")
    if kind == "entry":
        return change(now, "entry", line.key.rsplit(".", 1)[-1], state="on")
    raise PlanError(
        f"No single step puts that right: {line.why}.", "Take the machine as it is, and plan what is to be done with it."
    )
