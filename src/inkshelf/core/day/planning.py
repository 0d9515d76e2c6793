"""When what is done, on several machines at once: exactly, by integer optimisation (HiGHS, by way of SciPy).

A person is at one machine at a time, one download comes at a time, a port writes one stick at a time; a machine that is waited for may
wait longer. First nothing comes later than it was promised, then all are ready as soon as can be: that is proven. Then each of them, as far as
a moment's search goes.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations
from typing import NamedTuple

from inkshelf.core.day.bench import Bench, Order
from inkshelf.core.day.guessing import CLOSE, LATE, Guess, best_guess, cost
from inkshelf.core.day.spans import RESOURCES, Resource, Span
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.solve import Model
from inkshelf.core.value import Value

MOST = 6
"""Machines that are planned at once; a bench holds no more."""
EARLY = 0.01
"""Weight of a minute by which a span begins later than it has to, beside one by which a machine is ready later."""
MOMENT = 2.0
"""Seconds that a second look may take."""


class Placed(Value, frozen=True):
    """A span and when it begins and ends, in minutes from now."""

    span: Span
    begins: float
    ends: float


class Ribbon(Value, frozen=True):
    """One machine's day."""

    key: str
    name: str
    placed: tuple[Placed, ...]
    promised: float | None = None

    @property
    def ready(self) -> float:
        """Minutes from now until it can be collected."""
        return max((one.ends for one in self.placed), default=0.0)

    @property
    def late(self) -> float:
        """Minutes past what was promised."""
        return max(0.0, self.ready - self.promised) if self.promised is not None else 0.0


class Day(Value, frozen=True):
    """All machines; ``proven``: that nothing comes less late, and not all can be ready sooner."""

    ribbons: tuple[Ribbon, ...]
    proven: bool = True

    @property
    def ready(self) -> float:
        """Minutes from now until all are ready."""
        return max((one.ready for one in self.ribbons), default=0.0)

    def next_up(self) -> tuple[Ribbon, Placed] | None:
        """Return what a person does next, or ``None`` where nothing is left to do."""
        hands = [(ribbon, one) for ribbon in self.ribbons for one in ribbon.placed if one.span.takes == "hands"]
        return min(hands, key=lambda pair: pair[1].begins, default=None)


def plan_day(orders: Sequence[Order], bench: Bench | None = None) -> Day:
    """Return the best day; the first ``MOST`` machines are planned, in their order where it does not matter."""
    own = bench or Bench()
    taken = [one for one in orders if one.spans][:MOST]
    if not taken:
        return Day(())
    guess, proven = best_guess(taken, own)
    begins = guess.begins
    if not proven:
        begins, proven = _searched(taken, own, guess)
    begins = _each_early(taken, own, begins)
    return Day(
        tuple(
            Ribbon(one.key, one.name, _placed(one, own_ones), one.promised) for one, own_ones in zip(taken, begins, strict=True)
        ),
        proven,
    )


Begins = tuple[tuple[float, ...], ...]


class _Asked(NamedTuple):
    """A model of a day: the columns of the beginnings, of what comes late with their weight, and of the end of all."""

    model: Model
    begins: list[list[int]]
    late: dict[int, float]
    last: int

    def least(self, objective: dict[int, float]) -> Begins | None:
        """Return the beginnings that cost least, or ``None`` where none were found in time."""
        try:
            found = self.model.least(objective)
        except PlanError:
            return None
        return None if found is None else tuple(tuple(float(found[column]) for column in columns) for columns in self.begins)


def _asked(orders: Sequence[Order], bench: Bench) -> _Asked:
    model = Model()
    horizon = sum(span.minutes for one in orders for span in one.spans) + 1.0
    begins = [[model.column(0.0, horizon) for _ in one.spans] for one in orders]
    _in_order(model, orders, begins)
    for takes in RESOURCES:
        if bench.room(takes):
            _shared(model, orders, begins, takes, bench.room(takes), horizon)
    return _Asked(model, begins, *_ends(model, orders, begins, horizon, bench))


def _searched(orders: Sequence[Order], bench: Bench, guess: Guess) -> tuple[Begins, bool]:
    """Return the best day that a search finds, and whether it is proven; the guess where that is no worse."""
    asked = _asked(orders, bench)
    found = asked.least({**asked.late, asked.last: 1.0})
    if found is None or guess.cost <= cost(orders, found) + CLOSE:
        return guess.begins, found is not None and asked.model.proven
    return found, asked.model.proven


