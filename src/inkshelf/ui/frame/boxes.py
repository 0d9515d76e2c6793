"""A card over the window: the number for every kind of box, and what a number means that was typed into one."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from inkshelf.core.boxes import BOXES
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.meant import meant
from inkshelf.core.sheet.reckon import Reckoning
from inkshelf.ui import theme
from inkshelf.ui.frame.overlays import Overlay
from inkshelf.ui.parts import label

WIDTH = 620


class BoxesCard(Overlay):
    """Both ways: from a size to what is typed, and from what was typed to a size. ``copy`` is told a text to keep."""

    def __init__(self, parent: QWidget, reading: Reading, now: Reckoning, copy: Callable[[str], None]) -> None:
        super().__init__(parent)
        self.reading, self.now, self._copy = reading, now, copy
        self.setAccessibleName("boxes")
        self.setFixedWidth(WIDTH)
        box = QVBoxLayout(self)
        box.setContentsMargins(26, 20, 26, 22)
        box.setSpacing(6)
        box.addWidget(label(f"What to type for {now.subject}", theme.serif(22)))
        box.addWidget(label(f"{now.detail} · {now.exact} = {now.binary} = {now.decimal}", theme.sans(12), quiet=True))
        box.addLayout(self._numbers())
        box.addSpacing(12)
        asked = "the amount to take away" if now.shrinks else "the size"
        box.addWidget(label("What did I type?", theme.serif(18)))
        box.addWidget(label(f"For {now.subject} the box asks for {asked}.", theme.sans(12), quiet=True))
        box.addLayout(self._question())
        self.answer = label("", theme.sans(14, 600), wrap=True)
        self.notes = label("", theme.sans(13), wrap=True)
        for one in (self.answer, self.notes):
            one.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            box.addWidget(one)
        self.notes.setMinimumHeight(62)
        self.notes.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._reckon()

    def _numbers(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(2)
        grid.addWidget(
            label("its size afterwards, in" if self.now.shrinks else "its size, in", theme.sans(12), quiet=True), 1, 0
        )
        for place, one in enumerate(self.now.typed):
            row = place + (place > 0)
            number = QPushButton(one.text)
            number.setProperty("link", True)
            number.setFont(theme.mono(14, 700))
            number.setToolTip("click copies")
            number.setAccessibleName(f"{one.box}: {one.text}, copy")
            number.clicked.connect(lambda _checked, text=one.text: self._copy(text))
            grid.addWidget(label(one.box, theme.sans(13)), row, 0)
            grid.addWidget(number, row, 1, Qt.AlignmentFlag.AlignLeft)
            grid.addWidget(label(one.hint, theme.sans(12), quiet=True), row, 2)
        grid.setColumnStretch(2, 1)
        return grid

    def _question(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(10)
        self.line = QLineEdit()
        self.line.setFont(theme.mono(15, 700))
        self.line.setPlaceholderText(self.now.typed[0].text)
        self.line.setAccessibleName("what was typed")
        self.line.setFixedWidth(170)
        self.line.textChanged.connect(self._reckon)
        self.kind = QComboBox()
        self.kind.setFont(theme.sans(13))
        self.kind.setAccessibleName("kind of box")
        for key, one in BOXES.items():
            self.kind.addItem(f"in {one.title}", key)
        self.kind.currentIndexChanged.connect(self._reckon)
        row.addWidget(self.line)
        row.addWidget(self.kind, 1)
        return row

    def open_over(self) -> None:
        """Show the card, ready for typing."""
        super().open_over()
        self.line.setFocus()

    def _reckon(self) -> None:
        """Say what the number means, at every key."""
        text = self.line.text().strip()
        if not text:
            self.answer.setText("")
            self.notes.setText("Type the number as it stands in the box; what it means here follows.")
            return
        try:
            number, notes = meant(self.reading, self.now.subject, text, self.kind.currentData())
        except InkshelfError as error:
            self.answer.setText("")
            self.notes.setText(str(error))
            return
        self.answer.setText(number.said)
        self.notes.setText("\n".join(notes))
