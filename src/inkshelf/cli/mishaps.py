"""The command ``mishap``: what a person wants to see rehearsed, made of small parts and kept with the job."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace

from inkshelf.cli.shared import Command, load, save, takes_job, word
from inkshelf.core.errors import InkshelfError


def _takes(parser: ArgumentParser) -> None:
    from inkshelf.core.boot.own_mishaps import WORDS

    takes_job(parser)
    parser.add_argument("title", metavar="TITLE", nargs="?", type=word, help="what happens, in a few words")
    parts = ", ".join(f"{one.word}:DISK" if one.of_disk else one.word for one in WORDS)
    parser.add_argument(
        "--part", metavar="PART", action="append", type=word, help=f"one part of it, again for more, in order: {parts}"
    )
    parser.add_argument("--drop", metavar="KEY", type=word, help="take one of the job's own out")


def _mishap(words: Namespace) -> int:
    from inkshelf.core.boot.own_mishaps import own_mishap
    from inkshelf.core.plan.job import with_mishap, without_mishap
    from inkshelf.core.plan.reading import read

    job = load(words.job)
    if words.drop is not None:
        save(without_mishap(job, words.drop), words.job)
        print(f"{words.job}: the mishap {words.drop} is dropped")
        return 0
    if words.title is None:
        for one in job.mishaps:
            print(f"{one.key:23} {one.title}")
        return 0
    if not words.part:
        raise InkshelfError("Nothing happens in that mishap.", "Say its parts: --part firmware-reset --part out:B.")
    made = own_mishap(read(job).plan.planned, words.title, tuple(words.part))
    save(with_mishap(job, made), words.job)
    print(f"{words.job}: “{made.title}” is rehearsed as {made.key}")
    return 0


COMMANDS = (
    Command("mishap", "Have something rehearsed that happens on this machine: small parts, in order.", _takes, _mishap),
)
