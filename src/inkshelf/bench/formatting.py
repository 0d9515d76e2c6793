"""Make, resize, label, renew and check whatever file system a volume holds, each kind by its own tools; unknown kinds are refused."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.kinds import TOOLS, tools_of
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format


def _key(volume: Volume) -> str:
    return volume.filesystem.kind if volume.filesystem else ""


def _refused(key: str, what: str) -> BenchError:
    return BenchError(f"{key or 'This volume'} cannot be {what} on the bench.", "Do it from its own system.")


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    """Make the file system of a format step in the file that holds the volume's bytes."""
    work = tools_of(step.filesystem).make
    if work is None:
        raise _refused(step.filesystem, "made")
    work(path, disk, volume, step)


def resize(path: Path, volume: Volume, to_bytes: int) -> None:
    """Make the file system in ``path`` ``to_bytes`` long."""
    key = _key(volume)
    if not key:
        return  # nothing is inside that would have to follow
    work = tools_of(key).resize
    if work is not None:
        work(path, volume, to_bytes)
    elif not (
        KINDS[key].grows_itself and to_bytes >= volume.size
    ):  # the partition grows; the inside follows where it is mounted
        raise _refused(key, "resized")


def label(path: Path, volume: Volume, text: str) -> None:
    """Give the file system in ``path`` another label."""
    work = tools_of(_key(volume)).label
    if work is None:
        raise _refused(_key(volume), "labelled")
    work(path, text)


def put(path: Path, volume: Volume, files: Mapping[str, bytes]) -> None:
    """Write files into the file system in ``path``."""
    work = tools_of(_key(volume)).put
    if work is None:
        raise _refused(_key(volume), "written into")
    work(path, files)


def renew(path: Path, volume: Volume, uuid: str) -> None:
    """Give the file system in ``path`` another UUID or serial."""
    work = tools_of(_key(volume)).renew
    if work is None:
        raise _refused(_key(volume), "given a new identity")
    work(path, uuid)


def check(path: Path, key: str) -> str | None:
    """Run the file system's own checker without repairing; return an empty string, or what it said. ``None``: it has no checker."""
    own = TOOLS.get(key)
    if own is None or not own.check:
        return None
    ran = tools.run(own.check[0], *own.check[1:], path, accept=tuple(range(256)))
    return "" if ran.status == 0 else (ran.output.splitlines() or ["it said nothing"])[-1]