def _in_order(model: Model, orders: Sequence[Order], begins: list[list[int]]) -> None:
    for one, columns in zip(orders, begins, strict=True):
        for span, first, second in zip(one.spans, columns, columns[1:], strict=False):
            model.row({second: 1.0, first: -1.0}, span.minutes, float("inf"))


def _shared(model: Model, orders: Sequence[Order], begins: list[list[int]], takes: Resource, room: int, horizon: float) -> None:
    """Spans of different machines that take the same: of more than there is room for, none at the same time."""
    spans = [
        (at, span.minutes, column)
        for at, (one, columns) in enumerate(zip(orders, begins, strict=True))
        for span, column in zip(one.spans, columns, strict=True)
        if span.takes == takes
    ]
    places: dict[int, list[int]] = {}
    if room > 1:
        for number, _ in enumerate(spans):
            places[number] = [model.column(0.0, 1.0, whole=True) for _ in range(room)]
            model.row(dict.fromkeys(places[number], 1.0), 1.0, 1.0)
    for (one, first), (other, second) in combinations(enumerate(spans), 2):
        if first[0] == second[0]:
            continue
        before = model.column(0.0, 1.0, whole=True)
        if room == 1:
            _apart(model, first, second, before, horizon, {})
        else:
            for place in range(room):
                _apart(model, first, second, before, horizon, {places[one][place]: 1.0, places[other][place]: 1.0})


def _apart(
    model: Model,
    first: tuple[int, float, int],
    second: tuple[int, float, int],
    before: int,
    horizon: float,
    together: dict[int, float],
) -> None:
    """One of two ends before the other begins, where they are in the same place (columns that are 1 then)."""
    loose = horizon * len(together)
    same = dict.fromkeys(together, -horizon)
    model.row({second[2]: 1.0, first[2]: -1.0, before: -horizon, **same}, first[1] - horizon - loose, float("inf"))
    model.row({first[2]: 1.0, second[2]: -1.0, before: horizon, **same}, second[1] - loose, float("inf"))


def _ends(
    model: Model, orders: Sequence[Order], begins: list[list[int]], horizon: float, bench: Bench
) -> tuple[dict[int, float], int]:
    """Return the columns of what comes late, with their weight, and that of the end of all: not before everything that needs hands was done."""
    last, late = model.column(0.0, horizon), {}
    for one, columns in zip(orders, begins, strict=True):
        minutes = one.spans[-1].minutes
        model.row({last: 1.0, columns[-1]: -1.0}, minutes, float("inf"))
        if one.promised is not None:
            late[model.column(0.0, horizon + max(0.0, -one.promised))] = LATE  # the hour may have passed already
            model.row({[*late][-1]: 1.0, columns[-1]: -1.0}, minutes - one.promised, float("inf"))
    for takes in RESOURCES:
        if bench.room(takes):
            whole = sum(span.minutes for one in orders for span in one.spans if span.takes == takes)
            model.row({last: 1.0}, whole / bench.room(takes), float("inf"))
    return late, last


def _each_early(orders: Sequence[Order], bench: Bench, begins: Begins) -> Begins:
    """Return a day that is as good as this one, in which each machine is ready as early as could be worked out in a moment."""
    asked, ends = _asked(orders, bench), _ends_of(orders, begins)
    late = [max(0.0, end - one.promised) for one, end in zip(orders, ends, strict=True) if one.promised is not None]
    for column, most in zip((*asked.late, asked.last), (*late, max(ends)), strict=True):
        asked.model.row({column: 1.0}, 0.0, most + CLOSE)
    objective = {column: EARLY for columns in asked.begins for column in columns[:-1]} | {
        columns[-1]: 1.0 for columns in asked.begins
    }
    asked.model.patience = MOMENT
    better = asked.least(objective)
    return better if better is not None and sum(_ends_of(orders, better)) <= sum(ends) else begins


def _ends_of(orders: Sequence[Order], begins: Begins) -> list[float]:
    return [own[-1] + one.spans[-1].minutes for one, own in zip(orders, begins, strict=True)]


def _placed(order: Order, begins: Sequence[float]) -> tuple[Placed, ...]:
    """The spans at their places, to a hundredth of a minute."""
    found: list[Placed] = []
    for span, begin in zip(order.spans, begins, strict=True):
        at = max(round(begin, 2) + 0.0, found[-1].ends if found else 0.0)
        found.append(Placed(span, at, round(at + span.minutes, 2)))
    return tuple(found)
