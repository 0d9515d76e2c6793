"""The table of mishaps: systems down, mishaps across, and what starts in each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from inkshelf.core.boot.rehearse import Outcome
from inkshelf.ui import theme
from inkshelf.ui.parts import draw_call

if TYPE_CHECKING:
    from inkshelf.ui.startmap.chapter import StartChapter


class Mishaps(QWidget):
    """Systems down, mishaps across; a column is rehearsed by clicking it or with the arrow keys."""

    LEFT, HEAD, ROW = 190, 62, 36

    def __init__(self, chapter: StartChapter) -> None:
        super().__init__()
        self.chapter = chapter
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("mishaps: what starts, whatever happens")

    def refresh(self) -> None:
        """Make room for the systems there are."""
        calls = {call for call, _ in self.chapter.now.outcomes}
        self.setFixedHeight(self.HEAD + self.ROW * max(1, len(calls)) + 8)
        words = [f"{call} {key}: {one.verdict}" for (call, key), one in self.chapter.now.outcomes.items()]
        self.setAccessibleDescription("; ".join(words))
        self.update()

    def _cell(self) -> float:
        return (self.width() - self.LEFT - 4) / max(1, len(self.chapter.now.mishaps))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and event.position().x() > self.LEFT:
            place = int((event.position().x() - self.LEFT) / self._cell())
            known = self.chapter.now.mishaps
            self.chapter.choose(known[min(place, len(known) - 1)].key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or event.key() not in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            super().keyPressEvent(event)
            return
        keys = [one.key for one in self.chapter.now.mishaps]
        at = keys.index(self.chapter.mishap) + (1 if event.key() == Qt.Key.Key_Right else -1)
        self.chapter.choose(keys[at % len(keys)])

    def paintEvent(self, event: object) -> None:
        ink, now = theme.current(), self.chapter.now
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.serif(17))
        painter.setPen(ink.color("ink"))
        painter.drawText(QPointF(2, 20), "Mishaps")
        painter.setFont(theme.sans(12))
        painter.setPen(ink.color("pencil"))
        painter.drawText(QPointF(2, 40), "what starts, whatever happens")
        cell = self._cell()
        for place, one in enumerate(now.mishaps):
            box = QRectF(self.LEFT + place * cell, 0, cell, self.height() - 2)
            if one.key == self.chapter.mishap:
                painter.setPen(QPen(ink.color("stop" if self.hasFocus() else "ink"), 1.6))
                painter.setBrush(ink.color("card"))
                painter.drawRoundedRect(box.adjusted(3, 1, -3, -1), 4, 4)
            painter.setPen(ink.color("ink"))
            painter.setFont(
                _heading(cell - 12, [two.title for two in now.mishaps], 600 if one.key == self.chapter.mishap else 400)
            )
            painter.drawText(
                box.adjusted(6, 8, -6, 0),
                Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap,
                one.title,
            )
        for row, call in enumerate(dict.fromkeys(call for call, _ in now.outcomes)):
            self._row(painter, row, call)

    def _row(self, painter: QPainter, row: int, call: str) -> None:
        ink, now = theme.current(), self.chapter.now
        y, cell = self.HEAD + row * self.ROW, self._cell()
        painter.setPen(QPen(ink.color("line"), 1))
        painter.drawLine(QPointF(0, y - 4), QPointF(self.width(), y - 4))
        found = now.machine.find(call) or self.chapter.desk.reading.plan.planned.find(call)
        wide = draw_call(painter, 2, y + 4, call, planned=bool(found and found[1].planned))
        painter.setFont(theme.sans(13))
        painter.setPen(ink.color("ink"))
        title = found[1].holds.title if found and found[1].holds else ""
        painter.drawText(QPointF(wide + 12, y + 19), title)
        for place, one in enumerate(now.mishaps):
            _verdict(painter, QPointF(self.LEFT + (place + 0.5) * cell, y + 13), now.outcomes[call, one.key])


def _heading(width: float, titles: list[str], weight: int) -> QFont:
    """The largest font in which the longest word of any heading has room."""
    words = [word for title in titles for word in title.split()]
    sizes = (12, 11, 10, 9)
    fits = (
        size for size in sizes if max(QFontMetricsF(theme.sans(size, 600)).horizontalAdvance(word) for word in words) <= width
    )
    return theme.sans(next(fits, sizes[-1]), weight)


def _verdict(painter: QPainter, at: QPointF, one: Outcome) -> None:
    """A tick, a wave with words, an open ring, or a cross: shape first, colour second."""
    ink = theme.current()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if one.starts and not one.by_hand:
        painter.setPen(QPen(ink.color("ok"), 3))
        painter.drawPolyline(QPolygonF([at + QPointF(-8, 0), at + QPointF(-2, 6), at + QPointF(9, -7)]))
    elif one.starts:
        painter.setPen(QPen(ink.color("warn"), 2.6))
        path = QPainterPath(at + QPointF(-9, -3))
        path.cubicTo(at + QPointF(-4, -11), at + QPointF(4, 5), at + QPointF(9, -4))
        painter.drawPath(path)
        painter.setFont(theme.sans(11))
        words = "by hand" if one.sure else "perhaps"
        painter.drawText(QRectF(at.x() - 34, at.y() + 3, 68, 14), Qt.AlignmentFlag.AlignCenter, words)
    elif not one.sure:
        painter.setPen(QPen(ink.color("warn"), 2, Qt.PenStyle.DotLine))
        painter.drawEllipse(at - QPointF(0, 5), 6, 6)
        painter.setFont(theme.sans(11))
        painter.drawText(QRectF(at.x() - 34, at.y() + 3, 68, 14), Qt.AlignmentFlag.AlignCenter, "not known")
    else:
        painter.setPen(QPen(ink.color("stop"), 3))
        painter.drawLine(at + QPointF(-7, -7), at + QPointF(7, 7))
        painter.drawLine(at + QPointF(7, -7), at + QPointF(-7, 7))
