"""Put a file in place whole: a cut at any moment leaves the old one or the new one, never half of either."""

from __future__ import annotations

import os
from pathlib import Path


def write_atomically(path: Path, data: bytes) -> None:
    """Write ``data`` beside ``path``, flush it to the disk, rename it into place, flush the folder; raises ``OSError``."""
    import tempfile

    handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        Path(name).chmod(0o644)
        Path(name).replace(path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
    flush_folder(path.parent)


def flush_folder(folder: Path) -> None:
    """Force to the disk which files are in a folder: a new one, flushed itself, may otherwise be missing after a power cut."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
