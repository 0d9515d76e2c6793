"""The kinds of aim as small pictures of before and after; those of this job are inked and numbered."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QGridLayout, QSizePolicy, QWidget

from inkshelf.core.aims import AIMS, AimBase
from inkshelf.ui import theme

Piece = tuple[float, float, str]
"""From where to where on a disk, 0 to 1, and how it is drawn: ink, gap, pencil, lost."""

PICTURES: dict[str, tuple[str, tuple[Piece, ...], tuple[Piece, ...]]] = {
    "try": ("only try it", ((0, 1, "ink"),), ((0, 1, "ink"), (0.86, 1.0, "stick"))),
    "beside": ("one more beside", ((0, 0.8, "ink"), (0.82, 1, "gap")), ((0, 0.52, "ink"), (0.54, 1, "pencil"))),
    "own-disk": ("a disk of its own", ((0, 0.5, "ink"), (0.6, 1, "gap")), ((0, 0.5, "ink"), (0.6, 1, "pencil"))),
    "no-stick": (
        "without a stick",
        ((0, 1, "ink"),),
        ((0, 0.52, "ink"), (0.54, 0.84, "pencil"), (0.86, 1, "gap")),
    ),
    "travelling": ("one that travels", ((0, 0.62, "ink"),), ((0, 0.62, "ink"), (0.76, 1, "pencil"))),
    "clean": ("from nothing", ((0, 1, "gap"),), ((0, 0.12, "pencil"), (0.14, 0.58, "pencil"), (0.6, 1, "pencil"))),
    "several": (
        "three or more",
        ((0, 0.46, "ink"), (0.48, 0.58, "gap"), (0.68, 0.82, "ink"), (0.84, 1, "gap")),
        ((0, 0.3, "ink"), (0.32, 0.44, "pencil"), (0.46, 0.58, "pencil"), (0.68, 0.82, "ink"), (0.84, 1, "pencil")),
    ),
    "remove": (
        "take one away",
        ((0, 0.44, "ink"), (0.46, 0.8, "ink"), (0.82, 1, "ink")),
        ((0, 0.44, "ink"), (0.46, 0.8, "lost"), (0.82, 1, "ink")),
    ),
    "give-back": ("give room back", ((0, 0.52, "ink"), (0.54, 0.8, "ink"), (0.82, 1, "gap")), ((0, 0.52, "ink"), (0.54, 1, "ink"))),
    "table": (
        "another table",
        ((0, 0.3, "ink"), (0.32, 0.62, "ink"), (0.64, 0.86, "ink")),
        ((0, 0.05, "pencil"), (0.07, 0.3, "ink"), (0.32, 0.62, "ink"), (0.64, 0.86, "ink"), (0.93, 1, "pencil")),
    ),
}  # fmt: skip
COLUMNS, HEIGHT = 5, 66


def words_of(kind: str) -> str:
    """Return the few words under a kind's picture; ``KeyError`` for a kind that was forgotten here."""
    return PICTURES[kind][0]


class AimTile(QAbstractButton):
    """One kind: what the disk is like before and after, drawn; a press adds it to the job, or shows the one that is there."""

    def __init__(self, kind: type[AimBase], pressed: Callable[[str], None]) -> None:
        super().__init__()
        self.kind = str(kind.__struct_config__.tag)
        self.numbers: tuple[int, ...] = ()
        self.shown = False
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{words_of(self.kind)}: {kind.title}")
        self.setToolTip(f"{kind.title}. {kind.about}")
        self.clicked.connect(lambda _: pressed(self.kind))

    def sizeHint(self) -> QSize:
        return QSize(140, HEIGHT)

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
        words, before, after = PICTURES[self.kind]
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
        self.tiles = [AimTile(kind, pressed) for kind in AIMS]
        for place, tile in enumerate(self.tiles):
            grid.addWidget(tile, place // COLUMNS, place % COLUMNS)
        for column in range(COLUMNS):
            grid.setColumnStretch(column, 1)

    def refresh(self, aims: tuple[AimBase, ...], shown: str) -> None:
        """Number the kinds that the job has."""
        for tile in self.tiles:
            mine = tuple(number for number, aim in enumerate(aims, 1) if aim.kind == tile.kind)
            tile.show_numbers(mine, shown=any(aim.id == shown and aim.kind == tile.kind for aim in aims))
