"""The command ``practice``: drills by hand, as in the window: a machine with something wrong, made of a seed, and its judge."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from pathlib import Path
from typing import TYPE_CHECKING

from inkshelf.cli.shared import Command, choice, load, print_json, save, word
from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from inkshelf.core.practice.drills import Drill

ACTS = ("kinds", "begin", "judge", "explain")


def _takes(parser: ArgumentParser) -> None:
    parser.add_argument("act", metavar="WHAT", type=word, help=", ".join(ACTS))
    parser.add_argument("kind", metavar="KIND", type=word, nargs="?", default="", help="a kind of drill, as kinds lists them")
    parser.add_argument("job", metavar="JOB.json", type=Path, nargs="?", default=None, help="what was made of it, to be judged")
    parser.add_argument("--level", type=int, default=1, help="1, 2 or 3")
    parser.add_argument("--seed", type=word, default="1", help="another seed is another machine")
    parser.add_argument("--answer", type=word, default="", help="of a drill that is answered by looking")
    parser.add_argument("--hints", type=int, default=0, help="how many hints to show, and what they cost")
    parser.add_argument("-o", "--output", metavar="JOB.json", type=Path, default=None, help="where the job goes")
    parser.add_argument("--json", action="store_true", help="print one JSON document and nothing else")


def _practice(said: Namespace) -> int:
    return DOES[choice("practice", said.act, {one: one for one in ACTS})](said)


def _drill(said: Namespace) -> Drill:
    from inkshelf.core.practice.drills import KINDS, LEVELS, drill

    kind = choice("practice", said.kind, {one: one for one in KINDS})
    if said.level not in LEVELS:
        raise InkshelfError(f"There is no level {said.level}.", "Choose 1, 2 or 3.")
    return drill(kind, said.level, said.seed)


def _kinds(said: Namespace) -> int:
    from inkshelf.core.practice.drills import KINDS

    if said.json:
        print_json(
            {"kinds": [{"key": one.key, "group": one.group, "seen": one.face, "title": one.title} for one in KINDS.values()]}
        )
        return 0
    for one in KINDS.values():
        print(f"{one.key:18} {one.group:5} {one.face}")
    return 0


def _begin(said: Namespace) -> int:
    from inkshelf.core.practice.judging import hints

    one = _drill(said)
    if said.output is not None:
        save(one.task, said.output)
    shown = hints(one)[: max(0, said.hints)]
    answers = dict(one.asked.answers) if one.asked else {}
    if said.json:
        print_json({"story": one.story, "minutes": one.minutes, "answers": answers, "hints": shown})
        return 0
    print(one.story)
    for value, words in answers.items():
        print(f"  --answer {value}: {words}")
    for hint in shown:
        print(f"hint: {hint}")
    return 0


def _judge(said: Namespace) -> int:
    import msgspec

    from inkshelf.core.practice.judging import judged

    one = _drill(said)
    if one.asked is None and said.job is None:
        raise InkshelfError("What was made of it is not said.", f"Add a job: inkshelf practice judge {said.kind} JOB.json")
    if one.asked is not None:
        choice("--answer", said.answer, {value.lower(): value for value, _ in one.asked.answers})
    job = load(said.job) if said.job is not None else one.task
    answer = next((value for value, _ in one.asked.answers if value.lower() == said.answer.lower()), "") if one.asked else ""
    verdict = judged(one, job, answer, hints=max(0, said.hints))
    if said.json:
        print_json(msgspec.to_builtins(verdict))
        return 0 if verdict.done else 1
    for line in verdict.lines:
        print(f"{'well' if line.good else 'not '}  {line.words}")
    for told in verdict.told:
        print(told)
    print(f"{verdict.points} points")
    return 0 if verdict.done else 1


def _explain(said: Namespace) -> int:
    from inkshelf.core.plan.reading import read
    from inkshelf.core.practice.judging import explained
    from inkshelf.core.sheet.sheet import sheet

    one = _drill(said)
    job = explained(one)
    if said.output is not None:
        save(job, said.output)
    print(f"{one.title}." + (f" {one.asked.why}" if one.asked else ""))
    for row in sheet(read(job)).rows if one.asked is None else ():
        print(f"{row.number:3}  {row.words.title}")
    return 0


DOES = dict(zip(ACTS, (_kinds, _begin, _judge, _explain), strict=True))
COMMANDS = (
    Command("practice", "Drills on made-up machines: begin one, let it be judged, see how it is done.", _takes, _practice),
)
