"""Run the base system utilities that make and check file systems, on plain files, without root and without a shell."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

from inkshelf.bench.packages import package_of, where
from inkshelf.core.errors import BenchError
from inkshelf.core.value import Value


class Ran(Value, frozen=True):
    """What a utility printed, and its exit status."""

    status: int
    output: str


def find(name: str) -> str:
    """Return the path of a utility, or say which package to install."""
    found = where(name)
    if not found:
        raise BenchError(f"The utility {name} is missing.", f"Install the package {package_of(name)}, then try again.")
    return found


def run(
    name: str,
    *arguments: str | Path,
    accept: tuple[int, ...] = (0,),
    feed: str = "",
    only_output: bool = False,
    folder: Path | None = None,
) -> Ran:
    """Run a utility; an exit status outside ``accept`` is an error that carries its last line.

    ``only_output``: leave its warnings out of what is returned. ``folder``: where it runs.
    """
    command = [find(name), *map(str, arguments)]
    environment = {**os.environ, "LC_ALL": "C.UTF-8", "MTOOLS_SKIP_CHECK": "1", "MTOOLS_NO_VFAT": "0"}
    done = subprocess.run(
        command, input=feed, capture_output=True, text=True, errors="replace", env=environment, cwd=folder, check=False
    )
    output = (done.stdout + done.stderr).strip()
    if done.returncode not in accept:
        last = next((line for line in reversed(output.splitlines()) if line.strip()), "it said nothing")
        full = "No space left" in output
        remedy = (
            "Free some room for the bench folder, then ink again."
            if full
            else "The bench copy can be thrown away; the source is untouched."
        )
        raise BenchError(f"{name} failed: {last.strip()}", remedy)
    return Ran(done.returncode, done.stdout.strip() if only_output else output)
