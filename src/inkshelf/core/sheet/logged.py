"""What a logbook keeps of a job beside its document: whose, which machine, what was done in which time, what was met, every word of it."""

from __future__ import annotations

from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.atwork import at_work
from inkshelf.core.sheet.sheet import Sheet, sheet
from inkshelf.core.value import Value
from inkshelf.core.work.worked import worked


class LoggedDisk(Value, frozen=True):
    """A disk by which a machine is known again; bytes."""

    serial: str
    model: str
    size: int


class LoggedStep(Value, frozen=True):
    """A step with its stage and kind; minutes ``planned`` and ``took`` at work (``None``: it was not ended), ``waited`` beside that."""

    number: int
    step: str
    stage: str
    kind: str
    title: str
    stands: str
    planned: float
    took: float | None
    waited: float


class LoggedFinding(Value, frozen=True):
    """A finding that was met; ``answered``: what was written where somebody answers for it."""

    key: str
    severity: str
    title: str
    answered: str


class Logged(Value, frozen=True):
    """One job in the logbook. ``begun`` and ``ended``: seconds since the epoch (``None``: not yet). Minutes; ``words``: what it is found by."""

    seed: str
    title: str
    owner: str
    aim: str
    reasons: str
    disks: tuple[LoggedDisk, ...]
    steps: tuple[LoggedStep, ...]
    findings: tuple[LoggedFinding, ...]
    begun: int | None
    ended: int | None
    planned: float
    took: float
    words: str


def logged(reading: Reading, made: Sheet | None = None) -> Logged:
    """Return what a logbook keeps of a job as it is now."""
    made = made or sheet(reading)
    job = reading.job
    rows, _ = at_work(reading, made, max((one.at for one in job.work), default=0))
    state = worked(job.work)
    kinds = {step.id: step.kind for step in job.steps}
    steps = tuple(
        LoggedStep(
            one.row.number,
            one.row.step,
            one.row.words.stage,
            kinds.get(one.row.step, ""),
            one.row.words.title,
            "changed" if one.changed else one.work.stands,
            one.row.minutes,
            one.work.took if one.work.ended is not None else None,
            sum(seconds for _, seconds in one.work.waited) / 60,
        )
        for one in rows
    )
    findings = tuple(LoggedFinding(one.key, one.severity, one.title, one.overridden) for one in made.findings)
    disks = tuple(LoggedDisk(one.serial, one.model, one.size) for one in reading.plan.found.disks if not one.stick)
    ended = [one.work.ended for one in rows if one.work.ended is not None]
    over = bool(rows) and all(one.over for one in rows)
    notes = [note for one in state.steps.values() for note in (*one.notes, one.why, *(value for _, value in one.measured))]
    words = [job.title, job.owner, *made.aims, *job.reasons, *(f"{one.model} {one.serial}" for one in disks)]
    words += [*(one.title for one in findings), *(one.answered for one in findings), *notes]
    return Logged(
        seed=job.seed,
        title=job.title,
        owner=job.owner,
        aim="; ".join(made.aims),
        reasons="; ".join(job.reasons),
        disks=disks,
        steps=steps,
        findings=findings,
        begun=state.begun,
        ended=max(ended) if over and ended else None,
        planned=made.minutes,
        took=sum(one.took or 0.0 for one in steps) + sum(one.waited for one in steps),
        words="\n".join(dict.fromkeys(one for one in words if one)),
    )
