"""What does not fit: slips beside the stick, a little askew, with the bytes that each lacks, and what could go instead."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from inkshelf.core.aims.sticks import LEFT_OUT
from inkshelf.core.sheet.media import OnStick
from inkshelf.core.size import decimal
from inkshelf.ui import theme
from inkshelf.ui.parts import button, label

WIDE, HIGH, MOST, ROOM = 264, 58, 3, 150


class _Slip(QWidget):
    def __init__(self, one: OnStick) -> None:
        super().__init__()
        self.one = one
        self.setFixedSize(WIDE, HIGH)
        self.setAccessibleName(f"{one.name}, {decimal(one.size)}: {one.why}")
        self.setToolTip(f"{one.name}: {one.why}")

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(WIDE / 2, HIGH / 2)
        painter.rotate(-1.6)
        box = QRectF(-WIDE / 2 + 5, -HIGH / 2 + 6, WIDE - 10, HIGH - 12)
        painter.setPen(QPen(ink.color("stop"), 1.4))
        painter.setBrush(ink.color("stop_wash"))
        painter.drawRoundedRect(box, 2, 2)
        size = decimal(self.one.size)
        painter.setFont(theme.mono(12, 700))
        wide = painter.fontMetrics().horizontalAdvance(size)
        painter.setPen(ink.color("stop"))
        painter.drawText(QPointF(box.right() - wide - 9, box.top() + 19), size)
        painter.setFont(theme.sans(12, 600))
        painter.setPen(ink.color("ink"))
        name = painter.fontMetrics().elidedText(self.one.name, Qt.TextElideMode.ElideRight, int(box.width() - wide - 34))
        painter.drawText(QPointF(box.left() + 10, box.top() + 19), name)
        painter.setFont(theme.sans(12))
        painter.setPen(ink.color("stop"))
        why = painter.fontMetrics().elidedText(self.one.why, Qt.TextElideMode.ElideRight, int(box.width() - 20))
        painter.drawText(QPointF(box.left() + 10, box.top() + 37), why)


class LeftOut(QWidget):
    """Those that are on no stick. ``instead``: told the name of one, and of the one that it should replace; ``put``: of one to be wanted again."""

    def __init__(self, instead: Callable[[str, str], None], put: Callable[[str], None]) -> None:
        super().__init__()
        self._instead, self._put = instead, put
        self._shown: object = None
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(2)
        self._inside = QWidget()
        self._box.addWidget(self._inside)

    def refresh(self, images: tuple[OnStick, ...]) -> None:
        """Show those that do not fit, each with the smallest one on the stick in whose place it would fit."""
        if images == self._shown:
            return
        self._shown = images
        self._box.removeWidget(self._inside)
        self._inside.hide()
        self._inside.deleteLater()
        self._inside = QWidget()
        rows = QVBoxLayout(self._inside)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        out = [one for one in images if not one.fits]
        for one in out[:MOST]:
            rows.addLayout(self._row(one))
        if out[MOST:]:
            rows.addWidget(label(f"and {len(out) - MOST} more, in the pile at the left", theme.sans(12), quiet=True))
        self._box.addWidget(self._inside)
        self.setVisible(bool(out))

    def _row(self, one: OnStick) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(_Slip(one))
        if one.why == LEFT_OUT:
            row.addWidget(button("put it on the stick", partial(self._put, one.name), link=True))
        elif one.instead:
            made = button(f"put it in instead of {one.instead}", partial(self._instead, one.name, one.instead), link=True)
            made.setText(made.fontMetrics().elidedText(f"instead of {one.instead}", Qt.TextElideMode.ElideRight, ROOM))
            made.setToolTip(f"{one.name} on the stick, {one.instead} left out")
            row.addWidget(made)
        row.addStretch(1)
        return row
