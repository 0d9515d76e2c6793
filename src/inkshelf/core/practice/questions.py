"""Drills that are answered by looking: one question, a few answers, one of them right, worked out from the machine itself."""

from __future__ import annotations

from collections.abc import Callable
from random import Random

from inkshelf.core.boot.firmware import start
from inkshelf.core.boot.mishaps import STANDING, mishaps
from inkshelf.core.boot.rehearse import outcome, systems
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.practice.machines import kit_of, made_up, wanting
from inkshelf.core.practice.planting import FAULTS, planted, system_of
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import MIB, decimal
from inkshelf.core.steps.kinds import Grow, Prepare, Stage, Step
from inkshelf.core.value import Value, replace

NOTHING = "nothing"


class Asked(Value, frozen=True):
    """A question: ``answers`` as (value, words), the value of the right one, why it is, and where one sees it (a chapter)."""

    story: str
    answers: tuple[tuple[str, str], ...]
    right: str
    why: str
    chapter: str = "start"


class Question(Value, frozen=True):
    """A kind of question."""

    title: str
    make: Callable[[Random, int, str], tuple[Job, Asked]]


def _alike(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """Disks of one make and size: only the serial tells them apart."""
    machine = made_up(kit_of("road"), seed)
    first = machine.disks[1]
    count = level + 1
    disks = tuple(
        replace(first, id=letter, serial=_serial(draw), device=f"/dev/sd{letter.lower()}") for letter in "BCDE"[:count]
    )
    wanted = draw.choice(disks)
    story = (
        f"{count} disks of {decimal(first.size)} are plugged in, all {first.model}. The owner's label says …{wanted.serial[-4:]}: that one "
        "may be erased, and no other. Which is it?"
    )
    why = f"Disk {wanted.id} has the serial {wanted.serial}. Names such as {wanted.device} change with every port; a serial does not."
    answers = tuple((one.id, f"disk {one.id}, {one.device}") for one in disks)
    return Job(found=replace(machine, disks=(machine.disks[0], *disks))), Asked(story, answers, wanted.id, why, "intake")


def _serial(draw: Random) -> str:
    return f"D{draw.randrange(16**8):08X}"


def _first(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """What starts by itself on a machine with a fault."""
    sound = made_up(kit_of("both"), seed)
    fit = [one for one in FAULTS if one.mode == "uefi" and one.family == "linux"]
    machine = sound
    spoilt = 0
    for fault in draw.sample(fit, len(fit)):
        broken = planted(fault, machine, system_of(machine, fault.family), draw) if spoilt < level else None
        if broken is not None and broken != machine:
            machine, spoilt = broken, spoilt + 1
    right = start(machine).system or NOTHING
    answers = (
        *((one.call, f"{one.call}, {one.holds.title if one.holds else ''}") for one in systems(machine)),
        (NOTHING, "nothing: it waits, or nothing is found"),
    )
    tried = "; ".join(f"{one.title}: {one.result}{', ' + one.why if one.why else ''}" for one in start(machine).tried)
    return Job(found=machine), Asked(
        "It is switched on, and nobody touches a key. What comes up?", answers, right, f"The firmware tries: {tried}."
    )


def _after(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """Which system does not start any more after a mishap."""
    machine = made_up(kit_of("both"), seed)
    there = [one.call for one in systems(machine)]
    rows = []
    for mishap in mishaps(machine):
        lost = [call for call in there if not outcome(machine, call, mishap).starts]
        if len(lost) == 1 or (level > 1 and not lost) or (level > 2 and len(lost) == len(there)):
            rows.append((mishap, lost))
    mishap, lost = draw.choice(rows)
    right = " and ".join(lost) or NOTHING
    both = " and ".join(there)
    answers = (
        *((call, f"{call} does not") for call in there),
        (both, "none of them does"),
        (NOTHING, "all of them still start"),
    )
    said = "; ".join(f"{call}: {outcome(machine, call, mishap).why}" for call in there)
    story = f"Of {both} on this machine, by itself or from the firmware's menu: what starts no more after this: {mishap.title}?"
    return Job(found=machine), Asked(story, answers, right, f"{said}.")


def _loader(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """On which volume the loader of a system lies: with a second start-up volume on the disk."""
    machine = made_up(kit_of({1: "desk", 2: "laptop", 3: "two"}[level]), seed)
    aim = ("beside", {"size": "90GiB", "esp": draw.choice(["own", "shared"])})
    planned = read(wanting(Job(found=machine, seed=f"{seed} planned"), aim)).plan.planned
    call = draw.choice([one.call for one in systems(planned)])
    reached = outcome(planned, call, STANDING[0])
    found = [one.call for _, one in planned.volumes() if one.boot_files]
    right = next(one for one in found if any(f"({one})" in stop for stop in reached.path))
    answers = tuple((one, one) for one in [volume.call for _, volume in planned.volumes() if volume.role == "startup"])
    if len(answers) == 1:
        answers = (*answers, (call, f"{call} itself"))
    return Job(found=planned), Asked(
        f"Which volume holds the loader that {call} is started by?", answers, right, f"Its way: {', '.join(reached.path)}."
    )


def _line(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """At which step it can no longer be left as it is."""
    machine = made_up(kit_of({1: "desk", 2: "both", 3: "old-both"}[level]), seed)
    aim = (
        ("beside", {"size": f"{10 * draw.randint(8, 12)}GiB"})
        if level == 1
        else ("remove", {"system": "S2" if level == 2 else "S1", "room": "grow"})
    )
    job = wanting(Job(found=machine, seed=f"{seed} planned"), aim)
    reading = read(job)
    rows = sheet(reading).rows
    right = reading.no_return or len(rows)
    near = sorted({right, *(min(len(rows), max(1, right + one)) for one in (-4, -2, 2, 4))})
    answers = tuple((str(one), f"step {one}: {rows[one - 1].words.title}") for one in near)
    why = f"Step {right} is the first whose undoing needs more than the way back that is printed beside it: it writes inside a volume that was there, or gives one up."
    return job, Asked(
        "The owner may still change their mind. Before which step do you ask for the last time?",
        answers,
        str(right),
        why,
        "sheet",
    )


def _number(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """The number that goes into a shrink box."""
    machine = made_up(kit_of("desk"), seed)
    wanted = draw.randint(70, 140) if level > 1 else 10 * draw.randint(7, 14)
    job = wanting(Job(found=machine, seed=f"{seed} planned"), ("beside", {"size": f"{wanted}GiB"}))
    (shrink,) = read(job).ledger.shrinks[:1]
    right = str(shrink.type_mib)
    wrong = {
        str(shrink.type_mib * MIB // 10**6),
        str(shrink.to_bytes // MIB),
        str((shrink.from_bytes - shrink.to_bytes) // 1024**2 // 1000 * 1024),
    }
    answers = tuple((one, one) for one in sorted({right, *wrong}, key=int))
    story = f"The sheet says: shrink {shrink.call}. Its box says MB. Which number makes room for {wanted} GiB and what the plan needs beside it?"
    why = f"The box takes what is taken away, in MiB, though it says MB: {right}."
    return job, Asked(story, answers, right, why, "shelf")


def _stays(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """Which disk of a machine holds what its owner has."""
    machine = made_up(kit_of({1: "two", 2: "road", 3: "two"}[level]), seed)
    letters = list("AB")
    if level > 1:
        draw.shuffle(letters)
    disks: tuple[Disk, ...] = tuple(replace(one, id=letter) for one, letter in zip(machine.disks, letters, strict=True))
    machine = replace(machine, disks=tuple(sorted(disks, key=lambda one: one.id)))
    empty = next(one for one in machine.disks if not one.volumes)
    right = empty.id
    story = "A system of its own goes onto a disk of its own: everything on it may be erased. Which disk do you take?"
    why = f"Disk {right} ({empty.identity()}) holds nothing. Letters follow the order of ports, and say nothing."
    return Job(found=machine), Asked(
        story, tuple((one.id, f"disk {one.id}: {one.model}") for one in machine.disks), right, why, "intake"
    )


def _asleep(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """A system that is half asleep: which step must wait until it was really shut down."""
    machine = made_up(kit_of({1: "desk", 2: "laptop", 3: "two"}[level]), seed)
    call = next(one.call for one in systems(machine))

    def sleep(one: Volume) -> Volume:
        return replace(one, filesystem=replace(one.filesystem, hibernated=True)) if one.filesystem else one

    machine = machine.with_volume(call, sleep)
    job = wanting(Job(found=machine, seed=f"{seed} planned"), ("beside", {"size": f"{10 * draw.randint(8, 12)}GiB"}))
    rows = {row.step: row.words.title for row in sheet(read(job)).rows}
    waits = [one for one in job.steps if _refused(one, machine)]
    free = [one for one in job.steps if one not in waits and not isinstance(one, Prepare)]
    right = waits[0]
    others = draw.sample(free, min(len(free), 2 + level))
    answers = tuple((one.id, rows[one.id]) for one in sorted((right, *others), key=job.steps.index))
    story = f"{call} is half asleep: it was left so by a fast shutdown. Which of these must wait until it was really shut down?"
    why = f"{rows[right.id]}: nothing may move or resize a volume that is half asleep; its system would write its old picture of it back over the new one."
    return job, Asked(story, answers, right.id, why, "sheet")


def _refused(step: Step, machine: Machine) -> bool:
    try:
        step.apply(machine)
    except StepError as error:
        return "half asleep" in error.what
    except (KeyError, StopIteration):
        return False
    return False


def _staged(draw: Random, level: int, seed: str) -> tuple[Job, Asked]:
    """On which side of the new system the installer's volume lies, so that its room can be given back."""
    machine = made_up(kit_of({1: "desk", 2: "laptop", 3: "two"}[level]), seed)
    aim = ("no-stick", {"size": f"{10 * draw.randint(8, 12)}GiB", "home": draw.choice(["apart", "together"])})
    job = wanting(Job(found=machine, seed=f"{seed} planned"), aim)
    plan = read(job).plan
    staged = next(one.call for one in job.steps if isinstance(one, Stage))
    lies = next(place for state in plan.machines if (place := state.find(staged)) is not None)
    grown = next((one.call for one in job.steps if isinstance(one, Grow)), "")
    place = next((one for state in reversed(plan.machines) if (one := state.find(grown)) is not None), None)
    right = "behind" if place is not None and place[1].start < lies[1].start else "before"
    answers = (
        ("before", "before the volume that takes its room"),
        ("behind", "right behind the volume that takes its room"),
        ("end", "at the end of the disk, wherever that is"),
    )
    story = "No stick: the installer starts from a small volume on the disk itself, and its room is given back at the end. Where does that volume lie?"
    why = f"A volume grows at its end only: {staged} lies {right} {grown}, which takes its room when it goes."
    return job, Asked(story, answers, right, why, "shelf")


QUESTIONS: dict[str, Question] = {
    "alike": Question("Disks that look alike", _alike),
    "comes-up": Question("What comes up", _first),
    "after": Question("What starts no more", _after),
    "whose-loader": Question("Where the loader lies", _loader),
    "last-word": Question("The point of no return", _line),
    "which-number": Question("Which number goes into the box", _number),
    "half-asleep": Question("A system that is half asleep", _asleep),
    "staging": Question("The installer's volume on the disk itself", _staged),
    "which-disk": Question("Which disk may be erased", _stays),
}
"""Every kind of question."""
