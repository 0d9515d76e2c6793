"""The command ``log``: the shop's logbook by hand."""

from __future__ import annotations

import time
from argparse import ArgumentParser, Namespace
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from inkshelf.cli.shared import Command, choice, load, print_json, word
from inkshelf.core.errors import InkshelfError
from inkshelf.core.texts import few
from inkshelf.core.texts import shown as plain

if TYPE_CHECKING:
    from inkshelf.core.learned.times import Band
    from inkshelf.core.plan.job import Job
    from inkshelf.store.logbook.book import Brief, Logbook
    from inkshelf.store.logbook.changes import Says

ACTS = (
    *("put", "list", "search", "show", "open", "before", "export", "import", "anonymise", "delete", "back-up", "restore"),
    *("sync", "conflicts", "settle", "fault", "faults", "file", "times", "today"),
)


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
    parser.add_argument(
        "--shop", metavar="URL", type=word, default="", help="the shop's logbook, for example postgresql://server/logbook"
    )
    parser.add_argument("--who", metavar="NAME", type=word, default="", help="who you are in the shop's logbook")
    parser.add_argument("-o", "--output", metavar="FILE", type=word, default="", help="where an export or an opened job goes")
    parser.add_argument("--limit", type=int, default=40, help="how many lines at most")
    parser.add_argument("--json", action="store_true", help="print one JSON document and nothing else")


def _log(said: Namespace) -> int:
    from inkshelf.store.logbook.book import Logbook
    from inkshelf.store.logbook.where import shop_of

    said.shop, said.who = shop_of(said.shop, said.who)
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


def _says(said: Namespace) -> Says:
    from inkshelf.store.logbook.changes import Says

    return Says(int(time.time()), said.who, waits=bool(said.shop))


def _counted(count: int, what: str) -> str:
    return f"{count} {what}{'s' if count != 1 else ''}"


def _put(book: Logbook, said: Namespace) -> None:
    from inkshelf.core.plan import document
    from inkshelf.core.plan.reading import read
    from inkshelf.core.sheet.logged import logged
    from inkshelf.store.logbook.files import keep_attached

    job = load(Path(_one(said, "a job file")))
    if job.seed.startswith("drill-"):
        raise InkshelfError("This is a drill, and nobody's job.", "Scores of drills are kept by the chapter Practice.")
    says = _says(said)
    revision = book.put(logged(read(job)), document.dump(job), says)
    files = keep_attached(book, job, Path(said.words[0]), says)
    print(f"{job.seed}: revision {revision}" + (f", {_counted(files, 'file')}" if files else ""))


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

    from inkshelf.store.logbook.files import held_of

    one = book.logged(_one(said, "an identity"))
    files = held_of(book, one.seed)
    if said.json:
        print_json({**msgspec.to_builtins(one), "files": msgspec.to_builtins(files)})
        return
    print(f"{one.owner or 'nobody named'}, {one.title}: {one.aim}")
    for disk in one.disks:
        print(f"  disk {disk.model or 'model not known'}, serial {disk.serial or 'not known'}, {disk.size} B")
    for step in one.steps:
        took = f"{step.took:5.1f}" if step.took is not None else "    -"
        print(f"  {step.number:3} {step.stands:9} {took} of {step.planned:5.1f} min  {step.title}")
    for met in one.findings:
        print(f"  {met.severity}: {met.title}{' (' + met.answered + ')' if met.answered else ''}")
    if one.opened:
        print(f"  its firmware opened with: {one.opened}")
    for file in files:
        print(f"  file {file.digest[:12]}: {file.name}")


