"""The command ``compare``: a fresh reading of the machine against the plan, what is accepted in writing, and the job that starts from it."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from typing import TYPE_CHECKING

from inkshelf.cli.shared import STOP, Command, load, path, print_json, save, takes_job, word
from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from inkshelf.core.built.line import Line
    from inkshelf.core.machine.state import Machine
    from inkshelf.core.plan.job import Job

WORDS = {"same": "as planned", "differs": "DIFFERS", "unknown": "not known"}


def _takes(parser: ArgumentParser) -> None:
    from inkshelf.cli.jobs import takes_readings

    takes_job(parser, json_too=True)
    takes_readings(parser)
    parser.add_argument("--accept", metavar="KEY", type=word, help="accept one difference in writing")
    parser.add_argument("--because", metavar="REASON", type=word, default="", help="why")
    parser.add_argument(
        "--right",
        metavar="KEY",
        type=word,
        help="start from the machine as it is, with the step that puts one difference right",
    )
    parser.add_argument("--take", action="store_true", help="start from the machine as it is now")
    parser.add_argument("--all", action="store_true", help="print what is as planned, too")


def _compare(words: Namespace) -> int:
    from inkshelf.core.plan.asbuilt import accept, as_built, repaired, with_built

    job = load(words.job)
    if words.capture or words.disk:
        job = with_built(job, _reading(words))
        save(job, words.job)
    lines = _lines(job)
    if words.accept is not None:
        job = accept(job, _named(lines, words.accept), words.because)
        save(job, words.job)
    if words.right is not None or words.take:
        made = repaired(job, _named(lines, words.right)) if words.right is not None else as_built(job)
        save(made, words.job)
        print(f"{words.job}: starts from the machine as it is now, {len(made.steps)} step(s)")
        return 0
    return _told(job, lines, as_json=words.json, everything=words.all)


def _reading(words: Namespace) -> Machine:
    """The machine as it is read now, from images and captured text alone."""
    from inkshelf.bench.asbuilt import read_again
    from inkshelf.cli.jobs import captured

    told, _ = captured(words.capture)
    return read_again(words.disk, told.disks, told.firmware, told.listed, told.facts)


def _lines(job: Job) -> tuple[Line, ...]:
    from inkshelf.core.built.compare import compared
    from inkshelf.core.plan.reading import read

    if job.built is None:
        raise InkshelfError("There is no fresh reading of the machine yet.", "Name one: --capture FILE, or --disk IMAGE.")
    return compared(read(job).plan, job.built)


def _named(lines: tuple[Line, ...], key: str) -> Line:
    found = next((one for one in lines if one.key == key), None)
    if found is None:
        known = ", ".join(one.key for one in lines if one.stands == "differs")
        raise InkshelfError(f"There is no difference {key}.", f"There are: {known}." if known else "Everything is as planned.")
    return found


def _told(job: Job, lines: tuple[Line, ...], *, as_json: bool, everything: bool) -> int:
    from inkshelf.core.built.compare import left_over
    from inkshelf.core.plan.asbuilt import accepted, repair_of

    if as_json:
        print_json(
            {
                "lines": [
                    {
                        "key": one.key,
                        "about": one.about,
                        "what": one.what,
                        "planned": one.planned,
                        "built": one.built,
                        "stands": one.stands,
                        "matters": one.matters,
                        "why": one.why,
                        "left_over": one.left,
                        "accepted": accepted(job, one),
                        "repair": repair_of(one),
                    }
                    for one in lines
                ]
            }
        )
    else:
        for one in lines:
            if everything or one.stands != "same":
                written = accepted(job, one)
                stands = f"accepted: {written}" if written else WORDS[one.stands]
                print(
                    f"{one.key}: {stands}\n    planned {one.planned}\n    read    {one.built}{'  (' + one.why + ')' if one.why else ''}"
                )
        counts = {stands: sum(one.stands == stands for one in lines) for stands in WORDS}
        print(
            f"{counts['same']} as planned, {counts['differs']} differ, {counts['unknown']} not known; left over: {len(left_over(lines))}"
        )
    return STOP if any(one.matters == "stop" for one in lines) else 0


def _takes_handover(parser: ArgumentParser) -> None:
    takes_job(parser)
    parser.add_argument("-o", "--output", metavar="FILE", type=path, required=True, help="the page to write")


def _handover(words: Namespace) -> int:
    from datetime import datetime

    from inkshelf.core.plan.reading import read
    from inkshelf.exchange.certificate import certificate
    from inkshelf.store.jobfile import write_atomically

    write_atomically(words.output, certificate(read(load(words.job)), datetime.now().astimezone()).encode())
    print(f"{words.output}: print it, and sign it together")
    return 0


COMMANDS = (
    Command("compare", "Hold a fresh reading of the machine against the plan, line by line.", _takes, _compare),
    Command(
        "handover", "Write the hand-over for the owner: what was read of the machine afterwards.", _takes_handover, _handover
    ),
)
