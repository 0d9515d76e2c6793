"""Sparse files: find what is data, copy only that, keep holes, compare before writing."""

from __future__ import annotations

import errno
import fcntl
import os
from collections.abc import Callable, Iterator

from inkshelf.bench import cut

FICLONE = 0x40049409  # linux/fs.h: share all extents of another file
PIECE = 4 << 20
GRAIN = 4096
Progress = Callable[[int], None]


def data_ranges(fd: int, start: int, end: int) -> Iterator[tuple[int, int]]:
    """Yield the (start, end) stretches of an open file that are not holes."""
    at = start
    while at < end:
        try:
            low = os.lseek(fd, at, os.SEEK_DATA)
        except OSError as error:
            if error.errno == errno.ENXIO:
                return
            yield at, end  # a file system that does not tell: all is data
            return
        if low >= end:
            return
        high = min(end, os.lseek(fd, low, os.SEEK_HOLE))
        yield low, high
        at = high


def data_bytes(fd: int, start: int, end: int) -> int:
    """Return how many bytes between two places are not holes."""
    return sum(high - low for low, high in data_ranges(fd, start, end))


def clone(source: int, target: int) -> bool:
    """Share all extents of ``source`` with ``target`` where the file system can; tell whether it did."""
    try:
        fcntl.ioctl(target, FICLONE, source)
    except OSError:
        return False
    return True


def copy_data(source: int, target: int, start: int, size: int, at: int, progress: Progress | None = None) -> int:
    """Copy the data (not the holes) of ``size`` bytes from ``start`` to ``at``; return the bytes written."""
    written = 0
    for low, high in data_ranges(source, start, start + size):
        while low < high:
            step = copy_some(source, target, low, min(PIECE, high - low), at + low - start)
            low += step  # noqa: PLW2901
            written += step
            if progress:
                progress(step)
    return written


def copy_some(source: int, target: int, low: int, length: int, at: int) -> int:
    """Copy up to ``length`` bytes, inside the kernel where it can; return how many."""
    cut.before_copy(source, low, target, at, length)
    try:
        return os.copy_file_range(source, target, length, low, at) or _short(low)
    except OSError as error:
        if error.errno not in {errno.EXDEV, errno.EINVAL, errno.EOPNOTSUPP, errno.ENOSYS}:
            raise
    data = os.pread(source, length, low)
    if not data:
        _short(low)
    write_all(target, data, at)
    return len(data)


def _short(low: int) -> int:
    raise OSError(errno.EIO, f"the file ended at byte {low} while it was copied")


def write_all(fd: int, data: bytes | memoryview, at: int) -> None:
    """Write every byte, or raise the error of the system."""
    cut.before_write(fd, data, at)
    view = memoryview(data)
    while view:
        done = os.pwrite(fd, view, at)
        view, at = view[done:], at + done


def start_writing(fd: int, start: int, size: int) -> None:
    """Let the disk begin with what was written, so that a later flush has less to wait for (sync_file_range, write only)."""
    import ctypes

    libc = ctypes.CDLL(None, use_errno=True)
    libc.sync_file_range(fd, ctypes.c_long(start), ctypes.c_long(size), 2)


def deallocate(fd: int, start: int, size: int) -> bool:
    """Ask the file system for a hole (fallocate, punch and keep size); tell whether it could."""
    import ctypes

    libc = ctypes.CDLL(None, use_errno=True)
    keep_size_punch = 0x01 | 0x02
    return bool(libc.fallocate(fd, keep_size_punch, ctypes.c_long(start), ctypes.c_long(size)) == 0)


def punch(fd: int, start: int, size: int) -> None:
    """Make a hole: the bytes read as zero and take no room. Writes zeros where the file system cannot."""
    if size <= 0 or next(data_ranges(fd, start, start + size), None) is None:
        return
    cut.before_other()
    if deallocate(fd, start, size):
        return
    for low, high in list(data_ranges(fd, start, start + size)):
        for at in range(low, high, PIECE):
            write_all(fd, bytes(min(PIECE, high - at)), at)


def move_pieces(ranges: tuple[tuple[int, int], ...], shift: int, longest: int) -> list[tuple[int, int]]:
    """Return the (place, length) pieces of a move in the order in which they may be copied.

    They are taken from the side that the move goes to, and none is longer than the shift: then a piece is never written over
    itself, and one that was cut short can be copied again.
    """
    longest = min(longest, abs(shift))
    pieces = [(at, min(longest, high - at)) for low, high in ranges for at in range(low, high, longest)]
    return pieces[::-1] if shift > 0 else pieces


def bring_back(source: int, target: int, size: int, at: int, progress: Progress | None = None) -> int:
    """Make ``size`` bytes of ``target`` from ``at`` equal to ``source``, writing only grains that differ; return bytes written.

    What is a hole in ``source`` becomes one in ``target``.
    """
    written, position = 0, 0
    for low, high in [*data_ranges(source, 0, size), (size, size)]:
        for hole_low, hole_high in list(data_ranges(target, at + position, at + low)):
            punch(target, hole_low, hole_high - hole_low)
        for piece in range(low, high, PIECE):
            length = min(PIECE, high - piece)
            written += _write_differing(
                target, os.pread(source, length, piece), os.pread(target, length, at + piece), at + piece
            )
            if progress:
                progress(length)
        position = high
    return written


def _write_differing(target: int, new: bytes, old: bytes, at: int) -> int:
    if new == old:
        return 0
    import numpy as np  # late: it takes longer to load than a window does

    old = old.ljust(len(new), b"\0")
    whole = len(new) // GRAIN * GRAIN
    a, b = (np.frombuffer(one[:whole], np.uint8).reshape(-1, GRAIN) for one in (new, old))
    grains = np.flatnonzero((a != b).any(axis=1))
    written = 0
    for run in np.split(grains, np.flatnonzero(np.diff(grains) != 1) + 1) if grains.size else ():
        low, high = int(run[0]) * GRAIN, (int(run[-1]) + 1) * GRAIN
        write_all(target, new[low:high], at + low)
        written += high - low
    if new[whole:] != old[whole:]:
        write_all(target, new[whole:], at + whole)
        written += len(new) - whole
    return written
