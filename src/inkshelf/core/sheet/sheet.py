"""The run sheet: rows in order with exact values, cautions, the point of no return, and what starts if it stops here."""

from __future__ import annotations

from inkshelf.core.boot.rehearse import Outcome, mishaps, systems
from inkshelf.core.checks.registry import Finding, findings
from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.durations import minutes, with_margin
from inkshelf.core.sheet.words import Words, words
from inkshelf.core.steps.kinds import Prepare, Retype
from inkshelf.core.steps.ledger import Ledger
from inkshelf.core.value import Value

CAUTIONS = (
    "Read every line before you begin. Work on the disk that this sheet names, by size, model and serial, and on no other.",
    "A back-up that was never read back is not a back-up.",
    "The owner's files, keys and passwords are theirs: nothing is copied that is not needed.",
    "If the machine must be opened: off, unplugged, static discharged. A swollen battery: stop.",
)
NOTHING_STARTS = "no system is on these disks"


class Row(Value, frozen=True):
    """One step on the sheet; ``starts``: each system and whether it starts if the work stops after this step."""

    number: int
    words: Words
    minutes: float
    starts: tuple[Outcome, ...]
    no_return: bool = False
    ticked: bool = False


class Sheet(Value, frozen=True):
    """Everything that the sheet shows; renderers only lay it out.

    ``titles`` names the systems by call number, ``mishaps`` what may happen by its key.
    """

    title: str
    owner: str
    disks: tuple[Disk, ...]
    rows: tuple[Row, ...]
    ledger: Ledger
    findings: tuple[Finding, ...]
    outcomes: tuple[Outcome, ...]
    titles: dict[str, str]
    mishaps: dict[str, str]
    minutes: float
    cautions: tuple[str, ...] = CAUTIONS
    put_back: tuple[str, ...] = ()


def sheet(reading: Reading, found: tuple[Finding, ...] | None = None) -> Sheet:
    """Return the sheet of a job's reading."""
    job, plan = reading.job, reading.plan
    rows = []
    for number, (step, before) in enumerate(zip(job.steps, plan.machines, strict=False), 1):
        stops = reading.stops[number] if number < len(reading.stops) else ()
        took = minutes(step, reading.ledger, job.aim.system if job.aim else "")
        rows.append(Row(number, words(step, before), took, stops, number == reading.no_return, number in job.ticked))
    titles = {volume.call: volume.holds.title for volume in systems(plan.planned) if volume.holds}
    total = with_margin(sum(row.minutes for row in rows))
    return Sheet(
        job.title,
        job.owner,
        plan.found.disks,
        tuple(rows),
        reading.ledger,
        findings(reading) if found is None else found,
        reading.after,
        titles,
        {one.key: one.title for one in mishaps(plan.planned)},
        total,
        put_back=_put_back(reading),
    )


def _put_back(reading: Reading) -> tuple[str, ...]:
    """What was changed for the time of the work only."""
    numbered = list(enumerate(reading.job.steps, 1))
    retyped = {step.call: number for number, step in numbered if isinstance(step, Retype) and step not in reading.job.by_hand}
    resumed = {step.call: number for number, step in numbered if isinstance(step, Prepare) and step.what == "resume_encryption"}
    types = [f"type of {call} (step {number})" for call, number in retyped.items()]
    return (*types, *(f"protection of {call} (step {number})" for call, number in resumed.items()))
