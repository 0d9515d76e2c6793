"""One step of the sheet, drawn: in the list of the window and on paper."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from inkshelf.core.sheet.sheet import NOTHING_STARTS, Row
from inkshelf.ui import theme
from inkshelf.ui.sheetview.words import text_height, write

ROW_ROLE = Qt.ItemDataRole.UserRole + 1


class Piece(NamedTuple):
    """One text of a step: over the whole column, or ``beside`` the word for it."""

    text: str
    font: QFont
    tint: str
    above: float = 0
    what: str = ""
    beside: bool = False


def pieces(row: Row) -> list[Piece]:
    """Return the texts of a step in the order in which they are read."""
    words = row.words
    found = [Piece(words.title, theme.sans(14, 600), "faint" if row.ticked else "ink")]
    found += [Piece(one, theme.sans(12), "ink") for one in words.about]
    found += [Piece(value, theme.mono(12), "ink", what=what, beside=True) for what, value in words.exact]
    found += [Piece(words.caution, theme.sans(12, 600), "stop", 2)] if words.caution else []
    found += [Piece(words.look, theme.sans(12), "pencil", 2)] if words.look else []
    found += (
        [Piece(row.ended, theme.sans(12, 600), "stop" if row.ended.startswith("failed") else "ink", 2)] if row.ended else []
    )
    found += [Piece(words.back, theme.sans(12), "pencil", what="to take it back", beside=True)] if words.back else []
    return found


class RowDelegate(QStyledItemDelegate):
    """Draws a step: box, number, what to do with exact values, and what starts if it stops here."""

    STOPS, LEFT, LINE, BESIDE, START = 158, 62, 19, 150, 26

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        row: Row = index.data(ROW_ROLE)
        width = max(300, option.rect.width() or 600)
        return QSize(width, int(self.height(row, width)))

    def _inner(self, width: float) -> float:
        return width - self.LEFT - self.STOPS - 24

    def height(self, row: Row, width: float) -> float:
        """Return how many pixels a step takes downward."""
        inner = self._inner(width)
        high = 12.0 + sum(self._high(one, inner) for one in pieces(row))
        risk = text_height(row.words.risk, theme.sans(11), self.STOPS - 6) if row.words.risk else 0
        return (
            max(high, 16 + 18.0 * len(row.starts) + risk)
            + 10
            + (34 if row.no_return else 0)
            + (self.START if row.session.start else 0)
        )

    def _high(self, piece: Piece, inner: float) -> float:
        """Pixels of one piece; a value stands beside the word for it."""
        if piece.beside:
            what = text_height(piece.what, theme.sans(12), self.BESIDE - 8) + 2 if piece.what else 0
            return max(self.LINE, what, text_height(piece.text, piece.font, inner - self.BESIDE))
        return text_height(piece.text, piece.font, inner) + piece.above

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
        if row.session.start:
            box = self._started(painter, row, box)
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
            "Point of no return. Every step before this line says how it is taken back.",
        )
        return box.adjusted(0, 34, 0, 0)

    def _started(self, painter: QPainter, row: Row, box: QRectF) -> QRectF:
        """The machine is started here: a band with the number of the start."""
        ink = theme.current()
        band = QRectF(box.left(), box.top() + 5, box.width(), self.START - 7.0)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("ribbon"))
        painter.drawRoundedRect(band, 3, 3)
        painter.setPen(ink.color("ink"))
        painter.setFont(theme.mono(11, 700))
        painter.drawText(band.adjusted(8, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, f"start {row.session.number}")
        painter.setFont(theme.sans(12, 500))
        painter.drawText(band.adjusted(self.LEFT + 10.0, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, row.session.start)
        return box.adjusted(0, self.START, 0, 0)

    def _tick(self, painter: QPainter, row: Row, at: QPointF) -> None:
        ink = theme.current()
        painter.setPen(QPen(ink.color("ink"), 1.5))
        painter.setBrush(ink.color("card"))
        painter.drawRect(QRectF(at.x(), at.y(), 16, 16))
        if row.ticked:
            painter.setPen(QPen(ink.color("ok"), 3))
            painter.drawPolyline(QPolygonF([at + QPointF(3, 8), at + QPointF(7, 12), at + QPointF(15, 1)]))
        elif row.ended:  # it ended, and was not done
            painter.setPen(QPen(ink.color("stop" if row.ended.startswith("failed") else "pencil"), 2.5))
            painter.drawLine(at + QPointF(4, 8), at + QPointF(12, 8))

    def _body(self, painter: QPainter, row: Row, box: QRectF) -> None:
        y = box.top()
        for piece in pieces(row):
            high = self._high(piece, box.width())
            if piece.beside:
                write(painter, piece.what, theme.sans(12), "pencil", QRectF(box.left(), y + 1, self.BESIDE - 8, 80))
                inner = QRectF(box.left() + self.BESIDE, y + 1, box.width() - self.BESIDE, 80)
            else:
                inner = QRectF(box.left(), y + piece.above, box.width(), 60)
            write(painter, piece.text, piece.font, piece.tint, inner)
            y += high

    def _stops(self, painter: QPainter, row: Row, box: QRectF) -> None:
        y = box.top()
        if not (row.starts or row.words.risk):
            write(painter, NOTHING_STARTS, theme.sans(12), "pencil", QRectF(box.left(), y, box.width(), 18))
        for one in row.starts:
            ends = one.sure and not one.starts
            y += write(
                painter,
                f"{one.system} {one.verdict}",
                theme.sans(12, 600 if ends else 400),
                "stop" if ends else "pencil",
                QRectF(box.left(), y, box.width(), 18),
            )
        if row.words.risk:
            write(painter, row.words.risk, theme.sans(11), "stop", QRectF(box.left(), y + 2, box.width(), 60))
