"""Findings about sizes that do not add up: what moves and what that costs, gaps that are not one, layers that disagree, a lock that does not hold."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.checks.registry import ChangeAim, Finding, Show, check
from inkshelf.core.fit.room import stretches
from inkshelf.core.plan.job import found_by
from inkshelf.core.plan.locks import locked
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import MIB, binary
from inkshelf.core.steps.effort import copying_minutes
from inkshelf.core.steps.kinds import Move, Shrink
from inkshelf.core.texts import few

SLACK = 64 * MIB  # what formats leave over at their end


@check
def moved(reading: Reading) -> Iterator[Finding]:
    """A volume is moved: every used byte is read and written once."""
    machines = reading.plan.machines
    seen = set()
    for at, step in enumerate(reading.job.steps, 1):
        place = machines[at - 1].find(step.call) if isinstance(step, Move) and at <= len(machines) else None
        if place is None or not isinstance(step, Move) or step.call in seen:
            continue  # one that steps aside first is moved twice: said once
        seen.add(step.call)
        volume = place[1]
        used = binary(volume.used) if volume.used is not None else "not known"
        aim = next((one for one in reading.job.aims if step.id.startswith(f"{one.id}.")), None)
        still = (ChangeAim("moves", "no", "Move nothing", aim.id),) if aim is not None and hasattr(aim, "moves") else ()
        yield Finding(
            f"room.move.{step.call}",
            "note",
            f"{step.call} is moved",
            f"{used} in use, {binary(volume.size)} to copy: about {copying_minutes(volume.size):.0f} min on the machine, with the mains connected.",
            (step.call,),
            (*still, Show("sheet", f"Show step {at}", at)),
        )


@check
def gaps_that_are_not_one(reading: Reading) -> Iterator[Finding]:
    """Free room that would do together, and lies in two places."""
    aim = reading.job.aim
    size = aim.size_bytes if aim else None
    found = found_by(reading.job, aim.id) if aim else reading.plan.found
    disk = next((one for one in found.disks if aim and one.id == aim.disk), None)
    if (
        size is None
        or disk is None
        or not (reading.job.plan_fault or any(isinstance(one, Shrink) for one in reading.job.steps))
    ):
        return
    free = [gap.size for gap in stretches(disk)]
    if len(free) > 1 and max(free) < size <= sum(free):
        yield Finding(
            f"room.split.{disk.id}",
            "note",
            f"The free room of disk {disk.id} is not in one piece",
            f"{few((binary(one) for one in sorted(free, reverse=True)), 3, ' and ')} are free, and {binary(size)} is asked for: "
            "two gaps are not one; what lies between would have to move.",
            (),
            (Show("shelf", "Look at the shelf"), Show("aim", "Ask for less")),
        )


@check
def layers_that_disagree(reading: Reading) -> Iterator[Finding]:
    """A file system or container that is larger than its partition, or leaves part of it unused, as found."""
    for _, volume in reading.plan.found.volumes():
        system = volume.filesystem
        if system is None or system.kind in {"unknown", "nt-encrypted"} or not system.size_bytes:
            continue
        if system.size_bytes > volume.size:
            yield Finding(
                f"room.larger.{volume.call}",
                "stop",
                f"What is in {volume.call} is larger than {volume.call}",
                f"It says {binary(system.size_bytes, 2)}, its partition has {binary(volume.size, 2)}: the end is cut off or belongs to another volume. "
                "Nothing may be written before a checker has looked, on a copy.",
                (volume.call,),
                (Show("intake", "Take the disk in again"),),
            )
        elif volume.size - system.size_bytes > max(SLACK, volume.size // 100):
            yield Finding(
                f"room.unused.{volume.call}",
                "note",
                f"{volume.call} uses less than its partition",
                f"{binary(volume.size - system.size_bytes)} at its end belong to the partition and to nothing in it: "
                "it was made larger and what is in it was not.",
                (volume.call,),
                (Show("shelf", "Grow what is in it"),),
            )


@check
def locks_that_do_not_hold(reading: Reading) -> Iterator[Finding]:
    """A size that a person locked, and that a later aim or a step by hand changes."""
    if not reading.job.steps:
        return
    for call, size in locked(reading.job).items():
        place = reading.plan.planned.find(call)
        if place is not None and place[1].size != size:
            yield Finding(
                f"room.lock.{call}",
                "warn",
                f"{call} does not keep the size that was locked",
                f"{binary(size, 2)} was locked, and another aim or a step by hand makes it {binary(place[1].size, 2)}.",
                (call,),
                (Show("aim", "Look at the other aim"), Show("shelf", "Unlock it there")),
            )
