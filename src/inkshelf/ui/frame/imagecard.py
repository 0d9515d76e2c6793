"""A card over the window: what an image file holds, how a stick is made of it for this machine, and whether it is whole."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.state import Machine
from inkshelf.core.media import ways
from inkshelf.exchange.images import Looked
from inkshelf.exchange.imagewords import facts_of, head_of, progress_words, sum_words
from inkshelf.exchange.sums import held_against, read_sums
from inkshelf.ui import theme
from inkshelf.ui.background import Task
from inkshelf.ui.frame.overlays import Overlay
from inkshelf.ui.parts import button, label, scrolled

WIDTH, HIGH, TALL, EVERY = 700, 54, 420, 120  # pixels, pixels, pixels; milliseconds between two looks at how far a sum is


class ImageCard(Overlay):
    """What ``looked`` holds, and the ways to make a stick of it that ``machine`` starts. ``told``: whether its published sum agrees."""

    def __init__(self, parent: QWidget, looked: Looked, machine: Machine, told: Callable[[bool], object] | None = None) -> None:
        super().__init__(parent)
        self.looked, self._stopped, self._told = looked, False, told
        self._task: Task | None = None
        self._far, self._begun = (0, 0), 0.0
        self.setAccessibleName(f"image {looked.image.name}")
        self.setFixedWidth(WIDTH)
        box = QVBoxLayout(self)
        box.setContentsMargins(26, 20, 26, 22)
        box.setSpacing(5)
        box.addWidget(label(looked.image.name, theme.serif(22), wrap=True))
        box.addWidget(label(head_of(looked.image), theme.sans(12), quiet=True, wrap=True))
        inside = QWidget()
        lines = QVBoxLayout(inside)
        lines.setContentsMargins(0, 0, 10, 0)
        lines.setSpacing(6)
        self.facts = self._lines(lines, facts_of(looked))
        lines.addSpacing(8)
        known = machine.firmware.mode is not None
        lines.addWidget(label("On a stick, for this machine" if known else "On a stick", theme.serif(18)))
        self.ways = self._lines(lines, ways.lines_of(looked.image, machine, None))
        lines.addStretch(1)
        area = scrolled(inside)
        area.setFixedHeight(min(TALL, lines.totalHeightForWidth(WIDTH - 80) + 8))
        box.addWidget(area)
        box.addSpacing(6)
        box.addWidget(label("Is it whole?", theme.serif(18)))
        box.addLayout(self._question())
        self.answer = label(sum_words(None), theme.sans(13, 500), wrap=True)
        self.answer.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        box.addWidget(self.answer)
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self._tell)

    def _lines(self, box: QVBoxLayout, lines: Iterable[str]) -> list[QLabel]:
        made: list[QLabel] = []
        for one in lines:
            if one.startswith("  ") and made:  # what belongs to the line before it
                made[-1].setText(f"{made[-1].text()}\n{one.strip()}")
                continue
            first = one.startswith(("usual here", "CUT SHORT", "cannot"))
            row = label(one, theme.sans(13, 600 if first else 400), quiet=one.startswith("not "), wrap=True)
            row.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            box.addWidget(row)
            made.append(row)
        return made

    def _question(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.line = QPlainTextEdit()
        self.line.setFont(theme.mono(12))
        self.line.setFixedHeight(HIGH)
        self.line.setTabChangesFocus(True)
        self.line.setPlaceholderText("paste what its maker publishes: the digits, or the whole list")
        self.line.setAccessibleName("published checksum")
        self.go = button("Check", self._check, tip="read all of it once, beside the window")
        row.addWidget(self.line, 1)
        row.addWidget(self.go)
        return row

    def open_over(self) -> None:
        """Show the card, ready for the sum."""
        super().open_over()
        self.line.setFocus()

    def _check(self) -> None:
        """Begin, or cancel what was begun."""
        if self._task is not None:
            self._stopped = True
            return
        try:
            published = read_sums(self.line.toPlainText())
        except InkshelfError as error:
            self._say(str(error), bad=True)
            return
        self._stopped, self._begun, self._far = False, time.monotonic(), (0, self.looked.image.size)

        def told(done: int, whole: int) -> None:
            self._far = (done, whole)

        self._task = Task(lambda: held_against(self.looked.path, published, told, lambda: self._stopped), self)
        self._task.done.connect(self._over)
        self._task.failed.connect(lambda what, remedy: self._ended(f"{what} {remedy}", bad=True))
        self.go.setText("Cancel")
        self._timer.start()
        self._task.start()

    def _tell(self) -> None:
        self._say(progress_words(*self._far, time.monotonic() - self._begun), bad=False)

    def _over(self, state: object) -> None:
        agrees = isinstance(state, dict) and bool(state["agrees"])
        named = state if isinstance(state, dict) else None
        words = sum_words(named) if named else "This list has no checksum for a file of this name."
        self._ended(words, bad=not agrees)
        if named and self._told:
            self._told(agrees)

    def _ended(self, words: str, *, bad: bool) -> None:
        self._timer.stop()
        if self._task is not None:
            self._task.wait()
            self._task = None
        self.go.setText("Check")
        self._say(words, bad=bad)

    def _say(self, words: str, *, bad: bool) -> None:
        self.answer.setText(words)
        self.answer.setProperty("bad", bad)
        style = self.answer.style()
        if style:
            style.polish(self.answer)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Nothing goes on in a thread when the card is gone."""
        self._stopped = True
        if self._task is not None:
            self._task.wait()
        super().closeEvent(event)
