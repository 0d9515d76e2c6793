"""Commands that look: a disk image, a plan, its ledger, what starts."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace

from inkshelf.cli.shared import Command, path, print_json, read_job, stop_status, takes_job, takes_json


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


def _rehearse(said: Namespace) -> int:
    from inkshelf.exchange import shapes

    reading, _ = read_job(said.job)
    if said.json:
        print_json({"outcomes": [shapes.outcome(one) for one in reading.after]})
        return 0
    for one in reading.after:
        print(f"{one.system:4} {one.mishap:18} {one.verdict:15} {' > '.join(one.path) if one.path else one.why}")
    return 0


COMMANDS = (
    Command("inspect", "Say what a disk image holds.", _takes_image, _inspect),
    Command(
        "plan", "Show the plan: shelves, numbers to type, findings, ledger.", lambda one: takes_job(one, json_too=True), _plan
    ),
    Command("ledger", "Say where every kept byte is after each step.", lambda one: takes_job(one, json_too=True), _ledger),
    Command(
        "rehearse",
        "Say which systems start after the plan, whatever happens.",
        lambda one: takes_job(one, json_too=True),
        _rehearse,
    ),
)
