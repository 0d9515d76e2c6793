"""Under the start map: the firmware's switches that the plan changes, found beside wanted, with what keeps one from being switched."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QVBoxLayout

from inkshelf.core.sheet.settings import Setting, settings
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import clear, label

HEADS = ("switch", "found", "changed to", "at the end", "if it cannot be switched, the least first")


class Switched(QFrame):
    """A table of the switches; not there where the plan changes none."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAccessibleName("Firmware settings, found and wanted")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 6, 0, 6)
        box.setSpacing(4)
        box.addWidget(label("Settings of the firmware", theme.serif(15)))
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(18)
        self.grid.setVerticalSpacing(4)
        self.grid.setColumnStretch(len(HEADS) - 1, 1)
        box.addLayout(self.grid)
        self.key = label("", theme.sans(12), quiet=True, wrap=True)
        box.addWidget(self.key)

    def refresh(self) -> None:
        """Show the switches of the plan as it is now."""
        clear(self.grid)
        found = settings(self.desk.reading)
        self.setVisible(bool(found))
        if not found:
            return
        for column, title in enumerate(HEADS):
            self.grid.addWidget(label(title, theme.sans(11), quiet=True), 0, column)
        for row, one in enumerate(found, 1):
            for column, text in enumerate(_cells(one)):
                last = column == len(HEADS) - 1
                cell = label(text, theme.sans(12 if last else 13), quiet=last, wrap=last)
                self.grid.addWidget(cell, row, column, Qt.AlignmentFlag.AlignTop)
        keys = list(dict.fromkeys(one.key for one in found if one.key))
        self.key.setText("; ".join(keys) or "nothing is sealed to this machine: no recovery key is asked for")


def _cells(one: Setting) -> tuple[str, ...]:
    end = f"{one.end}, as found" if one.back else one.end
    return one.title, one.found, one.work, end, "\n".join(f"{lock.sign}: {lock.helps}" for lock in one.locks)
