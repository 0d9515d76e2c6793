"""Image files on this computer: opened for reading only, and what they hold."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Self

from inkshelf.core.aims.in_file import Edition
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import CaptureError
from inkshelf.core.media.entries import SECTOR
from inkshelf.core.media.image import read_image
from inkshelf.core.media.iso import FIRST, MARK
from inkshelf.core.media.material import Image
from inkshelf.core.texts import one_line, shown
from inkshelf.core.value import Value, replace


class File:
    """A file of this computer as a source of bytes; raises ``OSError`` for what is none: a device is never opened, no pipe waited for."""

    def __init__(self, path: Path) -> None:
        if path.exists() and not path.is_file():
            raise OSError(errno.EINVAL, "no ordinary file", str(path))
        self._file = path.open("rb")
        self.size = os.fstat(self._file.fileno()).st_size

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()

    def read(self, offset: int, length: int) -> bytes:
        """Return up to ``length`` bytes from ``offset``."""
        return os.pread(self._file.fileno(), length, offset) if 0 <= offset < self.size and length > 0 else b""

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """All of it may hold data."""
        end = min(end, self.size)
        if end > start:
            yield start, end


class Looked(Value, frozen=True):
    """An image that was looked into: the file, what it holds, the editions of its install image."""

    path: Path
    image: Image
    editions: tuple[Edition, ...] = ()


def look(path: Path) -> Looked:
    """Return what an image file holds; raises ``CaptureError`` where it is no file that can be read."""
    from inkshelf.exchange.editions import editions_in

    try:
        if not path.is_file():
            raise CaptureError(
                f"{path} is not there." if not path.exists() else f"{path} is no ordinary file.",
                "Name an image file; a device is never opened.",
            )
        with File(path) as source:
            image = read_image(source, shown(path.name))
            if image.install is None:
                return Looked(path, image)
            try:
                _, at, size = image.install
                return Looked(path, image, editions_in(Slice(source, at, size), image.install[0]))
            except CaptureError:
                return Looked(path, image)
    except OSError as error:
        raise CaptureError(f"{path}: {error.strerror}.", "Copy it to a folder of yours.") from None


def is_disc(path: Path) -> bool:
    """Tell whether a file is a disc image, by the mark of its first descriptor: an installer or a live medium, and no machine's disk.

    Only an ordinary file is opened: never a device, and no pipe, which would be waited for.
    """
    try:
        if not path.is_file():
            return False
        with path.open("rb") as file:
            file.seek(FIRST * SECTOR + 1)
            return file.read(len(MARK)) == MARK
    except OSError:
        return False


def for_job(text: str) -> Image:
    """Return the image of a file that a person named for a job, with the place of the file; raises ``CaptureError`` where it is none."""
    found = look(Path(text).expanduser())
    one_line(str(found.path.resolve()), "The image's name").encode()
    return replace(found.image, path=str(found.path.resolve()))
