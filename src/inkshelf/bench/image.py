"""Disk images as byte sources. A source image is opened for reading only; a device is refused."""

from __future__ import annotations

import errno
import fcntl
import os
import stat
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType

from inkshelf.bench.sparse import data_ranges
from inkshelf.core.errors import BenchError, TableError
from inkshelf.core.machine.read import read_disk
from inkshelf.core.machine.state import Disk

TABLE_ROOM = 24 << 10  # bytes at either end in which a table stands, at any sector size
SET_SIGNAL, SIGURG = 10, 23  # linux: F_SETSIG, and a signal that is ignored unless it is asked for


class ImageFile:
    """An image file open for reading: a ``ByteSource`` that counts the bytes it really read."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.bytes_read = 0
        self._fd = open_checked(path, os.O_RDONLY)
        self._size = os.fstat(self._fd).st_size

    @property
    def size(self) -> int:
        """Length in bytes."""
        return self._size

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes of the image."""
        try:
            data = os.pread(self._fd, length, offset)
        except OSError as error:
            raise BenchError(
                f"{self.path}: reading failed at byte {offset} ({error.strerror}).", "Copy the image to a healthy disk."
            ) from error
        self.bytes_read += len(data)
        return data

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Yield what is not a hole."""
        return data_ranges(self._fd, start, min(end, self._size))

    def fileno(self) -> int:
        """The descriptor, for copying and hashing."""
        return self._fd

    def close(self) -> None:
        """Close the file."""
        os.close(self._fd)

    def __enter__(self) -> ImageFile:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.close()


def open_checked(path: Path, flags: int) -> int:
    """Open a regular file, or say in one line why not and what to do."""
    try:
        kind = path.stat().st_mode
        if stat.S_ISBLK(kind) or stat.S_ISCHR(kind):
            raise BenchError(
                f"{path} is a device.", "Ink Shelf never opens devices: make an image file of it and take that in."
            )
        if stat.S_ISDIR(kind):
            raise BenchError(f"{path} is a folder.", "Choose a disk image file.")
        if not stat.S_ISREG(kind):
            raise BenchError(f"{path} is not an ordinary file.", "Choose a disk image file.")
        fd = os.open(path, flags | os.O_CLOEXEC)
    except FileNotFoundError:
        raise BenchError(
            f"{path} is not there.", "It may have been moved or its disk unplugged: choose the file again."
        ) from None
    except PermissionError:
        raise BenchError(f"{path} may not be read by you.", "Change its permissions or copy it to a folder of yours.") from None
    except OSError as error:
        raise BenchError(f"{path} cannot be opened: {error.strerror}.", "Check the disk that it is on.") from None
    if os.fstat(fd).st_size == 0:
        os.close(fd)
        raise BenchError(f"{path} is empty.", "The copy may have failed: make the image again.")
    return fd


def in_use(path: Path) -> bool:
    """Tell whether somebody has the file open for writing, as a mount or a running machine does; false where it cannot be told.

    The kernel gives a read lease only on a file that nobody may write to (fcntl, F_SETLEASE).
    """
    fd = open_checked(path, os.O_RDONLY)
    try:
        fcntl.fcntl(fd, SET_SIGNAL, SIGURG)  # if somebody opens it just then, the kernel tells us by a signal that ends nobody
        fcntl.fcntl(fd, fcntl.F_SETLEASE, fcntl.F_RDLCK)
        fcntl.fcntl(fd, fcntl.F_SETLEASE, fcntl.F_UNLCK)
    except OSError as error:
        return error.errno == errno.EAGAIN
    finally:
        os.close(fd)
    return False


def refuse_in_use(path: Path) -> None:
    """Refuse an image that somebody may write to while it is read."""
    if in_use(path):
        raise BenchError(
            f"{path} is in use: something else has it open for writing.",
            "Unmount it or shut the machine that runs on it down, then try again.",
        )


def inspect(path: Path, disk_id: str = "A", sector: int | None = None) -> Disk:
    """Return the disk that an image holds; errors name the file."""
    with ImageFile(path) as source:
        try:
            disk = read_disk(source, disk_id, sector)
        except TableError as error:
            raise TableError(f"{path}: {error.what}", error.remedy, field=error.field, offset=error.offset) from None
        if disk.table.kind == "none" and not disk.volumes and not _looks_blank(source):
            raise BenchError(
                f"{path} is not a disk image: it has neither a partition table nor a file system.",
                "Choose a raw image of a whole disk.",
            )
        return disk


def _looks_blank(source: ImageFile) -> bool:
    """An empty disk is all zeros at both ends, but for where a table stood that was wiped; anything else is some other kind of file."""
    edge = min(1 << 20, source.size // 2)
    inner = (source.read(TABLE_ROOM, edge - TABLE_ROOM), source.read(source.size - edge, edge - TABLE_ROOM))
    return source.size % 512 == 0 and source.size > 4 * TABLE_ROOM and not any(piece.strip(b"\0") for piece in inner)
