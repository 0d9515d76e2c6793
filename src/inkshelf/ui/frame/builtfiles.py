"""What the window does with a machine that was read afresh: compare it with the plan, save the hand-over."""

from __future__ import annotations

import time
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from inkshelf.core.machine.state import Machine
from inkshelf.core.texts import few
from inkshelf.ui.frame.capturefiles import KINDS

if TYPE_CHECKING:
    from inkshelf.ui.frame.files import Files


class BuiltFiles:
    """File work of the chapter Proof, in one window."""

    def __init__(self, files: Files) -> None:
        self.files, self.desk = files, files.window.desk

    def compare_capture(self, *paths: Path) -> None:
        """Compare captured text: one file, or several of one machine together."""
        chosen = list(paths) or self.files.ask_several("Compare with a fresh capture", KINDS)
        if not chosen:
            return

        def work() -> Machine:
            from inkshelf.bench.asbuilt import read_again
            from inkshelf.exchange.anytext import gather
            from inkshelf.exchange.captures import read_text

            told = gather([read_text(one) for one in chosen])
            return read_again([], told.disks, told.firmware, told.listed, told.facts)

        def then(built: Machine) -> None:
            self._compare(built)
            for one in chosen:
                self._keep(one)

        self.files.beside(f"Reading {few([one.name for one in chosen], 2)}", work, then)

    def _keep(self, capture: Path) -> None:
        """The capture afterwards stays with the job, as the one before does."""
        from inkshelf.core.work.events import Attached
        from inkshelf.store.kept import keep_file

        if self.desk.path is not None:
            name, size, digest = keep_file(self.desk.path, capture)
            if not any(isinstance(one, Attached) and one.digest == digest for one in self.desk.job.work):
                self.desk.note(Attached(int(time.time()), "", f"afterwards: {name}", size, digest))

    def compare_image(self, path: Path | None = None) -> None:
        """Compare an image of a disk."""
        chosen = path or self.files.ask_open("Compare with a fresh image", "Disk images (*.img *.raw);;All files (*)")
        if chosen is None:
            return

        def work() -> Machine:
            from inkshelf.bench.asbuilt import read_again

            return read_again([chosen])

        self.files.beside(f"Reading {chosen.name}", work, self._compare)

    def _compare(self, built: Machine) -> None:
        from inkshelf.core.plan.asbuilt import with_built

        self.files.attempt(lambda: self.desk.change(with_built(self.desk.job, built), "compare with a fresh reading"))
        self.desk.show("proof")

    def save_handover(self, path: Path | None = None) -> None:
        """Save the hand-over for the owner as a page that prints."""
        from inkshelf.exchange.certificate import certificate

        reading = self.desk.reading

        def work() -> None:
            page = certificate(reading, datetime.now().astimezone())
            chosen = path or self.files.ask_save("Save the hand-over", f"{reading.job.title or 'hand-over'}.html", "*.html")
            if chosen:
                self.files.write(chosen, page.encode(), "Print it from a browser, and sign it together.")

        self.files.attempt(work)
