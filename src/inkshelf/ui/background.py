"""Work beside the window: one task at a time in a thread of its own, and jobs saved without an edit waiting for the disk."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job
from inkshelf.store import jobfile

PATIENCE = 10.0  # seconds that closing waits for what is being written


class Task(QThread):
    """Does ``work`` in a thread of its own, and hands its result, or an error in words, to the window's thread."""

    done = pyqtSignal(object)
    failed = pyqtSignal(str, str)

    def __init__(self, work: Callable[[], Any], parent: QObject) -> None:
        super().__init__(parent)
        self._work = work

    def run(self) -> None:
        try:
            result = self._work()
        except InkshelfError as error:
            self.failed.emit(error.what, error.remedy)
        except OSError as error:
            self.failed.emit(f"{error.filename or 'This'}: {error.strerror}.", "Check the place and your rights.")
        except Exception as error:  # noqa: BLE001 - a thread must not end in silence
            import traceback  # late: it is needed in the worst case only

            self.failed.emit(f"This ended unexpectedly: {error}", traceback.format_exc(limit=-1))
        else:
            self.done.emit(result)


class Saver(QObject):
    """Writes jobs to their files in the order in which they come; of several for one file that wait, only the last."""

    saved = pyqtSignal(str)
    failed = pyqtSignal(str, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._waiting: queue.Queue[tuple[Path, Job] | None] = queue.Queue()
        self._thread: threading.Thread | None = None
        self._idle = threading.Event()
        self._idle.set()

    def save(self, job: Job, path: Path) -> None:
        """Write ``job`` soon; returns at once."""
        self._idle.clear()
        self._waiting.put((path, job))
        if self._thread is None:
            self._thread = threading.Thread(target=self._work, name="saver", daemon=True)
            self._thread.start()

    def flush(self) -> bool:
        """Wait until everything is on the disk; tell whether it is."""
        return self._idle.wait(PATIENCE)

    def stop(self) -> None:
        """Write what waits, and end."""
        self.flush()
        if self._thread is not None:
            self._waiting.put(None)
            self._thread.join(PATIENCE)
            self._thread = None

    def _work(self) -> None:
        while (item := self._waiting.get()) is not None:
            while not self._waiting.empty():
                later = self._waiting.get()
                if later is None:
                    self._write(*item)
                    self._idle.set()
                    return
                if later[0] != item[0]:
                    self._write(*item)
                item = later
            self._write(*item)
            if self._waiting.empty():
                self._idle.set()

    def _write(self, path: Path, job: Job) -> None:
        try:
            jobfile.save(job, path, make_folder=True)
        except InkshelfError as error:
            self.failed.emit(error.what, error.remedy)
        else:
            self.saved.emit(str(path))
