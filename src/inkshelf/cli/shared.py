"""What commands share: how one is described, JSON out, a job read with its findings, words for facts."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from inkshelf.core.checks import Finding
    from inkshelf.core.plan.job import Job
    from inkshelf.core.plan.reading import Reading
    from inkshelf.store.jobfile import Stamp

Value = TypeVar("Value")
READ: dict[Path, Stamp | None] = {}
"""The state in which a job's file was loaded."""
STOP = 1  # the exit status where a finding of severity stop is not answered for


class Command(NamedTuple):
    """One command: its name, a sentence, what it takes, what it does; ``do`` returns the exit status."""

    name: str
    words: str
    takes: Callable[[argparse.ArgumentParser], None]
    do: Callable[[argparse.Namespace], int]


def path(text: str) -> Path:
    """Return a path that the system can be asked for; a name that is no text, or holds what no name can, is refused."""
    try:
        text.encode()
    except UnicodeEncodeError:
        raise argparse.ArgumentTypeError(f"{text!r} is not text: rename the file") from None
    if "\0" in text or not text:
        raise argparse.ArgumentTypeError(f"{text!r} cannot be the name of a file")
    return Path(text)


def word(text: str) -> str:
    """Return a word of the command line; raw bytes that are no text are refused."""
    try:
        text.encode()
    except UnicodeEncodeError:
        raise argparse.ArgumentTypeError(f"{text!r} is not text") from None
    return text


def takes_job(parser: argparse.ArgumentParser, *, json_too: bool = False) -> None:
    """Add the job file, and ``--json``."""
    parser.add_argument("job", metavar="JOB.json", type=path, help="a job file")
    if json_too:
        takes_json(parser)


def takes_json(parser: argparse.ArgumentParser) -> None:
    """Add ``--json``."""
    parser.add_argument("--json", action="store_true", help="print one JSON document and nothing else")


def print_json(document: Any) -> None:
    """Print one document."""
    import json  # late: most answers are lines

    print(json.dumps(document, indent=1, ensure_ascii=False))


def load(file: Path) -> Job:
    """Return the job of a file; a shop's own figures are in use from then on."""
    from inkshelf.store import jobfile, shop

    shop.use()
    READ[file] = jobfile.stamp(file)
    return jobfile.load(file)


def save(job: Job, file: Path) -> None:
    """Save a job in its file; raises ``JobError`` where another program wrote it since it was loaded."""
    from inkshelf.store import jobfile

    if file in READ:
        jobfile.refuse_changed(file, READ.pop(file), "Nothing of this was done: say it once more.")
    jobfile.save(job, file)


def read_job(file: Path) -> tuple[Reading, tuple[Finding, ...]]:
    """Return the reading of a job file, and its findings with what this machine lacks for inking."""
    from inkshelf.bench import readiness
    from inkshelf.core.checks import findings
    from inkshelf.core.plan.reading import read

    reading = read(load(file))
    return reading, (*findings(reading), *readiness.findings(reading.job))


def stop_status(found: tuple[Finding, ...]) -> int:
    """Return the exit status that findings give."""
    return STOP if any(one.severity == "stop" for one in found) else 0


def facts() -> dict[str, tuple[str, dict[str, Any]]]:
    """Return what can be said of a machine: its field, and what each word means, by the word for it."""
    from inkshelf.core.machine.asked import ASKED

    return {one.key: (one.field, one.values()) for one in ASKED}


def said(fact: str, value: str | None) -> Any:
    """Return the value that a word on the command line means for a fact, ``None`` where nothing was said."""
    return None if value is None else choice(f"--{fact}", value, facts()[fact][1])


def choice(option: str, value: str, known: dict[str, Value]) -> Value:
    """Return what a word means; raises ``InkshelfError`` that lists the choices, the near one first."""
    if value.lower() not in known:
        near = nearest(value.lower(), list(known))
        meant = f"Did you mean {near}? " if near else ""
        raise InkshelfError(f"{option} {value}: not one of the choices.", f"{meant}Choose one of: {', '.join(known)}.")
    return known[value.lower()]


def nearest(said_word: str, known: list[str]) -> str:
    """Return the known word that is most like the one said, or an empty string."""
    import difflib

    return next(iter(difflib.get_close_matches(said_word, known, 1, 0.6)), "")
