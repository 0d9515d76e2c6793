"""What lists of rows share: a Qt model over values, and a line of text that ends in three dots where room is short."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from inkshelf.ui import theme

VALUE_ROLE = Qt.ItemDataRole.UserRole + 1
SAID = {Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole}
Row = TypeVar("Row")


class Listing(QAbstractListModel, Generic[Row]):
    """Rows as a Qt model. ``words``: what a row says to whoever hears it, and in its tip."""

    def __init__(self, words: Callable[[Row], str], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._words = words
        self.rows: tuple[Row, ...] = ()

    def show_rows(self, rows: tuple[Row, ...]) -> None:
        """Show these."""
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or not 0 <= index.row() < len(self.rows):
            return None
        one = self.rows[index.row()]
        if role == VALUE_ROLE:
            return one
        return self._words(one) if role in SAID else None


def draw_text(
    painter: QPainter, box: QRectF, text: str, tint: str, size: int = 13, weight: int = 400, *, right: bool = False
) -> None:
    """Draw one line of text, cut where the box ends."""
    painter.setFont(theme.sans(size, weight))
    painter.setPen(theme.current().color(tint))
    shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
    side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
    painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, shown)


def draw_chosen(painter: QPainter, box: QRectF) -> None:
    """Draw the frame of the chosen row."""
    ink = theme.current()
    painter.setPen(QPen(ink.color("ink"), 1.4))
    painter.setBrush(ink.color("card"))
    painter.drawRoundedRect(box.adjusted(1, 1.5, -1, -1.5), 3, 3)
