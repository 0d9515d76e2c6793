"""Take disks in: from images and captured text, into one machine; at first, and later, when more is known."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from inkshelf.bench.image import inspect, refuse_in_use
from inkshelf.core.checks import know
from inkshelf.core.errors import CaptureError, InkshelfError
from inkshelf.core.machine.calls import number_volumes
from inkshelf.core.machine.captured import Facts, refuse_partial
from inkshelf.core.machine.contradiction import Contradiction
from inkshelf.core.machine.joining import Joined, join_images, join_listed, join_listings, join_variables
from inkshelf.core.machine.state import BootEntry, Conditions, Disk, Firmware, Machine, SecureBoot
from inkshelf.core.plan.job import Job, Source, replan
from inkshelf.core.texts import one_line
from inkshelf.core.value import replace

STICK_LETTERS = "MNOPQRSTUVWXYZ"


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
    alone: bool = False,
) -> Job:
    """Return a new job for the disks of ``images`` and of captured text; raises ``InkshelfError`` where one cannot be read.

    ``alone``: a job about sticks may have no disk.
    """
    if not images and not any(captured) and not alone:
        raise CaptureError("No disk was given.", "Name a disk image with --disk, or captured text with --lsblk or --sfdisk.")
    machine = Machine(Firmware(mode, secure_boot), (), ram_bytes, conditions or Conditions())
    job = Job(
        one_line(title, "The title"),
        one_line(owner, "The owner's name"),
        machine,
        tuple(capture_sources),
        seed=seed or os.urandom(8).hex(),
    )
    job = with_images(job, images)
    texts = tuple(disk for group in captured for disk in group)
    return with_listings(job, texts, ()) if texts else job


def with_images(job: Job, images: Sequence[Path]) -> Job:
    """Return the job with disks read from images: of a disk that is known already the image says what is on it.

    A file that was read before is the disk that it was; raises ``CaptureError`` where it holds another one now.
    """
    if len({path.resolve() for path in images}) != len(images):
        raise InkshelfError("The same image was named twice.", "Name each disk once.")
    for path in images:
        refuse_in_use(path)
    read = tuple(_named(path, inspect(path)) for path in images)
    before = tuple(_letter_before(job, path) for path in images)
    joined = join_images(job.found, read, before)
    for path, old, new in zip(images, before, joined.letters, strict=True):
        if old and old != new:
            raise CaptureError(
                f"{path} was disk {old}, and another disk lies there now.", "Give each disk's image a name of its own."
            )
    made = tuple(Source("image", str(path.resolve()), letter) for path, letter in zip(images, joined.letters, strict=True))
    kept = tuple(one for one in job.sources if one.kind != "image" or one.disk not in joined.letters)
    images_first = sorted((*kept, *made), key=lambda one: (one.kind != "image", one.disk if one.kind == "image" else ""))
    return _with(job, joined, tuple(images_first))


def with_stick(job: Job, disk: Disk, path: Path) -> Job:
    """Return the job with a stick: sticks bear letters from M on; one that is there already is read anew."""
    old = next((one for one in job.found.disks if one.stick and (one.model, one.serial) == (disk.model, disk.serial)), None)
    free = (one for one in STICK_LETTERS if one not in {had.id for had in job.found.disks})
    letter = old.id if old else next(free, "")
    if not letter:
        raise CaptureError("More sticks than letters.", "Take one out of the job first.")
    others = tuple(one for one in job.found.disks if one is not old)
    machine = number_volumes(replace(job.found, disks=(*others, replace(_named(path, disk), id=letter))))
    kept = tuple(one for one in job.sources if one.disk != letter)
    return replan(replace(job, found=machine, sources=(*kept, Source("image", str(path.resolve()), letter))))


def with_listings(
    job: Job,
    captured: tuple[Disk, ...],
    sources: Sequence[Source],
    variables: Firmware | None = None,
    listed: tuple[BootEntry, ...] = (),
) -> Job:
    """Return the job with identities, and disks that are not known yet, from captured text; with captured boot variables, or their order as a system ``listed`` it."""
    imaged = frozenset(one.disk for one in job.sources if one.kind == "image")
    joined = join_listings(job.found, captured, imaged)
    refuse_partial(joined.machine.disks)
    if variables is not None:
        joined = replace(joined, machine=join_variables(joined.machine, variables))
    joined = replace(joined, machine=join_listed(joined.machine, listed))
    return _with(job, joined, (*job.sources, *sources))


def with_facts(job: Job, facts: Facts) -> tuple[Job, list[str]]:
    """Return the job with what a capture says of the machine beside its disks. What is known already stays; what differs is said."""
    if facts.maker and not job.found.board:
        job = know(job, "board", facts.maker)
    found, differ = job.found, []
    known = {
        "mode": found.firmware.mode,
        "secure_boot": found.firmware.secure_boot,
        "ram_bytes": found.ram_bytes,
        "mains": found.conditions.mains,
        "encrypted": found.conditions.encrypted,
    }
    for field, was in known.items():
        said = getattr(facts, field)
        if said is None or said == was:
            continue
        if was is None:
            job = know(job, field, said)
        elif field != "mains":  # a cable comes and goes
            differ.append(f"{field.replace('_', ' ')} is known as {was}, and captured as {said}")
    return job, differ


def _named(path: Path, disk: Disk) -> Disk:
    try:
        one_line(str(path.resolve()), "The image's name").encode()
    except UnicodeEncodeError:
        raise InkshelfError(f"The name of {path!r} is not text.", "Rename the image, then take it in.") from None
    return disk


def _letter_before(job: Job, path: Path) -> str:
    """The disk that was read from this file before, or nothing."""
    own = str(path.resolve())
    return next((one.disk for one in job.sources if one.kind == "image" and one.path == own), "")


def _with(job: Job, joined: Joined, sources: tuple[Source, ...]) -> Job:
    """What contradicted of these disks before is judged anew by what was just read."""
    others: tuple[Contradiction, ...] = tuple(one for one in job.contradictions if one.disk not in joined.letters)
    return replan(replace(job, found=joined.machine, sources=sources, contradictions=(*others, *joined.contradictions)))