def _open(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.jobfile import write_atomically

    raw, revision = book.read(_one(said, "an identity"))
    if not said.output:
        raise InkshelfError("Where the job file goes is not said.", "Add -o JOB.json")
    write_atomically(Path(said.output), raw)
    print(f"{said.output}: revision {revision}")


def _export(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.forms import export

    print(f"{said.output}: {_counted(export(book, Path(said.output)), 'job')}")


def _import(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.jobfile import LARGEST
    from inkshelf.store.logbook.forms import take_lines

    path = Path(_one(said, "an exported file"))
    try:
        with path.open(encoding="utf-8") as lines:
            taken = take_lines(book, iter(lambda: lines.readline(LARGEST), ""), said.who, waits=bool(said.shop))
            print(f"{_counted(taken.jobs, 'job')} and {_counted(taken.faults, 'known fault')} taken in")
            if taken.newer:
                print(f"{taken.newer} changed here since then: left as they are")
    except (OSError, UnicodeDecodeError) as error:
        raise InkshelfError(f"{path} cannot be read: {error}.", "Choose a file that was exported as JSON lines.") from None


def _forget(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.forgetting import forget

    delete = said.act == "delete"
    count = forget(book, _one(said, "an owner"), _says(said), delete=delete)
    print(f"{_counted(count, 'job')} {'deleted' if delete else 'without that name now'}")


def _back_up(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.backups import back_up

    back_up(book, Path(_one(said, "a file")))
    print(f"{said.words[0]}: {_counted(book.count(), 'job')}")


def _restore(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.backups import restore

    done = restore(book, Path(_one(said, "a file")))
    counts = (_counted(done.jobs, "job"), _counted(done.faults, "known fault"), _counted(done.files, "file"))
    print(f"{', '.join(counts)} put back")
    if done.damaged:
        raise InkshelfError(
            f"Not put back, for it is damaged there: {few(done.damaged, 3, '; ')}", "Look for it in an older back-up."
        )


def _sync(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.following import synced

    done = synced(book, said.shop)
    print(f"{done.sent} sent, {done.taken} taken in, {done.waiting} waiting")
    if done.conflicts:
        print(f"{done.conflicts} {'was' if done.conflicts == 1 else 'were'} changed here and there: inkshelf log conflicts")


def _conflicts(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.forms import day
    from inkshelf.store.logbook.shared import conflicts

    found = conflicts(book)
    if said.json:
        rows = [{"kind": one.kind, "seed": one.seed, "who": one.who, "at": one.at, "gone": not one.theirs} for one in found]
        print_json({"conflicts": rows})
        return
    for one in found:
        done = "changed" if one.theirs else "deleted"
        print(f"{one.kind} {one.seed}: {done} by {one.who or 'somebody'}, {day(one.at)}; settle it with mine, theirs or both")
    if not found:
        print("Nothing was changed on both sides.")


def _settle(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.logbook.shared import WAYS, Way, conflicts, settle

    if len(said.words) != 2:
        raise InkshelfError("log settle takes an identity and a way.", f"For example: inkshelf log settle ID {WAYS[-1]}")
    seed, way = said.words
    found = {one.seed: one for one in conflicts(book)}
    if seed not in found:
        raise InkshelfError(f"{seed} is nothing that was changed on both sides.", "List them: inkshelf log conflicts")
    ways: dict[str, Way] = {one: one for one in WAYS}
    settle(book, found[seed], choice("log settle", way, ways), _says(said))
    print(f"{seed}: {way}")


def _fault(book: Logbook, said: Namespace) -> None:
    """MODEL FAULT [WORKAROUND], or the identity of one alone, which takes it back."""
    from inkshelf.core.value import replace
    from inkshelf.store.logbook.faults import Fault, faults, put_fault

    if len(said.words) == 1:
        known = {one.seed: one for one in faults(book)}
        if said.words[0] not in known:
            raise InkshelfError("There is no such fault.", "List them: inkshelf log faults")
        put_fault(book, replace(known[said.words[0]], fault=""), _says(said))
        print("taken back")
        return
    if len(said.words) not in {2, 3}:
        raise InkshelfError(
            "log fault takes a model, what it does, and what helps.",
            'For example: inkshelf log fault "Tern 7" "drops its entry when the battery is out" "fallback file"',
        )
    one = put_fault(book, Fault(said.words[0], said.words[1], said.words[2] if len(said.words) > 2 else ""), _says(said))
    print(one.seed)


def _faults(book: Logbook, said: Namespace) -> None:
    import msgspec

    from inkshelf.store.logbook.faults import faults

    found = faults(book)
    if said.json:
        print_json({"faults": msgspec.to_builtins(found)})
        return
    for one in found:
        print(f"{one.seed}  {one.model}: {one.fault}" + (f"; what helps: {one.workaround}" if one.workaround else ""))


def _file(book: Logbook, said: Namespace) -> None:
    from inkshelf.store.jobfile import write_atomically
    from inkshelf.store.logbook.files import content, held_of

    if len(said.words) != 2 or not said.output:
        raise InkshelfError("log file takes an identity and a sum.", "For example: inkshelf log file ID SUM -o photo.jpg")
    found = [one for one in held_of(book, said.words[0]) if one.digest.startswith(said.words[1])]
    if len(found) != 1:
        raise InkshelfError(f"{len(found)} files of this job begin so.", "List them: inkshelf log show ID")
    write_atomically(Path(said.output), content(book, said.words[0], found[0].digest))
    print(f"{said.output}: {found[0].name}")


def _times(book: Logbook, said: Namespace) -> None:
    from inkshelf.core.learned.history import JobDone, StageDone, planned_of
    from inkshelf.core.learned.times import learn, overruns
    from inkshelf.core.plan.reading import read
    from inkshelf.core.sheet.logged import logged
    from inkshelf.store.logbook.history import history

    jobs = history(book)
    times, over = learn(jobs), {stage: ratio for stage, ratio, _ in overruns(jobs)}
    job = JobDone("", (), who=said.who)
    if said.words:
        job = planned_of(logged(read(load(Path(_one(said, "a job file"))))), said.who)
        if not job.stages:
            raise InkshelfError("Nothing is planned in this job.", "Say the aim first: inkshelf aim JOB.json beside")
    stages = job.stages or tuple(StageDone(stage, planned, 0.0) for stage, planned in times.planned.items())
    bands = {one.stage: times.stage(one, job.port, job.who) for one in stages}
    whole = times.job(stages, job.port, job.who)
    held, of = times.held
    if said.json:
        shown = {name: {**_band(band), "times_planned": over.get(name)} for name, band in bands.items()}
        print_json(
            {"stages": shown, "whole": _band(whole) if said.words else None, "held": held, "of": of, "jobs": times.count}
        )
        return
    for name, band in bands.items():
        print(f"{name:12} {band.words}" + (f"; {over[name]:.1f} times what is planned" if name in over else ""))
    if said.words:
        print(f"{'all of it':12} {whole.words}")
    print(f"bands held {held} of {of} times" if of else "nothing was timed here yet")


def _today(book: Logbook, said: Namespace) -> None:
    """When what is done on the machines of the day, what comes next, and when each can be collected."""
    from inkshelf.core.learned.times import learn
    from inkshelf.store.logbook.history import history
    from inkshelf.store.logbook.today import today

    now = int(time.time())
    promised = dict(_promise(one, now) for one in said.words)
    plan = today(book, learn(history(book)), now, promised)
    for seed in promised.keys() - {one.key for one in plan.day.ribbons}:
        raise InkshelfError(f"“{plain(seed)}” is no machine of the day.", "Its identity stands before its name: log today.")
    if said.json:
        import msgspec

        print_json(msgspec.to_builtins(plan))
        return
    following = plan.day.next_up()
    if not plan.day.ribbons and not plan.left_out:
        print("No machine is on the bench.")
    if following is not None:
        print(f"Next: {following[0].name}, {following[1].span.title.lower()}, at {_hour(now, following[1].begins)}")
    for ribbon in plan.day.ribbons:
        late = f", {ribbon.late:.0f} minutes past what was promised" if ribbon.late else ""
        by = _hour(now, ribbon.ready * plan.longer)
        print(f"{ribbon.key:18} {ribbon.name}: ready at {_hour(now, ribbon.ready)}, 8 of 10 by {by}{late}")
        for one in ribbon.placed:
            takes = "" if one.span.takes == "hands" else f" (waits: {one.span.takes})"
            print(f"  {_hour(now, one.begins)} to {_hour(now, one.ends)}  {one.span.title}{takes}")
    if plan.left_out:
        print(plan.left_out)
    if not plan.day.proven:
        print("Not proven to be the best: it took too long to look at every order.")


def _hour(now: int, minutes: float) -> str:
    return time.strftime("%H:%M", time.localtime(now + round(minutes * 60)))


def _promise(text: str, now: int) -> tuple[str, int]:
    """ID=15:40, today."""
    from inkshelf.store.logbook.today import hour_today

    seed, _, hour = text.rpartition("=")
    try:
        return seed, hour_today(hour, now)
    except InkshelfError:
        raise InkshelfError(f"“{text}” promises nothing.", "Write ID=15:40.") from None


def _band(band: Band) -> dict[str, float | int]:
    return {"low": band.low, "middle": band.middle, "high": band.high, "jobs": band.count}


def known_again(job: Job) -> None:
    """Print what one's own logbook knows of a machine that was just taken in; nothing where there is no logbook yet."""
    from inkshelf.store.folders import data_folder

    if not (data_folder() / "logbook.sqlite").exists():
        return
    from inkshelf.store.logbook.book import Logbook
    from inkshelf.store.logbook.recognised import recognised, said

    try:
        book = Logbook()
        try:
            found = recognised(book, job)
        finally:
            book.close()
    except InkshelfError as error:
        print(f"The logbook was not looked into: {error.what}")
        return
    if found:
        print(said(found))


DOES: dict[str, Callable[[Logbook, Namespace], None]] = dict(
    zip(
        ACTS,
        (
            *(_put, _list, _search, _show, _open, _before, _export, _import, _forget, _forget, _back_up, _restore),
            *(_sync, _conflicts, _settle, _fault, _faults, _file, _times, _today),
        ),
        strict=True,
    )
)
COMMANDS = (Command("log", "The logbook: put a job in, find it again, what was done on a machine before.", _takes, _log),)
