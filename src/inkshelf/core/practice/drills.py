"""Drills: a made-up machine with a planted fault, or a plan with a slip in it; what is asked, what is seen, hints, and a way that does it.

Each comes of a kind, a level and a seed, and of nothing else: the same three give the same drill, another seed another one.
"""

from __future__ import annotations

from collections.abc import Callable
from random import Random
from typing import Literal

from inkshelf.core.aims import kind_of_aim
from inkshelf.core.aims.mending import Mend
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import outcome, systems
from inkshelf.core.machine.state import BootEntry, Machine, Volume
from inkshelf.core.mending.sights import BY_KEY
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.practice.machines import MAKES, Kit, chance, kit_of, made_up
from inkshelf.core.practice.planting import FAULTS, Fault, fault_of, planted, system_of
from inkshelf.core.practice.questions import QUESTIONS, Asked
from inkshelf.core.size import GB, GIB, MIB, align_up
from inkshelf.core.value import Value, replace

Group = Literal["mend", "plan", "look"]
LEVELS = (1, 2, 3)
MINUTES = {1: 10.0, 2: 12.0, 3: 15.0}
OWNERS = ("Halden Turning", "Marrow & Finch", "Saltmarsh Library", "Mire Ferries", "Coppice Dairy", "Tarn School")
DRILL = "drill"
NEW = "B"
TWO = Kit("both-two", (MAKES["Wren NV-512"], MAKES["Plover C2"]), "nt-desktop,linux-desktop", board="Tern 7")


class Drill(Value, frozen=True):
    """One drill. ``task``: the job as the learner gets it; ``goal``: the system that is to start by itself (empty: none is named);
    ``wanted``: bytes that a new system is to get at least; ``keeps``: volumes that may not be lost; ``sure``: systems that started before and
    are to start afterwards; ``asked``: a question with its answers, where nothing is planned; ``way``: a job that does it.
    ``alone``: the disk's letter on which a new system has to start with every other one out."""

    kind: str
    title: str
    group: Group
    level: int
    seed: str
    story: str
    task: Job
    minutes: float
    goal: str = ""
    sight: str = ""
    causes: tuple[str, ...] = ()
    wanted: int = 0
    keeps: tuple[str, ...] = ()
    sure: tuple[str, ...] = ()
    asked: Asked | None = None
    way: Job | None = None
    alone: str = ""


class Kind(Value, frozen=True):
    """A kind of drill. ``face``: what is said of it before it was worked: what is seen, not what it comes of."""

    key: str
    title: str
    group: Group
    make: Callable[[Kind, int, str], Drill]
    face: str


def held_back(job: Job, key: str) -> bool:
    """Whether a finding is kept from whoever works this drill: of a question, and beyond the first level, the margin does not say what starts."""
    if not key.startswith("start.") or not job.seed.startswith(f"{DRILL}-"):
        return False
    return "-1-" not in job.seed or any(job.seed.startswith(f"{DRILL}-{one}-") for one in QUESTIONS)


def drill(kind: str, level: int, seed: str) -> Drill:
    """Return a drill; raises ``KeyError`` for a kind or a level that is not there."""
    if level not in LEVELS:
        raise KeyError(f"There is no level {level}.")
    return kind_of(kind).make(kind_of(kind), level, seed)


def kind_of(key: str) -> Kind:
    """Return a kind; raises ``KeyError``."""
    if key not in KINDS:
        raise KeyError(f"There is no drill “{key}”.")
    return KINDS[key]


# -- a start that is broken --------------------------------------------------------------------------------------
def _mend(kind: Kind, level: int, seed: str) -> Drill:
    fault, draw = fault_of(kind.key), chance(f"{kind.key} {level} {seed}")
    legacy = fault.mode == "legacy"
    sound = made_up(kit_of("old-both") if legacy else TWO if level > 1 else kit_of("both"), f"{seed} {draw.random()}")
    if level > 1 and not legacy:
        sound = _noise(sound, draw)
    goal = system_of(sound, fault.family)
    broken = fault.plant(sound, goal, draw)
    if level == max(LEVELS):
        broken = _second(fault, broken, goal, draw)
    owner = draw.choice(OWNERS)
    task = Job(title="practice", owner=owner, found=broken, seed=f"{DRILL}-{kind.key}-{level}-{seed}"[:60])
    return Drill(
        kind.key,
        kind.title,
        "mend",
        level,
        seed,
        _told(owner, fault, sound, goal, level),
        task,
        MINUTES[level],
        goal=goal,
        sight=fault.seen,
        causes=fault.causes,
        keeps=_owned(broken),
        sure=_sure(broken, goal),
        way=with_aim(task, Mend(seen=fault.seen, system=goal)),
    )


