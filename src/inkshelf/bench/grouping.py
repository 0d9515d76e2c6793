"""What lies in a volume group on the bench: logical volumes with file systems, and the work that a utility does in one of them."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from inkshelf.bench import formatting
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds import TOOLS
from inkshelf.bench.kinds import lvm as bench_lvm
from inkshelf.bench.sparse import bring_back, copy_data
from inkshelf.core.disk import lvm
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.roles import root_uuid
from inkshelf.core.machine.state import Disk, Inside, Volume
from inkshelf.core.steps.kinds import Format
from inkshelf.core.value import replace

Work = Callable[[Path], None]


def fill(path: Path, disk: Disk, volume: Volume, holds: tuple[Inside, ...]) -> None:
    """Make logical volumes in the group in ``path``, and their file systems."""
    for one in holds:
        bench_lvm.add_logical(path, one.name, one.size_bytes)
        place = replace(volume, start=volume.start + _places(path)[one.name][0], size=one.size_bytes)
        step = Format(volume.call, one.kind, one.label, one.uuid)

        def make(inner: Path, place: Volume = place, step: Format = step) -> None:
            formatting.make(inner, disk, place, step)

        _within(path, one.name, make)


def rooted(volume: Volume, work: Work) -> Work:
    """Return ``work`` done where the system's root is: in the volume itself, or in the logical one that holds it."""
    system = volume.filesystem
    if system is None or system.kind != "lvm":
        return work
    name = next((one.name for one in system.inside if one.uuid.lower() == root_uuid(volume)), "")
    return lambda path: _within(path, name, work)


def takes_files(volume: Volume) -> bool:
    """Tell whether files can be put where the system's root is: not behind a key, nor into a kind whose utilities cannot."""
    system = volume.filesystem
    if system is None:
        return False
    own = (one.kind for one in system.inside if one.uuid.lower() == root_uuid(volume))
    kind = next(own, "") if system.kind == "lvm" else system.kind
    return bool(kind in TOOLS and TOOLS[kind].put)


def _within(path: Path, name: str, work: Work) -> None:
    """Hand a logical volume's bytes to a utility as a file of its own, and bring back what it changed."""
    places = _places(path)
    if name not in places:
        raise BenchError(f"The group holds no volume “{name}” in one piece.", "Change it with its own tools.")
    start, size = places[name]
    group = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    try:
        with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
            inner = Path(scratch) / "logical"
            fd = os.open(inner, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
            try:
                os.ftruncate(fd, size)
                copy_data(group, fd, start, size, 0)
                work(inner)
                bring_back(fd, group, size, start)
            finally:
                os.close(fd)
    finally:
        os.close(group)


def _places(path: Path) -> dict[str, tuple[int, int]]:
    """Where each logical volume that lies in one piece begins, from the start of the physical one, and how long it is."""
    with ImageFile(path) as source:
        pv = lvm.open_pv(source)
        found = lvm.logical_volumes(pv, source) if pv else iter(())
        return {name: (data.pieces[0][1], data.size) for name, _, data, whole in found if whole and len(data.pieces) == 1}
