"""Figures about starting: how many rehearsals a second, and the table of every mishap at every step."""

from __future__ import annotations

import statistics
import time
from pathlib import Path

from inkshelf.core.boot.mishaps import mishaps
from inkshelf.core.boot.rehearse import rehearse, systems
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read

from .report import line


def measure_start(folder: Path) -> None:
    """The largest of the demo jobs: most systems by mishaps by steps."""
    from inkshelf.ui.demo import DEMOS, first_day

    jobs = [first_day(folder, one.key) for one in DEMOS]
    job = max(jobs, key=_size)
    states = read(job).plan.machines
    took = []
    for _ in range(7):
        begun = time.perf_counter()
        count = sum(len(rehearse(state)) for state in states)
        took.append(time.perf_counter() - begun)
    median = statistics.median(took)
    title = f"every mishap at every step of the largest demo ({len(states)} states, {count} outcomes), median"
    line(title, f"{median * 1000:.0f} ms", "under 100 ms", good=median < 0.1)
    pairs = sum(len(mishaps(state)) for state in states)
    line("rehearsals (state and mishap) a second", f"{pairs / median:.0f}", "at least 1,000", good=pairs / median >= 1000)


def _size(job: Job) -> int:
    plan = read(job).plan
    return sum(len(systems(state)) * len(mishaps(state)) for state in plan.machines)
