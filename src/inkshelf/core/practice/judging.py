"""A drill's judge: the same readers that every job has. What a real machine would have done is told, and points are given for it."""

from __future__ import annotations

from inkshelf.core.boot.firmware import start
from inkshelf.core.boot.mishaps import STANDING, Mishap, TookDiskOut
from inkshelf.core.boot.rehearse import outcome, systems
from inkshelf.core.checks.registry import findings
from inkshelf.core.machine.state import Machine, Volume
from inkshelf.core.mending.narrowing import every_cause
from inkshelf.core.mending.sights import LOOKS
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.practice.drills import Drill
from inkshelf.core.sheet.scene import scenes
from inkshelf.core.sheet.telling import words
from inkshelf.core.size import binary
from inkshelf.core.value import Value

WHOLE, HINT, LATE, LONG, LEAST = 100, 15, 20, 10, 10
"""Points: of a drill done well; taken for each hint, for twice the time, for far more steps than are needed; left at least."""
ELSEWHERE = ("people.", "disk.backup", "bench.", "logbook.", "start.")
"""Findings about people and papers are not what is practised; what starts is judged by itself."""
RESERVE = "room.reserve"


class Line(Value, frozen=True):
    """One thing that was judged: whether it is well, and why."""

    good: bool
    words: str


class Verdict(Value, frozen=True):
    """What came of it. ``points`` of ``WHOLE`` (0: it was not done); ``told``: what a real machine would have done."""

    done: bool
    points: int
    lines: tuple[Line, ...]
    told: tuple[str, ...]


def judged(drill: Drill, job: Job, answer: str = "", minutes: float = 0.0, hints: int = 0) -> Verdict:
    """Judge what a learner made of a drill: the plan in the job, or the answer to its question."""
    lines = _answered(drill, answer) if drill.asked else _planned(drill, read(job))
    done = all(one.good for one in lines)
    planned = read(job).plan.planned
    points = _points(drill, job, minutes, hints) if done else 0
    return Verdict(done, points, lines, firmware_words(planned) if not drill.asked else ())


def _points(drill: Drill, job: Job, minutes: float, hints: int) -> int:
    late = LATE if minutes > drill.minutes else 0
    long = LONG if drill.way is not None and len(job.steps) > 2 * max(3, len(drill.way.steps)) else 0
    return max(LEAST, WHOLE - HINT * hints - late - long)


def _answered(drill: Drill, answer: str) -> tuple[Line, ...]:
    asked = drill.asked
    if asked is None or not answer:
        return (Line(False, "No answer was given."),)
    if answer not in dict(asked.answers):
        raise KeyError(f"“{answer}” is none of the answers.")
    return (Line(answer == asked.right, asked.why),)


def _planned(drill: Drill, reading: Reading) -> tuple[Line, ...]:
    plan = reading.plan
    if reading.job.plan_fault or plan.fault:
        return (Line(False, reading.job.plan_fault or str(plan.fault[1] if plan.fault else "")),)
    lines = [*_goal(drill, plan.planned), *_kept(drill, reading), *_wanted(drill, plan.found, plan.planned)]
    lines += _alone(drill, plan.found, plan.planned)
    before = {one.key for one in findings(read(Job(found=drill.task.found, seed=drill.task.seed)))}
    for one in findings(reading):
        stops = one.severity == "stop" and not one.overridden and one.key not in before
        if (stops and not one.key.startswith(ELSEWHERE)) or (drill.wanted and one.key.startswith(RESERVE)):
            lines.append(Line(False, f"{one.title}: {one.why}"))
    return tuple(lines)


def _goal(drill: Drill, planned: Machine) -> list[Line]:
    lines = []
    if drill.goal:
        said = outcome(planned, drill.goal, STANDING[0])
        lines.append(Line(said.starts and not said.by_hand, f"{drill.goal} {said.verdict}: {said.why}."))
    for call in drill.sure:
        said = outcome(planned, call, STANDING[0])
        lines.append(Line(said.starts, f"{call} {said.verdict}: {said.why}."))
    return lines


def _kept(drill: Drill, reading: Reading) -> list[Line]:
    lost = [one for one in reading.ledger.lost if one in drill.keeps]
    gone = [one for one in drill.keeps if reading.plan.planned.find(one) is None and one not in lost]
    bad = [*lost, *gone]
    if bad:
        return [Line(False, f"{', '.join(bad)} would be gone, and what is on it.")]
    types = [one for _, one in reading.plan.found.volumes() if _other_type(one, reading.plan.planned)]
    lines = [Line(True, "Nothing of anybody's is lost.")]
    if drill.group == "plan":
        lines += [Line(False, f"{one.call} is left with another type than it had.") for one in types]
    return lines


