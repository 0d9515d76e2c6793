"""Lay out the sheet as HTML and Markdown."""

from __future__ import annotations

import shlex
from functools import cache

from jinja2 import DictLoader, Environment, StrictUndefined

from inkshelf.core.disk.filesystems import title
from inkshelf.core.machine.calls import WORDS
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.asking import asked
from inkshelf.core.sheet.papercode import paper_code
from inkshelf.core.sheet.scene import scenes
from inkshelf.core.sheet.sheet import NOTHING_STARTS, Sheet, sheet
from inkshelf.core.size import binary, both
from inkshelf.core.steps.identity import said
from inkshelf.core.texts import shown
from inkshelf.data import exact, text
from inkshelf.exchange.picture import board
from inkshelf.exchange.squares import svg

NAMES = ("sheet.html.j2", "sheet.md.j2", "partitions.sh.j2", "capture-nt.ps1.j2", "handover.html.j2")


@cache  # a template takes longer to be compiled than to be filled
def environment() -> Environment:
    """Return the templates' environment: pages escape, and every form has the filters that its own language needs."""
    made = Environment(
        loader=DictLoader({name: text(f"templates/{name}") for name in NAMES}),
        undefined=StrictUndefined,
        keep_trailing_newline=True,
        # pages escape; Markdown and shell must not: what they take is quoted or made one line where it is put in
        autoescape=lambda name: bool(name and name.endswith("html.j2")),  # noqa: S701
        finalize=_printable,
    )
    made.filters["quote"] = shlex.quote
    made.filters["shown"] = shown
    made.filters["code"] = _code
    made.globals["exact"] = exact
    return made


def _printable(value: object) -> object:
    """Whatever is put into a page or a script, without the control characters that a terminal or a printer would obey."""
    if not isinstance(value, str):
        return value
    return type(value)("\n".join(shown(line) for line in value.split("\n")))


def _code(value: str) -> str:
    """A value as code in Markdown, whatever signs it has."""
    line = shown(value)
    fence = "``" if "`" in line else "`"
    return f"{fence}{' ' if fence != '`' else ''}{line}{' ' if fence != '`' else ''}{fence}"


def _sheet(reading: Reading, name: str) -> str:
    made: Sheet = sheet(reading)
    code = paper_code(reading.job)
    return (
        environment()
        .get_template(name)
        .render(
            sheet=made,
            stops=[one for one in made.findings if one.severity == "stop"],
            warnings=[one for one in made.findings if one.severity == "warn" and not one.overridden],
            written=[one for one in made.findings if one.overridden],
            boards=[(disk, board(disk), board(_planned(made, disk.id))) for disk in made.disks],
            legend=[(volume, _legend(volume), gone) for volume, gone in _volumes(made)],
            binary=binary,
            both=both,
            nothing_starts=NOTHING_STARTS,
            code=code,
            square=svg(code) if name.endswith("html.j2") else "",
            marks={step.id: said(step) for step in reading.job.steps},
            asks={step.id: asked(step, scene) for _, step, scene in scenes(reading)},
            script=text("templates/sheet.js").replace("@code@", code),
        )
    )


def _planned(made: Sheet, disk_id: str) -> Disk:
    return next(disk for disk in made.planned if disk.id == disk_id)


def _volumes(made: Sheet) -> list[tuple[Volume, bool]]:
    """Every volume that the sheet speaks of: those that are there at the end, and those that are given up."""
    planned = {volume.call: volume for disk in made.planned for volume in disk.volumes}
    found = {volume.call: volume for disk in made.disks for volume in disk.volumes}
    gone = [(volume, True) for call, volume in found.items() if call not in planned]
    return sorted([*((volume, False) for volume in planned.values()), *gone], key=lambda one: one[0].call)


def _legend(volume: Volume) -> str:
    """A volume's role, label, size and file system in one line."""
    system = volume.filesystem
    named = shown(system.label if system and system.label else volume.name)
    kind = title(system.kind) if system else "no file system"
    holds = f", {shown(volume.holds.title)}" if volume.holds else ""
    files = "".join(
        f"; in it {one.call or 'the file'} {shown(one.path)}, {binary(one.size_bytes)}" for one in volume.disk_files
    )
    place = f"{binary(volume.size)}, {kind}, partition {volume.number}{files}"
    return f"{WORDS[volume.role]}{holds}{f', “{named}”' if named else ''}, {place}"


def html(reading: Reading) -> str:
    """Return the sheet as one self-contained page that prints on A4 and Letter."""
    return _sheet(reading, "sheet.html.j2")


def markdown(reading: Reading) -> str:
    """Return the sheet as Markdown."""
    return _sheet(reading, "sheet.md.j2")
