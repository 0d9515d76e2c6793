"""Sticks in lines for a person, and what their speed makes them good for."""

from __future__ import annotations

from inkshelf.core.machine.state import Disk
from inkshelf.core.media.speed import good_for
from inkshelf.core.size import binary, decimal


def line_of(disk: Disk) -> str:
    """Return a stick of a job with what was measured."""
    facts = disk.stick
    if facts is None or not facts.writes:
        speed = "fails when it is written" if disk.failing else "not measured"
    else:
        speed = f"writes {decimal(facts.writes)} a second, {decimal(facts.small)} in small pieces"
        speed += f", {decimal(facts.slow)} after {binary(facts.slows_after)}" if facts.slow else ""
    lies = f"; REALLY HOLDS {decimal(facts.real_size)}" if facts and 0 < facts.real_size < disk.size else ""
    return f"{disk.id}: {disk.identity()}; {speed}{lies}; {good_for(disk)}"
