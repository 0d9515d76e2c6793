"""What the chapter shows, looked up beside the window: rows with their bands, what was learned, one job closer. No Qt here."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from inkshelf.core.value import Value

if TYPE_CHECKING:
    from inkshelf.core.learned.history import JobDone
    from inkshelf.core.learned.times import Band, Times
    from inkshelf.core.sheet.logged import Logged
    from inkshelf.store.logbook.book import Brief, Logbook
    from inkshelf.store.logbook.files import Held as HeldFile

ROWS = 60


class JobRow(Value, frozen=True):
    """A job in the list. Minutes ``low`` to ``high`` were foretold (0: nothing was)."""

    brief: Brief
    low: float = 0.0
    high: float = 0.0

    @property
    def whose(self) -> str:
        """Owner and machine."""
        return ", ".join(one for one in (self.brief.owner, self.brief.title) if one) or "nobody named"

    @property
    def day(self) -> str:
        """The day in short, where the machine stands."""
        return f"{datetime.fromtimestamp(self.brief.begun or self.brief.changed).astimezone():%d %b %Y}"

    @property
    def missed(self) -> bool:
        """Whether it is over, and came outside of what was foretold."""
        return self.brief.ended is not None and self.high > 0 and not self.low <= self.brief.took <= self.high

    @property
    def clock(self) -> str:
        """What it took, or that it is not over."""
        if self.brief.ended is None:
            return "at work" if self.brief.begun else "planned"
        return clock(self.brief.took)

    @property
    def took_words(self) -> str:
        """What it took against what was foretold, in words."""
        took = f"took {clock(self.brief.took)}" if self.brief.ended is not None else self.clock
        return f"{took}, foretold {clock(self.low)} to {clock(self.high)}" if self.high > 0 else took


def clock(minutes: float) -> str:
    """Return minutes as hours and minutes, for example ``1:52``."""
    whole = round(minutes)
    return f"{whole // 60}:{whole % 60:02}"


class Found(Value, frozen=True):
    """What a search found: its rows, how many there are of how many."""

    asked: str
    rows: tuple[JobRow, ...]
    count: int
    total: int


class Closer(Value, frozen=True):
    """One job closer: what is kept of it, the stages that it was timed in, its files."""

    logged: Logged
    done: JobDone | None
    files: tuple[HeldFile, ...]


def find(book: Logbook, asked: str, times: Times | None) -> Found:
    """Search, and put the bands that were foretold beside what is found."""
    past = {one.seed: one.band for one in times.past} if times else {}
    rows = []
    for one in book.search(asked, ROWS):
        band = past.get(one.seed)
        if band is None and times and one.ended is None:
            from inkshelf.core.learned.history import planned_of

            job = planned_of(book.logged(one.seed), one.who)
            band = times.job(job.stages, job.port, job.who) if job.stages else None
        rows.append(JobRow(one, band.low, band.high) if band else JobRow(one))
    return Found(asked, tuple(rows), book.found(asked), book.count())


def closer(book: Logbook, seed: str, who: str) -> Closer:
    """Look one job up."""
    from inkshelf.core.learned.history import done_of
    from inkshelf.store.logbook.files import held_of

    logged = book.logged(seed)
    return Closer(logged, done_of(logged, who), held_of(book, seed))


def learned(book: Logbook) -> Times:
    """Learn from the newest finished jobs."""
    from inkshelf.core.learned.times import learn
    from inkshelf.store.logbook.history import history

    return learn(history(book))


def stage_rows(times: Times, job: Closer | None) -> list[tuple[str, Band, float | None]]:
    """Return each stage in the order of the work with its band, for the chosen job where there is one, and what that took."""
    from inkshelf.core.learned.history import StageDone, planned_of

    if job is not None:
        who = job.done.who if job.done else ""
        asked = planned_of(job.logged, who)
        taken = {one.stage: one.took for one in job.done.stages} if job.done else {}
        return [(one.stage, times.stage(one, asked.port, who), taken.get(one.stage)) for one in asked.stages]
    usual = times.planned
    return [(stage, times.stage(StageDone(stage, planned, 0.0)), None) for stage, planned in usual.items()]
