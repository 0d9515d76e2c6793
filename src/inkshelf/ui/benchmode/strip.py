"""The strip over a step: every step as a small bar, how it ended, where one is, and where there is no way back any more."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from inkshelf.core.sheet.atwork import AtWork
from inkshelf.ui import theme

GAP, BAR, TALL = 5.0, 9.0, 34
WORDS = {"done": "done", "otherwise": "done in another way", "skipped": "left out", "failed": "failed", "open": "to be done"}


class Strip(QWidget):
    """A press goes to a step."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[AtWork, ...] = ()
        self.at = 0
        self.setFixedHeight(TALL)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_rows(self, rows: tuple[AtWork, ...], at: int) -> None:
        """Show these steps, one of them as the one that is looked at."""
        self.rows, self.at = rows, at
        over = sum(one.over for one in rows)
        self.setAccessibleName(f"step {at + 1} of {len(rows)}, {over} over")
        self.update()

    def _box(self, place: int) -> QRectF:
        whole = self.width() / max(1, len(self.rows))
        gap = min(GAP, whole / 3)
        return QRectF(place * whole, 4, whole - gap, BAR)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink = theme.current()
        for place, one in enumerate(self.rows):
            box = self._box(place)
            stands = "open" if one.changed else one.work.stands
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ink.color({"failed": "stop", "open": "used"}.get(stands, "ok_wash")))
            painter.drawRoundedRect(box, 2.5, 2.5)
            if stands in {"skipped", "otherwise"}:  # told apart without colour, too
                painter.setBrush(ink.color("paper"))
                inner = box.adjusted(2, 2.5, -2, -2.5) if stands == "skipped" else QRectF(box.center().x() - 2, box.y(), 4, BAR)
                painter.drawRect(inner)
            if place == self.at:
                painter.setPen(QPen(ink.color("ink"), 2))
                painter.setBrush(ink.color("ink") if stands == "open" else Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(0, -1, 0, 1), 2.5, 2.5)
        self._no_return(painter)

    def _no_return(self, painter: QPainter) -> None:
        place = next((at for at, one in enumerate(self.rows) if one.row.no_return), None)
        if place is None:
            return
        ink, x = theme.current(), self._box(place).x() - 2.5
        painter.setPen(QPen(ink.color("stop"), 2))
        painter.drawLine(QPointF(x, 0), QPointF(x, TALL - 8))
        words = "no simple way back from here on"
        painter.setFont(theme.sans(12, 600))
        width = painter.fontMetrics().horizontalAdvance(words)
        left = x + 6 if x + 6 + width < self.width() else x - 6 - width
        painter.drawText(QPointF(left, TALL - 9), words)

    def _at(self, x: float) -> int:
        return min(len(self.rows) - 1, max(0, int(x / max(1.0, self.width() / max(1, len(self.rows))))))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.rows:
            return
        one = self.rows[self._at(event.position().x())]
        stands = "changed since it was done" if one.changed else WORDS[one.work.stands]
        QToolTip.showText(event.globalPosition().toPoint(), f"{one.row.number}  {one.row.words.title}: {stands}", self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.rows:
            self.chosen.emit(self._at(event.position().x()))
