"""The key to the hatches: which pattern stands for which role."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from inkshelf.core.machine.calls import LETTERS, WORDS
from inkshelf.core.machine.state import Role
from inkshelf.ui import theme
from inkshelf.ui.frame.overlays import Overlay
from inkshelf.ui.parts import label
from inkshelf.ui.shelf.hatches import draw_hatch

SIGNS = (
    ("solid edge", "there already"),
    ("broken edge", "planned"),
    ("level from the foot", "how full it is"),
    ("a break at the top", "drawn wider than its size says"),
    ("red edge under the found board", "given up"),
)


class Swatch(QWidget):
    """A piece of a spine with the pattern of a role."""

    def __init__(self, role: Role) -> None:
        super().__init__()
        self.role = role
        self.setFixedSize(QSize(62, 30))
        self.setAccessibleName(f"pattern of {WORDS[role]}")

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        box = QRectF(1, 1, self.width() - 2, self.height() - 2)
        painter.fillRect(box, ink.color("card"))
        draw_hatch(painter, box, self.role)
        painter.setPen(QPen(ink.color("ink"), 1.3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)


class HatchKey(Overlay):
    """A card with every role's pattern and letter, and the other signs of a spine."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("key to the hatches")
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 18, 22, 18)
        box.addWidget(label("Key to the hatches", theme.serif(19)))
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(7)
        for row, (role, letter) in enumerate(LETTERS.items()):
            grid.addWidget(Swatch(role), row, 0)
            grid.addWidget(label(letter, theme.mono(13, 700)), row, 1)
            grid.addWidget(label(WORDS[role], theme.sans(13)), row, 2)
        for row, (sign, words) in enumerate(SIGNS):
            grid.addWidget(label(sign, theme.sans(13, 600)), row, 3)
            grid.addWidget(label(words, theme.sans(13), quiet=True), row, 4)
        grid.setColumnMinimumWidth(3, 200)
        box.addLayout(grid)
        box.addWidget(label("Escape closes it", theme.sans(12), quiet=True))
