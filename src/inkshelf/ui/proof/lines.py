"""The lines of a proof: what was planned and what was read side by side, the verdict in words and a sign, the reason below."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QObject, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetrics, QPainter, QPen
from PyQt6.QtWidgets import QAbstractItemView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from inkshelf.core.built.line import Line
from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.listing import VALUE_ROLE, Listing, draw_text
from inkshelf.ui.parts import draw_call

WORDS = {"same": "as planned", "unknown": "not known", "stop": "put it right", "warn": "look at it", "note": "small"}
SIGNS = {"same": "✓", "unknown": "?", "stop": "✗", "warn": "!", "note": "·"}
TINTS = {"same": "ok", "unknown": "pencil", "stop": "stop", "warn": "warn", "note": "pencil"}
CALL, WHAT, VERDICT, GAP = 62.0, 136.0, 112.0, 14.0
ROW, WHY = 34, 16


class Shown(Value, frozen=True):
    """A line as it is shown; ``accepted``: why it was accepted in writing."""

    line: Line
    accepted: str = ""

    @property
    def kind(self) -> str:
        """The verdict in one word: same, unknown, or how much it matters."""
        one = self.line
        return one.stands if one.stands != "differs" else "note" if self.accepted else one.matters or "note"

    @property
    def verdict(self) -> str:
        """The verdict in words."""
        return "accepted" if self.accepted else "left over" if self.line.left else WORDS[self.kind]

    @property
    def below(self) -> str:
        """Why it matters, or why it was accepted."""
        return f"accepted: {self.accepted}" if self.accepted else self.line.why if self.line.stands != "same" else ""


class Lines(Listing[Shown]):
    """The lines as a Qt model."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(_said, parent)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.ToolTipRole and index.isValid() and index.row() < len(self.rows):
            one = self.rows[index.row()]
            return f"{one.line.what}\nplanned  {one.line.planned}\nread       {one.line.built}"
        return super().data(index, role)


def _said(one: Shown) -> str:
    return f"{one.line.about}, {one.line.what}: planned {one.line.planned}, read {one.line.built}; {one.verdict}"


class LineDelegate(QStyledItemDelegate):
    """Draws a line."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        one: Shown | None = index.data(VALUE_ROLE)
        view = self.parent()
        port = view.viewport() if isinstance(view, QAbstractItemView) else None
        width = port.width() if port is not None else option.rect.width()
        return QSize(40, ROW if one is None else _figures(one, width) + (WHY if one.below else 0))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        one: Shown | None = index.data(VALUE_ROLE)
        if painter is None or one is None:
            return
        ink, box = theme.current(), QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, ink.color("select"))
        painter.setPen(QPen(ink.color("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        if one.line.about.isupper():
            draw_call(painter, box.left() + 4, box.top() + 7, one.line.about)
        else:
            draw_text(painter, QRectF(box.left() + 4, box.top(), CALL, ROW), one.line.about, "pencil", 12)
        room, tall = _room(box.width()), _figures(one, box.width())
        left = box.left() + CALL
        draw_text(painter, QRectF(left, box.top(), WHAT, ROW), one.line.what, "ink", 13)
        left += WHAT + GAP
        differs = one.line.stands == "differs"
        tint = TINTS[one.kind] if differs else "pencil"
        self._figure(painter, QRectF(left, box.top(), room, tall), one.line.planned, "ink" if differs else "pencil")
        self._figure(painter, QRectF(left + room + GAP, box.top(), room, tall), one.line.built, tint)
        verdict = QRectF(box.right() - VERDICT, box.top(), VERDICT - 6, ROW)
        painter.setFont(theme.sans(13, 600 if differs else 400))
        painter.setPen(ink.color(TINTS[one.kind]))
        painter.drawText(
            verdict, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{one.verdict}  {SIGNS[one.kind]}"
        )
        if one.below:
            draw_text(painter, QRectF(left, box.top() + tall - 6, box.right() - left - 6, WHY), one.below, "pencil", 12)
        painter.restore()

    def _figure(self, painter: QPainter, box: QRectF, text: str, tint: str) -> None:
        painter.setFont(theme.mono(12))
        painter.setPen(theme.current().color(tint))
        painter.drawText(box, WRAPPED, text)


WRAPPED = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter) | int(Qt.TextFlag.TextWrapAnywhere)


def _room(width: float) -> float:
    """The width of what was planned, and of what was read."""
    return (width - CALL - WHAT - VERDICT - 3 * GAP) / 2


def _figures(one: Shown, width: float) -> int:
    """The height of both texts, whole: what differs may stand at their end."""
    metrics, room = QFontMetrics(theme.mono(12)), int(_room(width))
    tall = max(
        metrics.boundingRect(QRect(0, 0, room, 4000), WRAPPED, text).height() for text in (one.line.planned, one.line.built)
    )
    return max(ROW, tall + 16)
