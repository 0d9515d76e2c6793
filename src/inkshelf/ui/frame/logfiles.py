"""What the window does with the logbook: look for a job, export, write a fault down, say which shop's one works in."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QInputDialog

from inkshelf.core.errors import InkshelfError
from inkshelf.store.logbook.where import shop_of, without_password
from inkshelf.ui.desk import Notice

if TYPE_CHECKING:
    from inkshelf.store.logbook.book import Logbook
    from inkshelf.ui.frame.window import Window
    from inkshelf.ui.logbook.chapter import LogbookChapter


class LogFiles:
    """Logbook work of one window."""

    def __init__(self, window: Window) -> None:
        self.window, self.desk = window, window.desk

    @property
    def chapter(self) -> LogbookChapter:
        """The chapter, made where it was not open yet."""
        return self.window.chapter("logbook")  # type: ignore[return-value]

    def find(self) -> None:
        """Go where jobs are looked for."""
        self.desk.show("logbook")
        self.chapter.search.setFocus()
        self.chapter.search.selectAll()

    def export(self) -> None:
        """Export every job."""
        kinds = "JSON lines, whole (*.jsonl);;A table (*.csv);;A page (*.html)"
        chosen = self.window.files.ask_save("Export the logbook", "logbook.jsonl", kinds)
        if chosen:
            self.chapter.save_export(chosen)

    def plot(self) -> None:
        """Save the plot that is shown."""
        self.desk.show("logbook")
        today = self.chapter.plot.kind == "today"
        kinds = "A picture (*.png)" if today else "Vectors (*.svg);;A page (*.pdf);;A picture (*.png)"
        name = f"{self.chapter.plot.kind}.{'png' if today else 'svg'}"
        chosen = self.window.files.ask_save("Save the plot", name, kinds)
        if chosen:
            self.chapter.plot.save(chosen, self._said)

    def _said(self, result: object) -> None:
        if isinstance(result, InkshelfError):
            self.desk.say(Notice(result.what, result.remedy))
        else:
            self.desk.say(Notice(f"Saved: {result}", bad=False))

    def fault(self) -> None:
        """Write down what a model of this machine is known for, and what helps."""
        found = self.desk.job.found
        models = [one for one in dict.fromkeys((found.board, *(disk.model for disk in found.disks))) if one]
        model, sure = QInputDialog.getItem(self.window, "A known fault", "Which model has it?", models, 0, True)
        if not sure:
            return
        words, sure = QInputDialog.getText(self.window, "A known fault", f"What does {model} do?")
        if not sure or not words.strip():
            return
        helps, sure = QInputDialog.getText(self.window, "A known fault", "What helps? It may stay empty.")
        if sure:
            self.put_fault(model, words, helps)

    def put_fault(self, model: str, words: str, helps: str) -> None:
        """Keep a fault in the logbook."""
        keeper = self.window.keeper

        def work(book: Logbook) -> bool:
            from inkshelf.store.logbook.changes import Says
            from inkshelf.store.logbook.faults import Fault, put_fault

            put_fault(book, Fault(model, words, helps), Says(int(time.time()), keeper.who, waits=bool(keeper.shop)))
            return True

        def done(result: Any) -> None:
            if isinstance(result, InkshelfError):
                self.desk.say(Notice(result.what, result.remedy))
                return
            keeper.know_again()
            self.desk.say(Notice(f"Written down: {model}.", "It is said whenever such a machine is taken in.", bad=False))

        keeper.ask(work, done, own=True)

    def shop(self) -> None:
        """Say which shop's logbook one works in, and as whom."""
        settings = self.window.settings
        words = "The shop's logbook, for example postgresql://server/logbook. Empty: none."
        url, sure = QInputDialog.getText(self.window, "A shop's logbook", words, text=settings.shop)
        if not sure:
            return
        who, sure = QInputDialog.getText(self.window, "A shop's logbook", "Who works here?", text=shop_of("", settings.who)[1])
        if sure:
            self.work_in(url.strip(), who.strip())

    def work_in(self, url: str, who: str) -> None:
        """Work in a shop's logbook from now on (empty: in none)."""
        try:
            self.window.settings.shop, self.window.settings.who = without_password(url), who
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
            return
        self.window.keeper.follow(*shop_of(url, who))
