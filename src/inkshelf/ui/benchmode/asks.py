"""A value that a step asks for: a large box, and beside it at once what the value comes to."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from inkshelf.core.sheet.asking import Asked
from inkshelf.core.sheet.atwork import AtWork
from inkshelf.ui import theme
from inkshelf.ui.parts import button, label


class Ask(QWidget):
    """``found`` is called with a value when it is written; ``again`` with the fact by which the plan is made anew."""

    def __init__(
        self, one: AtWork, asks: Asked, found: Callable[[str, str], object], again: Callable[[tuple[str, str]], object]
    ) -> None:
        super().__init__()
        self.one, self.asks, self._found, self._again = one, asks, found, again
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        title = f"{asks.title} ({asks.unit})" if asks.unit else asks.title
        box.addWidget(label(title, theme.sans(17), quiet=True))
        row = QHBoxLayout()
        row.setSpacing(16)
        self.line = QLineEdit()
        self.line.setFont(theme.mono(34 if asks.unit else 22, 600))
        self.line.setFixedWidth(280 if asks.unit else 300)
        self.line.setPlaceholderText("F" if asks.unit else "as found  F")
        self.line.setAccessibleName(title)
        self.line.setText(dict(one.work.measured).get(asks.key, ""))
        self.line.textChanged.connect(self._judge)
        self.line.editingFinished.connect(self._keep)
        row.addWidget(self.line)
        right = QVBoxLayout()
        right.setSpacing(4)
        self.words = label("", theme.sans(17), wrap=True)
        self.plan = button("Plan again from here", self._plan, primary=True)
        right.addStretch(1)
        right.addWidget(self.words)
        right.addWidget(self.plan, 0, Qt.AlignmentFlag.AlignLeft)
        right.addStretch(1)
        row.addLayout(right, 1)
        box.addLayout(row)
        self._judge(self.line.text())

    def _judge(self, text: str) -> None:
        judged, fault = self.one.judged(self.asks.key, text)
        good = judged.good if judged else None
        sign = "✓ " if good else "✗ " if good is False or fault else ""
        self.words.setText(f"{sign}{fault or (judged.words if judged else '')}")
        self.words.setProperty("bad", bool(fault) or good is False)
        self.words.setProperty("good", good is True)
        self.words.setStyleSheet("")
        self.plan.setVisible(bool(judged and judged.good is False and judged.fact))

    def _keep(self) -> None:
        text = self.line.text().strip()
        _, fault = self.one.judged(self.asks.key, text)
        if not fault and text != dict(self.one.work.measured).get(self.asks.key, ""):
            self._found(self.asks.key, text)

    def _plan(self) -> None:
        judged, _ = self.one.judged(self.asks.key, self.line.text())
        if judged and judged.fact:
            self._keep()
            self._again(judged.fact)
