"""Lay out the sheet as HTML and Markdown, and the partition steps as a script that a person reads first."""

from __future__ import annotations

import shlex
from collections.abc import Iterator

from jinja2 import DictLoader, Environment, StrictUndefined

from inkshelf.core.errors import PlanError
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.sheet import NOTHING_STARTS, Sheet, sheet
from inkshelf.core.size import binary, both
from inkshelf.core.steps.kinds import (
    Create,
    Delete,
    Enclose,
    Format,
    Grow,
    Install,
    Label,
    MakeLogical,
    Move,
    NewTable,
    Renew,
    Retype,
    Shrink,
)
from inkshelf.data import text
from inkshelf.exchange.commands import UTILITIES, format_lines, logical_line

NAMES = ("sheet.html.j2", "sheet.md.j2", "partitions.sh.j2")


def _environment() -> Environment:
    made = Environment(
        loader=DictLoader({name: text(f"templates/{name}") for name in NAMES}),
        undefined=StrictUndefined,
        keep_trailing_newline=True,
        # pages escape; Markdown and shell must not, and take only what the core wrote
        autoescape=lambda name: bool(name and name.endswith("html.j2")),  # noqa: S701
    )
    made.filters["quote"] = shlex.quote
    return made


def _sheet(reading: Reading, name: str) -> str:
    made: Sheet = sheet(reading)
    stops = [one for one in made.findings if one.severity == "stop"]
    written = [one for one in made.findings if one.overridden]
    return (
        _environment()
        .get_template(name)
        .render(sheet=made, stops=stops, written=written, binary=binary, both=both, nothing_starts=NOTHING_STARTS)
    )


def html(reading: Reading) -> str:
    """Return the sheet as one self-contained page that prints on A4 and Letter."""
    return _sheet(reading, "sheet.html.j2")


def markdown(reading: Reading) -> str:
    """Return the sheet as Markdown."""
    return _sheet(reading, "sheet.md.j2")


def script(reading: Reading) -> str:
    """Return the partition steps of the aim's disk as a shell script; raises ``PlanError`` where there are none."""
    job = reading.job
    creates = [step for step in job.steps if isinstance(step, Create)]
    if any(isinstance(step, Delete | Grow | Move | Label | Renew | NewTable | Enclose) for step in job.steps):
        raise PlanError(
            "This plan moves, grows, labels or removes volumes that are there, gives them a new identity, or changes the table itself; the script does not do that.",
            "Work by the sheet.",
        )
    if not creates:
        raise PlanError("There are no partition steps to write down.", "Choose an aim, or create a volume, first.")
    disk = reading.plan.found.disk(creates[0].disk)
    if disk.table.kind != "gpt":
        raise PlanError(f"Disk {disk.id} has no GPT; the script is for GPT disks.", "Work by the sheet.")
    shrinks = [step for step in job.steps if isinstance(step, Shrink)]
    words = (
        " and ".join(f"{step.call} was shrunk to {binary(step.to_bytes)} from inside its own system." for step in shrinks)
        or "the steps before it on the sheet."
    )
    after = {step.call: step.to_bytes for step in shrinks}
    from inkshelf.core.value import replace

    kept = [replace(volume, size=after.get(volume.call, volume.size)) for volume in disk.volumes]
    tools = sorted({tool for step in job.steps if isinstance(step, Format) for tool in UTILITIES[step.filesystem]})
    return (
        _environment()
        .get_template("partitions.sh.j2")
        .render(
            title=job.title or "Ink Shelf",
            disk=disk,
            kept=kept,
            creates=creates,
            tools=tools,
            shrink_words=words,
            lines=list(_lines(reading)),
            binary=binary,
            both=both,
        )
    )


def _lines(reading: Reading) -> Iterator[str]:
    """One command a step, with its number on the sheet; what comes after installing is left to the sheet."""
    numbers = {volume.call: volume.number for _, volume in reading.plan.planned.volumes()}
    places = {volume.call: (volume.start, volume.size, disk.sector) for disk, volume in reading.plan.planned.volumes()}
    installing = False
    for number, step in enumerate(reading.job.steps, 1):
        if isinstance(step, Install):
            installing = True
        if isinstance(step, Retype):
            line = f'sfdisk --part-type "$DISK" {numbers[step.call]} {step.type_id}'
            comment = "  # only after the system is installed: run this line by hand then" if installing else ""
            yield (f"# step {number}: {line}{comment}" if installing else f"{line}  # step {number}")
        elif isinstance(step, Create):
            sector = reading.plan.found.disk(step.disk).sector
            spec = f'start={step.start // sector}, size={step.size // sector}, type={step.type_id}, uuid={step.guid}, name="{step.name}"'
            yield f'echo {shlex.quote(spec)} | sfdisk --wipe-partitions always --append --partno {step.number} "$DISK"  # step {number}: {step.call}'
            yield "command -v udevadm > /dev/null && udevadm settle"
        elif isinstance(step, Format):
            yield f"# step {number}: {step.call}"
            yield from format_lines(step, f'"$(part {numbers[step.call]})"', *places[step.call])
        elif isinstance(step, MakeLogical):
            found = reading.plan.machines[number].find(step.call)
            group = found[1].filesystem.label if found and found[1].filesystem else ""
            yield f"{logical_line(step, group)}  # step {number}: {step.call}"
