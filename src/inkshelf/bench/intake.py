"""Take disks in: from images and captured text, into one machine."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from inkshelf.bench.image import inspect, refuse_in_use
from inkshelf.core.errors import CaptureError, InkshelfError
from inkshelf.core.machine.assemble import LETTERS, assemble
from inkshelf.core.machine.state import Conditions, Disk, SecureBoot
from inkshelf.core.plan.job import Job, Source, replan
from inkshelf.core.value import replace


def take_in(
    images: Sequence[Path],
    captured: Sequence[tuple[Disk, ...]] = (),
    capture_sources: Sequence[Source] = (),
    *,
    mode: Literal["uefi", "legacy"] | None = None,
    secure_boot: SecureBoot | None = None,
    ram_bytes: int | None = None,
    conditions: Conditions | None = None,
    title: str = "",
    owner: str = "",
    seed: str = "",
) -> Job:
    """Return a new job for the disks of ``images`` and of captured text; raises ``InkshelfError`` where one cannot be read."""
    if not images and not any(captured):
        raise CaptureError("No disk was given.", "Name a disk image with --disk, or captured text with --lsblk or --sfdisk.")
    if len({path.resolve() for path in images}) != len(images):
        raise InkshelfError("The same image was named twice.", "Name each disk once.")
    for path in images:
        refuse_in_use(path)
    disks = tuple(inspect(path) for path in images)
    texts = [disk for group in captured for disk in group]
    joined = _joined(disks, tuple(texts))
    if len(joined) > len(LETTERS):
        raise InkshelfError(f"{len(joined)} disks are more than one machine holds here.", f"Take in at most {len(LETTERS)}.")
    machine = assemble(joined, mode, secure_boot, ram_bytes, conditions)
    sources = tuple(Source("image", str(path.resolve()), machine.disks[place].id) for place, path in enumerate(images))
    return Job(title, owner, machine, (*sources, *capture_sources), seed=seed or secrets.token_hex(8))


def _joined(disks: tuple[Disk, ...], captured: tuple[Disk, ...]) -> tuple[Disk, ...]:
    from inkshelf.core.machine.captured import add_identity

    return add_identity(disks, captured) if captured else disks


def with_capture(job: Job, captured: tuple[Disk, ...], source: Source) -> Job:
    """Return the job with identities and further disks from captured text; what people said about the machine stays."""
    from inkshelf.core.machine.captured import add_identity

    found = job.found
    joined = add_identity(found.disks, captured)
    machine = assemble(joined, found.firmware.mode, found.firmware.secure_boot, found.ram_bytes, found.conditions)
    return replan(replace(job, found=machine, sources=(*job.sources, source)))
