"""Simulated shops: times that follow rules which the learner does not know, to see whether what it says of them holds."""

from __future__ import annotations

from math import exp
from random import Random

from inkshelf.core.learned.history import JobDone, StageDone
from inkshelf.core.practice.machines import chance
from inkshelf.core.size import GIB

STAGES = {
    "Safety": 12.0,
    "Material": 6.0,
    "Medium": 11.0,
    "Firmware": 5.0,
    "Room": 15.0,
    "Partitions": 9.0,
    "Install": 28.0,
    "Entries": 6.0,
    "Proof": 8.0,
    "Tidy": 6.0,
}
"""Stages with the minutes that are planned for them, about."""


def simulated(seed: int, jobs: int) -> tuple[JobDone, ...]:
    """Return the finished jobs of a shop: its stages, people and ports differ, some jobs go wrong, and no two shops are alike."""
    draw = chance(f"shop {seed}")
    level = {stage: draw.gauss(0.22, 0.2) for stage in STAGES}
    people = {f"p{number}": draw.gauss(0, 0.12) for number in range(draw.randint(1, 4))}
    ports = {"nvme": 0.0, "sata": draw.uniform(0, 0.15), "usb": draw.uniform(0, 0.4)}
    by_bytes, luck, spread = draw.uniform(-0.02, 0.05), draw.uniform(0.05, 0.2), draw.uniform(0.15, 0.5)
    wrong = draw.uniform(0.0, 0.04)
    made = []
    for number in range(jobs):
        who, port, today = draw.choice(list(people)), draw.choice(list(ports)), draw.gauss(0, luck)
        own = sum((people[who], ports[port], today))
        stages = tuple(
            _stage(draw, stage, level[stage] + own, by_bytes, spread, wrong) for stage in STAGES if draw.random() < 0.8
        )
        made.append(JobDone(f"j{number}", stages, port, who, 1_700_000_000 + number * 40_000))
    return tuple(one for one in made if one.stages)


def _stage(draw: Random, stage: str, level: float, by_bytes: float, spread: float, wrong: float) -> StageDone:
    carried = int(draw.uniform(0, 300) * GIB) if stage in {"Room", "Install"} else 0
    planned = STAGES[stage] * draw.uniform(0.7, 1.4)
    ratio = level + by_bytes * (carried / GIB / 50) + draw.gauss(0, spread)
    took = planned * exp(ratio) * (draw.uniform(2, 6) if draw.random() < wrong else 1.0)
    return StageDone(stage, planned, took, carried)
