"""The demo job: the made-up machine with an aim, built on first use and then read from its file."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from inkshelf.core.aims.beside import Beside
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job, Source, with_aim
from inkshelf.core.size import GIB
from inkshelf.core.value import Value
from inkshelf.store import jobfile
from inkshelf.ui.desk import Desk


def demo_job(folder: Path) -> Job:
    """Return the demo job: the made-up machine, taken in, with an aim; built in ``folder`` on first use."""
    from inkshelf.bench import demo
    from inkshelf.bench.intake import take_in
    from inkshelf.core.machine.state import Conditions
    from inkshelf.exchange import captures

    image, capture = demo.build(folder)
    captured = captures.read_lsblk(capture.read_text(encoding="utf-8"))
    job = take_in(
        [image],
        [captured],
        [Source("lsblk", str(capture))],
        mode="uefi",
        secure_boot="on",
        ram_bytes=16 * GIB,
        conditions=Conditions(mains=True, backup="made", encrypted=False),
        title=demo.MACHINE,
        owner=demo.OWNER,
        seed="demo",
    )
    return with_aim(job, Beside(size_bytes=140 * GIB, esp="own", home="apart"))


class Demo(Value, frozen=True):
    """A demo job: ``recipe`` is the name of what makes it, in ``bench.recipes``; empty for the first one, which is made here; ``chapter``: where it opens."""

    key: str
    title: str
    words: str
    recipe: str = ""
    chapter: str = "shelf"


DEMOS = (
    Demo("demo", "One more beside", "a Linux desktop beside the system that is there"),
    Demo("two-disks", "Two disks", "a system behind a passphrase on a disk of its own, data shared by all", "two_disks"),
    Demo("no-stick", "No stick", "the installer starts from the disk itself and is given back", "no_stick"),
    Demo("travelling", "On the road", "a system that travels on an external disk", "travelling"),
    Demo("removal", "Take one away", "a crowded MBR disk: the old system goes, the other takes its room", "removal"),
    Demo(
        "mending", "Straight into one system", "four systems on three disks, and one that no longer starts", "mending", "start"
    ),
    Demo("sticks", "A bag of sticks", "six images on one stick, a set of installers on another", "bag_of_sticks", "media"),
)


def demo_of(key: str) -> Demo:
    """Return a demo by its key."""
    return next(one for one in DEMOS if one.key == key)


def made(one: Demo, folder: Path) -> Job:
    """Make a demo job anew; its disks are built where they are not there yet."""
    if not one.recipe:
        return demo_job(folder)
    from inkshelf.bench import recipes  # late: the window is ready sooner

    recipe: Callable[[Path], Job] = getattr(recipes, one.recipe)
    return recipe(folder)


def first_day(folder: Path, key: str = "demo") -> Job:
    """Return a demo job as it was on the first day; built where it is not there yet, which takes seconds."""
    folder.mkdir(parents=True, exist_ok=True)
    first = folder / ("first-day.job.json" if key == "demo" else f"first-day-{key}.job.json")
    try:
        job = jobfile.load(first)
        if not all(Path(one.path).exists() for one in job.sources):
            raise InkshelfError("The demo's image is gone.", "It is built again.")
    except InkshelfError:
        job = made(demo_of(key), folder)
        jobfile.save(job, first)
    return job


def show_demo(desk: Desk, job: Job, folder: Path, key: str = "demo") -> None:
    """Open a demo job; what is changed is saved beside it."""
    desk.replace_job(job, folder / f"{key}.job.json")
    desk.show(demo_of(key).chapter)


def open_demo(desk: Desk, folder: Path) -> None:
    """Open the demo job before the window is built around it."""
    show_demo(desk, first_day(folder), folder)
