"""Machines for plans of every kind: real tables and real file systems in sparse images, made once; nobody made the aims for them."""

from __future__ import annotations

from pathlib import Path

from inkshelf.bench import demo
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import blank, inked
from inkshelf.core.plan.job import Job
from inkshelf.core.size import GIB


def crowded_mbr(folder: Path) -> Path:
    """A disk that starts the legacy way: two systems of two families on an MBR, each put there by the bench itself."""
    return inked(folder / "crowded.img", 200 * 10**9, ("clean", {"systems": "nt-old,linux-legacy", "table": "mbr"}))


def nt_on_mbr(folder: Path) -> Path:
    """A disk that starts the legacy way, with one NT-family system and free room."""
    return inked(folder / "nt.img", 200 * 10**9, ("clean", {"systems": "nt-old", "table": "mbr", "size": "110GiB"}))


def one_disk(folder: Path) -> Job:
    """The demo machine."""
    return take_in([demo.build(folder)[0]], mode="uefi", secure_boot="on", ram_bytes=16 * GIB, seed="one")


def two_disks(folder: Path) -> Job:
    """The demo machine with a second, empty disk."""
    images = [demo.build(folder)[0], blank(folder / "second.img", 256 * 10**9)]
    return take_in(images, mode="uefi", secure_boot="off", ram_bytes=8 * GIB, seed="two")
