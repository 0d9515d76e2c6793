"""Read a machine once more, from images and captured text alone: what is known of it from before has no say."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from inkshelf.bench.intake import take_in, with_facts, with_listings
from inkshelf.core.machine.captured import Facts
from inkshelf.core.machine.state import BootEntry, Disk, Firmware, Machine


def read_again(
    images: Sequence[Path],
    disks: tuple[Disk, ...] = (),
    firmware: Firmware | None = None,
    listed: tuple[BootEntry, ...] = (),
    facts: Facts | None = None,
) -> Machine:
    """Return the machine as it is read now; raises ``InkshelfError`` where nothing can be read."""
    job = take_in(images, [disks] if disks else [], title="as built", seed="built")
    if firmware is not None or listed:
        job = with_listings(job, (), (), firmware, listed)
    if facts is not None:
        job, _ = with_facts(job, facts)
    return job.found
