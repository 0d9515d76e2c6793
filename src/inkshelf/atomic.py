"""Put a file in place whole: a cut at any moment leaves the old one or the new one, never half of either."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

USUAL = 0o644


def write_atomically(path: Path, data: bytes) -> None:
    """Write ``data`` beside ``path``, flush it to the disk, rename it into place, flush the folder; raises ``OSError``.

    Who may read an old file may read the new one. Nothing but an ordinary file is written over: a device's name would be one's file then.
    """
    import tempfile

    mode = _mode(path)
    handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        Path(name).chmod(mode)
        Path(name).replace(path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
    flush_folder(path.parent)


def _mode(path: Path) -> int:
    """Return who may read and write a file that is there, or the usual."""
    try:
        held = path.stat().st_mode
    except FileNotFoundError:
        return USUAL
    if not stat.S_ISREG(held):
        raise OSError(errno.EEXIST, "it is no ordinary file, and is not written over", str(path))
    return held & 0o777


def flush_folder(folder: Path) -> None:
    """Force to the disk which files are in a folder: a new one, flushed itself, may otherwise be missing after a power cut."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
