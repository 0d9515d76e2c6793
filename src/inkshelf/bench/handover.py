"""Hand a volume's bytes to a utility as a sparse file, and bring back only what it changed."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from inkshelf.atomic import flush_folder
from inkshelf.bench.opening import open_own
from inkshelf.bench.sparse import Progress, bring_back, copy_data, punch, write_all
from inkshelf.core.machine.state import Volume


@dataclass
class Written:
    """Bytes written into the bench image, and into scratch files on the way."""

    image: int = 0
    scratch: int = 0

    def put(self, fd: int, data: bytes, at: int) -> None:
        """Write ``data`` into the image where it differs from what is there."""
        if os.pread(fd, len(data), at) != data:
            write_all(fd, data, at)
            self.image += len(data)


def hand_over(
    image_fd: int, path: Path, volume: Volume, written: Written, progress: Progress | None = None, *, blank: bool = False
) -> None:
    """Make ``path``, a new file of the bench, a sparse one with the volume's bytes, or a blank one of its size."""
    fd = open_own(path.parent, path.name, fresh=True)
    try:
        os.ftruncate(fd, volume.size)
        if not blank:
            written.scratch += copy_data(image_fd, fd, volume.start, volume.size, 0, progress)
    finally:
        os.close(fd)


def take_back(image_fd: int, path: Path, volume: Volume, written: Written, size: int | None = None) -> None:
    """Bring what a utility changed back into the image; can be done again after a cut.

    ``size``: how many bytes come back, where the utility made the volume smaller; what lies behind is made a hole.
    """
    fd = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        kept = volume.size if size is None else size
        written.image += bring_back(fd, image_fd, kept, volume.start)
        punch(image_fd, volume.start + kept, volume.size - kept)
    finally:
        os.close(fd)


def flush(path: Path) -> None:
    """Force a scratch file, and that it is there, to the disk before the image is touched."""
    fd = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        os.fsync(fd)
    finally:
        os.close(fd)
    flush_folder(path.parent)
