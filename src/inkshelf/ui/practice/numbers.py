"""The number drill: thirty seconds, which number goes into this box."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QVBoxLayout

from inkshelf.core.practice.machines import chance
from inkshelf.core.practice.numbers import SECONDS, Number, judge, number
from inkshelf.ui import theme
from inkshelf.ui.parts import button, label

if TYPE_CHECKING:
    from inkshelf.ui.practice.chapter import PracticeChapter

EACH = 3  # numbers until the next level
TICK = 200  # milliseconds


class NumberCard(QFrame):
    """Questions one after the other; the clock does not wait."""

    def __init__(self, page: PracticeChapter) -> None:
        super().__init__()
        self.page, self.best = page, 0
        self.asked: Number | None = None
        self.right = self.count = 0
        self.ends = 0.0
        self.setObjectName("card")
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 16, 22, 16)
        box.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(label("Which number goes into this box?", theme.serif(20), wrap=True), 1)
        self.clock = label("", theme.mono(22, 700))
        head.addWidget(self.clock)
        box.addLayout(head)
        self.story = label("", theme.sans(16), wrap=True)
        box.addWidget(self.story)
        self.line = QLineEdit()
        self.line.setFont(theme.mono(22))
        self.line.setPlaceholderText("type it, and Enter")
        self.line.setAccessibleName("the number")
        self.line.returnPressed.connect(self.take)
        box.addWidget(self.line)
        self.said = label("", theme.sans(14), wrap=True)
        box.addWidget(self.said)
        self.score = label("", theme.serif(22), wrap=True)
        box.addWidget(self.score)
        row = QHBoxLayout()
        self.again = button("Once more  ⏎", self.begin, primary=True)
        self.leave = button("Back to the drills", page.leave_numbers)
        row.addWidget(self.again)
        row.addWidget(self.leave)
        row.addStretch(1)
        box.addLayout(row)
        box.addStretch(1)
        self.timer = QTimer(self)
        self.timer.setInterval(TICK)
        self.timer.timeout.connect(self.tick)

    def begin(self) -> None:
        """Thirty seconds from now."""
        self.draw = chance(self.page.draws())
        self.right = self.count = 0
        self.ends = self.page.clock() + SECONDS
        self.line.setEnabled(True)
        self.again.setVisible(False)
        self.said.setText("")
        self.score.setText("")
        self._next()
        self.timer.start()
        self.tick()

    def _next(self) -> None:
        self.asked = number(self.draw, min(3, 1 + self.right // EACH))
        self.story.setText(self.asked.story)
        self.line.clear()
        self.line.setFocus()

    def take(self) -> None:
        """Judge the number, and ask for the next."""
        text = self.line.text().strip()
        if self.asked is None or not text or not self.line.isEnabled():
            return
        said = judge(self.asked, text)
        self.count += 1
        self.right += said.right
        self.said.setText(f"{'✓' if said.right else '✗'} {said.words}")
        self.said.setStyleSheet(f"color: {theme.current().ok if said.right else theme.current().stop}")
        self._next()

    def tick(self) -> None:
        """Show what is left of the time; at its end the numbers are counted."""
        left = max(0, round(self.ends - self.page.clock()))
        self.clock.setText(f"0:{left:02}")
        if self.page.clock() >= self.ends and self.line.isEnabled():
            self.end()

    def end(self) -> None:
        """Count."""
        self.timer.stop()
        self.line.setEnabled(False)
        self.again.setVisible(True)
        before = self.best
        self.page.counted(self.right)
        best = " That is your best." if self.right > before else f" Your best is {before}." if before else ""
        self.score.setText(f"{self.right} of {self.count} right in {SECONDS} seconds.{best}")
        self.again.setFocus(Qt.FocusReason.OtherFocusReason)

    def stop(self) -> None:
        """Nobody counts any more."""
        self.timer.stop()
