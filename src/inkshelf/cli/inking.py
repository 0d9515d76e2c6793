"""Commands that ink: carry a plan out on a bench copy, go on, go back."""

from __future__ import annotations

import json
import sys
from argparse import ArgumentParser, ArgumentTypeError, Namespace
from collections.abc import Callable
from typing import TYPE_CHECKING

from inkshelf.cli.shared import STOP, Command, load, path, print_json, takes_job, takes_json

if TYPE_CHECKING:
    from inkshelf.bench.inker import Progress, Report


def _count(text: str) -> int:
    if not text.isascii() or not text.isdigit():
        raise ArgumentTypeError(f"{text!r} is not a count of writes: name 0 or more")
    return int(text)


def _takes_ink(parser: ArgumentParser) -> None:
    takes_job(parser, json_too=True)
    parser.add_argument(
        "--bench", metavar="DIR", type=path, required=True, help="an empty folder, or one that was a bench before"
    )
    parser.add_argument("--cut-after", metavar="K", type=_count, help="test aid: die hard after write K, as in a power cut")


def _ink(said: Namespace) -> int:
    from inkshelf.bench import cut
    from inkshelf.bench.inker import ink

    cut.arm(said.cut_after)
    return _report(ink(load(said.job), said.bench, None if said.json else _teller()), as_json=said.json)


def _takes_resume(parser: ArgumentParser) -> None:
    parser.add_argument(
        "job", metavar="JOB.json", type=path, nargs="?", help="the job that is meant: another one's work is refused"
    )
    parser.add_argument(
        "--bench", metavar="DIR", type=path, required=True, help="the bench folder where inking was cut or cancelled"
    )
    parser.add_argument("--back", action="store_true", help="go back instead: give the bench copy up")
    takes_json(parser)


def _resume(said: Namespace) -> int:
    from inkshelf.bench.inker import back, resume
    from inkshelf.bench.journal import NAME, Journal

    job = load(said.job) if said.job else None
    if said.back:
        words = back(said.bench, job)
        print(json.dumps({"bench": str(said.bench), "went": "back", "what": words}) if said.json else words)
        return 0
    if not said.json and (said.bench / NAME).exists():
        going = "going on, forward" if Journal(said.bench).unfinished() else "all was done; reading it back again"
        print(f"{going}: {Journal(said.bench).load().title or 'a job without a title'}", file=sys.stderr)
    return _report(resume(said.bench, None if said.json else _teller(), job=job), as_json=said.json)


def _report(report: Report, *, as_json: bool) -> int:
    if as_json:
        print_json(
            {
                "bench": report.bench,
                "images": report.images,
                "verified": report.verified,
                "checks": [{"what": one.what, "ok": one.ok, "detail": one.detail} for one in report.checks],
                "copied_bytes": report.copied_bytes,
                "written_bytes": report.written_bytes,
                "sticks": [
                    {
                        "disk": one.disk,
                        "bytes": one.bytes,
                        "seconds": one.seconds,
                        "planned_seconds": one.planned,
                        "told": list(one.told),
                    }
                    for one in report.sticks
                ],
            }
        )
    else:
        for took in report.sticks:
            print(f"     {took.words}")
        for one in report.checks:
            print(f"{'ok  ' if one.ok else 'DIFFERS'} {one.what}: {one.detail}")
        print(f"{'All as predicted' if report.verified else 'NOT as predicted'}; {report.images[0]}")
    return 0 if report.verified else STOP


def _teller() -> Callable[[Progress], None]:
    said: list[str] = []

    def tell(progress: Progress) -> None:
        count = f"{progress.step}/{progress.steps} " if progress.step <= progress.steps else ""
        line = count + progress.words + (f" ({progress.stick})" if progress.stick else "")
        if [line] != said[-1:]:
            said.append(line)
            print(line, file=sys.stderr)

    return tell


COMMANDS = (
    Command("ink", "Carry the plan out on a bench copy of the image and read everything back.", _takes_ink, _ink),
    Command(
        "resume",
        "Go on, forward, where inking was cut or cancelled; or back, giving the bench copy up.",
        _takes_resume,
        _resume,
    ),
)
