"""The causes that are left of a start that is mended: how likely each is beside the others, what shows it, what its repair comes to; a press takes one."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from inkshelf.core.machine.state import Machine
from inkshelf.ui import theme

if TYPE_CHECKING:
    from inkshelf.core.aims.mending import Mend
    from inkshelf.core.mending.narrowing import Fitting

Take = Callable[[str, str], None]
LIKELIEST = "likeliest"


class Causes(QWidget):
    """Rows, the likeliest first; a bar is as long as it is likely beside the first. ``take`` is told the question and the cause."""

    ROW, HEAD, BAR, MOST = 42, 26, 90, 7

    def __init__(self, take: Take) -> None:
        super().__init__()
        self._take = take
        self.left: tuple[Fitting, ...] = ()
        self.chosen = self.best = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("causes that are left")
        self.hide()

    def refresh(self, aim: Any, found: Machine) -> None:
        """Show the causes of an aim that mends; nothing for another."""
        mends = aim is not None and aim.kind == "mend"
        self.setVisible(mends)
        if not mends:
            return
        mend: Mend = aim
        self.left = mend.fits(found)
        self.chosen = mend.cause
        best = mend.chosen(self.left)
        self.best = best.cause.key if best else ""
        self.setFixedHeight(self.HEAD + self.ROW * max(1, min(self.MOST, len(self.left))) + 22 * (len(self.left) > self.MOST))
        words = [f"{one.cause.title}: {self._how(one)}, {one.case.why}" for one in self.left]
        self.setAccessibleDescription("; ".join(words))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, 200)

    @staticmethod
    def _how(one: Fitting) -> str:
        return "captured" if one.case.shown else "not ruled out"

    def _shown(self) -> tuple[Fitting, ...]:
        return self.left[: self.MOST]

    def row_of(self, y: float) -> int | None:
        """Return which cause stands at a height."""
        row = int((y - self.HEAD) // self.ROW)
        return row if 0 <= row < len(self._shown()) and y >= self.HEAD else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_of(event.position().y()) if event else None
        if row is not None:
            self._press(row)

    def _press(self, row: int) -> None:
        key = self.left[row].cause.key
        self._take("cause", LIKELIEST if key == self.chosen else key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event is None or event.key() not in steps or not self.left:
            super().keyPressEvent(event)
            return
        keys = [one.cause.key for one in self._shown()]
        at = keys.index(self.chosen) if self.chosen in keys else -1 if steps[Qt.Key(event.key())] > 0 else len(keys)
        self._take("cause", keys[max(0, min(len(keys) - 1, at + steps[Qt.Key(event.key())]))])

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.serif(15))
        painter.setPen(ink.color("ink"))
        count = len(self.left)
        painter.drawText(
            QPointF(0, 18), f"{count} cause{'' if count == 1 else 's'} left" if count else "No cause fits what was said"
        )
        if not count:
            painter.setFont(theme.sans(12))
            painter.setPen(ink.color("pencil"))
            painter.drawText(
                QPointF(0, self.HEAD + 18), "One of the answers may be wrong: take the last one back, or say “not looked yet”."
            )
        whole = max((one.weight for one in self.left), default=1.0)
        for row, one in enumerate(self._shown()):
            self._row(painter, row, one, one.weight / whole)
        if count > self.MOST:
            painter.setFont(theme.sans(12))
            painter.setPen(ink.color("pencil"))
            more = f"and {count - self.MOST} more that are less likely: a look tells them apart"
            painter.drawText(QPointF(0, self.HEAD + self.ROW * self.MOST + 15), more)

    def _row(self, painter: QPainter, row: int, one: Fitting, share: float) -> None:
        ink, y = theme.current(), self.HEAD + row * self.ROW
        painter.setPen(QPen(ink.color("line"), 1))
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        if one.cause.key in {self.chosen, self.best}:
            painter.setPen(QPen(ink.color("stop" if self.hasFocus() else "ink"), 1.6 if one.cause.key == self.chosen else 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(1, y + 2, self.width() - 2, self.ROW - 4), 4, 4)
        bar = QRectF(10, y + 13, max(4.0, self.BAR * share), 14)
        painter.setPen(
            QPen(
                ink.color("ink" if one.case.shown else "pencil"),
                1.3,
                Qt.PenStyle.SolidLine if one.case.shown else Qt.PenStyle.DashLine,
            )
        )
        painter.setBrush(ink.color("ink") if one.case.shown else Qt.BrushStyle.NoBrush)
        painter.drawRect(bar)
        x, room = self.BAR + 26.0, self.width() - self.BAR - 36.0
        painter.setPen(ink.color("ink"))
        painter.setFont(theme.sans(13, 600))
        painter.drawText(
            QPointF(x, y + 17), QFontMetricsF(painter.font()).elidedText(one.cause.title, Qt.TextElideMode.ElideRight, room)
        )
        painter.setPen(ink.color("pencil"))
        painter.setFont(theme.sans(12))
        steps = len(one.case.steps)
        mended = (
            f"{steps} step{'s' if steps != 1 else ''} mend{'' if steps != 1 else 's'} it"
            if steps
            else one.case.by_hand or "mended by hand"
        )
        words = f"{self._how(one)}: {one.case.why} · {mended}"
        painter.drawText(QPointF(x, y + 33), QFontMetricsF(painter.font()).elidedText(words, Qt.TextElideMode.ElideRight, room))
