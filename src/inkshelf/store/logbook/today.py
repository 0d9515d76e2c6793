"""The machines of the day: jobs in the logbook that are planned or being worked, and not over; when each can be collected."""

from __future__ import annotations

import time
from collections.abc import Mapping

from sqlalchemy import select

from inkshelf.core.day.bench import Bench, Order
from inkshelf.core.day.planning import MOST, Day, plan_day
from inkshelf.core.day.spans import spans_of
from inkshelf.core.errors import InkshelfError
from inkshelf.core.learned.history import StageDone, port_of
from inkshelf.core.learned.times import Times
from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.logged import connected
from inkshelf.core.texts import shown
from inkshelf.core.value import Value
from inkshelf.store.logbook.book import Logbook, unpacked
from inkshelf.store.logbook.models import Entry

DAYS = 21
"""A job that nobody touched for so long does not stand on a bench."""
DAY, READ = 86_400, 50  # seconds; jobs that are looked into, the others are named


class Today(Value, frozen=True):
    """The day as planned from ``now`` (seconds since the epoch). ``longer``: how many times as long eight of ten days take at most;
    ``passed_over``: machines for which there is no room in the plan; ``unplanned``: those of which it is not known what is to be done."""

    now: int
    day: Day
    longer: float
    passed_over: tuple[str, ...] = ()
    unplanned: tuple[str, ...] = ()

    @property
    def left_out(self) -> str:
        """Which machines of the bench the day does not hold, and why, in words; empty where it holds all."""
        whys = (("there is no room in the plan", self.passed_over), ("their job has no plan that works", self.unplanned))
        return " ".join(f"Not planned, for {why}: {', '.join(names)}." for why, names in whys if names)


def hour_today(text: str, now: int) -> int:
    """Return the moment (seconds since the epoch) of an hour such as 15:40 on the day of ``now``; raises ``InkshelfError`` for what is none."""
    try:
        clock = time.strptime(text.strip(), "%H:%M")
    except ValueError:
        raise InkshelfError(f"“{shown(text)[:20]}” is no hour.", "Write it like 15:40.") from None
    day = time.localtime(now)
    return int(time.mktime((day.tm_year, day.tm_mon, day.tm_mday, clock.tm_hour, clock.tm_min, 0, 0, 0, -1)))


def today(
    book: Logbook, times: Times, now: int, promised: Mapping[str, int] | None = None, bench: Bench | None = None
) -> Today:
    """Return the day's plan; ``promised``: by a job's identity, in seconds since the epoch."""
    with book.reading() as session:
        query = select(Entry).where(Entry.ended.is_(None), Entry.changed > now - DAYS * DAY).order_by(Entry.changed.desc())
        rows = [(one.seed, _name(one), one.who, unpacked(one.document)) for one in session.scalars(query.limit(READ))]
        rest = [_name(one) for one in session.scalars(query.offset(READ))]
    orders: list[Order] = []
    unplanned: list[str] = []
    for seed, name, who, raw in rows:
        due = (promised or {}).get(seed)
        order = _order(seed, name, who, raw, times, now)
        if order is None:
            unplanned.append(name)
        elif order.spans:
            orders.append(Order(order.key, order.name, order.spans, None if due is None else (due - now) / 60))
    wide = times.around(1.0)
    longer = wide.high / wide.middle
    return Today(now, plan_day(orders[:MOST], bench), longer, (*(one.name for one in orders[MOST:]), *rest), tuple(unplanned))


def _name(entry: Entry) -> str:
    return ", ".join(one for one in (entry.owner, entry.title) if one) or entry.seed


def _order(seed: str, name: str, who: str, raw: bytes, times: Times, now: int) -> Order | None:
    try:
        reading = read(document.load(raw))
    except InkshelfError:
        return None
    if not reading.job.steps or reading.job.plan_fault:
        return None
    port = port_of(connected(one) for one in reading.plan.found.disks if not one.stick)
    return Order(seed, name, spans_of(reading, now, lambda stage: times.middle(StageDone(stage, 1.0, 0.0), port, who)))
