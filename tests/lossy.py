"""A disk that dies with the process: of everything that was not flushed, bytes, names and what utilities wrote, any part may be lost."""

from __future__ import annotations

import os
import random
import shutil
from collections.abc import Callable
from pathlib import Path

from inkshelf.bench import cut, sparse
from inkshelf.core.size import MIB

KEPT = 8 * MIB  # an unlinked file up to that length may come back
BLOCK = 4096
REAL = {
    name: getattr(os, name)
    for name in ("pwrite", "copy_file_range", "fsync", "fdatasync", "_exit", "open", "replace", "unlink", "mkdir")
}


def _path(fd: int) -> Path:
    return Path(f"/proc/self/fd/{fd}").readlink()


def _stamp(path: Path) -> tuple[int, int]:
    seen = path.stat()
    return seen.st_mtime_ns, seen.st_size


class LossyDisk:
    """Stands between this process and what lies below ``folder``: every write, utilities' own ones, and every change of a name.

    The process must be one that only ends by ``os._exit``: nothing is put back.
    """

    def __init__(self, folder: Path, dice: random.Random) -> None:
        self.folder, self.dice = folder.resolve(), dice
        self.written: dict[Path, list[tuple[int, bytes]]] = {}
        self.flushed = {path: _stamp(path) for path in self.folder.glob("*/*") if path.is_file()}  # what is there came through
        self.names: dict[Path, list[Callable[[], object]]] = {}
        os.pwrite, os.copy_file_range, os._exit = self.pwrite, self.copy, self.go_off
        os.fsync = os.fdatasync = self.fsync
        os.open, os.replace, os.unlink, os.mkdir = self.open, self.replace, self.unlink, self.mkdir
        os.remove = self.unlink
        self.real_hole, sparse.deallocate = sparse.deallocate, self.hole

    # -- bytes ---------------------------------------------------------------------------------------------------------
    def _remember(self, fd: int, at: int, length: int) -> None:
        path = _path(fd)
        if path.is_relative_to(self.folder):
            self.written.setdefault(path, []).append((at, os.pread(fd, length, at).ljust(length, b"\0")))

    def pwrite(self, fd: int, data: bytes, at: int) -> int:
        self._remember(fd, at, len(data))
        return REAL["pwrite"](fd, data, at)

    def copy(self, source: int, target: int, count: int, low: int, at: int) -> int:
        self._remember(target, at, count)
        return REAL["copy_file_range"](source, target, count, low, at)

    def hole(self, fd: int, start: int, size: int) -> bool:
        if size <= 32 * MIB:  # larger ones are given back at the end, when all is over
            self._remember(fd, start, size)
        return self.real_hole(fd, start, size)

    def fsync(self, fd: int) -> None:
        path = _path(fd)
        self.written.pop(path, None)
        self.names.pop(path, None)
        if path.is_file():
            self.flushed[path] = _stamp(path)

    # -- names ---------------------------------------------------------------------------------------------------------
    def _noted(self, path: Path, undo: Callable[[], object]) -> None:
        if path.is_relative_to(self.folder) and path != self.folder:
            self.names.setdefault(path.parent, []).append(undo)

    @staticmethod
    def _whole(path: str | os.PathLike[str], handle: int | None) -> Path:
        return (_path(handle) if handle is not None else Path.cwd()) / path

    def open(self, path: str, flags: int, mode: int = 0o777, *, dir_fd: int | None = None) -> int:
        whole = self._whole(path, dir_fd)
        new = bool(flags & os.O_CREAT) and not whole.exists()
        fd = REAL["open"](path, flags, mode, dir_fd=dir_fd)
        if new:
            self._noted(whole, lambda: whole.unlink(missing_ok=True))
        return fd

    def replace(self, source: str, target: str) -> None:
        path, old = Path(target).absolute(), None
        if path.exists() and path.is_relative_to(self.folder):
            old = path.read_bytes()
        REAL["replace"](source, target)
        self._noted(path, lambda: path.unlink(missing_ok=True) if old is None else path.write_bytes(old))

    def unlink(self, path: str, *, dir_fd: int | None = None) -> None:
        whole = self._whole(path, dir_fd)
        old = whole.read_bytes() if whole.parent == self.folder and whole.exists() and whole.stat().st_size <= KEPT else None
        REAL["unlink"](path, dir_fd=dir_fd)
        if old is not None:
            self._noted(whole, lambda: whole.write_bytes(old))

    def mkdir(self, path: str, mode: int = 0o777, *, dir_fd: int | None = None) -> None:
        whole = self._whole(path, dir_fd)
        REAL["mkdir"](path, mode, dir_fd=dir_fd)
        self._noted(whole, lambda: shutil.rmtree(whole, ignore_errors=True))

    # -- the end -------------------------------------------------------------------------------------------------------
    def go_off(self, status: int) -> None:
        if status == cut.STATUS:
            for name in ("open", "replace", "unlink", "mkdir", "fsync", "fdatasync"):
                setattr(os, name, REAL[name])
            self._lose_bytes()
            self._lose_what_utilities_wrote()
            for undone in self.names.values():
                for undo in undone[::-1][: self.dice.randint(0, len(undone))]:
                    undo()
        REAL["_exit"](status)

    def _lose_bytes(self) -> None:
        for path, lost in self.written.items():
            if not path.exists():
                continue
            fd = REAL["open"](path, os.O_RDWR)
            for at, old in reversed(lost):
                step = 512 if len(old) < MIB else 1 << 16
                for sector in range(0, len(old), step):
                    if self.dice.random() < 0.3:
                        REAL["pwrite"](fd, old[sector : sector + step], at + sector)
            os.close(fd)

    def _lose_what_utilities_wrote(self) -> None:
        """A file that changed since it was flushed, or never was, may lack any of its blocks."""
        for path in self.folder.glob("*/*"):
            if not path.is_file() or self.flushed.get(path) == _stamp(path):
                continue
            fd = REAL["open"](path, os.O_RDWR)
            for low, high in list(sparse.data_ranges(fd, 0, path.stat().st_size)):
                for at in range(low, high, BLOCK):
                    if self.dice.random() < 0.3:
                        REAL["pwrite"](fd, bytes(min(BLOCK, high - at)), at)
            os.close(fd)
