"""The logbook with many jobs: found as one types, one opened."""

from __future__ import annotations

import random
import statistics
import time
from pathlib import Path

from sqlalchemy import text

from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.logged import logged
from inkshelf.store.logbook.book import Logbook
from inkshelf.ui.demo import demo_job

from .report import line

JOBS = 100_000
OWNERS = ("Marrow", "Saltmarsh", "Halden", "Ferry", "Lantern", "Cooper", "Tarn", "Osprey", "Mire", "Quill")
THINGS = ("lid", "hinge", "entry lost", "key asked", "menu gone", "no device", "black screen", "cable", "battery", "stick")


def filled(folder: Path) -> tuple[Logbook, str]:
    """A logbook of as many jobs, each with a whole document; made in the database itself from one."""
    book = Logbook(f"sqlite:///{folder / 'log.sqlite'}")
    job = demo_job(folder)
    book.put(logged(read(job)), document.dump(job), 0)
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
    copied = (
        "INSERT INTO entry SELECT :seed, title, :owner, aim, reasons, begun, ended, :changed, planned, took, revision, :words, document "
        "FROM entry WHERE seed = :first"
    )
    with book.engine.begin() as connection:
        connection.execute(text(copied), [{**one, "first": job.seed} for one in rows])
        connection.execute(text("INSERT INTO entry_words (seed, words) VALUES (:seed, :words)"), rows)
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
            took.append((time.perf_counter() - begun) * 1000)
    took.sort()
    high = took[int(len(took) * 0.95)]
    what = f"a search among {book.count():,} jobs as one types, p95"
    line(what, f"{high:.1f} ms, most {took[-1]:.1f}", "under 50 ms", good=high < 50)
    opened = []
    for _ in range(20):
        begun = time.perf_counter()
        document.load(book.read(seed)[0])
        opened.append((time.perf_counter() - begun) * 1000)
    middle = statistics.median(opened)
    line("a job opened from it", f"{middle:.1f} ms", "under 100 ms", good=middle < 100)
    book.close()
