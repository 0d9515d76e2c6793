"""The bench folder: where images are inked. One process at a time, and nothing outside it is ever written."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import time
from pathlib import Path
from types import TracebackType
from typing import Any

import msgspec

from inkshelf.atomic import write_atomically
from inkshelf.bench.opening import open_own
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Firmware
from inkshelf.core.size import binary

MARK, LOCK = "inkshelf-bench.json", "inkshelf-bench.lock"
FORMAT, VERSION = "inkshelf-bench", 1
HOLE = 8 << 20
PATIENCE = 2.0  # seconds


class Bench:
    """A folder with one image per disk, the firmware's variables and a report; locked while it is open."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._lock = -1

    def __enter__(self) -> Bench:
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            if any(self.folder.iterdir()) and not any((self.folder / one).exists() for one in (MARK, LOCK)):
                raise BenchError(f"{self.folder} holds other files.", "Choose an empty folder for the bench.")
            self._lock = open_own(self.folder, LOCK, os.O_RDWR | os.O_CREAT)
        except FileExistsError:
            raise BenchError(f"{self.folder} is not a folder.", "Choose another name for the bench.") from None
        except PermissionError:
            raise BenchError(f"{self.folder} may not be written by you.", "Choose a folder of yours for the bench.") from None
        except OSError as error:
            raise BenchError(
                f"{self.folder} cannot be used: {error.strerror}.", "Choose another folder for the bench."
            ) from None
        self._take_lock()
        self._sweep()
        return self

    def _sweep(self) -> None:
        """Take away what a run that was killed left: copies for checkers, files that were not put in place."""
        for path in self.folder.iterdir():
            if path.is_symlink():
                continue
            if path.name.startswith("check-") and path.is_dir():
                shutil.rmtree(path, ignore_errors=True)
            elif path.name.startswith(".") and path.is_file():
                path.unlink()

    def _take_lock(self) -> None:
        """Lock the folder. One that just died may hold it a moment longer: a utility it was starting has the file still."""
        until = time.monotonic() + PATIENCE
        while True:
            try:
                fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                if time.monotonic() >= until:
                    os.close(self._lock)
                    raise BenchError(
                        f"Somebody is inking in {self.folder} already.", "Wait until it is done, or choose another folder."
                    ) from None
                time.sleep(0.05)
            else:
                return

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        os.close(self._lock)

    def image(self, disk_id: str) -> Path:
        """The image that stands in for a disk."""
        return self.folder / f"disk-{disk_id}.img"

    def keeps_holes(self) -> bool:
        """Tell whether the file system that the bench is on keeps sparse files sparse."""
        fd = open_own(self.folder, "holes", fresh=True)
        try:
            os.ftruncate(fd, HOLE)
            os.fsync(fd)
            return os.fstat(fd).st_blocks * 512 < HOLE // 2
        finally:
            os.close(fd)
            (self.folder / "holes").unlink()

    def require_room(self, wanted: int, whole: int = 0) -> None:
        """Refuse beforehand what would fill the disk that the bench is on; ``whole``: the bytes it takes where holes are not kept."""
        free = shutil.disk_usage(self.folder).free
        if whole > wanted and not self.keeps_holes():
            if free < whole:
                raise BenchError(
                    f"{self.folder} is on a file system without sparse files: the bench would take all of {binary(whole)}, and {binary(free)} are free.",
                    "Choose a folder on another file system, such as ext4.",
                )
            wanted = whole
        if free < wanted:
            raise BenchError(
                f"The bench needs about {binary(wanted)}, and {binary(free)} are free in {self.folder}.",
                "Free some room, or choose a folder on another disk.",
            )

    def note(self, **facts: Any) -> None:
        """Keep facts about the work in the bench's mark, put in place whole and flushed."""
        data = json.dumps({"format": FORMAT, "version": VERSION, **self._known(), **facts}, indent=1).encode() + b"\n"
        write_atomically(self.folder / MARK, data)

    def _known(self) -> dict[str, Any]:
        """What the mark says; a mark that cannot be read says nothing, and is made anew."""
        try:
            known = json.loads((self.folder / MARK).read_text(encoding="utf-8"))
        except (OSError, ValueError, RecursionError):
            return {}
        return known if isinstance(known, dict) else {}


class FirmwareStore:
    """Stand-in for a machine's boot variables: a JSON file in the bench folder, read and written like the real store."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / "firmware.json"

    def write(self, firmware: Firmware) -> int:
        """Write the variables; return the bytes written."""
        data = msgspec.json.format(msgspec.json.encode(firmware), indent=1) + b"\n"
        write_atomically(self.path, data)
        return len(data)

    def read(self) -> Firmware:
        """Return the variables as they stand in the store."""
        try:
            return msgspec.json.decode(self.path.read_bytes(), type=Firmware)
        except (OSError, ValueError) as error:
            raise BenchError("The bench's boot variables cannot be read.", "Ink again into an empty bench folder.") from error
