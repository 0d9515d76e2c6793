"""What times are learned from: finished jobs, each with its stages. Minutes; bytes."""

from __future__ import annotations

from collections.abc import Iterable

from inkshelf.core.sheet.logged import TURNING, Logged
from inkshelf.core.value import Value

PORTS = ("usb", f"ata {TURNING}", f"sata {TURNING}", TURNING, "ata", "sata", "nvme")
"""Kinds of disk and ways that they are connected, as ``sheet.logged`` says them: the slowest first."""
OWN_WAITS = ("download", "tool")
"""Waits that belong to the work; a break, the customer, a program that was closed say nothing about the machine."""


class StageDone(Value, frozen=True):
    """One stage of a job: minutes ``planned`` and ``took`` (at work and waiting for what belongs to it), bytes ``carried``."""

    stage: str
    planned: float
    took: float
    carried: int = 0


class JobDone(Value, frozen=True):
    """A finished job. ``stages``: those of which every step was timed. ``port``: how its slowest disk is connected, and whether platters turn
    in it; ``who`` did it, ``ended``: seconds since the epoch."""

    seed: str
    stages: tuple[StageDone, ...]
    port: str = ""
    who: str = ""
    ended: int = 0

    @property
    def planned(self) -> float:
        """Minutes planned, all stages together."""
        return sum(one.planned for one in self.stages)

    @property
    def took(self) -> float:
        """Minutes taken, all stages together."""
        return sum(one.took for one in self.stages)


def port_of(transports: Iterable[str]) -> str:
    """Return the slowest kind of disk, and way that it is connected, of a machine."""
    there = set(transports)
    return next((one for one in PORTS if one in there), "")


def own_waits(waits: str) -> float:
    """Return the minutes of waiting that belong to the work, of lines such as ``download: 4.0``."""
    total = 0.0
    for line in waits.splitlines():
        why, _, minutes = line.rpartition(": ")
        if why in OWN_WAITS:
            total += float(minutes)
    return total


def done_of(job: Logged, who: str) -> JobDone | None:
    """Return a job as times are learned from it, or ``None`` for one that is not finished, or of which no stage was timed."""
    if job.ended is None:
        return None
    stages: dict[str, list[StageDone]] = {}
    broken = set()
    for one in job.steps:
        if one.took is None or one.stands not in {"done", "otherwise"}:
            broken.add(one.stage)
        else:
            took = one.took + own_waits(one.waits)
            stages.setdefault(one.stage, []).append(StageDone(one.stage, one.planned, took, one.carried))
    summed = tuple(
        StageDone(stage, sum(one.planned for one in rows), sum(one.took for one in rows), sum(one.carried for one in rows))
        for stage, rows in stages.items()
        if stage not in broken
    )
    return JobDone(job.seed, summed, port_of(one.transport for one in job.disks), who, job.ended) if summed else None


def planned_of(job: Logged, who: str) -> JobDone:
    """Return a job that is not finished, with the stages that are planned: nothing of what it took is looked at."""
    stages: dict[str, list[float]] = {}
    for one in job.steps:
        held = stages.setdefault(one.stage, [0.0, 0.0])
        held[0] += one.planned
        held[1] += one.carried
    made = tuple(StageDone(stage, planned, 0.0, int(carried)) for stage, (planned, carried) in stages.items())
    return JobDone(job.seed, made, port_of(one.transport for one in job.disks), who)
