"""F2FS on the bench."""

from __future__ import annotations

from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.hashing import digest
from inkshelf.bench.kinds.base import UNREADABLE, Digests, Tools
from inkshelf.core.disk.kinds.f2fs import BLOCK, super_block
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

PACKAGE = "f2fs-tools"
STRETCH = 64 << 20


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    tools.run("mkfs.f2fs", "-q", "-f", "-w", str(disk.sector), "-U", step.uuid, "-l", step.label, path)


def label(path: Path, text: str) -> None:
    tools.run("f2fslabel", path, text)


def digests(source: Slice) -> Digests:
    """Return the hash of every stretch behind the two super blocks, which are all that a label rewrites."""
    if super_block(source) is None:
        raise FormatError(UNREADABLE)
    starts = range(2 * BLOCK, source.size, STRETCH)
    return {low: digest(source, low, min(low + STRETCH, source.size)) for low in starts}


TOOLS = Tools(
    ("f2fs",),
    make=make,
    label=label,
    check=("fsck.f2fs", "--dry-run"),
    digests=digests,
    compared="byte for byte the same but for the super blocks, which the step rewrites",
    makes_with={"mkfs.f2fs": PACKAGE},
    changes_with={"f2fslabel": PACKAGE},
)