def _other_type(one: Volume, planned: Machine) -> bool:
    place = planned.find(one.call)
    return place is not None and one.role == "startup" and place[1].type_id != one.type_id


def _wanted(drill: Drill, found: Machine, planned: Machine) -> list[Line]:
    if not drill.wanted:
        return []
    there = {one.call for _, one in found.volumes()}
    new = sum(one.size for _, one in planned.volumes() if one.call not in there and one.role in {"system", "data", "swap"})
    return [Line(new >= drill.wanted, f"The new system gets {binary(new)} of {binary(drill.wanted)}.")]


def _alone(drill: Drill, found: Machine, planned: Machine) -> list[Line]:
    """A new system on a disk of its own starts with every other disk out, and the others are as they were."""
    if not drill.alone:
        return []
    there = {one.call for one in systems(found)}
    new = [one.call for one in systems(planned) if one.call not in there]
    parts = tuple(TookDiskOut(one.id) for one in planned.disks if one.id != drill.alone)
    out = Mishap("others-out", "the other disks out", parts)
    lines = []
    for call in new:
        said = outcome(planned, call, out)
        lines.append(Line(said.starts, f"{call} with the other disks out {said.verdict}: {said.why}."))
    same = all(planned.disk(one.id).volumes == one.volumes for one in found.disks if one.id != drill.alone)
    return [*lines, Line(same, "The other disks are as they were." if same else "Another disk is changed.")]


def firmware_words(machine: Machine) -> tuple[str, ...]:
    """Return what the firmware of a machine would try, a line each, and where that ends."""
    seen = start(machine)
    lines = []
    for one in seen.tried:
        place = " ".join(part for part in (one.variable, one.title) if part)
        file = f", {one.path} on {one.volume}" if one.path else ""
        lines.append(f"The firmware tries {place}{file}: {one.result}{', ' + one.why if one.why else ''}.")
    ends = {
        "system": "",
        "nothing": "It finds nothing to start.",
        "firmware menu": "It opens its own menu.",
        "shell": "It ends in its shell.",
    }
    lines.append(f"{seen.system} comes up." if seen.system else ends.get(seen.ends) or "Nothing comes up by itself.")
    return tuple(lines)


def hints(drill: Drill) -> tuple[str, ...]:
    """Return hints, the smallest first; each costs ``HINT`` points."""
    if drill.asked is not None:
        return (f"It can be seen in the chapter {drill.asked.chapter.capitalize()}.", *_one_less(drill))
    if drill.group == "plan":
        return ("Hold every number of the plan against what was agreed.", *_differing(drill))
    causes = [every_cause()[one] for one in drill.causes]
    looks = [one.title for one in LOOKS if any(one.key in made.tells for made in causes)][:2]
    where = (
        f"Looks that tell it apart: {', '.join(looks)}."
        if looks
        else "Follow its way on the start map, from the firmware to the system."
    )
    steps = _steps(drill)
    return (where, f"The cause: {causes[0].title}.", f"What mends it: {'; '.join(steps[:6])}.")


def _one_less(drill: Drill) -> tuple[str, ...]:
    asked = drill.asked
    wrong = [words for value, words in asked.answers if value != asked.right] if asked else []
    return (f"It is not: {wrong[0]}.",) if len(wrong) > 1 else ()


def _differing(drill: Drill) -> tuple[str, ...]:
    """What the plan as it was given has, and the right one does not, or the other way round."""
    if drill.way is None:
        return ()
    given, right = (set(_titles(one)) for one in (drill.task, drill.way))
    wrong, missing = sorted(given - right), sorted(right - given)
    if wrong:
        return (f"Look at this step: {wrong[0]}.",)
    return (f"This step is missing: {missing[0]}.",) if missing else ("The steps are right; their sizes are not.",)


def _titles(job: Job) -> list[str]:
    return [words(step, scene).title for _, step, scene in scenes(read(job))]


def _steps(drill: Drill) -> list[str]:
    return _titles(drill.way) if drill.way is not None else []


def explained(drill: Drill) -> Job:
    """Return a job that does it, to be walked through step by step on the shelf and the start map."""
    return drill.way if drill.way is not None else drill.task
