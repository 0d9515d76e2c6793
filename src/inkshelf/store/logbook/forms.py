"""A logbook in other forms: JSON lines (whole, taken in again), CSV for a table program, a page; and back-ups of the file."""

from __future__ import annotations

import csv
import io
import json
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from datetime import UTC, datetime
from html import escape
from pathlib import Path

from inkshelf.core.errors import InkshelfError, JobError
from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.logged import logged
from inkshelf.store.jobfile import write_atomically
from inkshelf.store.logbook.book import Brief, Logbook
from inkshelf.store.logbook.changes import Says

FORMAT, VERSION = "inkshelf-log", 1
COLUMNS = ("seed", "title", "owner", "aim", "begun", "ended", "planned", "took")
DANGEROUS = ("=", "+", "-", "@", "\t", "\r")
"""A table program takes a cell that begins so for a formula."""


def day(at: int | None) -> str:
    """Return a moment as a day and a time, UTC (empty: never)."""
    return datetime.fromtimestamp(at, UTC).strftime("%Y-%m-%d %H:%M") if at is not None else ""


def json_lines(book: Logbook) -> Iterator[str]:
    """Yield one line a job: its whole document, and when it was changed."""
    changed = {one.seed: one.changed for one in book.brief(1 << 30)}
    for seed in book.seeds():
        raw, _ = book.read(seed)
        yield json.dumps(
            {"format": FORMAT, "version": VERSION, "changed": changed.get(seed, 0), "job": json.loads(raw)}, ensure_ascii=False
        )


def take_lines(book: Logbook, lines: Iterator[str], who: str = "", *, waits: bool = False) -> int:
    """Put exported jobs in, each in the place of an older one; return how many. Raises ``JobError`` that names the line."""
    count = 0
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        try:
            told = json.loads(line)
            if not isinstance(told, dict) or (told.get("format"), told.get("version")) != (FORMAT, VERSION):
                raise JobError("It is no line of an exported logbook.", "Choose a file that was exported as JSON lines.")
            job = document.load(json.dumps(told.get("job")).encode())
            at = told.get("changed")
            when = at if isinstance(at, int) and 0 <= at < 1 << 40 else 0
            book.put(logged(read(job)), document.dump(job), Says(when, who, waits=waits))
        except InkshelfError as error:
            raise JobError(f"Line {number}: {error.what}", error.remedy) from None
        except (ValueError, RecursionError):
            raise JobError(f"Line {number} is not JSON.", "Choose a file that was exported as JSON lines.") from None
        count += 1
    return count


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


def back_up(book: Logbook, path: Path) -> None:
    """Copy a logbook in one piece while it is in use; raises ``JobError`` for one that is no file."""
    source = _file(book)
    if path.exists():
        raise JobError(f"{path} is there already.", "Choose another name: a back-up is not written over.")
    with closing(sqlite3.connect(source)) as one, closing(sqlite3.connect(path)) as other:
        one.backup(other)


def restore(book: Logbook, path: Path) -> int:
    """Put every job of a back-up in, in the place of what is there of them; return how many."""
    _file(book)
    if not path.is_file():
        raise JobError(f"{path} is not there.", "Choose a back-up of a logbook.")
    held = Logbook(f"sqlite:///{path}")
    try:
        return take_lines(book, json_lines(held))
    finally:
        held.close()


def _file(book: Logbook) -> Path:
    if not book.url.startswith("sqlite:///"):
        raise JobError(
            "A shop's own server is backed up by its own tools.", "Export it as JSON lines: inkshelf log export -o FILE.jsonl"
        )
    return Path(book.url.removeprefix("sqlite:///"))
