"""Btrfs on the bench."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Mapping
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds.base import Digests, Tools
from inkshelf.bench.sparse import PIECE
from inkshelf.core.disk import btrfs
from inkshelf.core.disk.source import Slice, exactly
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

PACKAGE = "btrfs-progs"


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    """Subvolumes need a mounted file system with this utility; they are left to the script, and said so."""
    tools.run("mkfs.btrfs", "-q", "-f", "-K", "-U", step.uuid, "-L", step.label, path)


def fill(path: Path, files: Mapping[str, bytes]) -> None:
    """Make a fresh Btrfs anew with files in its top, as its utility can: it stays the same to whoever names it."""
    with ImageFile(path) as source:
        known = btrfs.probe(source)
    if known is None:
        raise BenchError("There is no Btrfs to put a system on.", "Format it first.")
    with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
        for name, data in files.items():
            place = Path(scratch) / name.lstrip("/")
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(data)
        size = path.stat().st_size
        os.truncate(path, 0)  # an older super block of the same UUID is taken for another device of it
        os.truncate(path, size)
        tools.run("mkfs.btrfs", "-q", "-f", "-K", "-U", known.uuid, "-L", known.label, "-r", scratch, path)


def label(path: Path, text: str) -> None:
    tools.run("btrfs", "filesystem", "label", path, text)


def renew(path: Path, uuid: str) -> None:
    tools.run("btrfstune", "-f", "-U", uuid, path)


def digests(source: Slice) -> Digests:
    """Return the hash of every file and folder of a Btrfs volume, by subvolume and number: its records and its stored contents."""
    volume = btrfs.open_btrfs(source)
    found: Digests = {("name", key): hashlib.sha256(value).hexdigest() for key, value in btrfs.subvolume_names(volume).items()}
    stored: dict[int, bytes] = {}  # many files, of many snapshots, may share an extent
    for tree, items in btrfs.trees(volume):
        totals: dict[int, hashlib._Hash] = {}
        for item in items:
            total = totals.setdefault(item.object, hashlib.sha256())
            total.update(item.key + item.data)
            extent = btrfs.extent(item)
            if extent and extent.address not in stored:
                stored[extent.address] = _stretch(source, volume.place(extent.address, extent.length), extent.length)
            if extent:
                total.update(stored[extent.address])
        found |= {(tree, number): total.hexdigest() for number, total in totals.items()}
    return found


def _stretch(source: Slice, start: int, length: int) -> bytes:
    """Hash a stretch that is short and holds no holes, as most stored extents are: without a grid to pad."""
    total = hashlib.sha256()
    for at in range(start, start + length, PIECE):
        total.update(exactly(source, at, min(PIECE, start + length - at), "file contents"))
    return total.digest()


TOOLS = Tools(
    ("btrfs",),
    make=make,
    label=label,
    renew=renew,
    check=("btrfs", "check", "--readonly"),
    digests=digests,
    things="files and folders",
    makes_with=dict.fromkeys(("mkfs.btrfs", "btrfs"), PACKAGE),
    changes_with=dict.fromkeys(("btrfs", "btrfstune"), PACKAGE),
)
