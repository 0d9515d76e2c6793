"""The one way by which the bench opens what it writes: by the folder's own handle, one name deep, never through a link, never a device.

Whatever a job, an image or a folder that somebody prepared says: nothing outside the bench is opened for writing.
"""

from __future__ import annotations

import os
import re
import stat
from pathlib import Path

from inkshelf.core.errors import BenchError

NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._ -]{0,99}")
FOLDER_FLAGS = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC


def open_own(folder: Path, name: str, flags: int = os.O_RDWR, *, fresh: bool = False) -> int:
    """Open a file of the bench for reading and writing and return its descriptor; ``fresh``: it must not be there yet, an old one goes.

    Raises ``BenchError`` for a name that leads elsewhere, and for what is not a file of the bench alone: links, devices, folders.
    """
    if not NAME.fullmatch(name) or name in {".", ".."}:
        raise BenchError(
            f"“{name}” cannot be a file of the bench.", "Take the machine in again; this job was made by other hands."
        )
    handle = _handle(folder)
    try:
        if fresh:
            _unlink(name, handle)
            flags |= os.O_CREAT | os.O_EXCL
        fd = os.open(name, flags | os.O_NOFOLLOW | os.O_CLOEXEC | os.O_NONBLOCK, 0o600, dir_fd=handle)
    except FileExistsError:
        raise BenchError(f"{folder / name} appeared while it was made.", "Choose an empty folder for the bench.") from None
    except OSError as error:
        raise BenchError(
            f"{folder / name} cannot be opened: {error.strerror}.", "Choose an empty folder for the bench."
        ) from None
    finally:
        os.close(handle)
    own = os.fstat(fd)
    if not stat.S_ISREG(own.st_mode) or own.st_nlink != 1:
        os.close(fd)
        raise BenchError(
            f"{folder / name} is not a file of the bench alone: it is a link to another, or no file.",
            "Nothing was written. Ink again into an empty bench folder.",
        )
    return fd


def _handle(folder: Path) -> int:
    try:
        return os.open(folder, FOLDER_FLAGS)
    except OSError as error:
        raise BenchError(f"{folder} cannot be used: {error.strerror}.", "Choose another folder for the bench.") from None


def _unlink(name: str, handle: int) -> None:
    try:
        os.unlink(name, dir_fd=handle)
    except FileNotFoundError:
        return


def make_folder(folder: Path, name: str) -> Path:
    """Make a folder of the bench anew, empty; raises ``BenchError`` where a link or a file stands in its place."""
    import shutil

    path = folder / name
    if path.is_symlink() or (path.exists() and not path.is_dir()):
        raise BenchError(f"{path} is not a folder of the bench.", "Ink again into an empty bench folder.")
    shutil.rmtree(path, ignore_errors=True)
    path.mkdir()
    return path


def identity(fd: int) -> tuple[int, int]:
    """Return what makes two descriptors the same file."""
    own = os.fstat(fd)
    return own.st_dev, own.st_ino
