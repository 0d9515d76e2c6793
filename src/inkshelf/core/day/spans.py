"""What of a job needs a person, and what is waited for: spans in order, by the kind of each step. Minutes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.atwork import at_work
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.steps.kinds import Confirm, Prepare, Step
from inkshelf.core.value import Value, replace

Resource = Literal["hands", "network", "port", "machine"]
"""What a span takes: the person, the one network, one of the ports of the shop's own machine, or nothing but the customer's machine."""
RESOURCES: tuple[Resource, ...] = ("hands", "network", "port", "machine")


class Wait(Value, frozen=True):
    """A step that is begun by hand and then waited for: minutes at its beginning, and what it takes meanwhile."""

    hands: float
    takes: Resource


WAITS: dict[str, Wait] = {
    "confirm material": Wait(2, "network"),
    "confirm material_newest": Wait(2, "network"),
    "get-image": Wait(2, "network"),
    "confirm medium": Wait(2, "port"),
    "confirm live_stick": Wait(2, "port"),
    "confirm backup": Wait(3, "port"),
    "put-image": Wait(1, "port"),
    "write-image": Wait(1, "port"),
    "keep-file": Wait(1, "port"),
    "copy-files": Wait(1, "machine"),
    "prepare check_volume": Wait(1, "machine"),
    "prepare check_outside": Wait(1, "machine"),
    "shrink": Wait(2, "machine"),
    "grow": Wait(1, "machine"),
    "move": Wait(1, "machine"),
    "install": Wait(6, "machine"),
    "apply-edition": Wait(2, "machine"),
    "fill-container": Wait(1, "machine"),
}
"""By the kind of step, and the subject of what is confirmed or prepared; every other step needs a person from its beginning to its end."""
LEAST = 4.0  # minutes of waiting for which somebody goes to another machine


class Span(Value, frozen=True):
    """A part of a job: ``title`` in a word or two, minutes, what it takes; ``step``: the number of its first step."""

    title: str
    minutes: float
    takes: Resource
    step: int = 0


def key_of(step: Step) -> str:
    """Return the word by which ``WAITS`` knows a step."""
    if isinstance(step, Confirm):
        return f"confirm {step.subject}"
    return f"prepare {step.what}" if isinstance(step, Prepare) else step.kind


def spans_of(reading: Reading, now: int, longer: Callable[[str], float] = lambda _: 1.0) -> tuple[Span, ...]:
    """Return what is left of a job, in order. ``longer``: how many times as long as planned a stage takes here."""
    rows, _ = at_work(reading, sheet(reading), now)
    steps = {step.id: step for step in reading.job.steps}
    found: list[Span] = []
    for one in rows:
        step = steps.get(one.row.step)
        if one.over or step is None:
            continue
        minutes = max(0.0, one.row.minutes * longer(one.row.words.stage) - one.work.seconds / 60)
        found += _parts(one.row.words.stage, minutes, WAITS.get(key_of(step)), one.row.number)
    return merged(found)


def _parts(stage: str, minutes: float, wait: Wait | None, number: int) -> list[Span]:
    if wait is None or minutes - wait.hands < LEAST:
        return [Span(stage, minutes, "hands", number)]
    return [Span(stage, wait.hands, "hands", number), Span(stage, minutes - wait.hands, wait.takes, number)]


def merged(spans: Sequence[Span]) -> tuple[Span, ...]:
    """Return spans with those that take the same joined; a person who is at a machine stays there."""
    found: list[Span] = []
    for one in spans:
        if one.minutes <= 0:
            continue
        if found and found[-1].takes == one.takes == "hands":
            last = found[-1]
            title = last.title if one.title in last.title.split(", ") else f"{last.title}, {one.title}"
            found[-1] = replace(last, title=title, minutes=last.minutes + one.minutes)
        else:
            found.append(one)
    return tuple(found)
