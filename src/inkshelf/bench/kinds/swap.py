"""Swap areas on the bench."""

from __future__ import annotations

from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.kinds.base import Tools
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

PACKAGE = "util-linux"


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    tools.run("mkswap", "-U", step.uuid, "-L", step.label, path)


def label(path: Path, text: str) -> None:
    tools.run("swaplabel", "--label", text, path)


def renew(path: Path, uuid: str) -> None:
    tools.run("swaplabel", "--uuid", uuid, path)


TOOLS = Tools(
    ("swap",), make=make, label=label, renew=renew, makes_with={"mkswap": PACKAGE}, changes_with={"swaplabel": PACKAGE}
)
