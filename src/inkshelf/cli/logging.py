"""The command ``log``: the shop's logbook by hand."""

from __future__ import annotations

import time
from argparse import ArgumentParser, Namespace
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from inkshelf.cli.shared import Command, choice, load, print_json, word
from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from inkshelf.store.logbook.book import Brief, Logbook

ACTS = ("put", "list", "search", "show", "open", "before", "export", "import", "anonymise", "delete", "back-up", "restore")


def _takes(parser: ArgumentParser) -> None:
    parser.add_argument("act", metavar="WHAT", type=word, help=", ".join(ACTS))
    parser.add_argument(
        "words", metavar="WORD", type=word, nargs="*", help="a job file, words to look for, an identity, a file, an owner"
    )
    parser.add_argument(
        "--logbook",
        metavar="URL",
        type=word,
        default="",
        help="another logbook than your own, for example sqlite:////shop/log.sqlite",
    )
    parser.add_argument("-o", "--output", metavar="FILE", type=word, default="", help="where an export or an opened job goes")
    parser.add_argument("--limit", type=int, default=40, help="how many lines at most")
    parser.add_argument("--json", action="store_true", help="print one JSON document and nothing else")


def _log(said: Namespace) -> int:
    from inkshelf.store.logbook.book import Logbook

    do = choice("log", said.act, DOES)
    book = Logbook(said.logbook)
    try:
        do(book, said)
    finally:
        book.close()
    return 0


def _one(said: Namespace, what: str) -> str:
    if len(said.words) != 1:
        raise InkshelfError(
            f"log {said.act} takes {what}.", f"For example: inkshelf log {said.act} {what.rsplit(maxsplit=1)[-1].upper()}"
        )
    return str(said.words[0])


def _put(book: Logbook, said: Namespace) -> None:
    from inkshelf.core.plan import document
    from inkshelf.core.plan.reading import read
    from inkshelf.core.sheet.logged import logged

    job = load(Path(_one(said, "a job file")))
    revision = book.put(logged(read(job)), document.dump(job), int(time.time()))
    print(f"{job.seed}: revision {revision}")


def _lines(rows: tuple[Brief, ...], said: Namespace) -> None:
    from inkshelf.store.logbook.forms import day

    if said.json:
        print_json({"jobs": [{name: getattr(one, name) for name in one.__struct_fields__} for one in rows]})
        return
    for one in rows:
        took = f"{one.took:4.0f} of {one.planned:4.0f} min"
        print(
            f"{one.seed:18} {day(one.begun) or day(one.changed):16} {took}  {one.owner or 'nobody named'}, {one.title}: {one.aim}"
        )


def _list(book: Logbook, said: Namespace) -> None:
    _lines(book.brief(said.limit), said)


def _search(book: Logbook, said: Namespace) -> None:
    _lines(book.search(" ".join(said.words), said.limit), said)


def _before(book: Logbook, said: Namespace) -> None:
    """What was done on the machine of a job file before."""
    job = load(Path(_one(said, "a job file")))
    _lines(book.before([one.serial for one in job.found.disks], job.seed), said)


def _show(book: Logbook, said: Namespace) -> None:
    import msgspec

    one = book.logged(_one(said, "an identity"))
    if said.json:
        print_json(msgspec.to_builtins(one))
        return
    print(f"{one.owner or 'nobody named'}, {one.title}: {one.aim}")
    for disk in one.disks:
        print(f"  disk {disk.model or 'model not known'}, serial {disk.serial or 'not known'}, {disk.size} B")
    for step in one.steps:
        took = f"{step.took:5.1f}" if step.took is not None else "    -"
        print(f"  {step.number:3} {step.stands:9} {took} of {step.planned:5.1f} min  {step.title}")
    for met in one.findings:
        print(f"  {met.severity}: {met.title}{' (' + met.answered + ')' if met.answered else ''}")


def _open(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.jobfile import write_atomically

    raw, revision = book.read(_one(said, "an identity"))
    if not said.output:
        raise InkshelfError("Where the job file goes is not said.", "Add -o JOB.json")
    write_atomically(Path(said.output), raw)
    print(f"{said.output}: revision {revision}")


def _export(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.jobfile import write_atomically
    from inkshelf.store.logbook import forms

    ending = Path(said.output).suffix.lower()
    ways: dict[str, Callable[[], str]] = {
        ".jsonl": lambda: "".join(f"{line}\n" for line in forms.json_lines(book)),
        ".csv": lambda: forms.as_csv(book.brief(1 << 30)),
        ".html": lambda: forms.as_page(book.brief(1 << 30)),
    }
    if ending not in ways:
        raise InkshelfError("Which form is meant is not said.", f"End the file's name with one of: {', '.join(ways)}.")
    write_atomically(Path(said.output), ways[ending]().encode())
    print(f"{said.output}: {book.count()} jobs")


def _import(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.forms import take_lines

    path = Path(_one(said, "an exported file"))
    try:
        with path.open(encoding="utf-8") as lines:
            print(f"{take_lines(book, iter(lines))} jobs taken in")
    except (OSError, UnicodeDecodeError) as error:
        raise InkshelfError(f"{path} cannot be read: {error}.", "Choose a file that was exported as JSON lines.") from None


def _forget(book: Logbook, said: Namespace) -> None:
    delete = said.act == "delete"
    count = book.forget(_one(said, "an owner"), delete=delete)
    print(f"{count} jobs {'deleted' if delete else 'without that name now'}")


def _back_up(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.forms import back_up

    back_up(book, Path(_one(said, "a file")))
    print(f"{said.words[0]}: {book.count()} jobs")


def _restore(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.forms import restore

    print(f"{restore(book, Path(_one(said, 'a file')))} jobs put back")


DOES: dict[str, Callable[[Logbook, Namespace], None]] = dict(
    zip(
        ACTS, (_put, _list, _search, _show, _open, _before, _export, _import, _forget, _forget, _back_up, _restore), strict=True
    )
)
COMMANDS = (Command("log", "The logbook: put a job in, find it again, what was done on a machine before.", _takes, _log),)
