"""A file's bytes, and never more than are expected: an image or a device that was named by mistake is told, not read into memory."""

from __future__ import annotations

import errno
from pathlib import Path


class TooLargeError(OSError):
    """A file that has more bytes than any of its kind."""


def read_bounded(path: Path, most: int) -> bytes:
    """Return all bytes of a file; raises ``TooLargeError`` where they are more than ``most``, ``OSError`` where they cannot be read."""
    with path.open("rb") as file:
        raw = file.read(most + 1)
    if len(raw) > most:
        raise TooLargeError(errno.EFBIG, f"it has more than {most >> 20} MiB", str(path))
    return raw
