"""The documented test aid behind ``--cut-after K``: the process dies hard after write K, tearing the next at 512 bytes.

It stands for a power cut. Nothing is flushed, no handler runs; what the next start finds is what was on the disk.
"""

from __future__ import annotations

import os

SECTOR = 512
STATUS = 137


class _Counter:
    after: int | None = None
    seen = 0


def arm(after: int | None) -> None:
    """Die after that many writes (``None``: never), counted from now."""
    _Counter.after, _Counter.seen = after, 0


def writes() -> int:
    """How many writes there were since ``arm``."""
    return _Counter.seen


def before_write(fd: int, data: bytes | memoryview, at: int) -> None:
    """Count a write; past the limit write half of it, torn at a sector, and die."""
    _Counter.seen += 1
    if _Counter.after is not None and _Counter.seen > _Counter.after:
        torn = len(data) // 2 // SECTOR * SECTOR
        if torn:
            os.pwrite(fd, data[:torn], at)
        os._exit(STATUS)


def before_copy(source: int, low: int, target: int, at: int, length: int) -> None:
    """Count a copy inside the kernel; past the limit half of it gets there, torn at a sector."""
    if _Counter.after is not None and _Counter.seen >= _Counter.after:
        os.pwrite(target, os.pread(source, length // 2 // SECTOR * SECTOR, low), at)
    before_other()


def before_other() -> None:
    """Count a write that has no bytes to tear (a hole)."""
    _Counter.seen += 1
    if _Counter.after is not None and _Counter.seen > _Counter.after:
        os._exit(STATUS)
