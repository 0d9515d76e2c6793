"""The sheet as it is worked: each row with how it stands and what it asks for, and the pace: when the machine can be ready."""

from __future__ import annotations

from collections.abc import Callable

from inkshelf.core.checks.registry import Finding
from inkshelf.core.errors import InkshelfError, PlanError
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.asking import Asked, Judged, asked
from inkshelf.core.sheet.scene import scenes
from inkshelf.core.sheet.sheet import Row, Sheet, with_margin
from inkshelf.core.steps.identity import said
from inkshelf.core.value import Value
from inkshelf.core.work.events import AnyEvent, Measured
from inkshelf.core.work.worked import StepWork, Worked, worked


class AtWork(Value, frozen=True):
    """A row of the sheet while it is worked. ``mark``: what the step says now; ``stops``: findings that stop the work on its volume."""

    row: Row
    mark: str
    work: StepWork
    asks: tuple[Asked, ...] = ()
    stops: tuple[Finding, ...] = ()

    @property
    def changed(self) -> bool:
        """Whether the plan changed after the step had ended, so that it has to be looked at again."""
        return self.work.stands != "open" and self.work.of != self.mark

    @property
    def over(self) -> bool:
        """Whether nothing is left to do here."""
        return self.work.stands in {"done", "otherwise", "skipped"} and not self.changed

    def weighed(self, events: tuple[AnyEvent, ...]) -> str:
        """Return what values among events come to, in words, where they say that the work must not go on; raises ``PlanError`` for one that cannot be."""
        said = []
        for one in events:
            if isinstance(one, Measured):
                judged, fault = self.judged(one.what, one.value)
                if fault:
                    raise PlanError(fault, "")
                said += [judged.words] if judged and judged.good is False else []
        return "; ".join(said)

    def judged(self, key: str, text: str) -> tuple[Judged | None, str]:
        """Return what a value comes to, or why it cannot be; neither for an empty one."""
        if not text.strip():
            return None, ""
        one = next(one for one in self.asks if one.key == key)
        try:
            return one.judge(text), ""
        except InkshelfError as error:
            return None, f"{error.what} {error.remedy}".strip()


class Pace(Value, frozen=True):
    """How it goes. Minutes: ``planned`` of the steps that ended, ``took`` what they took at work and waiting, ``left`` of the others.

    ``ready``: between which moments it can be ready, in seconds since the epoch: without the margin for people, and with it.
    """

    planned: float
    took: float
    left: float
    ready: tuple[int, int]

    @property
    def behind(self) -> float:
        """Minutes behind what was planned (below zero: ahead)."""
        return self.took - self.planned


def at_work(reading: Reading, made: Sheet, now: int) -> tuple[tuple[AtWork, ...], Worked]:
    """Return the rows of a sheet as they stand at a moment, and the clock."""
    state = worked(reading.job.work, now)
    asks: dict[str, Callable[[], tuple[Asked, ...]]] = {
        step.id: (lambda step=step, scene=scene: asked(step, scene))  # type: ignore[misc]
        for _, step, scene in scenes(reading)
    }
    marks = {step.id: said(step) for step in reading.job.steps}
    calls = {step.id: str(getattr(step, "call", "")) for step in reading.job.steps}
    stops = [one for one in made.findings if one.severity == "stop"]
    rows = tuple(
        AtWork(
            row,
            marks.get(row.step, ""),
            state.step(row.step),
            asks[row.step]() if row.step in asks else (),
            tuple(one for one in stops if calls.get(row.step) in one.calls),
        )
        for row in made.rows
    )
    return rows, state


def first_open(rows: tuple[AtWork, ...]) -> int:
    """Return the place of the first row that is to be done (the last one where none is)."""
    return next((at for at, one in enumerate(rows) if not one.over), max(0, len(rows) - 1))


def pace(rows: tuple[AtWork, ...], now: int) -> Pace:
    """Return how it goes: what a step that is begun has used of its time already is not counted again."""
    ended = [one for one in rows if one.over]
    planned = sum(one.row.minutes for one in ended if one.work.stands != "skipped")
    took = sum(one.work.took + sum(seconds for _, seconds in one.work.waited) / 60 for one in ended)
    left = sum(max(0.0, one.row.minutes - one.work.seconds / 60) for one in rows if not one.over)
    return Pace(planned, took, left, (now + round(left * 60), now + round(with_margin(left) * 60)))


def clock_words(seconds: int) -> str:
    """Return a time on a clock, for example ``3:42`` or ``1:41:10``."""
    hours, rest = divmod(max(0, seconds), 3600)
    return f"{hours}:{rest // 60:02}:{rest % 60:02}" if hours else f"{rest // 60}:{rest % 60:02}"


def of_gone_steps(job: Job) -> tuple[str, ...]:
    """Return what was done, found and noted of steps that are in the plan no more, in words; nothing of it is lost with the plan."""
    there = {step.id for step in job.steps}
    said = []
    for identity, one in worked(job.work).steps.items():
        if identity in there or not identity:
            continue
        parts = [f"{one.stands}{': ' + one.why if one.why else ''}" if one.stands != "open" else ""]
        parts += [f"{what}: {value}" for what, value in one.measured] + list(one.notes) + [file.name for file in one.files]
        parts += [f"{one.took:.0f} min"] if one.took >= 1 else []
        words = "; ".join(part for part in parts if part)
        if words:
            said.append(f"{identity.split('.', 1)[-1].replace('.', ' ')}: {words}")
    return tuple(said)
