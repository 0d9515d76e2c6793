"""Days that are put together span by span, and what no day can be better than: often they meet, and nothing has to be searched. Minutes."""

from __future__ import annotations

from collections.abc import Sequence
from random import Random

from inkshelf.core.day.bench import Bench, Order
from inkshelf.core.day.spans import RESOURCES, Resource
from inkshelf.core.value import Value

TRIES = 400
"""Days that are put together, each with other favourites."""
CLOSE = 1e-3
LATE = 1000.0
"""Weight of a minute past what was promised, beside a minute until all are ready."""


class Guess(Value, frozen=True):
    """A day: when each span begins, by machine; ``cost``: minutes until all are ready, and those past what was promised, with their weight."""

    begins: tuple[tuple[float, ...], ...]
    cost: float


def cost(orders: Sequence[Order], begins: Sequence[Sequence[float]]) -> float:
    """Return what a day costs."""
    ends = [own[-1] + one.spans[-1].minutes for one, own in zip(orders, begins, strict=True)]
    late = sum(max(0.0, end - one.promised) for one, end in zip(orders, ends, strict=True) if one.promised is not None)
    return max(ends) + LATE * late


def least_cost(orders: Sequence[Order], bench: Bench) -> float:
    """Return what no day costs less than: the longest machine, and what takes the same thing one after the other; each late by itself."""
    alone = [sum(span.minutes for span in one.spans) for one in orders]
    late = sum(max(0.0, own - one.promised) for one, own in zip(orders, alone, strict=True) if one.promised is not None)
    return max(*alone, *(_in_turn(orders, takes, bench.room(takes)) for takes in RESOURCES)) + LATE * late


def _in_turn(orders: Sequence[Order], takes: Resource, room: int) -> float:
    """The end of a day in which only this thing is short: not before the first machine needs it, and the last one has more to do behind it."""
    needs = [(one, [at for at, span in enumerate(one.spans) if span.takes == takes]) for one in orders]
    used = [(one, places) for one, places in needs if places]
    if not room or not used:
        return 0.0
    before = min(sum(span.minutes for span in one.spans[: places[0]]) for one, places in used)
    behind = min(sum(span.minutes for span in one.spans[places[-1] + 1 :]) for one, places in used)
    return before + sum(one.spans[at].minutes for one, places in used for at in places) / room + behind


def best_guess(orders: Sequence[Order], bench: Bench) -> tuple[Guess, bool]:
    """Return the best of many days, always the same for the same orders, and whether none can be better."""
    draw, least = Random(7), least_cost(orders, bench)  # noqa: S311 - favourites, and no secret
    best = Guess((), float("inf"))
    for number in range(TRIES):
        favour = [draw.random() if number else 0.0 for _ in orders]
        begins = _put_together(orders, bench, favour, number % 3)
        found = Guess(begins, cost(orders, begins))
        best = min(best, found, key=lambda one: one.cost)
        if best.cost <= least + CLOSE:
            return best, True
    return best, False


def _put_together(orders: Sequence[Order], bench: Bench, favour: Sequence[float], rule: int) -> tuple[tuple[float, ...], ...]:
    """A day in which the next span is the one that can begin first (or end first, or of the machine with most to do), and then the favourite's."""
    free = {takes: [0.0] * bench.room(takes) for takes in RESOURCES}
    begun: list[list[float]] = [[] for _ in orders]
    ready = [0.0] * len(orders)
    left = [[sum(span.minutes for span in one.spans[at:]) for at in range(len(one.spans))] for one in orders]
    while True:
        offered = []
        for number, one in enumerate(orders):
            at = len(begun[number])
            if at < len(one.spans):
                span = one.spans[at]
                begins = max(ready[number], min(free[span.takes], default=0.0))
                due = one.promised if one.promised is not None else float("inf")
                first = (begins, begins + span.minutes, -left[number][at])[rule]
                offered.append((round(first * (1 - 0.3 * favour[number]), 6), due, -left[number][at], number, begins))
        if not offered:
            return tuple(tuple(one) for one in begun)
        *_, number, begins = min(offered)
        span = orders[number].spans[len(begun[number])]
        begun[number].append(begins)
        ready[number] = begins + span.minutes
        if free[span.takes]:
            free[span.takes][free[span.takes].index(min(free[span.takes]))] = ready[number]
