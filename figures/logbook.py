"""The logbook with many jobs: found as one types, one opened."""

from __future__ import annotations

import random
import statistics
import time
from pathlib import Path

from sqlalchemy import text

from inkshelf.core.learned.times import learn
from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.practice.shops import simulated
from inkshelf.core.sheet.logged import logged
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import Says
from inkshelf.store.logbook.history import history
from inkshelf.ui.demo import demo_job

from .report import line

JOBS = 100_000
OWNERS = ("Marrow", "Saltmarsh", "Halden", "Ferry", "Lantern", "Cooper", "Tarn", "Osprey", "Mire", "Quill")
THINGS = ("lid", "hinge", "entry lost", "key asked", "menu gone", "no device", "black screen", "cable", "battery", "stick")


ENTRY = "title, aim, reasons, planned, took, revision, document, board, opened, who"
COPIED = (
    f"INSERT INTO entry (seed, owner, begun, ended, changed, words, {ENTRY}) "
    f"SELECT :seed, :owner, :changed, :changed + 7000, :changed, :words, {ENTRY} FROM entry WHERE seed = :first"
)
STEP = "number, step, stage, kind, title, planned, waited, waits, carried"
TIMED = (
    f"INSERT INTO step (seed, stands, took, {STEP}) SELECT entry.seed, 'done', "
    f"planned * (0.8 + abs(random() % 100) / 100.0), {', '.join(f'step.{one}' for one in STEP.split(', '))} "
    "FROM entry, step WHERE step.seed = :first AND entry.seed != :first"
).replace("planned * (", "step.planned * (", 1)
SEEN = (
    "INSERT INTO disk (seed, serial, model, size, transport) SELECT entry.seed, 'WN' || substr(entry.seed, 2), disk.model, disk.size, "
    "disk.transport FROM entry, disk WHERE disk.seed = :first AND entry.seed != :first"
)


def filled(folder: Path) -> tuple[Logbook, str]:
    """A logbook of as many jobs, each with a whole document; made in the database itself from one."""
    book = Logbook(f"sqlite:///{folder / 'log.sqlite'}")
    job = demo_job(folder)
    book.put(logged(read(job)), document.dump(job), Says(0))
    draw = random.Random(1)  # noqa: S311 - the same ones each time
    rows = [
        {
            "seed": f"j{number:06}",
            "owner": f"{draw.choice(OWNERS)} {draw.choice(OWNERS)} {number % 700}",
            "changed": number,
            "words": f"{draw.choice(OWNERS)} {number % 700} {draw.choice(THINGS)} {draw.choice(THINGS)} WN{number:06} beside S1",
        }
        for number in range(JOBS)
    ]
    with book.writing() as session:
        session.execute(text(COPIED), [{**one, "first": job.seed} for one in rows])
        session.execute(text("INSERT INTO entry_words (seed, words) VALUES (:seed, :words)"), rows)
        for told in (TIMED, SEEN):
            session.execute(text(told), {"first": job.seed})
    return book, "j050000"


def measure_logbook(folder: Path) -> None:
    """Search at every letter that is typed, and open a job."""
    place = folder / "logbook"
    place.mkdir()
    book, seed = filled(place)
    took = []
    for words in ("entry lost", "saltmarsh hinge", "WN0123", "black screen 17"):
        for letters in range(1, len(words) + 1):
            begun = time.perf_counter()
            book.search(words[:letters], 40)
            book.found(words[:letters])
            took.append((time.perf_counter() - begun) * 1000)
    took.sort()
    high = took[int(len(took) * 0.95)]
    what = f"a search among {book.count():,} jobs as one types, p95"
    line(what, f"{high:.1f} ms, most {took[-1]:.1f}", "under 50 ms", good=high < 50)
    _measure_opening(book, seed)
    _measure_learning(book)
    book.close()
    measure_bands()


def _measure_opening(book: Logbook, seed: str) -> None:
    """Open a job."""
    opened = []
    for _ in range(20):
        begun = time.perf_counter()
        document.load(book.read(seed)[0])
        book.logged(seed)
        opened.append((time.perf_counter() - begun) * 1000)
    middle = statistics.median(opened)
    line("a job opened from it", f"{middle:.1f} ms", "under 100 ms", good=middle < 100)


def _measure_learning(book: Logbook) -> None:
    """Learn times, and know a machine again."""
    learned = []
    for _ in range(5):
        begun = time.perf_counter()
        times = learn(history(book))
        learned.append((time.perf_counter() - begun) * 1000)
    middle = statistics.median(learned)
    line(f"times learned, from the newest {times.count}", f"{middle:.0f} ms", "under 300 ms", good=middle < 300)
    came = []
    for _ in range(20):
        begun = time.perf_counter()
        book.before(["WN050000"])
        came.append((time.perf_counter() - begun) * 1000)
    line(
        "a machine recognised by its disk",
        f"{statistics.median(came):.1f} ms",
        "under 50 ms",
        good=statistics.median(came) < 50,
    )


def measure_bands() -> None:
    """How often bands hold in simulated shops, each job forecast from those before it only."""
    for jobs in (10, 40, 200):
        counts = [learn(simulated(seed, jobs)).held for seed in range(60)]
        share = 100 * sum(one for one, _ in counts) / sum(one for _, one in counts)
        line(f"bands that held, 60 shops of {jobs} jobs", f"{share:.1f} %", "80 within 5", good=abs(share - 80) <= 5)
