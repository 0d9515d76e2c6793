"""Commands about aims: list them with their questions, add one to a job, change one, drop one."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from typing import TYPE_CHECKING, Any

from inkshelf.cli.shared import STOP, Command, load, path, print_json, save, takes_job, takes_json, word
from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from inkshelf.core.aims import AimBase
    from inkshelf.core.machine.state import Machine
    from inkshelf.core.plan.job import Job


def _takes_aims(parser: ArgumentParser) -> None:
    parser.add_argument(
        "job", metavar="JOB.json", nargs="?", type=path, help="a job: its aims, and the answers that fit its machine"
    )
    takes_json(parser)


def _aims(words: Namespace) -> int:
    from inkshelf.core.aims import every_aim
    from inkshelf.core.machine.state import Machine

    job = load(words.job) if words.job else None
    found = job.found if job else Machine()
    known = [_described(one(), found, job) for one in every_aim()]
    mine = [_described(one, found, job, number) for number, one in enumerate(job.aims, 1)] if job else []
    if words.json:
        print_json({"aims": known, **({"of_this_job": mine} if job else {})})
        return 0
    for one in mine:
        print(f"aim {one['number']} of this job: {one['kind']}: {one['says']}")
        print("".join(_answered(asked["key"], asked["answer"]) for asked in one["questions"]), end="")
    for one in [] if job else known:
        print(f"{one['kind']:12} {one['title']}. {one['about']}")
        for asked in one["questions"]:
            choices = ", ".join(answer["value"] for answer in asked["answers"])
            print(
                f"  --{asked['key']:10} {asked['title']}; usual: {asked['usual'] or 'none'}, {asked['why']}"
                + (f" [{choices}]" if choices else "")
            )
    return 0


def _answered(key: str, answer: str) -> str:
    """An answer as it is said on the command line; one with several lines is said several times."""
    return "".join(f"  --{key} {line}\n" for line in answer.splitlines() or [answer])


def _described(aim: AimBase, found: Machine, job: Job | None, number: int = 0) -> dict[str, Any]:
    from inkshelf.core.aims.asking import answer_of
    from inkshelf.core.plan.bringing import medium_of, medium_question
    from inkshelf.core.plan.job import Job

    job = job or Job(found=found)
    medium = medium_question(job, aim)
    questions = [
        {
            "key": one.key,
            "title": one.title,
            "kind": one.kind,
            "usual": one.usual,
            "why": one.why,
            "answers": [{"value": two.value, "title": two.title, "cost": two.cost} for two in one.answers],
            **({"answer": medium_of(job) if one is medium else answer_of(aim, one)} if number else {}),
        }
        for one in (*aim.asked(found), *((medium,) if medium else ()))
    ]
    own = {"number": number, "id": aim.id, "says": aim.sentence(found)} if number else {}
    return {"kind": aim.kind, "title": aim.title, "about": aim.about, **own, "questions": questions}


def _takes_aim(parser: ArgumentParser) -> None:
    from inkshelf.core.aims import KINDS, every_aim
    from inkshelf.core.machine.state import Machine

    takes_job(parser)
    parser.add_argument("kind", metavar="AIM", nargs="?", type=word, help=", ".join(KINDS))
    parser.add_argument("--change", metavar="N", type=int, help="change the answers of aim N instead of adding one")
    parser.add_argument("--drop", metavar="N", type=int, help="take aim N out of the job")
    asked: dict[str, dict[str, None]] = {}
    several: set[str] = set()
    for kind in every_aim():
        for one in kind().asked(Machine()):
            several |= {one.key} if one.kind in {"images", "names"} else set()
            choices = f" ({', '.join(two.value for two in one.answers)})" if one.answers else ""
            words = f"{one.title.lower()}{choices}" + (f": {one.why}" if one.kind in {"image", "images"} else "")
            asked.setdefault(one.key, {})[words] = None
    asked["medium"] = {"what it is started from: an image, which this job puts on its stick first, or elsewhere": None}
    several.add("medium")
    for key, every in asked.items():
        words = "; or ".join(every)
        how = "append" if key in several else "store"
        again = "; again for more" if key in several else ""
        parser.add_argument(f"--{key}", metavar="ANSWER", type=word, action=how, help=words.replace("%", "%%") + again)


def _aim(words: Namespace) -> int:
    from inkshelf.core.plan.job import and_aim, changed_aim, found_by, without_aim

    job = load(words.job)
    if words.drop is not None:
        gone = _numbered(job, words.drop)
        job = without_aim(job, gone.id)
        return _said(job, words, f"aim {words.drop} ({gone.kind}) is dropped")
    if words.change is not None:
        aim, found = _numbered(job, words.change), found_by(job, _numbered(job, words.change).id)
        if words.kind and words.kind != aim.kind:
            raise InkshelfError(
                f"Aim {words.change} is of the kind {aim.kind}.", f"Drop it, and add: aim {words.job} {words.kind}."
            )
        changed = changed_aim(job, _with_answers(aim, found, words))
        return _said(_with_medium(changed, aim, words), words, f"aim {words.change} is changed")
    if words.kind is None:
        raise InkshelfError("No aim was named.", "See what there is: inkshelf aims.")
    from inkshelf.core.aims import kind_of_aim
    from inkshelf.core.plan.job import left_by

    found = left_by(job)
    job = and_aim(job, kind_of_aim(words.kind).usual_on(found, _given(words)))
    number = len(job.aims)
    return _said(_with_medium(job, job.aims[-1], words), words, f"aim {number} is added")


def _with_medium(job: Job, aim: AimBase, words: Namespace) -> Job:
    """The job with the stick that an aim is started from, where one was named."""
    if words.medium is None:
        return job
    from inkshelf.core.plan.bringing import with_medium

    return with_medium(job, aim, "\n".join(words.medium))


def _numbered(job: Job, number: int) -> AimBase:
    if not 1 <= number <= len(job.aims):
        raise InkshelfError(f"There is no aim {number} in this job.", f"It has {len(job.aims)}: see inkshelf aims JOB.json.")
    return job.aims[number - 1]


def _with_answers(aim: AimBase, found: Machine, words: Namespace) -> AimBase:
    """Every question that was answered on the command line; those of another kind of aim are refused."""
    from inkshelf.core.aims.asking import answered

    for key, value in _given(words).items():
        aim = answered(aim, found, key, value)
    return aim


def _given(words: Namespace) -> dict[str, str]:
    """The questions that were answered on the command line, with the answers."""
    from inkshelf.core.aims.sticks import use_files
    from inkshelf.exchange.images import for_job

    use_files(for_job)
    given = {key: "\n".join(value) if isinstance(value, list) else value for key, value in vars(words).items()}
    said = {key.replace("_", "-"): value for key, value in given.items() if value is not None}
    return {key: value for key, value in said.items() if key not in {"job", "kind", "change", "drop", "medium"}}


def _said(job: Job, words: Namespace, what: str) -> int:
    save(job, words.job)
    if job.plan_fault:
        print(f"{words.job}: {what}, and cannot be planned: {job.plan_fault}")
        return STOP
    more = f" (change an answer with --change {len(job.aims)})" if len(job.aims) > 1 else ""
    print(f"{words.job}: {what}; {len(job.steps)} steps planned{more}. Next: inkshelf plan {words.job}")
    return 0


def _takes_candidates(parser: ArgumentParser) -> None:
    takes_job(parser, json_too=True)


def _candidates(words: Namespace) -> int:
    from inkshelf.core.sheet.candidates import candidates
    from inkshelf.core.size import binary

    job = load(words.job)
    if not job.aims:
        raise InkshelfError("This job has no aim yet.", "See what there is: inkshelf aims.")
    found = candidates(job)
    if not found:
        raise InkshelfError(job.plan_fault, "No other answer leads out of it.")
    if words.json:
        from msgspec import to_builtins

        print_json(
            {
                "fault": job.plan_fault,
                "candidates": [{"id": one.key, "says": one.words, **to_builtins(one.figures)} for one in found],
            }
        )
        return STOP if job.plan_fault else 0
    if job.plan_fault:
        print(f"This cannot be: {job.plan_fault}\nWays out, the cheapest first:")
    for one in found:
        made = one.figures
        free = ", ".join(f"{call} {binary(size)}" for call, size in made.free.items())
        print(f"{one.key}: {one.words}")
        print(
            f"  free at the end: {free or 'no system'}; to copy: {binary(made.moved)}; {made.minutes:.0f} min; {made.by_hand} steps by hand"
        )
        print(
            f"  to put back: {made.put_back}; stops: {made.stops}, warnings: {made.warns}; starts that survive a mishap: {made.survives} of {made.starts}"
        )
    print(f"Take one: inkshelf choose {words.job} ID --because REASON")
    return STOP if job.plan_fault else 0


def _takes_choose(parser: ArgumentParser) -> None:
    takes_job(parser)
    parser.add_argument("way", metavar="ID", type=word, help="the way, as candidates lists it")
    parser.add_argument("--because", metavar="REASON", type=word, required=True, help="why; it stands on the sheet")


def _choose(words: Namespace) -> int:
    from inkshelf.core.sheet.candidates import choose
    from inkshelf.core.texts import one_line

    job = choose(load(words.job), words.way, one_line(words.because, "The reason"))
    save(job, words.job)
    print(f"{words.job}: {job.reasons[-1]}; {len(job.steps)} steps planned")
    return 0


def _takes_lock(parser: ArgumentParser) -> None:
    takes_job(parser)
    parser.add_argument(
        "volume", metavar="VOLUME", nargs="?", type=word, help="a planned volume, for example S2; none: list them"
    )
    parser.add_argument(
        "size", metavar="SIZE", nargs="?", type=word, help="the size it keeps, for example 60GiB; none: as it is"
    )
    parser.add_argument("--off", action="store_true", help="open it again; without a volume: all of them")


def _lock(words: Namespace) -> int:
    from inkshelf.core.plan.locks import lock, lockable, locked, unlock, unlock_all
    from inkshelf.core.size import both, parse_size

    job = load(words.job)
    if words.volume is None and not words.off:
        kept = locked(job)
        for call, _, need, size in lockable(job):
            print(f"{call:4} {need.part:10} {both(size)}{'  locked' if call in kept else ''}")
        return 0
    if words.off:
        changed = unlock(job, words.volume.upper()) if words.volume else unlock_all(job)
        return _said(changed, words, f"{words.volume.upper() if words.volume else 'every size'} is open again")
    changed = lock(job, words.volume.upper(), parse_size(words.size) if words.size else 0)
    return _said(changed, words, f"the size of {words.volume.upper()} is locked")


def _takes_editions(parser: ArgumentParser) -> None:
    parser.add_argument("image", metavar="IMAGE", type=path, help="an install image: the file install.wim or install.esd")
    parser.add_argument(
        "job", metavar="JOB.json", nargs="?", type=path, help="a job with the aim in-file: what the image holds is noted there"
    )
    takes_json(parser)


def _editions(words: Namespace) -> int:
    from inkshelf.core.size import both
    from inkshelf.exchange import editions

    known = editions.editions(words.image)
    if words.job:
        save(editions.with_editions(load(words.job), known), words.job)
    if words.json:
        print_json({"editions": [{"index": one.index, "name": one.name, "size_bytes": one.size_bytes} for one in known]})
        return 0
    for one in known:
        print(f"{one.index:3}  {one.name}{'  ' + both(one.size_bytes) if one.size_bytes else ''}")
    if words.job:
        print("noted; choose with: aim JOB.json --change N --edition INDEX" if len(known) > 1 else "noted, and chosen")
    return 0


COMMANDS = (
    Command("aims", "List every aim with its questions; of a job, its own with their answers.", _takes_aims, _aims),
    Command(
        "aim",
        "Say what the customer wants; the plan follows. Again for one more; --change and --drop for one that is there.",
        _takes_aim,
        _aim,
    ),
    Command("candidates", "Show the ways to do what the job asks for, side by side.", _takes_candidates, _candidates),
    Command("choose", "Take one of those ways; the reason is kept.", _takes_choose, _choose),
    Command("lock", "Keep the size of a planned volume, whatever else changes; --off opens it again.", _takes_lock, _lock),
    Command("editions", "List the editions that an install image holds, by index.", _takes_editions, _editions),
)
