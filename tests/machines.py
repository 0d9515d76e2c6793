"""Machines for plans of every kind: real tables and real file systems in sparse images, made once; nobody made the aims for them."""

from __future__ import annotations

from pathlib import Path

from disks import answered
from inkshelf.bench import demo
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.core.aims import AIMS
from inkshelf.core.aims.asking import kind_of_aim
from inkshelf.core.plan.job import Job, and_aim, left_by
from inkshelf.core.size import GIB

Said = tuple[str, dict[str, str]]


def wanting(job: Job, *aims: Said) -> Job:
    """The job with these aims, one behind the other, each with its usual answers but for what is said."""
    for kind, said in aims:
        job = and_aim(job, kind_of_aim(AIMS, kind).usual_on(left_by(job), said))
    return job


def blank(path: Path, size: int) -> Path:
    """A disk with nothing on it."""
    with path.open("wb") as out:
        out.truncate(size)
    return path


def crowded_mbr(folder: Path) -> Path:
    """A disk that starts the legacy way: two systems of two families on an MBR, each put there by the bench itself."""
    return _inked(folder, "crowded", ("clean", {"systems": "nt-old,linux-legacy", "table": "mbr"}))


def nt_on_mbr(folder: Path) -> Path:
    """A disk that starts the legacy way, with one NT-family system and free room."""
    return _inked(folder, "nt", ("clean", {"systems": "nt-old", "table": "mbr", "size": "110GiB"}))


def _inked(folder: Path, name: str, *aims: Said) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    bare = take_in([blank(folder / f"{name}.bare", 200 * 10**9)], mode="legacy", ram_bytes=8 * GIB, seed=name)
    report = ink(answered(wanting(bare, *aims)), folder / f"bench of {name}")
    assert report.verified, [one for one in report.checks if not one.ok]
    return Path(report.images[0])


def one_disk(folder: Path) -> Job:
    """The demo machine."""
    return take_in([demo.build(folder)[0]], mode="uefi", secure_boot="on", ram_bytes=16 * GIB, seed="one")


def two_disks(folder: Path) -> Job:
    """The demo machine with a second, empty disk."""
    images = [demo.build(folder)[0], blank(folder / "second.img", 256 * 10**9)]
    return take_in(images, mode="uefi", secure_boot="off", ram_bytes=8 * GIB, seed="two")
