"""Commands about sticks: the simulated ones and those of a job, measured, tried, taken in, unplugged."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from inkshelf.cli.shared import Command, load, path, print_json, save, word
from inkshelf.core.errors import InkshelfError

if TYPE_CHECKING:
    from inkshelf.bench.sticks import Simulated
    from inkshelf.core.machine.state import Disk
    from inkshelf.core.plan.job import Job


def _takes(parser: ArgumentParser) -> None:
    parser.add_argument("job", metavar="JOB.json", nargs="?", type=path, help="a job: its sticks are listed too")
    parser.add_argument(
        "--folder", type=path, metavar="FOLDER", help="where the simulated sticks are (usual: with this program's data)"
    )
    parser.add_argument("--make", action="store_true", help="make the sticks of the demonstration where they are not there yet")
    parser.add_argument("--take", type=word, metavar="NAME", help="measure a stick, try its size, and take it into the job")
    parser.add_argument("--unplug", type=word, metavar="LETTER", help="take a stick out of the job again")
    parser.add_argument("--json", action="store_true", help="as one document")


def _sticks(words: Namespace) -> int:
    from inkshelf.bench import sticks
    from inkshelf.core.size import decimal

    folder = folder_of(words.folder)
    if words.make:
        sticks.make(folder)
    if (words.take or words.unplug) and not words.job:
        raise InkshelfError("No job was named.", "Say which: inkshelf sticks JOB.json --take NAME.")
    job = load(words.job) if words.job else None
    if job and words.unplug:
        from inkshelf.core.checks import know

        job = know(job, f"unplugged:{words.unplug.upper()}", "yes")
        save(job, words.job)
    if job and words.take:
        job = taken(job, folder, words.take)
        save(job, words.job)
    known = sticks.listed(folder)
    mine = [one for one in job.found.disks if one.removable or one.stick] if job else []
    if words.json:
        from inkshelf.exchange import shapes

        simulated, held = [_shape(one) for one in known], [shapes.stick(one) for one in mine]
        print_json({"folder": str(folder), "simulated": simulated, "of_this_job": held})
        return 0
    from inkshelf.exchange.stickwords import line_of

    for one in known:
        print(f"{one.name:12} {decimal(one.size):>9}  {one.model}, serial {one.serial}, {one.port}")
    if not known:
        print(f"no simulated stick in {folder}: make some with --make")
    for disk in mine:
        print(line_of(disk))
    _say_alike(mine)
    return 0


def _shape(one: Simulated) -> dict[str, Any]:
    """A simulated stick: what it says of itself, as a listing of devices would."""
    return {"name": one.name, "size": one.size, "model": one.model, "serial": one.serial, "port": one.port}


def folder_of(said: Path | None) -> Path:
    """Return where the simulated sticks are: as said, or with this program's data."""
    from inkshelf.store.folders import data_folder

    return said or data_folder() / "sticks"


def taken(job: Job, folder: Path, name: str) -> Job:
    """Return the job with a stick that was measured and tried."""
    from inkshelf.bench import sticks
    from inkshelf.bench.intake import with_stick

    stick, image = sticks.find(folder, name)
    facts, failing = sticks.tried(stick, image)
    return with_stick(job, sticks.as_disk(stick, image, facts, failing=failing), image)


def _say_alike(disks: list[Disk]) -> None:
    from inkshelf.core.media.alike import alike

    for one, other in alike(disks):
        print(
            f"LOOK ALIKE: {one.id} (serial {one.serial or 'not known'}) and {other.id} (serial {other.serial or 'not known'}): unplug the others"
        )


COMMANDS = (
    Command(
        "sticks",
        "List sticks, the simulated ones and those of a job; measure one and take it in, or unplug it.",
        _takes,
        _sticks,
    ),
)
