"""One step of the sheet, drawn: in the list of the window and on paper."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from inkshelf.core.sheet.sheet import NOTHING_STARTS, Row
from inkshelf.ui import theme
from inkshelf.ui.sheetview.words import text_height, write

ROW_ROLE = Qt.ItemDataRole.UserRole + 1


class RowDelegate(QStyledItemDelegate):
    """Draws a step: box, number, what to do with exact values, and what starts if it stops here."""

    STOPS, LEFT, LINE = 158, 62, 19

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        row: Row = index.data(ROW_ROLE)
        width = max(300, option.rect.width() or 600)
        return QSize(width, int(self.height(row, width)))

    def _inner(self, width: float) -> float:
        return width - self.LEFT - self.STOPS - 24

    def height(self, row: Row, width: float) -> float:
        """Return how many pixels a step takes downward."""
        inner = self._inner(width)
        high = 12.0 + text_height(row.words.title, theme.sans(14, 600), inner)
        high += sum(max(self.LINE, text_height(value, theme.mono(12), inner - 150)) for _, value in row.words.values)
        for text, weight in ((row.words.caution, 600), (row.words.look, 400)):
            high += text_height(text, theme.sans(12, weight), inner) + 3 if text else 0
        return (
            max(
                high,
                16
                + 18.0 * len(row.starts)
                + (text_height(row.words.risk, theme.sans(11), self.STOPS - 6) if row.words.risk else 0),
            )
            + 10
            + (34 if row.no_return else 0)
        )

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        row: Row = index.data(ROW_ROLE)
        if painter is None or row is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, theme.current().color("select"))
        self.draw(painter, row, QRectF(option.rect))
        painter.restore()

    def draw(self, painter: QPainter, row: Row, box: QRectF) -> None:
        """Draw a step into a box: in the list, and on paper."""
        ink = theme.current()
        if row.no_return:
            box = self._no_return(painter, box)
        painter.setPen(QPen(ink.color("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        self._tick(painter, row, QPointF(box.left() + 6, box.top() + 10))
        painter.setFont(theme.mono(14, 700))
        painter.setPen(ink.color("faint" if row.ticked else "ink"))
        painter.drawText(QRectF(box.left() + 28, box.top() + 9, 26, 20), Qt.AlignmentFlag.AlignRight, str(row.number))
        self._body(painter, row, QRectF(box.left() + self.LEFT, box.top() + 8, self._inner(box.width()), box.height()))
        self._stops(painter, row, QRectF(box.right() - self.STOPS, box.top() + 9, self.STOPS - 8, box.height()))

    def _no_return(self, painter: QPainter, box: QRectF) -> QRectF:
        ink = theme.current()
        painter.fillRect(QRectF(box.left(), box.top() + 6, box.width(), 4), ink.color("stop"))
        painter.setFont(theme.sans(12, 600))
        painter.setPen(ink.color("stop"))
        painter.drawText(
            QRectF(box.left() + 6, box.top() + 12, box.width(), 20),
            Qt.AlignmentFlag.AlignVCenter,
            "Point of no return. Before this line everything can be left as it is.",
        )
        return box.adjusted(0, 34, 0, 0)

    def _tick(self, painter: QPainter, row: Row, at: QPointF) -> None:
        ink = theme.current()
        painter.setPen(QPen(ink.color("ink"), 1.5))
        painter.setBrush(ink.color("card"))
        painter.drawRect(QRectF(at.x(), at.y(), 16, 16))
        if row.ticked:
            painter.setPen(QPen(ink.color("ok"), 3))
            painter.drawPolyline([at + QPointF(3, 8), at + QPointF(7, 12), at + QPointF(15, 1)])

    def _body(self, painter: QPainter, row: Row, box: QRectF) -> None:
        ink = theme.current()
        y = box.top()
        y += write(
            painter,
            row.words.title,
            theme.sans(14, 600),
            "faint" if row.ticked else "ink",
            QRectF(box.left(), y, box.width(), 60),
        )
        for what, value in row.words.values:
            painter.setFont(theme.sans(12))
            painter.setPen(ink.color("pencil"))
            painter.drawText(QRectF(box.left(), y, 146, self.LINE), Qt.AlignmentFlag.AlignVCenter, what)
            high = write(painter, value, theme.mono(12), "ink", QRectF(box.left() + 150, y + 1, box.width() - 150, 80))
            y += max(self.LINE, high)
        if row.words.caution:
            y += 3 + write(painter, row.words.caution, theme.sans(12, 600), "stop", QRectF(box.left(), y + 2, box.width(), 60))
        if row.words.look:
            write(painter, row.words.look, theme.sans(12), "pencil", QRectF(box.left(), y + 2, box.width(), 60))

    def _stops(self, painter: QPainter, row: Row, box: QRectF) -> None:
        y = box.top()
        if not (row.starts or row.words.risk):
            write(painter, NOTHING_STARTS, theme.sans(12), "pencil", QRectF(box.left(), y, box.width(), 18))
        for one in row.starts:
            word = ("starts by hand" if one.by_hand else "starts") if one.starts else "does not start"
            y += write(
                painter,
                f"{one.system} {word}",
                theme.sans(12, 400 if one.starts else 600),
                "pencil" if one.starts else "stop",
                QRectF(box.left(), y, box.width(), 18),
            )
        if row.words.risk:
            write(painter, row.words.risk, theme.sans(11), "stop", QRectF(box.left(), y + 2, box.width(), 60))
