"""A filled paper, entered from the keyboard: one line a step, the next one by itself."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtWidgets import QLineEdit, QListWidget, QVBoxLayout, QWidget

from inkshelf.core.errors import InkshelfError
from inkshelf.core.sheet.atwork import AtWork, at_work, first_open
from inkshelf.core.sheet.papercode import of_this_job, paper_code
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.work.paper import HELP, entered
from inkshelf.ui import theme
from inkshelf.ui.benchmode.strip import WORDS
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.overlays import Overlay
from inkshelf.ui.parts import label


class PaperEntry(Overlay):
    """Enter takes the line; an empty one means that the step is done. A code that is typed, or read by a scanner, is held against the job."""

    def __init__(self, parent: QWidget, desk: Desk, now: Callable[[], int] = lambda: int(time.time())) -> None:
        super().__init__(parent)
        self.desk, self.now = desk, now
        self.setFixedWidth(760)
        self.setAccessibleName("enter a filled paper")
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 18, 22, 18)
        box.setSpacing(10)
        box.addWidget(label("Enter a filled paper", theme.serif(22)))
        self.about = label("", theme.mono(12), quiet=True, wrap=True)
        box.addWidget(self.about)
        self.list = QListWidget()
        self.list.setFont(theme.sans(14))
        self.list.setFixedHeight(300)
        self.list.setAccessibleName("steps of the paper")
        self.list.currentRowChanged.connect(self._chosen)
        box.addWidget(self.list)
        self.step = label("", theme.serif(18), wrap=True)
        box.addWidget(self.step)
        self.line = QLineEdit()
        self.line.setFont(theme.mono(18))
        self.line.setAccessibleName("what the paper says of this step")
        self.line.returnPressed.connect(self.take)
        box.addWidget(self.line)
        self.words = label(HELP, theme.sans(13), quiet=True, wrap=True)
        box.addWidget(self.words)
        self.at = 0
        self.rows: tuple[AtWork, ...] = ()
        self._read()
        self.at = first_open(self.rows)
        self._show()

    def open_over(self) -> None:
        super().open_over()
        self.line.setFocus()

    def _read(self) -> None:
        self.rows, _ = at_work(self.desk.reading, sheet(self.desk.reading, self.desk.findings), self.now())

    def _show(self) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for one in self.rows:
            stands = "changed since" if one.changed else "" if one.work.stands == "open" else WORDS[one.work.stands]
            self.list.addItem(f"{one.row.number:>2}   {one.row.words.title}{'   · ' + stands if stands else ''}")
        self.list.setCurrentRow(self.at)
        self.list.blockSignals(False)
        one = self.rows[self.at]
        self.step.setText(f"{one.row.number}  {one.row.words.title}")
        asks = " · ".join(f"={ask.key}=… {ask.title}" for ask in one.asks)
        self.line.setPlaceholderText(asks or "done")
        self.about.setText(f"this job's paper bears {paper_code(self.desk.job)}")

    def _chosen(self, row: int) -> None:
        if 0 <= row < len(self.rows):
            self.at = row
            self._show()
            self.line.setFocus()

    def _say(self, text: str, *, bad: bool) -> None:
        self.words.setText(text)
        self.words.setProperty("bad", bad)
        self.words.setStyleSheet("")

    def take(self) -> None:
        """Take the line in; what may not stand there is said, and the line stays."""
        text, one = self.line.text(), self.rows[self.at]
        try:
            if text.strip().startswith("inkshelf:"):
                same = of_this_job(self.desk.job, text)
                told = (
                    "This paper shows the plan as it is now."
                    if same
                    else "This paper shows an earlier plan: look at each step."
                )
                self._say(told, bad=not same)
                self.line.clear()
                return
            made = entered(text, one.row.step, one.mark, self.now(), tuple(ask.key for ask in one.asks))
            stops = one.weighed(made.events)
        except InkshelfError as error:
            self._say(f"{error.what} {error.remedy}", bad=True)
            return
        if made.events:
            self.desk.note(*made.events)
        self._say(stops or HELP, bad=bool(stops))
        self.line.clear()
        self._read()
        if made.on and self.at + 1 == len(self.rows):
            self._say("That was the last step. Escape closes this.", bad=False)
        self.at = min(self.at + made.on, len(self.rows) - 1)
        self._show()
