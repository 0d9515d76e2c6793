"""The run sheet: rows in order with exact values, cautions, the point of no return, and what starts if it stops here."""

from __future__ import annotations

from inkshelf.core.boot.mishaps import mishaps
from inkshelf.core.boot.rehearse import Outcome, systems
from inkshelf.core.checks.registry import Finding, findings
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.meanwhile import used, with_waits
from inkshelf.core.sheet.scene import scenes, sheet_node
from inkshelf.core.sheet.sessions import Session, restarts, sessions
from inkshelf.core.sheet.settings import Setting, put_back, settings
from inkshelf.core.sheet.telling import Words, words
from inkshelf.core.steps.kinds import Prepare, Retype
from inkshelf.core.steps.ledger import Ledger
from inkshelf.core.value import Value, field
from inkshelf.core.work.worked import ends
from inkshelf.data import table

CAUTIONS = (
    "Read every line before you begin. Work on the disk that this sheet names, by size, model and serial, and on no other.",
    "A back-up that was never read back is not a back-up.",
    "The owner's files, keys and passwords are theirs: nothing is copied that is not needed.",
    "If the machine must be opened: off, unplugged, static discharged. A swollen battery: stop.",
)
ENDINGS: dict[str, str] = {
    "done": "",
    "failed": "failed: {why}",
    "skipped": "left out: {why}",
    "otherwise": "done in another way: {why}",
}
NOTHING_STARTS = "no system is on these disks"


class Row(Value, frozen=True):
    """One step on the sheet; ``starts``: each system and whether it starts if the work stops after this step; ``step``: its identity;
    ``ended``: how it ended at work where that is more than "done", in words; ``session``: how the machine is started for it."""

    number: int
    words: Words
    starts: tuple[Outcome, ...]
    step: str = ""
    no_return: bool = False
    ticked: bool = False
    ended: str = ""
    session: Session = Session()

    @property
    def minutes(self) -> float:
        """Minutes that it normally takes, without the margin."""
        return self.words.minutes


class Sheet(Value, frozen=True):
    """Everything that the sheet shows; renderers only lay it out.

    ``disks`` as found, ``planned`` as they become; ``titles`` names the systems by call number, ``mishaps`` what may happen by its key.
    ``stand_ins``: the word that is typed for a disk whose name nobody captured. ``minutes``: of all of it, with a margin for people;
    ``saved``: what is not counted, as it is done while something else is waited for.
    """

    title: str
    owner: str
    disks: tuple[Disk, ...]
    planned: tuple[Disk, ...]
    rows: tuple[Row, ...]
    ledger: Ledger
    findings: tuple[Finding, ...]
    outcomes: tuple[Outcome, ...]
    titles: dict[str, str]
    mishaps: dict[str, str]
    minutes: float
    saved: float = 0.0
    cautions: tuple[str, ...] = CAUTIONS
    put_back: tuple[str, ...] = ()
    settings: tuple[Setting, ...] = ()
    aims: tuple[str, ...] = ()
    reasons: tuple[str, ...] = ()
    restarts: int = 0
    stand_ins: dict[str, str] = field(default_factory=dict)

    @property
    def at_work(self) -> tuple[Disk, ...]:
        """The disks that the plan changes, as found; all of them where it changes none."""
        planned = {one.id: one for one in self.planned}
        return tuple(one for one in self.disks if planned.get(one.id) != one) or self.disks


def sheet(reading: Reading, found: tuple[Finding, ...] | None = None) -> Sheet:
    """Return the sheet of a job's reading."""
    job, plan = reading.job, reading.plan
    rows, saved = _rows(reading)
    titles = {volume.call: volume.holds.title for volume in systems(plan.planned) if volume.holds}
    names = _stand_ins(rows, plan.found)
    switched = settings(reading)
    total = with_margin(sum(row.minutes for row in rows) - saved)
    return Sheet(
        title=job.title,
        owner=job.owner,
        disks=plan.found.disks,
        planned=plan.planned.disks,
        rows=tuple(rows),
        ledger=reading.ledger,
        findings=findings(reading) if found is None else found,
        outcomes=_told(reading),
        titles=titles,
        mishaps={one.key: one.title for one in mishaps(plan.planned, job.mishaps)},
        minutes=total,
        saved=saved,
        cautions=(*CAUTIONS, *_explained(names, plan.found)),
        stand_ins=names,
        put_back=(*_put_back(reading), *put_back(switched)),
        settings=switched,
        aims=tuple(one.sentence(plan.found) for one in job.aims),
        reasons=job.reasons,
        restarts=restarts(reading),
    )


def _told(reading: Reading) -> tuple[Outcome, ...]:
    """What stands on paper: the usual mishaps, a person's own, and of those about single disks the ones that change something."""
    plain = {one.system: one.verdict for one in reading.after if one.mishap == "none"}
    own = {one.key for one in reading.job.mishaps}
    return tuple(
        one
        for one in reading.after
        if not one.mishap.startswith("disk") or one.mishap in own or one.verdict != plain.get(one.system)
    )


def _rows(reading: Reading) -> tuple[list[Row], float]:
    """Return a row for each step, and the minutes that are not counted because they are done in a wait."""
    done, rows, over = reading.job.done, [], ends(reading.job.work)
    told = [(number, step, words(step, scene)) for number, step, scene in scenes(reading)]
    waits = used(tuple((number, step, one.minutes) for number, step, one in told))
    for (number, step, one), session in zip(told, sessions(reading), strict=True):
        stops = reading.stops[number] if number < len(reading.stops) else ()
        rows.append(
            Row(
                number,
                with_waits(one, number, waits, step),
                stops,
                step.id,
                number == reading.no_return,
                bool(step.id) and step.id in done,
                ENDINGS[over[step.id].how].format(why=over[step.id].why) if step.id in over else "",
                session,
            )
        )
    return rows, sum(one.minutes for one in waits)


def _stand_ins(rows: list[Row], found: Machine) -> dict[str, str]:
    """What stands in the place of a device's name that is not known, by the disk's letter: two disks must never go by one word."""
    lines = [
        line for row in rows for line in (*row.words.commands, *row.words.back_lines, *(one for _, one in row.words.values))
    ]
    named = [one for one in found.disks if any(sheet_node(one) in line for line in lines) and not one.device]
    return {one.id: sheet_node(one) for one in named}


def _explained(words: dict[str, str], found: Machine) -> tuple[str, ...]:
    return tuple(
        f"Where a line says {word}, put the name that lsblk shows for disk {letter} ({found.disk(letter).identity()}); "
        "before the number of a partition comes a p where that name ends in a digit."
        for letter, word in words.items()
    )


def with_margin(total: float) -> float:
    """Return minutes with the margin for people: real work overruns its rehearsal."""
    return total * (1 + float(table("defaults")["rates"]["human_margin"]))


def _put_back(reading: Reading) -> tuple[str, ...]:
    """What was changed for the time of the work only: it is as found again at the end."""
    found, planned = reading.plan.found, reading.plan.planned
    rows = []
    last = {step.call: number for number, step in enumerate(reading.job.steps, 1) if isinstance(step, Retype)}
    for call, number in last.items():
        was, now = found.find(call), planned.find(call)
        if was and now and (was[1].type_id, was[1].attributes) == (now[1].type_id, now[1].attributes):
            rows.append(f"type of {call} (step {number})")
    resumed = {
        step.call: number
        for number, step in enumerate(reading.job.steps, 1)
        if isinstance(step, Prepare) and step.what == "resume_encryption"
    }
    return (*rows, *(f"protection of {call} (step {number})" for call, number in resumed.items()))
