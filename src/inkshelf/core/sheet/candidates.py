"""Ways to do what a job asks for: other answers to its questions, each worked out in full, side by side; none is worse in everything.

A way differs from the plan in one answer, or in two that go together. Figures are read from the whole plan: nothing is guessed.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.aims.asking import answer_of, answered
from inkshelf.core.aims.base import AimBase
from inkshelf.core.boot.mishaps import mishaps
from inkshelf.core.checks import findings
from inkshelf.core.errors import InkshelfError, PlanError
from inkshelf.core.machine.state import FileSystem, Machine, Volume
from inkshelf.core.plan.job import Job, changed_aim, found_by
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.sheet.media import on_sticks
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.sheet.telling.people import free_of
from inkshelf.core.sheet.ways_out import ways_out
from inkshelf.core.value import Value, replace

MOST = 4
HERE = "as-it-is"


class Figures(Value, frozen=True):
    """What a way costs and gives. ``free``: bytes that each system shows as free at the end, by call number; ``survives`` of ``starts``."""

    free: dict[str, int]
    moved: int
    minutes: float
    by_hand: int
    put_back: int
    stops: int
    warns: int
    survives: int
    starts: int


ASKED_ALONE = {"files", "table", "secure", "release"}
"""What the owner, the machine or the material decides: no other way to lay a disk out."""


class Candidate(Value, frozen=True):
    """One way. ``key`` names it for commands: the answers that differ; ``words`` says them; ``job`` is the whole of it."""

    key: str
    words: str
    job: Job
    figures: Figures


def candidates(job: Job, most: int = MOST) -> tuple[Candidate, ...]:
    """Return the plan as it is and up to ``most`` - 1 ways that differ from it, none of which another one dominates.

    Of a plan that cannot be: the cheapest ways out.
    """
    return chosen(tuple(worked_out(job)), most)


def worked_out(job: Job) -> Iterator[Candidate]:
    """Yield the plan as it is, then every way that can be planned, one by one: a window shows the first while the next is worked out.

    Of a plan that cannot be, the ways out are yielded.
    """
    if job.plan_fault:
        yield from (Candidate(key, words, other, figures(read(other))) for key, words, other in ways_out(job))
        return
    if not job.aims:
        return
    here = read(job)
    yield Candidate(HERE, "as it is planned", job, figures(here))
    lost, carried = set(here.ledger.lost), on_sticks(here)
    for key, words, other in _others(job):
        if other.plan_fault or not other.steps:
            continue
        reading = read(other)
        if set(reading.ledger.lost) <= lost and on_sticks(reading) >= carried:  # a way in which somebody loses more is none
            yield Candidate(key, words, other, figures(reading))


def chosen(found: tuple[Candidate, ...], most: int = MOST) -> tuple[Candidate, ...]:
    """Return those that no other one dominates, the plan as it is first, then the most different ones; of ways out the cheapest.

    The plan as it is stays even where another one is better in everything: that is what there is to see.
    """
    if not found:
        return ()
    if found[0].key != HERE:
        return tuple(sorted(found, key=_cost)[:most])
    here, *rest = found
    open_ones = [one for one in rest if not any(dominates(other.figures, one.figures) for other in found if other is not one)]
    picked = [here]
    while open_ones and len(picked) < most:
        best = max(open_ones, key=lambda one: min(_apart(one.figures, other.figures) for other in picked))
        open_ones.remove(best)
        if all(_apart(best.figures, other.figures) for other in picked):
            picked.append(best)
    return tuple(picked)


def _cost(one: Candidate) -> tuple[float, ...]:
    """What a way out costs: stops, systems that are left out, bytes to copy, room that systems lose, minutes."""
    made = one.figures
    return made.stops, -len(made.free), made.moved, -sum(made.free.values()), made.minutes


def _measures(figures: Figures) -> dict[str, float]:
    """Every figure, such that less is better."""
    return {
        "moved": figures.moved,
        "minutes": round(figures.minutes),
        "by hand": figures.by_hand,
        "put back": figures.put_back,
        "stops": figures.stops,
        "warns": figures.warns,
        "lost starts": figures.starts - figures.survives,
        **{call: -free for call, free in figures.free.items()},
    }


def dominates(one: Figures, other: Figures) -> bool:
    """Tell whether a way is nowhere worse than another and somewhere better; systems that only one of them has are compared in sum."""
    mine, its = _measures(one), _measures(other)
    if one.free.keys() != other.free.keys():
        mine = {key: value for key, value in mine.items() if key not in one.free} | {"free": -sum(one.free.values())}
        its = {key: value for key, value in its.items() if key not in other.free} | {"free": -sum(other.free.values())}
    return all(mine[key] <= its[key] for key in mine) and any(mine[key] < its[key] for key in mine)


def _apart(one: Figures, other: Figures) -> int:
    """In how many figures two ways differ."""
    mine, its = _measures(one), _measures(other)
    return sum(mine.get(key) != its.get(key) for key in mine.keys() | its.keys())


def _others(job: Job) -> Iterator[tuple[str, str, Job]]:
    """Yield jobs in which one answer differs, and in which what stands in its way is answered too."""
    for number, aim in enumerate(job.aims, 1):
        found = found_by(job, aim.id)
        for question in aim.asked(found):
            if question.kind not in {"choice", "disk"} or question.key in ASKED_ALONE:
                continue
            for answer in question.answers:
                if answer.value == answer_of(aim, question):
                    continue
                key = f"{question.key}={answer.value}" if len(job.aims) == 1 else f"{number}:{question.key}={answer.value}"
                words = f"{question.title}: {answer.title}"
                try:
                    yield key, words, changed_aim(job, _changed(aim, job, question.key, answer.value))
                except InkshelfError:
                    continue


def _changed(aim: AimBase, job: Job, key: str, value: str) -> AimBase:
    return answered(aim, found_by(job, aim.id), key, value)


def figures(reading: Reading) -> Figures:
    """Return the figures of a whole plan."""
    known = findings(reading)
    made = sheet(reading, known)
    planned = reading.plan.planned
    free = {
        volume.call: shown_free(planned, volume)
        for _, volume in planned.volumes()
        if volume.holds and free_of(volume) is not None
    }
    bad = {one.key for one in mishaps(planned)} - {"none"}
    outcomes = [one for one in reading.after if one.mishap in bad]
    return Figures(
        free=free,
        moved=reading.ledger.moved_bytes,
        minutes=made.minutes,
        by_hand=sum(step.actor == "person" for step in reading.job.steps),
        put_back=len(made.put_back),
        stops=sum(one.severity == "stop" for one in known),
        warns=sum(one.severity == "warn" for one in known),
        survives=sum(one.starts for one in outcomes),
        starts=len(outcomes),
    )


def _uuids(system: FileSystem) -> set[str]:
    return {system.uuid.lower(), *(one.uuid.lower() for one in system.inside)}


def shown_free(machine: Machine, system: Volume) -> int:
    """Return what a finished system shows as free, its own home counted in: a share of ext is kept for the administrator."""
    uuids = {
        what.removeprefix("UUID=").lower() for what, where in (system.holds.mounts if system.holds else ()) if where == "/home"
    }
    others = (one for _, one in machine.volumes() if one.call != system.call and one.filesystem)
    own = [one for one in others if one.filesystem and uuids & _uuids(one.filesystem)]
    return sum(free_of(one, system) or 0 for one in (system, *own))


def choose(job: Job, key: str, because: str) -> Job:
    """Return the job in the way of that key, with the reason kept; raises ``PlanError`` for a way that there is not."""
    from inkshelf.core.machine.figures import near

    ways = {one.key: one for one in worked_out(job)}
    if key not in ways:
        raise PlanError(f"There is no way “{key}” to do this.", near(key, ways))
    reason = f"{ways[key].words}: {because}"
    return replace(ways[key].job, reasons=(*job.reasons, reason))
