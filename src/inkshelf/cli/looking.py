"""Commands that look: a disk image, a plan, its ledger, what starts."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from typing import TYPE_CHECKING

from inkshelf.cli.shared import STOP, Command, load, path, print_json, read_job, stop_status, takes_job, takes_json, word
from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from pathlib import Path

    from inkshelf.bench.watching import Watched
    from inkshelf.core.boot.mishaps import Mishap
    from inkshelf.core.machine.state import Machine
    from inkshelf.core.plan.job import Job
    from inkshelf.core.plan.reading import Reading


def _takes_image(parser: ArgumentParser) -> None:
    parser.add_argument("image", metavar="IMAGE", type=path, help="a raw disk image")
    takes_json(parser)


def _inspect(said: Namespace) -> int:
    from inkshelf.bench.intake import take_in
    from inkshelf.core.checks import findings
    from inkshelf.core.plan.reading import read

    job = take_in([said.image], seed="inspect")
    found = tuple(
        one
        for one in findings(read(job))
        if one.key.startswith(("disk.", "fs.", "room.")) and not one.key.startswith("disk.identity")
    )
    if said.json:
        from inkshelf.exchange import shapes

        print_json({"disk": shapes.disk(job.found.disks[0]), "findings": [shapes.finding(one) for one in found]})
        return 0
    from inkshelf.exchange.plain import disk_lines, finding_lines

    print("\n".join([*disk_lines(job.found.disks[0]), *finding_lines(found)]))
    return 0


def _plan(said: Namespace) -> int:
    from inkshelf.exchange import shapes

    reading, found = read_job(said.job)
    if said.json:
        print_json(shapes.plan(reading, found))
    else:
        from inkshelf.exchange.plain import plan_lines

        print("\n".join(plan_lines(reading, found)))
    return stop_status(found)


def _ledger(said: Namespace) -> int:
    from inkshelf.core.size import both
    from inkshelf.core.steps.ledger import positions
    from inkshelf.exchange import shapes

    reading, _ = read_job(said.job)
    found = positions(reading.plan, reading.job.steps)
    if said.json:
        print_json({"ledger": shapes.totals(reading.ledger), "positions": [shapes.position(one) for one in found]})
        return 0
    for one in found:
        print(f"step {one.step:3}  {one.call:4} disk {one.disk}  from byte {one.start:>16}  {both(one.size)}")
    total = reading.ledger
    print(
        f"kept {total.kept_bytes}, moved {total.moved_bytes}, erased {total.erased_bytes}, new {total.new_bytes} bytes; lost {', '.join(total.lost) or 'nothing'}"
    )
    return 0


def _takes_rehearsal(parser: ArgumentParser) -> None:
    takes_job(parser, json_too=True)
    parser.add_argument("--step", metavar="N", type=int, help="the machine after step N (0: as found) instead of at the end")
    parser.add_argument("--mishap", metavar="KEY", type=word, help="this mishap only")
    parser.add_argument(
        "--emulator", action="store_true", help="start throw-away copies of the inked disks under real firmware, and compare"
    )
    parser.add_argument(
        "--bench",
        metavar="DIR",
        type=path,
        help="where the job was inked, for --emulator; with --step an empty folder, in which it is inked up to that step",
    )
    parser.add_argument("--picture", metavar="FILE", type=path, help="keep what the emulated screen shows at the end, as PNG")


def _rehearse(said: Namespace) -> int:
    from inkshelf.core.boot.firmware import start
    from inkshelf.core.boot.mishaps import mishaps
    from inkshelf.core.boot.rehearse import rehearse
    from inkshelf.exchange import shapes

    if said.emulator:
        return _watch(said)
    reading, _ = read_job(said.job)
    machine = _at_step(reading, said.step)
    outcomes = reading.after if said.step is None else rehearse(machine, reading.job.mishaps)
    every = mishaps(machine, reading.job.mishaps)
    if said.mishap is not None:
        every = _meant(every, said.mishap)
        outcomes = tuple(one for one in outcomes if one.mishap == every[0].key)
    if said.json:
        starts = [shapes.start(one.key, start(one.befall(machine))) for one in every]
        known = {one.key: one.befall(machine) for one in every}
        print_json({"outcomes": [shapes.outcome(one, known[one.mishap]) for one in outcomes], "firmware": starts})
        return 0
    for one in outcomes:
        print(f"{one.system:4} {one.mishap:23} {one.verdict:15} {' > '.join(one.path) if one.path else one.why}")
    return 0


def _watch(said: Namespace) -> int:
    """Start what was inked under real firmware; status 1 where it does something else than predicted."""
    from inkshelf.bench.watching import watch
    from inkshelf.core.boot.mishaps import mishaps
    from inkshelf.core.plan.reading import read

    if said.bench is None:
        raise InkshelfError("No bench was named.", "Name the folder that the job was inked in: --bench DIR.")
    job = load(said.job) if said.step is None else _inked_to(said)
    every = mishaps(read(job).plan.planned, job.mishaps)
    mishap = _meant(every, said.mishap)[0] if said.mishap is not None else every[0]
    watched = watch(job, said.bench, mishap, picture=said.picture is not None)
    if said.picture is not None:
        _keep(watched.seen.picture, said.picture)
    if said.json:
        _print_watched(watched, mishap)
    else:
        _say_watched(watched)
    return STOP if watched.differs else 0


def _inked_to(said: Namespace) -> Job:
    """The job up to a step, inked in the bench folder where it is empty."""
    from inkshelf.bench.inker import ink
    from inkshelf.bench.journal import NAME
    from inkshelf.bench.watching import upto

    job = upto(load(said.job), said.step)
    if not (said.bench / NAME).is_file():
        ink(job, said.bench)
    return job


def _keep(picture: bytes, target: Path) -> None:
    from inkshelf.atomic import write_atomically

    if not picture:
        raise InkshelfError("The emulator gave no picture of its screen.", "Watch it once more.")
    write_atomically(target, picture)


def _print_watched(watched: Watched, mishap: Mishap) -> None:
    from inkshelf.exchange import shapes

    tried = [
        {"variable": one.variable, "title": one.title, "path": one.path, "result": one.result} for one in watched.seen.tried
    ]
    print_json(
        {
            "firmware": [shapes.start(mishap.key, watched.predicted)],
            "seen": {"tried": tried, "said": list(watched.seen.said), "ended": watched.seen.ended},
            "differs": watched.differs,
            "notes": list(watched.notes),
        }
    )


def _say_watched(watched: Watched) -> None:
    for note in watched.notes:
        print(f"note       {note}")
    for one in watched.predicted.tried:
        print(f"predicted  {one.variable or '-':9} {one.title:24} {one.result}{f': {one.why}' if one.why else ''}")
    for each in watched.seen.tried:
        print(f"seen       {each.variable:9} {each.title:24} {each.result}  {each.path}")
    for line in watched.seen.said[-3:]:
        print(f"it said    {line}")
    print(f"DIFFERS: {watched.differs}" if watched.differs else "Firmware did as predicted.")


def _at_step(reading: Reading, step: int | None) -> Machine:
    """The machine after a step, or after all of them."""
    machines = reading.plan.machines
    if step is None:
        return reading.plan.planned
    if not 0 <= step < len(machines):
        raise InkshelfError(f"There is no step {step} in this plan.", f"It has {len(machines) - 1}; 0 is the machine as found.")
    return machines[step]


def _meant(every: tuple[Mishap, ...], key: str) -> tuple[Mishap, ...]:
    """The mishap of that key; another one is refused, the near match offered."""
    found = tuple(one for one in every if one.key == key.lower())
    if not found:
        from inkshelf.core.machine.figures import near

        raise InkshelfError(f"There is no mishap “{key}”.", near(key.lower(), tuple(one.key for one in every)))
    return found


COMMANDS = (
    Command("inspect", "Say what a disk image holds.", _takes_image, _inspect),
    Command(
        "plan", "Show the plan: shelves, numbers to type, findings, ledger.", lambda one: takes_job(one, json_too=True), _plan
    ),
    Command("ledger", "Say where every kept byte is after each step.", lambda one: takes_job(one, json_too=True), _ledger),
    Command("rehearse", "Say which systems start after the plan, whatever happens.", _takes_rehearsal, _rehearse),
)
