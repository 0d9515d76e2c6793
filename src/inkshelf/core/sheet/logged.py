"""What a logbook keeps of a job beside its document: whose, which machine, what was done in which time, what was met, every word of it."""

from __future__ import annotations

from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.atwork import AtWork, at_work
from inkshelf.core.sheet.sheet import Sheet, sheet
from inkshelf.core.steps.effort import efforts
from inkshelf.core.value import Value
from inkshelf.core.work.worked import Worked, worked

TURNING = "turning"
OPENED = "key"
"""What the sheet calls the key that opened the firmware, where it asks for it."""


class LoggedDisk(Value, frozen=True):
    """A disk by which a machine is known again; bytes. ``transport``: how it is connected, and whether platters turn in it."""

    serial: str
    model: str
    size: int
    transport: str = ""


class LoggedStep(Value, frozen=True):
    """A step with its stage and kind; minutes ``planned`` and ``took`` at work (``None``: it was not ended), ``waited`` beside that.

    ``waits``: what was waited for, a line each with its minutes; ``carried``: bytes that it reads or writes, as planned.
    """

    number: int
    step: str
    stage: str
    kind: str
    title: str
    stands: str
    planned: float
    took: float | None
    waited: float
    waits: str = ""
    carried: int = 0


class LoggedFinding(Value, frozen=True):
    """A finding that was met; ``answered``: what was written where somebody answers for it."""

    key: str
    severity: str
    title: str
    answered: str


class Logged(Value, frozen=True):
    """One job in the logbook. ``begun`` and ``ended``: seconds since the epoch (``None``: not yet). Minutes; ``words``: what it is found by.

    ``opened``: the key that opened the machine's firmware, where somebody noted it.
    """

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
    board: str = ""
    opened: str = ""


def logged(reading: Reading, made: Sheet | None = None) -> Logged:
    """Return what a logbook keeps of a job as it is now."""
    made = made or sheet(reading)
    job = reading.job
    rows, _ = at_work(reading, made, max((one.at for one in job.work), default=0))
    state = worked(job.work)
    steps = _steps(reading, rows)
    findings = tuple(LoggedFinding(one.key, one.severity, one.title, one.overridden) for one in made.findings)
    machine = reading.plan.found
    disks = tuple(LoggedDisk(one.serial, one.model, one.size, connected(one)) for one in machine.disks if not one.stick)
    ended = [one.work.ended for one in rows if one.work.ended is not None]
    over = bool(rows) and all(one.over for one in rows)
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
        words=_words(reading, made, disks, state),
        board=machine.board,
        opened=next((value for one in state.steps.values() for what, value in one.measured if what == OPENED), ""),
    )


def connected(disk: Disk) -> str:
    """Return how a disk is connected and of which kind it is, as times are learned from it: a disk with platters is another one."""
    return f"{disk.transport} {TURNING}".strip() if disk.rotational and not disk.removable else disk.transport


def _steps(reading: Reading, rows: tuple[AtWork, ...]) -> tuple[LoggedStep, ...]:
    job = reading.job
    kinds = {step.id: step.kind for step in job.steps}
    carried = dict(zip((step.id for step in job.steps), efforts(reading.plan, job.steps, {})[1:-1], strict=False))
    return tuple(
        LoggedStep(
            number=one.row.number,
            step=one.row.step,
            stage=one.row.words.stage,
            kind=kinds.get(one.row.step, ""),
            title=one.row.words.title,
            stands="changed" if one.changed else one.work.stands,
            planned=one.row.minutes,
            took=one.work.took if one.work.ended is not None else None,
            waited=sum(seconds for _, seconds in one.work.waited) / 60,
            waits="\n".join(f"{why}: {seconds / 60:.1f}" for why, seconds in one.work.waited),
            carried=carried.get(one.row.step, 0),
        )
        for one in rows
    )


def _words(reading: Reading, made: Sheet, disks: tuple[LoggedDisk, ...], state: Worked) -> str:
    """Return every word that a job is found by, each once."""
    job = reading.job
    notes = [note for one in state.steps.values() for note in (*one.notes, one.why, *(value for _, value in one.measured))]
    words = [job.title, job.owner, reading.plan.found.board, *made.aims, *job.reasons]
    words += [f"{one.model} {one.serial}" for one in disks]
    words += [one for met in made.findings for one in (met.title, met.overridden)]
    return "\n".join(dict.fromkeys(one for one in (*words, *notes) if one))
