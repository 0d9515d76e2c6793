"""The jobs of a list: day, whose, what for; the band that was foretold, and what it took, on one scale."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QObject, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from inkshelf.ui import theme
from inkshelf.ui.listing import VALUE_ROLE, Listing, draw_chosen, draw_text
from inkshelf.ui.logbook.looked import JobRow

ROW, DAY, CLOCK, GAP = 36, 92.0, 58.0, 12.0
WHOSE, TIMES = 0.36, 0.27  # of the width that is left


class Rows(Listing[JobRow]):
    """The rows as a Qt model."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(lambda one: f"{one.day}, {one.whose}: {one.brief.aim}; {one.took_words}", parent)

    @property
    def longest(self) -> float:
        """Minutes of the longest bar."""
        return max((max(one.high, one.brief.took) for one in self.rows), default=1.0) or 1.0


class RowDelegate(QStyledItemDelegate):
    """Draws a job."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(40, ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        one: JobRow | None = index.data(VALUE_ROLE)
        model = index.model()
        if painter is None or one is None or not isinstance(model, Rows):
            return
        ink, box = theme.current(), QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            draw_chosen(painter, box)
        whose, aim, times = places(box)
        draw_text(painter, QRectF(box.left() + 10, box.top(), DAY, ROW), one.day, "pencil")
        draw_text(painter, whose, one.whose, "ink", weight=600)
        draw_text(painter, aim, one.brief.aim or "no aim", "ink")
        draw_times(painter, times, one, model.longest)
        painter.setFont(theme.mono(12, 700))
        painter.setPen(ink.color("stop" if one.missed else "ink"))
        clock = QRectF(box.right() - CLOCK - 8, box.top(), CLOCK, ROW)
        painter.drawText(clock, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, one.clock)
        painter.restore()


def places(box: QRectF) -> tuple[QRectF, QRectF, QRectF]:
    """Return where a row has its owner, its aim and its times."""
    left = box.left() + 10 + DAY
    room = box.width() - 10 - DAY - CLOCK - 8
    whose, times = room * WHOSE, room * TIMES
    aim = room - whose - times
    return (
        QRectF(left, box.top(), whose - GAP, ROW),
        QRectF(left + whose, box.top(), aim - GAP, ROW),
        QRectF(left + whose + aim, box.top(), times - GAP, ROW),
    )


def draw_times(painter: QPainter, box: QRectF, one: JobRow, longest: float) -> None:
    """Draw the foretold band, and a stroke for what it took: with a head where it fell outside."""
    ink, middle = theme.current(), box.center().y()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink.color("used"))
    painter.drawRoundedRect(QRectF(box.left(), middle - 3, box.width(), 6), 3, 3)
    at = box.width() / longest
    if one.high > 0:
        painter.setPen(QPen(ink.color("pencil"), 1))
        painter.setBrush(ink.color("ribbon"))
        painter.drawRoundedRect(QRectF(box.left() + one.low * at, middle - 6, max(4.0, (one.high - one.low) * at), 12), 2, 2)
    if one.brief.took > 0:
        x, tint = box.left() + one.brief.took * at, ink.color("stop" if one.missed else "ok")
        painter.setPen(QPen(tint, 3))
        painter.drawLine(int(x), int(middle - 8), int(x), int(middle + 8))
        if one.missed:
            painter.setPen(QPen(tint, 1.6))
            painter.setBrush(ink.color("paper"))
            painter.drawEllipse(QRectF(x - 3.5, middle - 3.5, 7, 7))
