"""Run the base system utilities that make and check file systems, on plain files, without root and without a shell."""

from __future__ import annotations

import os
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from inkshelf.bench.packages import package_of, where
from inkshelf.core.errors import BenchError, CancelledError
from inkshelf.core.value import Value

BEAT = 0.25  # seconds between two looks whether somebody cancelled


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


_stop: list[Callable[[], bool]] = []


@contextmanager
def stopped_by(cancelled: Callable[[], bool]) -> Iterator[None]:
    """While this lasts a utility is ended as soon as somebody cancels: it works on a copy, and nothing is lost with it."""
    _stop.append(cancelled)
    try:
        yield
    finally:
        _stop.remove(cancelled)


def _finish(
    command: list[str], feed: str, environment: dict[str, str], folder: Path | None
) -> subprocess.CompletedProcess[str]:
    with tempfile.TemporaryFile() as given:
        given.write(
            feed.encode()
        )  # a file, and no pipe: what a utility has not read yet when it is looked after would never be sent
        given.seek(0)
        begun = subprocess.Popen(
            command,
            stdin=given,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            errors="replace",
            env=environment,
            cwd=folder,
        )
    with begun:
        while True:
            try:
                out, err = begun.communicate(timeout=BEAT)
            except subprocess.TimeoutExpired:
                if any(cancelled() for cancelled in list(_stop)):
                    begun.kill()
                    begun.communicate()
                    raise CancelledError("Cancelled while a utility was at work.", "The source image is untouched.") from None
            else:
                return subprocess.CompletedProcess(command, begun.returncode, out, err)


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
    done = _finish(command, feed, environment, folder)
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
