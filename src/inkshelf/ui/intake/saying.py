"""A card over the window: what is known of one volume, what was read and what a person says, beside each other."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.state import Volume
from inkshelf.core.machine.told import FACTS, as_read
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.overlays import Overlay
from inkshelf.ui.parts import button, label

WIDTH = 680


class SayingCard(Overlay):
    """Every fact that can be said of a volume; a line that is left makes it so, an empty one takes it back."""

    def __init__(self, parent: QWidget, desk: Desk, call: str) -> None:
        super().__init__(parent)
        self.desk, self.call = desk, call
        self.setAccessibleName(f"what is known of {call}")
        self.setFixedWidth(WIDTH)
        box = QVBoxLayout(self)
        box.setContentsMargins(26, 20, 26, 20)
        box.setSpacing(8)
        box.addWidget(label(f"What is known of {call}", theme.serif(22)))
        words = "What you say stands above what was read, until an image says otherwise. An empty line takes it back."
        box.addWidget(label(words, theme.sans(12), quiet=True, wrap=True))
        self.lines: dict[str, QLineEdit] = {}
        self._read: dict[str, QLabel] = {}
        box.addLayout(self._facts())
        self.fault = label("", theme.sans(12, 600), wrap=True)
        self.fault.setProperty("bad", True)
        self.fault.setMinimumHeight(34)
        self.fault.setAlignment(Qt.AlignmentFlag.AlignTop)
        box.addWidget(self.fault)
        box.addWidget(button("Done", self.close, primary=True), 0, Qt.AlignmentFlag.AlignRight)
        self.refresh()

    def _facts(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(5)
        for column, words in enumerate(("", "as read", "as you say")):
            grid.addWidget(label(words, theme.sans(12), quiet=True), 0, column)
        for row, one in enumerate(FACTS.values(), 1):
            line = QLineEdit()
            line.setFont(theme.mono(13))
            line.setPlaceholderText(one.example)
            line.setAccessibleName(f"{one.title}, {self.call}")
            line.editingFinished.connect(partial(self._said, one.key))
            self.lines[one.key], self._read[one.key] = line, label("", theme.mono(12))
            grid.addWidget(label(one.title, theme.sans(13)), row, 0)
            grid.addWidget(self._read[one.key], row, 1)
            grid.addWidget(line, row, 2)
        grid.setColumnStretch(0, 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 2)
        return grid

    def open_over(self) -> None:
        """Show the card, ready for typing where nothing was read."""
        super().open_over()
        empty = [line for key, line in self.lines.items() if self._read[key].text() == "not read" and not line.text()]
        (empty or list(self.lines.values()))[0].setFocus()

    def _volume(self) -> Volume | None:
        found = self.desk.job.found.find(self.call)
        return found[1] if found else None

    def refresh(self) -> None:
        """Show what was read and what is said now."""
        volume = self._volume()
        if volume is None:
            self.close()
            return
        bare = as_read(volume)
        said = {one.fact: one.value for one in volume.told}
        for key, fact in FACTS.items():
            self._read[key].setText(fact.read(bare) or "not read")
            self._read[key].setProperty("quiet", fact.read(bare) is None)
            self.lines[key].setText(said.get(key, ""))

    def _said(self, key: str) -> None:
        volume, text = self._volume(), self.lines[key].text().strip()
        before = next((one.value for one in volume.told if one.fact == key), "") if volume else ""
        if text == before:
            return
        try:
            self.desk.know(f"{key}:{self.call}", text or None, f"{FACTS[key].title} of {self.call}")
        except InkshelfError as error:
            self.fault.setText(f"{error.what} {error.remedy}")
            return
        self.fault.setText("")
        self.refresh()
