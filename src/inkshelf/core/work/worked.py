"""What a list of events comes to: how each step stands, what it took, and what the clock shows at a moment."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Literal

from inkshelf.core.value import Value, replace
from inkshelf.core.work.events import (
    AnyEvent,
    Attached,
    Began,
    Ended,
    Event,
    How,
    Measured,
    Noted,
    Paused,
    Reopened,
    Resumed,
    Work,
)

Stands = Literal["open", "done", "failed", "skipped", "otherwise"]
LOST = 900
"""Seconds after which a clock that ran while nothing was written down is taken for one of a program that was not there."""


class StepWork(Value, frozen=True):
    """How a step stands. ``seconds`` at work, ``waited`` by the reason, both by the clock; ``minutes``: as somebody said afterwards.

    ``of``: what the step said when it ended. ``measured``: the last value of each that it asks for.
    """

    stands: Stands = "open"
    why: str = ""
    of: str = ""
    seconds: int = 0
    waited: tuple[tuple[str, int], ...] = ()
    minutes: float | None = None
    measured: tuple[tuple[str, str], ...] = ()
    notes: tuple[str, ...] = ()
    files: tuple[Attached, ...] = ()
    begun: int | None = None
    ended: int | None = None

    @property
    def took(self) -> float:
        """Minutes at work: as somebody said, else by the clock."""
        return self.minutes if self.minutes is not None else self.seconds / 60


class Worked(Value, frozen=True):
    """All steps, and the clock: ``running``: the step that it runs for, or stands at; ``paused``: why it stands (``None``: it runs, or was not begun)."""

    steps: dict[str, StepWork]
    running: str = ""
    paused: str | None = None
    since: int = 0
    begun: int | None = None

    def step(self, identity: str) -> StepWork:
        """Return a step's work; one that nobody has touched is open."""
        return self.steps.get(identity, StepWork())

    @property
    def seconds(self) -> int:
        """Seconds at work, all steps together, by the clock."""
        return sum(one.seconds for one in self.steps.values())

    @property
    def waited(self) -> int:
        """Seconds that the clock stood."""
        return sum(seconds for one in self.steps.values() for _, seconds in one.waited)


def worked(events: Work, now: int | None = None) -> Worked:
    """Return what the events come to, at ``now`` (``None``: at the last of them). A clock that was set back counts nothing."""
    state = Worked({})
    for event in events:
        state = TAKES[type(event)](_passed(state, event.at), event)
    return state if now is None else _passed(state, now)


def _passed(state: Worked, at: int) -> Worked:
    """Time goes on, for the step that is begun: at work, or waiting."""
    if not state.running:
        return replace(state, since=at)
    step, gone = state.step(state.running), max(0, at - state.since)
    if state.paused is None:
        step = replace(step, seconds=step.seconds + gone)
    elif gone:
        waits = dict(step.waited)
        waits[state.paused] = waits.get(state.paused, 0) + gone
        step = replace(step, waited=tuple(waits.items()))
    return replace(_with(state, state.running, step), since=max(state.since, at))


def _with(state: Worked, identity: str, step: StepWork) -> Worked:
    return replace(state, steps={**state.steps, identity: step})


def _changed(state: Worked, event: Event, **fields: object) -> Worked:
    return _with(state, event.step, replace(state.step(event.step), **fields))


def _began(state: Worked, event: Began) -> Worked:
    begun = state.step(event.step).begun
    state = _changed(state, event, begun=event.at if begun is None else begun)
    return replace(
        state, running=event.step, paused=None, since=event.at, begun=event.at if state.begun is None else state.begun
    )


def _paused(state: Worked, event: Paused) -> Worked:
    return replace(state, paused=event.why) if state.running else state


def _resumed(state: Worked, _event: Resumed) -> Worked:
    return replace(state, paused=None)


def _ended(state: Worked, event: Ended) -> Worked:
    state = _changed(state, event, stands=event.how, why=event.why, of=event.of, minutes=event.minutes, ended=event.at)
    return replace(state, running="", paused=None) if state.running == event.step else state


def _reopened(state: Worked, event: Reopened) -> Worked:
    return _changed(state, event, stands="open", why="", of="", minutes=None, ended=None)


def _measured(state: Worked, event: Measured) -> Worked:
    kept = dict(state.step(event.step).measured)
    kept[event.what] = event.value
    return _changed(state, event, measured=tuple((what, value) for what, value in kept.items() if value))


def _noted(state: Worked, event: Noted) -> Worked:
    return _changed(state, event, notes=(*state.step(event.step).notes, event.text))


def _attached(state: Worked, event: Attached) -> Worked:
    return _changed(state, event, files=(*state.step(event.step).files, event))


TAKES: dict[type[AnyEvent], Callable[..., Worked]] = {
    Began: _began,
    Paused: _paused,
    Resumed: _resumed,
    Ended: _ended,
    Reopened: _reopened,
    Measured: _measured,
    Noted: _noted,
    Attached: _attached,
}
"""What each kind of event does; one that is missing here is refused."""


def left_running(events: Work, now: int) -> tuple[AnyEvent, ...]:
    """Return what is added where the clock was left running and nothing was written down for long: since then nobody knows, so it stood."""
    state = worked(events)
    if not state.running or state.paused is not None or not events:
        return ()
    last = max(one.at for one in events)
    return (Paused(last, state.running, "closed"),) if now - last > LOST else ()


def ends(events: Iterable[AnyEvent]) -> dict[str, Ended]:
    """Return how each step ended last, by its identity; one that is to be done still is not among them."""
    found: dict[str, Ended] = {}
    for one in events:
        if isinstance(one, Ended):
            found[one.step] = one
        elif isinstance(one, Reopened):
            found.pop(one.step, None)
    return found


FINISHED: tuple[How, ...] = ("done", "otherwise")
