"""The command ``causes``: what can be wrong with a machine that no longer starts, what tells it apart, what mends it."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from typing import TYPE_CHECKING, Any

from inkshelf.cli.shared import STOP, Command, load, print_json, takes_job, word
from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from inkshelf.core.aims.mending import Mend
    from inkshelf.core.machine.state import Machine
    from inkshelf.core.mending.narrowing import Fitting
    from inkshelf.core.mending.sights import Look
    from inkshelf.core.plan.job import Job


def _takes(parser: ArgumentParser) -> None:
    from inkshelf.core.mending.sights import LOOKS, SIGHTS

    takes_job(parser, json_too=True)
    parser.add_argument("--seen", metavar="KEY", type=word, help=", ".join(f"{one.key}: {one.title.lower()}" for one in SIGHTS))
    parser.add_argument("--system", metavar="CALL", type=word, help="the system that does not start")
    for one in LOOKS:
        answers = ", ".join(two.key for two in one.answers)
        parser.add_argument(f"--{one.key}", metavar="ANSWER", type=word, help=f"{one.title.lower()} ({answers})")


def _causes(words: Namespace) -> int:
    job = load(words.job)
    aim, found = _asked(job, words)
    left = aim.fits(found, job.seed)
    call = aim.about_system(found)
    if not call:
        raise InkshelfError("There is no system in this job that could start.", "Take its disk in, or say what a volume holds.")
    if words.json:
        print_json(_document(aim, found, call, left))
    else:
        _print(aim, found, call, left)
    return 0 if left else STOP


def _asked(job: Job, words: Namespace) -> tuple[Mend, Machine]:
    """The job's own aim of that kind with what was said on top of it, and the machine as that aim finds it."""
    from inkshelf.core.aims.asking import answered
    from inkshelf.core.aims.mending import Mend
    from inkshelf.core.mending.sights import LOOKS
    from inkshelf.core.plan.job import found_by

    mine = next((one for one in job.aims if isinstance(one, Mend)), None)
    aim, found = mine or Mend(), found_by(job, mine.id) if mine else job.found
    for key in ("system", "seen", *(one.key for one in LOOKS)):
        value = getattr(words, key.replace("-", "_"))
        if value is not None:
            aim = answered(aim, found, key, value)  # type: ignore[assignment]
    return aim, found


def _document(aim: Mend, found: Machine, call: str, left: tuple[Fitting, ...]) -> dict[str, Any]:
    from inkshelf.core.mending.narrowing import contradiction, next_looks, ruled_out

    return {
        "system": call,
        "seen": aim.sight,
        "looked": dict(aim.looked),
        "differs": contradiction(found, call, aim.sight),
        "causes": [_shape(one) for one in left],
        "looks": [_look(one) for one in next_looks(left, aim.sight, aim.looked)],
        "ruled_out": [one.key for one in ruled_out(left)],
    }


def _shape(one: Fitting) -> dict[str, Any]:
    return {
        "key": one.cause.key,
        "title": one.cause.title,
        "captured": one.case.shown,
        "about": one.case.subject,
        "why": one.case.why,
        "weight": round(one.weight, 1),
        "repair": [step.kind for step in one.case.steps],
        "by_hand": one.case.by_hand,
        "mends": one.mends,
        "after": one.after,
    }


def _look(one: Look) -> dict[str, Any]:
    answers = [{"value": two.key, "title": two.title} for two in one.answers]
    return {
        "key": one.key,
        "title": one.title,
        "how": one.how,
        "minutes": one.minutes,
        "caution": one.caution,
        "answers": answers,
    }


def _print(aim: Mend, found: Machine, call: str, left: tuple[Fitting, ...]) -> None:
    from inkshelf.core.mending.narrowing import contradiction, next_looks

    differs = contradiction(found, call, aim.sight)
    if differs:
        print(f"note       {differs}")
    for one in left:
        how = "captured" if one.case.shown else "not ruled out"
        print(f"{one.cause.key:17} {how:13} {one.cause.title}: {one.case.why}")
        done = ", ".join(step.kind for step in one.case.steps) or "by hand"
        print(f"{'':31} mended by: {done}{'; ' + one.case.by_hand if one.case.by_hand else ''}")
    if not left:
        print("no cause fits: one of the answers may be wrong")
    for two in next_looks(left, aim.sight, aim.looked):
        print(f"look next  --{two.key} {'|'.join(one.key for one in two.answers)}: {two.title} ({two.minutes} min). {two.how}")


COMMANDS = (
    Command("causes", "Say what can be wrong with a machine that no longer starts, and which look tells.", _takes, _causes),
)
