"""A logbook in other forms: JSON lines (jobs and known faults, taken in again), CSV for a table program, a page."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from html import escape
from pathlib import Path
from typing import NamedTuple

from inkshelf.core.errors import InkshelfError, JobError
from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.logged import logged
from inkshelf.store.jobfile import write_atomically
from inkshelf.store.logbook.book import Brief, Logbook
from inkshelf.store.logbook.changes import Says
from inkshelf.store.logbook.faults import Fault, faults, put_fault

FORMAT, VERSION = "inkshelf-log", 1
COLUMNS = ("seed", "title", "owner", "aim", "begun", "ended", "planned", "took")
SAID = ("seed", "model", "fault", "workaround")
"""What is told of a known fault."""
DANGEROUS = ("=", "+", "-", "@", "\t", "\r")
"""A table program takes a cell that begins so for a formula."""


class Taken(NamedTuple):
    """How many were taken in; ``newer``: how many were changed here since, and stay as they are."""

    jobs: int
    faults: int
    newer: int


def day(at: int | None) -> str:
    """Return a moment as a day and a time, UTC (empty: never)."""
    return datetime.fromtimestamp(at, UTC).strftime("%Y-%m-%d %H:%M") if at is not None else ""


def json_lines(book: Logbook) -> Iterator[str]:
    """Yield one line a job: its whole document, and when it was changed; then one line for each known fault of a model."""
    changed = {one.seed: one.changed for one in book.brief(1 << 30)}
    for seed in book.seeds():
        raw, _ = book.read(seed)
        yield _line(changed.get(seed, 0), "job", json.loads(raw))
    for fault in faults(book):
        yield _line(fault.changed, "fault", {name: getattr(fault, name) for name in SAID})


def _line(changed: int, kind: str, told: object) -> str:
    return json.dumps({"format": FORMAT, "version": VERSION, "changed": changed, kind: told}, ensure_ascii=False)


def take_lines(book: Logbook, lines: Iterator[str], who: str = "", *, waits: bool = False) -> Taken:
    """Put exported jobs and known faults in, each in the place of an older one. Raises ``JobError`` that names the line."""
    jobs = known = newer = 0
    here = {one.seed: one.changed for one in book.brief(1 << 30)} | {one.seed: one.changed for one in faults(book)}
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        try:
            told = json.loads(line)
            if not isinstance(told, dict) or (told.get("format"), told.get("version")) != (FORMAT, VERSION):
                raise JobError("It is no line of an exported logbook.", "Choose a file that was exported as JSON lines.")
            at = told.get("changed")
            says = Says(at if isinstance(at, int) and 0 <= at < 1 << 40 else 0, who, waits=waits)
            one = _fault(told["fault"]) if "fault" in told else document.load(json.dumps(told.get("job")).encode())
            if here.get(one.seed, 0) > says.at:
                newer += 1
            elif isinstance(one, Fault):
                put_fault(book, one, says)
                known += 1
            else:
                book.put(logged(read(one)), document.dump(one), says)
                jobs += 1
        except InkshelfError as error:
            raise JobError(f"Line {number}: {error.what}", error.remedy) from None
        except (ValueError, RecursionError):
            raise JobError(f"Line {number} is not JSON.", "Choose a file that was exported as JSON lines.") from None
    return Taken(jobs, known, newer)


def _fault(told: object) -> Fault:
    if not isinstance(told, dict) or set(told) != set(SAID) or not all(isinstance(one, str) for one in told.values()):
        raise JobError("This is no known fault.", "Choose a file that was exported as JSON lines.")
    if not told["fault"] or not re.fullmatch(r"[0-9a-f]{1,64}", told["seed"]):
        raise JobError("This known fault says nothing, or has no identity.", "Write it down again: inkshelf log fault")
    return Fault(**told)


def as_csv(rows: tuple[Brief, ...]) -> str:
    """Return jobs as a table (RFC 4180); no cell is taken for a formula."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for one in rows:
        values = (
            one.seed,
            one.title,
            one.owner,
            one.aim,
            day(one.begun),
            day(one.ended),
            f"{one.planned:.1f}",
            f"{one.took:.1f}",
        )
        writer.writerow([f"'{value}" if value.startswith(DANGEROUS) else value for value in values])
    return out.getvalue()


def as_page(rows: tuple[Brief, ...]) -> str:
    """Return jobs as one page."""
    cells = "".join(
        f"<tr><td>{escape(day(one.begun) or day(one.changed))}</td><td><b>{escape(one.owner)}</b> {escape(one.title)}</td>"
        f"<td>{escape(one.aim)}</td><td>{one.planned:.0f}</td><td>{one.took:.0f}</td></tr>\n"
        for one in rows
    )
    style = "body{font:14px sans-serif;margin:2em}table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:4px 8px;border-bottom:1px solid #ccc}"
    head = "<tr><th>day</th><th>for whom, which machine</th><th>aim</th><th>planned, min</th><th>took, min</th></tr>"
    return f'<!doctype html><html lang="en"><meta charset="utf-8"><title>Logbook</title><style>{style}</style><table>{head}\n{cells}</table></html>\n'


def _lines(book: Logbook) -> str:
    return "".join(f"{line}\n" for line in json_lines(book))


EXPORTS: dict[str, Callable[[Logbook], str]] = {
    ".jsonl": _lines,
    ".csv": lambda book: as_csv(book.brief(1 << 30)),
    ".html": lambda book: as_page(book.brief(1 << 30)),
}
"""What an export is, by the ending of its file's name."""


def export(book: Logbook, path: Path) -> int:
    """Write every job into a file, in the form that its name ends with, and return how many; raises ``JobError`` for another ending."""
    way = EXPORTS.get(path.suffix.lower())
    if way is None:
        raise JobError("Which form is meant is not said.", f"End the file's name with one of: {', '.join(EXPORTS)}.")
    write_atomically(path, way(book).encode())
    return book.count()
