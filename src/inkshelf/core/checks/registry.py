"""Findings: values with a severity, the volume they speak of, one sentence why, and remedies that the program can apply."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Literal

from inkshelf.core.errors import PlanError
from inkshelf.core.machine.assemble import assume_loaders, infer_entries
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.plan.job import Job, Override, and_aim, changed_aim, replan, with_found
from inkshelf.core.plan.reading import Reading
from inkshelf.core.texts import one_line
from inkshelf.core.value import Value, replace

Severity = Literal["stop", "warn", "note"]
RANK: dict[Severity, int] = {"stop": 0, "warn": 1, "note": 2}


class Know(Value, frozen=True):
    """Remedy: record a fact about the machine (a field of its conditions or firmware, or its memory)."""

    field: str
    value: str | bool | int
    title: str


class ChangeAim(Value, frozen=True):
    """Remedy: change one field of an aim; ``aim``: its identity (empty: the one of the kind "beside")."""

    field: str
    value: str | int | None
    title: str
    aim: str = ""


class AnswerFor(Value, frozen=True):
    """Remedy: override a stop in writing; the reason stands on the sheet."""

    finding: str
    title: str = "Answer for it in writing"


class Show(Value, frozen=True):
    """Remedy: go where the thing is put right (a chapter, and a volume or step in it)."""

    chapter: str
    title: str
    step: int = 0


class ByHand(Value, frozen=True):
    """Remedy: add one step by hand (a verb of ``plan.byhand``, what it is about, and the words that the verb needs)."""

    verb: str
    call: str
    title: str
    words: tuple[tuple[str, str], ...] = ()


class MendStart(Value, frozen=True):
    """Remedy: one more aim, which mends the start of a system by the repair of one cause."""

    system: str
    cause: str
    title: str


class RightAgain(Value, frozen=True):
    """Remedy: start from the machine as it was read afresh, with the step that puts one difference right (its key)."""

    line: str
    title: str


Remedy = RightAgain | Know | ChangeAim | AnswerFor | Show | ByHand | MendStart


class Finding(Value, frozen=True):
    """One finding. ``key`` is stable; ``calls`` names the volumes it speaks of; ``overridden`` holds the written reason.

    ``loses``: something that somebody has is given up; it comes first among its like. ``disks``: letters, where there is more than one
    disk. ``final``: nobody can answer for it, because nothing can be done at all.
    """

    key: str
    severity: Severity
    title: str
    why: str
    calls: tuple[str, ...] = ()
    remedies: tuple[Remedy, ...] = ()
    overridden: str = ""
    final: bool = False
    loses: bool = False
    disks: tuple[str, ...] = ()

    @property
    def place(self) -> str:
        """What it speaks of, in short: its volumes, and their disk where there is more than one."""
        more = len(self.calls) - 3
        return " ".join((*(f"{one}:" for one in self.disks), *self.calls[:3], *([f"+{more}"] if more > 0 else [])))


Check = Callable[[Reading], Iterator[Finding]]
CHECKS: list[Check] = []


def check(function: Check) -> Check:
    """Register a check; order of registration is the order within a severity."""
    CHECKS.append(function)
    return function


def findings(reading: Reading) -> tuple[Finding, ...]:
    """Run every check; stops first; nothing before a disk was taken in. A stop that was answered for in writing becomes a warning that carries the reason."""
    if not reading.plan.found.disks:
        return ()
    written = {one.finding: one.reason for one in reading.job.overrides}
    found = []
    for one in (finding for function in CHECKS for finding in function(reading)):
        if one.severity == "stop" and one.key in written and not one.final:
            found.append(replace(one, severity="warn", overridden=written[one.key], remedies=()))
        elif one.severity == "stop" and not one.final:
            found.append(replace(one, remedies=(*one.remedies, AnswerFor(one.key))))
        else:
            found.append(one)
    found.sort(key=lambda one: (RANK[one.severity], not one.loses))
    return (
        tuple(found) if len(reading.plan.found.disks) == 1 else tuple(replace(one, disks=_disks(reading, one)) for one in found)
    )


def _disks(reading: Reading, finding: Finding) -> tuple[str, ...]:
    """The letters of the disks that the volumes of a finding are on."""
    places = [reading.plan.found.find(call) or reading.plan.planned.find(call) for call in finding.calls]
    return tuple(dict.fromkeys(one[0].id for one in places if one))


def apply_remedy(job: Job, remedy: Remedy, reason: str = "") -> Job:
    """Return the job after a remedy. ``Show`` changes nothing; ``AnswerFor`` needs a reason."""
    if isinstance(remedy, Know):
        return know(job, remedy.field, remedy.value)
    if isinstance(remedy, ChangeAim):
        aim = next((one for one in job.aims if one.id == remedy.aim), None) if remedy.aim else job.aim
        if aim is None:
            raise PlanError("The aim that this would change is not in the job.", "Choose an aim first.")
        return changed_aim(job, replace(aim, **{remedy.field: remedy.value}))
    if isinstance(remedy, ByHand):
        from inkshelf.core.plan.byhand import change  # late: the window is ready sooner

        return change(job, remedy.verb, remedy.call, **dict(remedy.words))
    if isinstance(remedy, MendStart):
        return mended(job, remedy.system, remedy.cause)
    if isinstance(remedy, RightAgain):
        return _right_again(job, remedy.line)
    if isinstance(remedy, AnswerFor) and reason.strip():
        return _answered(job, remedy.finding, reason)
    return job


def _right_again(job: Job, key: str) -> Job:
    from inkshelf.core.built.compare import compared  # late: the work is done by then
    from inkshelf.core.plan.asbuilt import repaired
    from inkshelf.core.steps.fold import fold

    lines = compared(fold(job.found, job.steps), job.built) if job.built else ()
    line = next((one for one in lines if one.key == key), None)
    if line is None:
        raise PlanError("That does not differ any more.", "Compare again.")
    return repaired(job, line)


def mended(job: Job, system: str, cause: str) -> Job:
    """Return the job with one more aim behind those it has: the start of a system is mended, by the repair of one cause."""
    from inkshelf.core.aims.mending import Mend  # late: most machines start

    return and_aim(job, Mend(system=system, cause=cause))


def answer(job: Job, finding: Finding, reason: str) -> Job:
    """Return the job with a stop answered for in writing; raises ``PlanError`` where nobody can answer for it, or no reason is given."""
    if finding.final:
        raise PlanError(
            f"“{finding.title}”: nobody can answer for that, because nothing can be done at all.", "Change the plan."
        )
    if not reason.strip():
        raise PlanError("No reason is given.", "Write who answers for it, and why.")
    return _answered(job, finding.key, reason)


def _answered(job: Job, key: str, reason: str) -> Job:
    others = tuple(one for one in job.overrides if one.finding != key)
    return replace(job, overrides=(*others, Override(key, one_line(reason.strip(), "The reason"))))


def _disk(found: Machine, letter: str) -> Disk:
    try:
        return found.disk(letter.upper())
    except KeyError:
        known = ", ".join(one.id for one in found.disks)
        raise PlanError(
            f"There is no disk {letter}.", f"Choose one of: {known}." if known else "Take a disk in first."
        ) from None


def _unplugged(job: Job, letter: str) -> Job:
    """The job without a disk that can be taken out."""
    disk = _disk(job.found, letter)
    if not disk.removable:
        raise PlanError(f"Disk {disk.id} is fixed in its machine.", "Only what can be taken out is unplugged.")
    left = replace(job.found, disks=tuple(one for one in job.found.disks if one.id != disk.id))
    return replan(replace(job, found=left, sources=tuple(one for one in job.sources if one.disk != disk.id)))


def know(job: Job, field: str, value: str | int | None) -> Job:
    """Return the job with one fact recorded: ``mode``, ``secure_boot``, ``ram_bytes``, a field of the conditions, or what is said of
    a volume, such as ``used:S1`` (``machine.told``); nothing takes that back. ``failing:A``: a disk reports errors; ``unplugged:N``: it
    is not there any more."""
    found = job.found
    if ":" in field:
        from inkshelf.core.machine.told import tell, yes_or_no

        fact, call = field.split(":", 1)
        if fact == "failing":
            return replan(
                replace(
                    job, found=found.with_disk(replace(_disk(found, call), failing=yes_or_no(str(value)) if value else None))
                )
            )
        said = f"{value}B" if isinstance(value, int) else value or ""
        if fact == "unplugged":
            return _unplugged(job, call) if value and yes_or_no(str(value)) else job
        told = tell(found, call, fact, said)
        disks = tuple(assume_loaders(disk) for disk in told.disks)
        return with_found(job, infer_entries(replace(told, disks=disks)))
    if field in {"mode", "secure_boot"}:
        return with_found(job, infer_entries(replace(found, firmware=replace(found.firmware, **{field: value}))))
    if field == "board":
        return replace(job, found=replace(found, board=one_line(str(value or "").strip(), "The model")))
    if field == "ram_bytes":
        return with_found(job, replace(found, ram_bytes=value))
    return replan(replace(job, found=replace(found, conditions=replace(found.conditions, **{field: value}))))
