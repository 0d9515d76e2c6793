"""What every command of the command line shares: its usual arguments, JSON out, a job read with its findings."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from inkshelf.core.errors import InkshelfError

JsonFlag = Annotated[bool, typer.Option("--json", help="Print one JSON document and nothing else.")]
JobPath = Annotated[Path, typer.Argument(metavar="JOB.json", help="A job file.")]


def print_json(document: Any) -> None:
    """Print one document."""
    print(json.dumps(document, indent=1, ensure_ascii=False))


def read_job(path: Path) -> tuple[Any, Any]:
    """Return the reading of a job file, and its findings with what this machine lacks for inking."""
    from inkshelf.bench import readiness
    from inkshelf.core.checks import findings
    from inkshelf.core.plan.reading import read
    from inkshelf.store import jobfile

    reading = read(jobfile.load(path))
    return reading, (*findings(reading), *readiness.findings(reading.job))


YES_NO = {"yes": True, "no": False}
FACTS: dict[str, tuple[str, dict[str, Any]]] = {
    "backup": ("backup", {"none": "none", "made": "made", "read-back": "read back"}),
    "mains": ("mains", YES_NO),
    "consent": ("consent", YES_NO),
    "encrypted": ("encrypted", YES_NO),
    "recovery-key": ("recovery_key", YES_NO),
    "secure-boot": ("secure_boot", {one: one for one in ("on", "off", "absent", "hidden")}),
    "firmware": ("mode", {"uefi": "uefi", "legacy": "legacy"}),
}


def said(fact: str, value: str | None) -> Any:
    """Return the value that a word on the command line means for a fact, ``None`` where nothing was said."""
    return choice(f"--{fact}", value, FACTS[fact][1])


def choice(option: str, value: str | None, known: dict[str, Any]) -> Any:
    """Return what a word means, ``None`` where nothing was said; raises ``InkshelfError`` that lists the choices."""
    if value is None:
        return None
    if value.lower() not in known:
        raise InkshelfError(f"{option} {value}: not one of the choices.", f"Choose one of: {', '.join(known)}.")
    return known[value.lower()]
