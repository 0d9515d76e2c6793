"""Files into NTFS, which no utility fills without mounting: its driver works in this user's own name, on a file of the bench."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.filling.naming import refuse_barred
from inkshelf.bench.filling.plan import whole
from inkshelf.bench.image import ImageFile, in_use
from inkshelf.core.errors import BenchError
from inkshelf.core.media.copying import File

PREFIX = "inkshelf-filling-"
LETS_GO = 120.0
"""Seconds that a driver may take for its last bytes."""


def put_files(path: Path, files: Iterable[File], source: ImageFile) -> None:
    """Write files into the NTFS volume that ``path`` holds, with their times; folders are made."""
    with mounted(path) as folder:
        for one in files:
            for part in one.path.strip("/").split("/"):
                refuse_barred(part)
            target = folder / one.path.strip("/")
            if one.folder:
                target.mkdir(parents=True, exist_ok=True)
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            if target.exists():
                raise BenchError(f"{one.path} is there already.", "Take it away first, or leave it out.")
            whole(one, source, target)
            os.utime(target, (one.time, one.time))


def put(path: Path, files: Mapping[str, bytes]) -> None:
    """Write small files into the NTFS volume that ``path`` holds, over what is there in any capitals; folders are made."""
    with mounted(path) as folder:
        for name, data in files.items():
            target = folder
            for part in name.strip("/").split("/"):
                refuse_barred(part)
                there = {one.name.lower(): one for one in target.iterdir()} if target.is_dir() else {}
                target = there.get(part.lower(), target / part)
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)


def remove_file(path: Path, name: str) -> None:
    """Take a file off the root of the NTFS volume that ``path`` holds."""
    with mounted(path) as folder:
        target = folder / name.strip("/")
        if not target.is_file():
            raise BenchError(f"{name} is not there.", "Take the stick in again.")
        target.unlink()


def _let_go(path: Path) -> None:
    """Unmount what a run that was killed left mounted of this very file."""
    for line in Path("/proc/self/mounts").read_text(encoding="utf-8", errors="replace").splitlines():
        source, where, kind = (one.replace("\\040", " ") for one in line.split(" ")[:3])
        if kind.startswith("fuse") and source == str(path) and Path(where).name.startswith(PREFIX):
            tools.run("fusermount", "-u", "-z", where, accept=(0, 1))
            Path(where).rmdir()
            released(path)


def released(path: Path, seconds: float = LETS_GO) -> None:
    """Wait until nobody has a file open for writing: what mounted it may write its last bytes after the mount is gone.

    Raises ``BenchError`` where it is held longer than that.
    """
    until = time.monotonic() + seconds
    while in_use(path):
        if time.monotonic() > until:
            raise BenchError(f"{path} is still being written after it was unmounted.", "Look what has it open, then ink again.")
        time.sleep(0.02)


@contextmanager
def mounted(path: Path) -> Iterator[Path]:
    """Mount a file of the bench for as long as this lasts; raises ``BenchError`` where this machine does not let a user do that."""
    if not os.access("/dev/fuse", os.R_OK | os.W_OK):
        raise BenchError(
            "Nobody can mount in their own name on this machine, which filling NTFS needs.",
            "Choose exFAT for the volume, or ink on a machine with /dev/fuse.",
        )
    _let_go(path.resolve())
    with tempfile.TemporaryDirectory(prefix=PREFIX) as folder:
        tools.run("ntfs-3g", "-o", "big_writes", path.resolve(), folder)
        try:
            yield Path(folder)
        finally:
            tools.run("fusermount", "-u", folder)
            released(path)
