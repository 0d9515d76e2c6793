"""What times are learned from, out of a logbook: its finished jobs, the newest of them."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from inkshelf.core.checks.guide import page_of
from inkshelf.core.errors import PlanError
from inkshelf.core.learned.history import JobDone, StageDone, own_waits, port_of
from inkshelf.core.value import Value
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.models import Entry, MetFinding, SeenDisk, TimedStep

LATEST = 300
"""Jobs that are learned from: people, tools and machines change, and what is older says little."""
TIMED = ("done", "otherwise")


class Met(Value, frozen=True):
    """A finding that jobs met, how often, and of how many jobs."""

    key: str
    title: str
    count: int


def history(book: Logbook, latest: int = LATEST) -> tuple[JobDone, ...]:
    """Return the finished jobs that ended last, the oldest of them first."""
    with book.reading() as session:
        entries = session.execute(
            select(Entry.seed, Entry.who, Entry.ended)
            .where(Entry.ended.is_not(None))
            .order_by(Entry.ended.desc())
            .limit(latest)
        ).all()
        seeds = [seed for seed, _, _ in entries]
        stages = _stages(session, seeds)
        ports: dict[str, list[str]] = {}
        for seed, transport in session.execute(select(SeenDisk.seed, SeenDisk.transport).where(SeenDisk.seed.in_(seeds))):
            ports.setdefault(seed, []).append(transport)
    made = (
        JobDone(seed, stages.get(seed, ()), port_of(ports.get(seed, ())), who, ended or 0)
        for seed, who, ended in reversed(entries)
    )
    return tuple(one for one in made if one.stages)


def _stages(session: Session, seeds: Sequence[str]) -> dict[str, tuple[StageDone, ...]]:
    """The stages of these jobs of which every step was timed, summed by the database."""
    untimed = case((TimedStep.took.is_(None), 1), (TimedStep.stands.in_(TIMED), 0), else_=1)
    sums = (func.sum(TimedStep.planned), func.sum(TimedStep.took), func.sum(TimedStep.carried), func.sum(untimed))
    chosen = TimedStep.seed.in_(list(seeds))
    query = select(TimedStep.seed, TimedStep.stage, *sums).where(chosen).group_by(TimedStep.seed, TimedStep.stage)
    waited: dict[tuple[str, str], float] = {}
    for seed, stage, lines in session.execute(
        select(TimedStep.seed, TimedStep.stage, TimedStep.waits).where(chosen, TimedStep.waits != "")
    ):
        waited[seed, stage] = waited.get((seed, stage), 0.0) + own_waits(lines)
    found: dict[str, list[StageDone]] = {}
    for seed, stage, planned, took, carried, left_out in session.execute(query.order_by(func.min(TimedStep.number))):
        if not left_out:
            found.setdefault(seed, []).append(StageDone(stage, planned, took + waited.get((seed, stage), 0.0), int(carried)))
    return {seed: tuple(stages) for seed, stages in found.items()}


def waits(book: Logbook, latest: int = LATEST) -> tuple[tuple[str, float], ...]:
    """Return what was waited for in the newest jobs, with the minutes: the most first."""
    total: dict[str, float] = {}
    with book.reading() as session:
        newest = select(Entry.seed).order_by(Entry.changed.desc()).limit(latest).subquery()
        query = select(TimedStep.waits).where(TimedStep.waits != "", TimedStep.seed.in_(select(newest.c.seed)))
        for lines in session.scalars(query):
            for line in lines.splitlines():
                why, _, minutes = line.rpartition(": ")
                total[why] = total.get(why, 0.0) + float(minutes)
    return tuple(sorted(total.items(), key=lambda one: -one[1]))


def met(book: Logbook, latest: int = LATEST, most: int = 8) -> tuple[Met, ...]:
    """Return the warnings and stops that the newest jobs met most, of any volume."""
    found: dict[str, tuple[str, set[str]]] = {}
    with book.reading() as session:
        newest = select(Entry.seed).order_by(Entry.changed.desc()).limit(latest).subquery()
        query = select(MetFinding.key, MetFinding.title, MetFinding.seed).where(
            MetFinding.severity != "note", MetFinding.seed.in_(select(newest.c.seed))
        )
        for key, title, seed in session.execute(query):
            kind, said = _kind(key, title)
            found.setdefault(kind, (said, set()))[1].add(seed)
    rows = [Met(key, title, len(seeds)) for key, (title, seeds) in found.items()]
    return tuple(sorted(rows, key=lambda one: (-one.count, one.key))[:most])


def _kind(key: str, title: str) -> tuple[str, str]:
    """Of which kind a finding is, and its title there: that of its page in the guide, which speaks of no single volume."""
    try:
        page = page_of(key)
    except PlanError:
        return key, title
    return page.key, page.title


def last_note(book: Logbook, seed: str) -> str:
    """Return what was noted last while a job was worked (empty: nothing)."""
    from inkshelf.core.plan import document
    from inkshelf.core.work.events import Noted

    work = document.load(book.read(seed)[0]).work
    return next((one.text for one in reversed(work) if isinstance(one, Noted)), "")
