"""The kinds of aim as small pictures of before and after; those of this job are inked and numbered."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QGridLayout, QSizePolicy, QWidget

from inkshelf.core.aims import AimBase, every_aim, kind_of_aim
from inkshelf.core.aims.base import Piece
from inkshelf.ui import theme

COLUMNS, HEIGHT = 6, 66


def words_of(kind: str) -> str:
    """Return the few words under a kind's picture."""
    return kind_of_aim(kind).short


class AimTile(QAbstractButton):
    """One kind: what the disk is like before and after, drawn; a press adds it to the job, or shows the one that is there."""

    def __init__(self, kind: type[AimBase], pressed: Callable[[str], None]) -> None:
        super().__init__()
        self.of, self.kind = kind, str(kind.__struct_config__.tag)
        self.numbers: tuple[int, ...] = ()
        self.shown = False
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{kind.short}: {kind.title}")
        self.setToolTip(f"{kind.title}. {kind.about}")
        self.clicked.connect(lambda _: pressed(self.kind))

    def sizeHint(self) -> QSize:
        return QSize(116, HEIGHT)

    def show_numbers(self, numbers: tuple[int, ...], *, shown: bool) -> None:
        """Show which aims of the job are of this kind, and whether one of them is looked at."""
        if (numbers, shown) != (self.numbers, self.shown):
            self.numbers, self.shown = numbers, shown
            self.setAccessibleDescription(f"in this job: aim {', '.join(map(str, numbers))}" if numbers else "not in this job")
            self.update()

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(1, 1, self.width() - 2, self.height() - 2)
        inked = bool(self.numbers)
        edge = "stop" if self.hasFocus() else "ink" if self.shown or self.underMouse() else "pencil" if inked else "line"
        painter.setPen(QPen(ink.color(edge), 2 if self.shown or self.hasFocus() else 1.4))
        painter.setBrush(ink.color("card" if inked else "paper"))
        painter.drawRoundedRect(box, 5, 5)
        words, (before, after) = self.of.short, self.of.picture
        for top, pieces in ((9.0, before), (26.0, after)):
            for piece in pieces:
                _draw(painter, 10, self.width() - 20.0, top, piece)
        painter.setFont(theme.sans(12, 600 if inked else 500))
        painter.setPen(ink.color("ink" if inked else "pencil"))
        words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, self.width() - 14)
        painter.drawText(QPointF(10, self.height() - 10), words)
        for place, number in enumerate(self.numbers):
            self._badge(painter, number, place)

    def _badge(self, painter: QPainter, number: int, place: int) -> None:
        ink = theme.current()
        spot = QRectF(self.width() - 23.0 - 21 * place, 4, 18, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("ink"))
        painter.drawEllipse(spot)
        painter.setPen(ink.color("on_ink"))
        painter.setFont(theme.mono(11, 700))
        painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, str(number))


def _draw(painter: QPainter, left: float, width: float, top: float, piece: Piece) -> None:
    low, high, style = piece
    ink = theme.current()
    box = QRectF(left + low * width, top, (high - low) * width, 12)
    if style == "stick":
        box = QRectF(left + low * width, top + 7, (high - low) * width, 9)
    pen = QPen(ink.color({"ink": "ink", "stick": "pencil", "gap": "faint", "pencil": "pencil", "lost": "stop"}[style]), 1.3)
    if style in {"pencil", "gap", "lost"}:
        pen.setDashPattern([1.5, 2.5] if style == "gap" else [3, 2])
    painter.setPen(pen)
    painter.setBrush(ink.color({"ink": "used", "stick": "card", "lost": "stop_wash"}.get(style, "card")))
    painter.drawRect(box)


class AimTiles(QWidget):
    """All kinds, five to a row."""

    def __init__(self, pressed: Callable[[str], None]) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        self.tiles = [AimTile(kind, pressed) for kind in every_aim()]
        for place, tile in enumerate(self.tiles):
            grid.addWidget(tile, place // COLUMNS, place % COLUMNS)
        for column in range(COLUMNS):
            grid.setColumnStretch(column, 1)

    def refresh(self, aims: tuple[AimBase, ...], shown: str) -> None:
        """Number the kinds that the job has."""
        for tile in self.tiles:
            mine = tuple(number for number, aim in enumerate(aims, 1) if aim.kind == tile.kind)
            tile.show_numbers(mine, shown=any(aim.id == shown and aim.kind == tile.kind for aim in aims))