def _told(owner: str, fault: Fault, sound: Machine, goal: str, level: int) -> str:
    """What the owner says, and, to a beginner, which system it is."""
    sight = BY_KEY[fault.seen]
    place = sound.find(goal)
    named = f"{place[1].holds.title} ({goal})" if place and place[1].holds else goal
    said = f"{owner} bring a machine. {sight.title}: {sight.about[0].lower()}{sight.about[1:]}"
    if level == 1:
        return f"{said} {named} is to start by itself again, and nothing of anybody's may be lost."
    if level == 2:
        return f"{said} “{'The desktop' if fault.family == 'linux' else 'The old system'} always came up by itself.” Nothing may be lost."
    return f"{said} “It began after somebody had tried to mend it.” There may be more than one thing wrong with {goal}."


def _noise(machine: Machine, draw: Random) -> Machine:
    """Entries that firmware and sticks leave behind, and that mean nothing."""
    numbers = draw.sample(range(0x10, 0x40), 2)
    more = (BootEntry(numbers[0], "Network card", leads="network"), BootEntry(numbers[1], "Memory stick", leads="usb"))
    firmware = machine.firmware
    return replace(
        machine, firmware=replace(firmware, entries=(*firmware.entries, *more), order=(*firmware.order, *sorted(numbers)))
    )


def _second(fault: Fault, broken: Machine, goal: str, draw: Random) -> Machine:
    """One more fault of the same system, where both can be mended in one plan; else the machine as it is."""
    others = [one for one in FAULTS if one.mode == fault.mode and one.family == fault.family and one.key != fault.key]
    draw.shuffle(others)
    for one in others:
        twice = planted(one, broken, goal, draw)
        if twice is None or twice == broken or outcome(twice, goal, STANDING[0]).verdict == "starts":
            continue
        way = with_aim(Job(found=twice, seed="second"), Mend(seen=fault.seen, system=goal))
        if not way.plan_fault and _starts(way, goal):
            return twice
    return broken


def _starts(job: Job, call: str) -> bool:
    from inkshelf.core.plan.reading import read

    said = outcome(read(job).plan.planned, call, STANDING[0])
    return said.starts and not said.by_hand


def _owned(machine: Machine) -> tuple[str, ...]:
    """Volumes that hold what somebody owns: systems, data, recovery."""
    return tuple(one.call for _, one in machine.volumes() if one.role in {"system", "data", "recovery"})


def _sure(machine: Machine, goal: str) -> tuple[str, ...]:
    """Other systems that can be started now, whichever way: they are to start afterwards."""
    return tuple(one.call for one in systems(machine) if one.call != goal and outcome(machine, one.call, STANDING[0]).starts)


# -- a plan with a slip in it ------------------------------------------------------------------------------------
def _plan(kind: Kind, level: int, seed: str) -> Drill:
    draw = chance(f"{kind.key} {level} {seed}")
    apart = kind.key == "other-disk"
    sound = made_up(kit_of("two" if apart else {1: "desk", 2: "laptop", 3: "two"}[level]), f"{seed} {draw.random()}")
    owner = draw.choice(OWNERS)
    bare = Job(title="practice", owner=owner, found=sound, seed=f"{DRILL}-{kind.key}-{level}-{seed}"[:60])
    slip, story, wanted, way = SLIPS[kind.key](bare, draw)
    return Drill(
        kind.key,
        kind.title,
        "plan",
        level,
        seed,
        f"{owner} agreed to this: {story} Look the plan over before anybody works by it, and put it right.",
        slip,
        MINUTES[level],
        wanted=wanted,
        keeps=_owned(sound),
        sure=_sure(sound, ""),
        way=way,
        alone=NEW if apart else "",
    )


def _sized(job: Job, size: int) -> Job:
    from inkshelf.core.aims.beside import Beside

    return with_aim(job, Beside(size_bytes=size))


Slipped = tuple[Job, str, int, Job]


def _room(job: Job) -> int:
    """GiB that the first volume with a system can give and keep its reserve."""
    volume = next(one for _, one in job.found.volumes() if one.holds)
    held = volume.filesystem
    least = held.smallest_bytes if held and held.smallest_bytes else volume.size
    return int((volume.size - least * 1.25) / GIB)


