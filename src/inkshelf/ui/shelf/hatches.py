"""Role by pattern first: readable in grey and by colour-blind people. One pattern a role; a role that has none is refused."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QLineF, QPointF, QRectF
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from inkshelf.core.machine.state import Role
from inkshelf.ui import theme


def draw_hatch(painter: QPainter, box: QRectF, role: Role) -> None:
    """Draw the pattern of a role inside a box."""
    painter.save()
    painter.setClipRect(box)
    painter.setPen(QPen(theme.current().color("pencil", 80), 1))
    HATCHES[role](painter, box)
    painter.restore()


def _level(painter: QPainter, box: QRectF) -> None:
    draw_lines(painter, [(box.left(), at, box.right(), at) for at in _steps(box.top() + 8, box.bottom(), 9)])


def _upright(painter: QPainter, box: QRectF) -> None:
    draw_lines(painter, [(at, box.top(), at, box.bottom()) for at in _steps(box.left() + 6, box.right(), 8)])


def _slanting(painter: QPainter, box: QRectF, step: float = 9) -> None:
    high = box.height()
    draw_lines(painter, [(at, box.bottom(), at + high, box.top()) for at in _steps(box.left() - high, box.right(), step)])


def _crossed(painter: QPainter, box: QRectF) -> None:
    _slanting(painter, box, 8)
    high = box.height()
    draw_lines(painter, [(at, box.top(), at + high, box.bottom()) for at in _steps(box.left() - high, box.right(), 8)])


def _dotted(painter: QPainter, box: QRectF) -> None:
    painter.setPen(QPen(theme.current().color("pencil", 150), 1.7))
    rows, columns = _steps(box.top() + 6, box.bottom(), 8), _steps(box.left() + 5, box.right(), 8)
    painter.drawPoints(QPolygonF([QPointF(a, b) for b in rows for a in columns]))


def _waves(painter: QPainter, box: QRectF) -> None:
    for at in _steps(box.top() + 6, box.bottom() + 8, 9):
        along = _steps(box.left() - 2, box.right() + 8, 6)
        painter.drawPolyline(QPolygonF([QPointF(one, at + (3 if place % 2 else 0)) for place, one in enumerate(along)]))


def _crosses(painter: QPainter, box: QRectF) -> None:
    for at in _steps(box.top() + 7, box.bottom(), 11):
        columns = _steps(box.left() + 6, box.right(), 11)
        draw_lines(painter, [(one - 2.5, at, one + 2.5, at) for one in columns])
        draw_lines(painter, [(one, at - 2.5, one, at + 2.5) for one in columns])


def _nested(painter: QPainter, box: QRectF) -> None:
    for inset in _steps(4, min(box.width(), box.height()) / 2, 7):
        painter.drawRect(box.adjusted(inset, inset, -inset, -inset))


def _dashes(painter: QPainter, box: QRectF) -> None:
    for row, at in enumerate(_steps(box.top() + 7, box.bottom(), 10)):
        draw_lines(painter, [(one, at, one + 5, at) for one in _steps(box.left() + 4 + 7 * (row % 2), box.right(), 14)])


HATCHES: dict[Role, Callable[[QPainter, QRectF], None]] = {
    "system": _level,
    "data": _upright,
    "recovery": _slanting,
    "reserved": _crossed,
    "startup": _dotted,
    "swap": _waves,
    "medium": _crosses,
    "container": _nested,
    "unknown": _dashes,
}


def _steps(start: float, end: float, step: float) -> list[float]:
    return [start + step * place for place in range(max(0, int((end - start) / step) + 1))]


def draw_lines(painter: QPainter, lines: list[tuple[float, float, float, float]]) -> None:
    """Draw many lines in one go: one by one they take several times as long. Straight ones are crisp without smoothing."""
    slanted = any(x1 != x2 and y1 != y2 for x1, y1, x2, y2 in lines[:1])
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, slanted)
    if lines:
        first, *rest = [QLineF(*one) for one in lines]
        painter.drawLines(first, *rest)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
