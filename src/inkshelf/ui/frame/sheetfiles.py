"""What the window does with the sheet: save it in each of its forms, copy it, print it; and the partition script."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QProcess
from PyQt6.QtGui import QGuiApplication

from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import Reading
from inkshelf.store import jobfile
from inkshelf.ui.desk import Notice

if TYPE_CHECKING:
    from inkshelf.ui.frame.files import Files

NOT_BEGUN = QProcess.ProcessError.FailedToStart  # nothing else is heard of such a run


class SheetFiles:
    """The sheet's files, in one window."""

    def __init__(self, files: Files) -> None:
        self.files, self.desk = files, files.window.desk
        self.printing: QProcess | None = None

    def wait(self) -> None:
        """Wait for pages that are being drawn, when the window closes."""
        if self.printing is not None:
            self.printing.waitForFinished(5000)

    def save(self, form: str, path: Path | None = None) -> None:
        """Write the sheet as HTML, Markdown or PDF."""
        reading = self.desk.reading
        chosen = path or self.files.ask_save("Save the sheet", f"{reading.job.title or 'sheet'}.{form}", f"*.{form}")
        if chosen and form == "pdf":
            self._print_to(chosen, reading.job)
        elif chosen:
            self.files.attempt(lambda: self.files.write(chosen, _sheet(reading, form)))

    def _print_to(self, path: Path, job: Job) -> None:
        """A page is drawn by a run of its own: drawing takes long, and colours are one for all of a program."""
        if self.files.refuse_busy():
            return
        import tempfile  # late: the window is ready sooner

        self._printed = tempfile.TemporaryDirectory()
        kept = Path(self._printed.name) / "job.json"
        jobfile.save(job, kept)
        self.printing = run = QProcess(self.files.window)
        run.setProcessChannelMode(QProcess.ProcessChannelMode.MergedChannels)
        run.finished.connect(lambda status: self._was_printed(status, path))
        run.errorOccurred.connect(lambda error: self._was_printed(1, path) if error == NOT_BEGUN else None)
        self.desk.say(Notice("Drawing the pages …", bad=False))
        run.start(sys.executable, ["-m", "inkshelf", "sheet", str(kept), "--format", "pdf", "-o", str(path)])

    def _was_printed(self, status: int, path: Path) -> None:
        run, self.printing = self.printing, None
        said = bytes(run.readAll().data()).decode("utf-8", "replace").strip() if run else ""
        self._printed.cleanup()
        if run is not None:
            run.deleteLater()
        self.desk.say(Notice(f"Saved: {path}", bad=False) if status == 0 else Notice(said or "The sheet could not be drawn."))

    def save_script(self, path: Path | None = None) -> None:
        """Write the partition script."""
        from inkshelf.exchange.script import script

        reading = self.desk.reading
        chosen = path or self.files.ask_save("Save the partition script", f"{reading.job.title or 'partitions'}.sh", "*.sh")
        if chosen:
            self.files.attempt(lambda: self.files.write(chosen, script(reading).encode()))

    def copy(self) -> None:
        """Put the sheet as Markdown on the clipboard."""
        from inkshelf.exchange import render

        clipboard = QGuiApplication.clipboard()
        if clipboard:
            clipboard.setText(render.markdown(self.desk.reading))
            self.desk.say(Notice("The sheet is on the clipboard, as Markdown.", bad=False))

    def print(self) -> None:
        """Print the sheet."""
        from PyQt6.QtPrintSupport import QPrintDialog, QPrinter

        from inkshelf.ui.sheetview.printing import print_sheet

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setDocName(self.desk.job.title or "Run sheet")
        if QPrintDialog(printer, self.files.window).exec():
            self.files.attempt(lambda: print_sheet(printer, self.desk.reading))


def _sheet(reading: Reading, form: str) -> bytes:
    """The sheet in one of its forms."""
    from inkshelf.exchange import render

    return (render.html(reading) if form == "html" else render.markdown(reading)).encode()