def _digit(job: Job, draw: Random) -> Slipped:
    wanted = 10 * draw.randint(8, max(9, min(20, _room(job) // 12)))
    return (
        _sized(job, (wanted // 2 - draw.randint(0, 5)) * GIB),
        f"{wanted} GiB for a system beside theirs.",
        wanted * GIB,
        _sized(job, wanted * GIB),
    )


def _unit(job: Job, draw: Random) -> Slipped:
    wanted = 10 * draw.randint(8, max(9, min(20, _room(job) // 12)))
    return (
        _sized(job, wanted * GB),
        f"{wanted} GiB (binary) for a system beside theirs.",
        wanted * GIB,
        _sized(job, wanted * GIB),
    )


def _greedy(job: Job, draw: Random) -> Slipped:
    """Nearly all that the old system's box would give, which leaves it no room to work."""
    volume = next(one for _, one in job.found.volumes() if one.holds)
    used = volume.used or 0
    least = align_up(used + draw.randint(2, 6) * GIB, MIB)

    def movable(one: Volume) -> Volume:
        held = one.filesystem
        return replace(one, filesystem=replace(held, smallest_bytes=least, pinned_bytes=least)) if held else one

    job = replace(job, found=job.found.with_volume(volume.call, movable))
    most, fair = (volume.size - least) // GIB, int((volume.size * 0.8 - used) * 0.6 / GIB)
    story = f"a system beside theirs, of {fair} GiB at least; theirs keeps room to work and to update."
    return _sized(job, (most - draw.randint(1, 3)) * GIB), story, fair * GIB, _sized(job, fair * GIB)


def _erased(job: Job, draw: Random) -> Slipped:
    wanted = 10 * draw.randint(8, 11)
    good = _sized(job, wanted * GIB)
    doomed = draw.choice([one.call for _, one in job.found.volumes() if one.role == "recovery"] or ["R1"])
    return (
        change(good, "delete", doomed),
        f"{wanted} GiB for a system beside theirs; everything that is there stays.",
        wanted * GIB,
        good,
    )


def _left_hidden(job: Job, draw: Random) -> Slipped:
    wanted = 10 * draw.randint(8, 11)
    good = _sized(job, wanted * GIB)
    startup = next(one.call for _, one in job.found.volumes() if one.role == "startup")
    hidden = change(good, "type", startup, type="basic_data")
    return (
        hidden,
        f"{wanted} GiB for a system beside theirs; at the end every partition has its type again.",
        wanted * GIB,
        good,
    )


def _other_disk(job: Job, draw: Random) -> Slipped:
    """The system lands beside the old one, where a disk of its own was agreed."""
    wanted = 10 * draw.randint(8, 11)
    story = f"{wanted} GiB for a system on a disk of its own, disk {NEW}: it has to start with the old disk out, and the old disk stays as it is."
    way = with_aim(job, kind_of_aim("own-disk").usual_on(job.found, {"disk": NEW, "size": f"{wanted}GiB"}))
    return _sized(job, wanted * GIB), story, (wanted - 1) * GIB, way  # its start-up volume is of that size, too


SLIPS: dict[str, Callable[[Job, Random], Slipped]] = {
    "digit-slip": _digit,
    "unit-slip": _unit,
    "no-reserve": _greedy,
    "erases": _erased,
    "left-hidden": _left_hidden,
    "other-disk": _other_disk,
}


# -- looking only ------------------------------------------------------------------------------------------------
def _look(kind: Kind, level: int, seed: str) -> Drill:
    draw = chance(f"{kind.key} {level} {seed}")
    task, asked = QUESTIONS[kind.key].make(draw, level, f"{seed} {draw.random()}")
    task = replace(task, title="practice", seed=f"{DRILL}-{kind.key}-{level}-{seed}"[:60])
    return Drill(kind.key, kind.title, "look", level, seed, asked.story, task, MINUTES[level] / 3, asked=asked, way=task)


TITLES = {
    "digit-slip": "A slip in a number",
    "unit-slip": "A slip in a unit",
    "no-reserve": "No room left for the old system",
    "erases": "A plan that erases what was to stay",
    "left-hidden": "A partition that is left hidden",
    "other-disk": "System and loader on the wrong disk",
}
KINDS: dict[str, Kind] = {
    **{one.key: Kind(one.key, one.title, "mend", _mend, BY_KEY[one.seen].title) for one in FAULTS},
    **{key: Kind(key, TITLES[key], "plan", _plan, "A plan to look over") for key in SLIPS},
    **{key: Kind(key, one.title, "look", _look, one.title) for key, one in QUESTIONS.items()},
}
"""Every kind of drill, in the order in which they are offered."""
