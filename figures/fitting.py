"""Figures about planning: the exact fit of many systems, other ways to do a job."""

from __future__ import annotations

import random
import statistics
import time
from pathlib import Path

from inkshelf.core.fit.question import Answer, Ask, Held, Piece, Problem, Shelf

from .report import line

GIB = 1024  # the fit counts in MiB


def crowded(seed: int) -> Problem:
    """Eight systems, four disks, forty volumes; two volumes in five may move."""
    dice = random.Random(seed)  # noqa: S311
    shelves, number = [], 0
    for disk in "ABCD":
        at, held = 1, []
        for _ in range(10):
            at += dice.choice([0, 0, 1, 700, 20 * GIB, 60 * GIB])
            number, size = number + 1, dice.randint(1, 160) * GIB
            used = dice.randint(1, size)
            smallest = min(size, used + dice.randint(0, 30 * GIB)) if dice.random() < 0.6 else size
            held.append(Held(f"S{number}", at, size, used, smallest, dice.random() < 0.4))
            at += size
        shelves.append(Shelf(disk, 1, at + dice.randint(0, 80 * GIB), tuple(held)))
    return Problem(tuple(shelves), tuple(_piece(dice, number) for number in range(8)))


def _piece(dice: random.Random, number: int) -> Piece:
    root, home = dice.choice([(20, 50), (24, 60), (40, 70)]), dice.choice([(10, 30), (10, 60)])
    asks = (
        Ask(f"{number}.esp", 300, 300),
        Ask(f"{number}.root", root[0] * GIB, root[1] * GIB),
        Ask(f"{number}.swap", 4 * GIB, 4 * GIB),
        Ask(f"{number}.home", home[0] * GIB, home[1] * GIB, grows=True),
    )
    return Piece(f"system {number}", asks)


def measure_fit(_: Path) -> None:
    """Eight systems of three or four volumes each on four disks with forty volumes, one after the other; optimal, by the solver's own bound."""
    from inkshelf.core.fit.solve import solve

    took, fitted = [], 0
    solve(crowded(0))  # the solver is loaded once
    for seed in range(15):
        problem = crowded(seed)
        begun = time.perf_counter()
        answer = solve(problem)
        took.append((time.perf_counter() - begun) * 1000)
        fitted += isinstance(answer, Answer)
    median = statistics.median(took)
    line(
        f"fit of 8 systems on 4 disks with 40 volumes, median ({fitted} of 15 fit)",
        f"{median:.0f} ms",
        "under 150 ms",
        good=median < 150,
    )


def measure_ways(folder: Path) -> None:
    """Other ways to do the demo job, each worked out in full."""
    from inkshelf.core.sheet.candidates import worked_out
    from inkshelf.ui.demo import demo_job

    job = demo_job(folder)
    begun, first = time.perf_counter(), 0.0
    for count, _ in enumerate(worked_out(job), 1):  # noqa: B007 - it is said below
        first = first or (time.perf_counter() - begun) * 1000
    whole = (time.perf_counter() - begun) * 1000
    line(f"ways to do the demo job, {count} worked out", f"{whole:.0f} ms", "under 1000 ms", good=whole < 1000)
    line("the first of them", f"{first:.0f} ms", "in 150 ms", good=first < 150)
