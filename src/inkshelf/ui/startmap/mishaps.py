"""The table of mishaps: mishaps down, systems across, and what starts in each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from inkshelf.core.boot.rehearse import Outcome
from inkshelf.ui import theme
from inkshelf.ui.parts import draw_call

if TYPE_CHECKING:
    from inkshelf.ui.startmap.chapter import StartChapter


class Mishaps(QWidget):
    """Mishaps down, systems across; a row is rehearsed by clicking it or with the arrow keys."""

    LEFT, HEAD, ROW = 270, 52, 27
    NARROW = 92  # pixels: a column without room for words beside its sign
    WIDE = 150

    def __init__(self, chapter: StartChapter) -> None:
        super().__init__()
        self.chapter = chapter
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("mishaps: what starts, whatever happens")

    def refresh(self) -> None:
        """Make room for the mishaps there are."""
        self.setFixedHeight(self.HEAD + self.ROW * max(1, len(self.chapter.now.mishaps)) + 4)
        words = [f"{call} {key}: {one.verdict}" for (call, key), one in self.chapter.now.outcomes.items()]
        words += [
            f"{call} {key}, the other way: {other.verdict}"
            for call, key in self.chapter.now.outcomes
            if (other := self._other(call, key))
        ]
        self.setAccessibleDescription("; ".join(words))
        self.update()

    def _calls(self) -> list[str]:
        return list(dict.fromkeys(call for call, _ in self.chapter.now.outcomes))

    def _cell(self) -> float:
        return min(self.WIDE, (self.width() - self.LEFT - 4) / max(1, len(self._calls())))

    def row_of(self, y: float) -> int | None:
        """Return which mishap stands at a height, ``None`` above and below the rows."""
        row = int((y - self.HEAD) // self.ROW)
        return row if 0 <= row < len(self.chapter.now.mishaps) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_of(event.position().y()) if event else None
        if row is not None:
            self.chapter.choose(self.chapter.now.mishaps[row].key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_Right: 1}
        if event is None or event.key() not in steps:
            super().keyPressEvent(event)
            return
        keys = [one.key for one in self.chapter.now.mishaps]
        self.chapter.choose(keys[(keys.index(self.chapter.mishap) + steps[Qt.Key(event.key())]) % len(keys)])

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._head(painter)
        for row in range(len(self.chapter.now.mishaps)):
            self._row(painter, row)

    def _head(self, painter: QPainter) -> None:
        ink, now = theme.current(), self.chapter.now
        painter.setFont(theme.serif(17))
        painter.setPen(ink.color("ink"))
        painter.drawText(QPointF(2, 20), "Mishaps")
        painter.setFont(theme.sans(12))
        painter.setPen(ink.color("pencil"))
        painter.drawText(QPointF(2, 40), "what starts, whatever happens")
        for place, call in enumerate(self._calls()):
            x = self.LEFT + place * self._cell()
            found = now.machine.find(call) or self.chapter.desk.reading.plan.planned.find(call)
            draw_call(painter, x + 4, 2, call, planned=bool(found and found[1].planned))
            title = found[1].holds.title if found and found[1].holds else ""
            painter.setFont(theme.sans(11))
            painter.setPen(ink.color("pencil"))
            shown = QFontMetricsF(painter.font()).elidedText(title, Qt.TextElideMode.ElideRight, self._cell() - 10)
            painter.drawText(QPointF(x + 4, 40), shown)

    def _row(self, painter: QPainter, row: int) -> None:
        ink, now = theme.current(), self.chapter.now
        one, y, cell = now.mishaps[row], self.HEAD + row * self.ROW, self._cell()
        painter.setPen(QPen(ink.color("line"), 1))
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        if one.key == self.chapter.mishap:
            painter.setPen(QPen(ink.color("stop" if self.hasFocus() else "ink"), 1.6))
            painter.setBrush(ink.color("card"))
            painter.drawRoundedRect(QRectF(1, y + 1, self.width() - 2, self.ROW - 2), 4, 4)
        painter.setPen(ink.color("ink"))
        painter.setFont(theme.sans(13, 600 if one.key == self.chapter.mishap else 400))
        shown = QFontMetricsF(painter.font()).elidedText(one.title, Qt.TextElideMode.ElideRight, self.LEFT - 16)
        painter.drawText(QPointF(8, y + 18), shown)
        for place, call in enumerate(self._calls()):
            at = QPointF(self.LEFT + place * cell + 14, y + self.ROW / 2)
            other = self._other(call, one.key)
            _verdict(painter, at, now.outcomes[call, one.key], words=cell >= self.NARROW and other is None)
            if other is not None:
                self._beside(painter, at, other)

    def _other(self, call: str, mishap: str) -> Outcome | None:
        """What another way that is laid over the table comes to there, where it is something else; at the end of the plan only."""
        other = self.chapter.overlay.other.get((call, mishap)) if self.chapter.at_end else None
        return other if other and other.verdict != self.chapter.now.outcomes[call, mishap].verdict else None

    def _beside(self, painter: QPainter, at: QPointF, other: Outcome) -> None:
        """The other way's sign, in a dashed frame beside this plan's."""
        pen = QPen(theme.current().color("pencil"), 1.2)
        pen.setDashPattern([2, 2])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(QRectF(at.x() + 22, at.y() - 11, 30, 22), 4, 4)
        _verdict(painter, at + QPointF(37, 0), other, words=False)


def _verdict(painter: QPainter, at: QPointF, one: Outcome, *, words: bool) -> None:
    """A tick, a wave, an open ring, or a cross, with words beside all but the tick: shape first, colour second."""
    ink = theme.current()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    said, tint = "", "warn"
    if one.starts and not one.by_hand:
        painter.setPen(QPen(ink.color("ok"), 3))
        painter.drawPolyline(QPolygonF([at + QPointF(-7, 0), at + QPointF(-2, 5), at + QPointF(8, -6)]))
    elif one.starts:
        said = "by hand" if one.sure else "perhaps"
        painter.setPen(QPen(ink.color("warn"), 2.6))
        path = QPainterPath(at + QPointF(-8, 1))
        path.cubicTo(at + QPointF(-3, -7), at + QPointF(3, 8), at + QPointF(8, -1))
        painter.drawPath(path)
    elif not one.sure:
        said = "not known"
        painter.setPen(QPen(ink.color("warn"), 2, Qt.PenStyle.DotLine))
        painter.drawEllipse(at, 6, 6)
    else:
        said, tint = "not", "stop"
        painter.setPen(QPen(ink.color("stop"), 3))
        painter.drawLine(at + QPointF(-6, -6), at + QPointF(6, 6))
        painter.drawLine(at + QPointF(6, -6), at + QPointF(-6, 6))
    if words and said:
        painter.setFont(theme.sans(11))
        painter.setPen(ink.color(tint))
        painter.drawText(at + QPointF(15, 4), said)
