"""A made-up shop's jobs of two years, from a recipe: who came with which machine, what was done, how long it took, what went wrong.

Everything in it is invented. The same ``until`` gives the same jobs.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import exp
from random import Random

from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.job import Job, left_by
from inkshelf.core.plan.reading import read
from inkshelf.core.plan.working import with_events
from inkshelf.core.practice.machines import BOARDS, Said, as_found, chance, kit_of, made_up, wanting
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.steps.identity import said
from inkshelf.core.value import Value, replace
from inkshelf.core.work.events import AnyEvent, Began, How, Measured, Noted, Paused, Resumed, ended

DAY, HOUR = 86_400, 3_600
JOBS = 40
RECIPE = 2
"""Grows with every change of what is made here, so that a shop of an earlier recipe is made anew."""
UNTIL = 1_795_910_400
"""The last day of the two years, in seconds since the epoch: 29 November 2026."""
NAME = "Cooper & Reed"
PEOPLE = ("Reed", "Cooper")
OWNERS = (
    *("Halden Turning", "Marrow & Finch", "Saltmarsh Library", "Lanternhouse Press", "Mire Ferries", "Coppice Dairy"),
    *("Tarn School", "Osprey and Daughter", "Fenmark Maps", "Quill & Sons"),
)
PLACES = ("counter", "desk 3", "reading room", "layout desk", "ticket 2", "loan laptop", "workshop", "office")
NOTES = (
    *(
        "The lid is cracked at the left hinge.",
        "Entry lost after an update of the firmware.",
        "Owner calls before it is collected.",
    ),
    *("The port at the back reads no stick.", "Battery holds ten minutes.", "Printer asked for its driver once more."),
)
KEYS = ("F12", "F2", "Esc", "F10", "Del")
WAYS: tuple[tuple[str, Said], ...] = (
    ("desk", ("beside", {"size": "120GiB"})),
    ("laptop", ("beside", {"size": "200GiB", "home": "apart"})),
    ("two", ("own-disk", {"share": "ntfs"})),
    ("both", ("remove", {"system": "S2", "room": "grow"})),
    ("old-both", ("remove", {"system": "S1", "room": "grow"})),
    ("road", ("travelling", {"share": "exfat"})),
    ("desk", ("no-stick", {"size": "100GiB"})),
    ("both", ("mend", {"seen": "other", "system": "S2"})),
)
"""What comes, and what is wanted, in turn."""
SLOWER = {"Safety": 1.2, "Material": 1.4, "Medium": 1.1, "Room": 1.3, "Install": 1.35, "Proof": 1.1}
"""How much longer than planned a stage takes in this shop, in the middle."""
SPREAD, HANDS = 0.28, {"Reed": 0.95, "Cooper": 1.1}
OPEN = (0.2, 0.0, 0.4)
"""How much is done of the last jobs: they stand on the bench."""
KNOWN, SERIAL = 28, "WN08-8831-C"
HERE_BEFORE = ("Lanternhouse Press", "layout desk")
"""The demo machine was here before."""


class Past(Value, frozen=True):
    """One job of the shop: as it stands in its file, who did it, and when it was put away (seconds since the epoch)."""

    job: Job
    who: str
    at: int


def made_up_shop(jobs: int = JOBS, until: int = UNTIL) -> Iterator[Past]:
    """Yield a shop's jobs, the oldest first; the last three stand on the bench still."""
    draw = chance(f"{NAME} {jobs}")
    known: list[tuple[Machine, str, str]] = []
    for number in range(jobs):
        kit, aim = (
            WAYS[2]
            if number == jobs - 1
            else WAYS[0]
            if number == jobs - 2
            else draw.choice(WAYS)
            if number % 3
            else WAYS[number % len(WAYS)]
        )
        if number % 6 == 5 and known:  # a machine that was here before comes back: it goes straight into another system
            machine, owner, title = known.pop(draw.randrange(len(known)))
            aim = ("mend", {"seen": "other", "system": "S2"})
        elif number == KNOWN:
            machine, aim, (owner, title) = known_again(), WAYS[3][1], HERE_BEFORE
        else:
            machine = made_up(kit_of(kit), f"{NAME} {number}")
            owner, title = OWNERS[number * 7 % len(OWNERS)], draw.choice(PLACES)
        who = draw.choice(PEOPLE)
        begun = until - (jobs - number) * 730 * DAY // jobs // DAY * DAY + draw.randrange(8 * HOUR, 14 * HOUR)
        job = wanting(Job(found=machine, seed=f"shop-{number + 1:03}", owner=owner, title=title), aim)
        if job.plan_fault:
            continue
        left = jobs - 1 - number
        if left < len(OPEN):  # today's machines: one half done, one begun, one that waits
            begun = until + 8 * HOUR
        job = _worked(job, who, begun, draw, share=OPEN[left] if left < len(OPEN) else 1.0)
        if aim[0] == "beside":
            known.append((as_found(left_by(job), draw), owner, title))
        yield Past(job, who, max((one.at for one in job.work), default=begun))


def known_again() -> Machine:
    """The demo machine as it was then: two systems on it."""
    machine = made_up(kit_of("both"), f"{NAME} {SERIAL}")
    (disk,) = machine.disks
    return replace(machine, disks=(replace(disk, serial=SERIAL),))


def _worked(job: Job, who: str, begun: int, draw: Random, *, share: float) -> Job:
    """The job with everything that happened while it was worked, up to a share of its steps."""
    events: list[AnyEvent] = []
    at, luck = begun, exp(draw.gauss(0, 0.12))
    rows = sheet(read(job)).rows
    last = round(len(rows) * share)
    for row, step in list(zip(rows, job.steps, strict=True))[:last]:
        events.append(Began(at, step.id))
        took = row.minutes * SLOWER.get(row.words.stage, 1.0) * HANDS[who] * luck * exp(draw.gauss(0, SPREAD))
        if draw.random() < 0.06:
            why = draw.choice(("customer", "download", "tool"))
            events.append(Paused(at + 30, step.id, why))
            at += round(60 * draw.uniform(4, 25))
            events.append(Resumed(at + 30, step.id))
        at += max(20, round(took * 60))
        if getattr(step, "subject", "") == "firmware_values":
            events.append(Measured(at, step.id, "key", KEYS[BOARDS.index(job.found.board) % len(KEYS)]))
        if draw.random() < 0.05:
            events.append(Noted(at, step.id, draw.choice(NOTES)))
        how: How = "otherwise" if draw.random() < 0.02 else "done"
        events.append(ended(step.id, at, how, said(step), "from the rescue stick" if how == "otherwise" else ""))
    return with_events(job, *events)
