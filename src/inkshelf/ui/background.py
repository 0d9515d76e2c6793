"""Work beside the window: one task at a time in a thread of its own, and jobs saved without an edit waiting for the disk."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from inkshelf.core.errors import InkshelfError, JobError
from inkshelf.core.plan.job import Job
from inkshelf.store import jobfile

CHANGED = "Save this job under another name, or open the file again: what was changed here since is not in it."
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
        self.wrong: dict[Path, tuple[str, str]] = {}  # files whose last writing failed: what and what to do
        self._known: dict[Path, jobfile.Stamp | None] = {}
        self._in_file: dict[Path, Job | None] = {}

    def opened(self, path: Path, known: jobfile.Stamp | None, job: Job | None) -> None:
        """Note the state of a file that is open now: what another program writes after it is not written over. ``job``: what it holds."""
        self._known[path], self._in_file[path] = known, job
        self.wrong.pop(path, None)

    def save(self, job: Job, path: Path) -> None:
        """Write ``job`` soon; returns at once."""
        self._waiting.put((path, job))
        if self._thread is None:
            self._thread = threading.Thread(target=self._work, name="saver", daemon=True)
            self._thread.start()

    def flush(self, patience: float = PATIENCE) -> bool:
        """Wait until nothing waits to be written, so many seconds at most; tell whether nothing does. What failed is in ``wrong``."""
        with self._waiting.all_tasks_done:
            return self._waiting.all_tasks_done.wait_for(lambda: not self._waiting.unfinished_tasks, patience)

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
                    self._waiting.task_done()
                    return
                if later[0] != item[0]:
                    self._write(*item)
                else:
                    self._waiting.task_done()
                item = later
            self._write(*item)
        self._waiting.task_done()

    def _put(self, path: Path, job: Job) -> None:
        there = jobfile.stamp(path)
        if there is not None and job is self._in_file.get(path):
            return  # nothing was changed here
        jobfile.refuse_changed(path, self._known.get(path, there), CHANGED)
        jobfile.save(job, path, make_folder=True)
        self._known[path], self._in_file[path] = jobfile.stamp(path), job

    def _write(self, path: Path, job: Job) -> None:
        try:
            self._put(path, job)
        except Exception as error:  # noqa: BLE001 - a thread must not end in silence
            known = (
                error
                if isinstance(error, InkshelfError)
                else JobError(f"{path} was not written: {error}", "Save it elsewhere.")
            )
            self.wrong[path] = (known.what, known.remedy)
            self.failed.emit(known.what, known.remedy)
        else:
            self.wrong.pop(path, None)
            self.saved.emit(str(path))
        finally:
            self._waiting.task_done()
