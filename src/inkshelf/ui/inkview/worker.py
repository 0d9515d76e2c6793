"""Inking in a thread of its own, so that the window never blocks."""

from __future__ import annotations

import threading
import traceback
from pathlib import Path

from PyQt6.QtCore import QThread, pyqtSignal

from inkshelf.bench.inker import Progress, Report, ink, resume
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job


class InkWorker(QThread):
    """Inks one job, or goes on with it (``again``) where it was cut; tells progress, and ends with a report or an error in words."""

    progressed = pyqtSignal(object)
    inked = pyqtSignal(object)
    failed = pyqtSignal(str, str)

    def __init__(self, job: Job, folder: Path, *, again: bool = False) -> None:
        super().__init__()
        self.job, self.folder, self._again = job, folder, again
        self._stop = threading.Event()

    def cancel(self) -> None:
        """Ask for a stop at the next safe place."""
        self._stop.set()

    def run(self) -> None:
        try:
            if self._again:
                report: Report = resume(self.folder, self._tell, self._stop.is_set, self.job)
            else:
                report = ink(self.job, self.folder, self._tell, self._stop.is_set)
        except InkshelfError as error:
            self.failed.emit(error.what, error.remedy)
        except Exception as error:  # noqa: BLE001 - a thread must not end in silence: what happened is shown and can be copied
            self.failed.emit(
                f"Inking ended unexpectedly: {error}", f"The source image is untouched. {traceback.format_exc(limit=-1)}"
            )
        else:
            self.inked.emit(report)

    def _tell(self, progress: Progress) -> None:
        self.progressed.emit(progress)
