"""XFS on the bench."""

from __future__ import annotations

from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.hashing import digest
from inkshelf.bench.kinds.base import Digests, Tools
from inkshelf.core.disk import xfs
from inkshelf.core.disk.source import Slice
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

PACKAGE = "xfsprogs"


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    sector = f"size={disk.sector}"
    tools.run("mkfs.xfs", "-q", "-f", "-K", "-s", sector, "-m", f"uuid={step.uuid}", "-L", step.label, path)


def label(path: Path, text: str) -> None:
    _admin(path, "-L", text or "--")


def renew(path: Path, uuid: str) -> None:
    _admin(path, "-U", uuid)


def _admin(path: Path, *options: str) -> None:
    """The utility is a script that takes a path with a blank for two: it runs where the file is."""
    tools.run("xfs_admin", *options, path.name, folder=path.parent)


def digests(source: Slice) -> Digests:
    """Return the hash of every stretch of an XFS volume between the super blocks and the log, which a label or identity rewrites."""
    return {low: digest(source, low, high) for low, high in xfs.contents(source)}


TOOLS = Tools(
    ("xfs",),
    make=make,
    label=label,
    renew=renew,
    check=("xfs_repair", "-n", "-f"),
    digests=digests,
    compared="byte for byte the same but for super blocks and log, which the step rewrites",
    makes_with={"mkfs.xfs": PACKAGE},
    changes_with={"xfs_admin": PACKAGE},
)
