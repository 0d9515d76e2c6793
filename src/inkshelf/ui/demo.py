"""The demo job: the made-up machine with an aim, built on first use and then read from its file."""

from __future__ import annotations

from pathlib import Path

from inkshelf.core.aims.beside import Beside
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job, Source, with_aim
from inkshelf.core.size import GIB
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


def first_day(folder: Path) -> Job:
    """Return the demo job as it was on the first day; built where it is not there yet, which takes seconds."""
    folder.mkdir(parents=True, exist_ok=True)
    first = folder / "first-day.job.json"
    try:
        job = jobfile.load(first)
        if not all(Path(one.path).exists() for one in job.sources):
            raise InkshelfError("The demo's image is gone.", "It is built again.")
    except InkshelfError:
        job = demo_job(folder)
        jobfile.save(job, first)
    return job


def show_demo(desk: Desk, job: Job, folder: Path) -> None:
    """Open the demo job; what is changed is saved beside it."""
    desk.replace_job(job, folder / "demo.job.json")
    desk.show("shelf")


def open_demo(desk: Desk, folder: Path) -> None:
    """Open the demo job before the window is built around it."""
    show_demo(desk, first_day(folder), folder)
