"""LUKS containers on the bench: nothing is ever put inside one."""

from __future__ import annotations

import secrets
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.kinds.base import Tools
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

PACKAGE = "cryptsetup-bin"


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    """A container whose passphrase is thrown away."""
    options = ("--type", "luks2", "--batch-mode", "--uuid", step.uuid, "--pbkdf", "pbkdf2", "--pbkdf-force-iterations", "1000")
    name = ("--label", step.label) if step.label else ()
    tools.run("cryptsetup", "luksFormat", *options, *name, path, "-", feed=secrets.token_hex(32))


def label(path: Path, text: str) -> None:
    tools.run("cryptsetup", "config", path, "--label", text)


def renew(path: Path, uuid: str) -> None:
    tools.run("cryptsetup", "luksUUID", "--batch-mode", path, "--uuid", uuid)


TOOLS = Tools(
    ("luks",), make=make, label=label, renew=renew, makes_with={"cryptsetup": PACKAGE}, changes_with={"cryptsetup": PACKAGE}
)
