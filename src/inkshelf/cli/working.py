"""The command ``work``: how each step stands, what was done, and a filled paper entered line by line."""

from __future__ import annotations

import sys
import time
from argparse import ArgumentParser, Namespace
from typing import TYPE_CHECKING

from inkshelf.cli.shared import Command, load, path, print_json, save, takes_job, word
from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from inkshelf.core.plan.job import Job
    from inkshelf.core.sheet.atwork import AtWork


def _takes(parser: ArgumentParser) -> None:
    takes_job(parser, json_too=True)
    parser.add_argument("--step", type=int, metavar="N", help="the step that is spoken of")
    parser.add_argument("--enter", metavar="LINE", type=word, help="what a filled paper says of it: see --paper")
    parser.add_argument(
        "--paper", action="store_true", help="enter a filled paper: one line a step, from the first that is open"
    )
    parser.add_argument("--code", metavar="CODE", type=word, help="the code on the paper: another job's is refused")
    parser.add_argument("--from", metavar="FILE", dest="file", type=path, help="take in what the sheet's own page saved")


def _work(words: Namespace) -> int:
    job = load(words.job)
    if words.code:
        from inkshelf.core.sheet.papercode import of_this_job

        if not of_this_job(job, words.code):
            print("that paper shows an earlier plan: look whether each step is still the same", file=sys.stderr)
    if words.file:
        return _taken(job, words)
    if words.paper:
        return _paper(job, words)
    if words.enter is not None or words.step is not None:
        return _one(job, words)
    return _shown(job, as_json=words.json)


def _rows(job: Job) -> tuple[AtWork, ...]:
    from inkshelf.core.plan.reading import read
    from inkshelf.core.sheet.atwork import at_work
    from inkshelf.core.sheet.sheet import sheet

    reading = read(job)
    return at_work(reading, sheet(reading), int(time.time()))[0]


def _shown(job: Job, *, as_json: bool) -> int:
    from inkshelf.core.sheet.atwork import of_gone_steps

    rows, gone = _rows(job), of_gone_steps(job)
    if as_json:
        print_json({"steps": [_told(one) for one in rows], "gone": list(gone)})
        return 0
    for one in rows:
        took = f"{one.work.took:5.0f} min" if one.work.took >= 1 else " " * 9
        stands = "changed" if one.changed else one.work.stands
        print(f"{one.row.number:3} {stands:9} {took} {one.row.words.title}{': ' + one.work.why if one.work.why else ''}")
    for line in gone:
        print(f"not in the plan any more: {line}")
    return 0


def _told(one: AtWork) -> dict[str, object]:
    work = one.work
    return {
        "number": one.row.number,
        "step": one.row.step,
        "stands": "changed" if one.changed else work.stands,
        "why": work.why,
        "minutes": round(work.took, 1),
        "planned": round(one.row.minutes, 1),
        "waited": [{"why": why, "seconds": seconds} for why, seconds in work.waited],
        "found": dict(work.measured),
        "notes": list(work.notes),
        "files": [{"name": file.name, "size": file.size, "sha256": file.digest} for file in work.files],
    }


def _entered(job: Job, one: AtWork, line: str) -> tuple[Job, bool]:
    from inkshelf.core.plan.working import with_events
    from inkshelf.core.work.paper import entered

    made = entered(line, one.row.step, one.mark, int(time.time()), tuple(ask.key for ask in one.asks))
    words = one.weighed(made.events)
    if words:
        print(f"STOP, step {one.row.number}: {words}", file=sys.stderr)
    return with_events(job, *made.events), made.on


def _one(job: Job, words: Namespace) -> int:
    rows = _rows(job)
    if words.step is None or words.enter is None:
        raise InkshelfError("A step and what it came to belong together.", "Say both: --step 8 --enter 12")
    if not 0 < words.step <= len(rows):
        raise InkshelfError(f"There is no step {words.step}.", f"The sheet has {len(rows)} steps.")
    job, _ = _entered(job, rows[words.step - 1], words.enter)
    save(job, words.job)
    print(f"{words.job}: step {words.step} {_rows(job)[words.step - 1].work.stands}")
    return 0


def _paper(job: Job, words: Namespace) -> int:
    from inkshelf.core.sheet.atwork import first_open
    from inkshelf.core.work.paper import HELP

    rows = _rows(job)
    print(HELP, file=sys.stderr)
    at = first_open(rows)
    while at < len(rows):
        one = rows[at]
        print(f"{one.row.number:3} {one.row.words.title} > ", end="", file=sys.stderr, flush=True)
        line = sys.stdin.readline()
        if not line:
            break
        try:
            job, on = _entered(job, one, line)
        except InkshelfError as error:
            print(error, file=sys.stderr)
            continue
        save(job, words.job)  # a cut loses the line that is being typed, and no other
        at += on
    over = sum(one.over for one in _rows(job))
    print(f"{words.job}: {over} of {len(rows)} steps are over")
    return 0


def _taken(job: Job, words: Namespace) -> int:
    from inkshelf.bounded import read_bounded
    from inkshelf.exchange.worknotes import LARGEST, take_work

    try:
        raw = read_bounded(words.file, LARGEST)
    except OSError as error:
        raise InkshelfError(f"{words.file} cannot be read: {error.strerror}.", "Choose the file that the page saved.") from None
    job, new, same = take_work(job, raw)
    save(job, words.job)
    print(f"{words.job}: {new} entries more{'' if same else '; the page shows an earlier plan'}")
    return 0


COMMANDS = (
    Command("work", "How each step of the sheet stands, what it came to; a filled paper or page is taken in.", _takes, _work),
)
