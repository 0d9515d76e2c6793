"""A gauge of the room: floor, comfort, what is possible, and a handle to drag."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from inkshelf.core.aims.base import primary
from inkshelf.core.aims.beside import Beside, comfortable_size
from inkshelf.core.aims.shares import comfortable, divide, least
from inkshelf.core.errors import InkshelfError
from inkshelf.core.fit.room import possible
from inkshelf.core.plan.job import found_by
from inkshelf.core.size import GIB, MIB, binary
from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk

MOST = "most, keeping the reserve"
APART = 8
PARTS = {"esp": "start-up"}
HEIGHT = 97


class Marks(Value, frozen=True):
    """The gauge's figures in bytes; ``parts`` are (name, size) of the new volumes at the size chosen."""

    least: int
    comfort: int
    most: int
    chosen: int
    parts: tuple[tuple[str, int], ...]


def marks(desk: Desk) -> Marks | None:
    """Return the figures for the aim as it is, or ``None`` where no disk is there, or the system cannot be laid out so at all."""
    job = desk.job
    aim = job.aim or Beside()
    found = found_by(job, aim.id)
    try:
        disk = found.disk(aim.disk)
    except KeyError:
        return None
    try:
        needs = aim.needs(found)
        chosen = aim.size_bytes or comfortable_size(found, aim)
    except InkshelfError:
        return None
    try:
        sizes = divide(needs, chosen)
        parts = tuple((PARTS.get(need.part, need.part), sizes[need.part]) for need in needs)
    except InkshelfError:
        parts = ()
    return Marks(least(needs), comfortable(needs), max(GIB, possible(disk, primary=primary(needs))), chosen, parts)


def lines_of(spans: list[tuple[float, float]]) -> list[int]:
    """Return, for words from one pixel to another, the first line on which each meets none of those before it."""
    lines: list[int] = []
    for place, (left, right) in enumerate(spans):
        before = list(zip(spans[:place], lines, strict=True))
        taken = {line for (low, high), line in before if left < high + APART and low < right + APART}
        lines.append(next(line for line in range(place + 1) if line not in taken))
    return lines


class Gauge(QWidget):
    """Room from nothing to the most possible; drag or arrow keys choose."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._dragging = False
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SplitHCursor)
        self.setAccessibleName("room for the new system")

    def sizeHint(self) -> QSize:
        return QSize(600, HEIGHT)

    def _x(self, size: int, most: int) -> float:
        return 10 + (self.width() - 20) * min(1.0, size / (most * 1.02))

    def paintEvent(self, event: object) -> None:
        now = marks(self.desk)
        if now is None:
            return
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bar = QRectF(10, 34, self.width() - 20, 24)
        painter.setPen(QPen(ink.color("line"), 1.5))
        painter.setBrush(ink.color("paper"))
        painter.drawRoundedRect(bar, 3, 3)
        self._parts(painter, bar, now)
        self._marks(painter, bar, now)
        x = self._x(now.chosen, now.most)
        painter.setPen(QPen(ink.color("stop"), 2.4))
        painter.drawLine(QPointF(x, bar.top() - 8), QPointF(x, bar.bottom() + 8))
        painter.setBrush(ink.color("stop" if self.hasFocus() else "card"))
        painter.drawEllipse(QPointF(x, bar.center().y()), 9, 9)
        painter.setFont(theme.mono(13, 700))
        painter.setPen(ink.color("ink"))
        text = binary(now.chosen, 2)
        wide = painter.fontMetrics().horizontalAdvance(text)
        painter.drawText(QPointF(max(10, min(self.width() - wide - 10, x - wide / 2)), 20), text)

    def _parts(self, painter: QPainter, bar: QRectF, now: Marks) -> None:
        ink = theme.current()
        left, scale = bar.left(), (self._x(now.chosen, now.most) - bar.left()) / max(1, now.chosen)
        for words, size in now.parts:
            box = QRectF(left, bar.top(), size * scale, bar.height())
            painter.setPen(QPen(ink.color("pencil"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(ink.color("card" if words in {"root", "home"} else "used"))
            painter.drawRect(box)
            if box.width() > 58:
                painter.setPen(ink.color("ink"))
                painter.setFont(theme.sans(12))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{words} {binary(size)}" if box.width() > 104 else words)
            left += size * scale

    def _marks(self, painter: QPainter, bar: QRectF, now: Marks) -> None:
        """Floor, comfort and the most possible; words that would meet those before them go one line down."""
        ink = theme.current()
        painter.setFont(theme.sans(11))
        known = ((now.least, "floor", "stop"), (now.comfort, "comfortable", "ok"), (now.most, MOST, "pencil"))
        drawn: list[tuple[float, str, str]] = []
        spans: list[tuple[float, float]] = []
        for size, words, tint in sorted(known):
            x = self._x(size, now.most)
            text = f"{words} {binary(size)}"
            wide = painter.fontMetrics().horizontalAdvance(text)
            left = max(4.0, min(self.width() - wide - 6.0, x - wide / 2))
            drawn.append((x, text, tint))
            spans.append((left, left + wide))
        for (x, text, tint), (left, _), line in zip(drawn, spans, lines_of(spans), strict=True):
            painter.setPen(QPen(ink.color(tint), 1.6))
            painter.drawLine(QPointF(x, bar.bottom()), QPointF(x, bar.bottom() + 8 + 13 * line))
            painter.drawText(QPointF(left, bar.bottom() + 22 + 14 * line), text)

    def _choose(self, x: float, *, preview: bool) -> None:
        now = marks(self.desk)
        if now is None:
            return
        size = int((x - 10) / max(1, self.width() - 20) * now.most * 1.02)
        size = max(GIB, min(now.most // MIB * MIB, round(size / GIB) * GIB))
        self.desk.set_aim("room for the new system", preview=preview, size_bytes=size)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event:
            self._dragging = True
            self._choose(event.position().x(), preview=True)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event and self._dragging:
            self._choose(event.position().x(), preview=True)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragging:
            self._dragging = False
            self.desk.change(self.desk.job, "room for the new system")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        now = marks(self.desk)
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageDown: -10, Qt.Key.Key_PageUp: 10}
        if event is None or now is None or event.key() not in steps:
            super().keyPressEvent(event)
            return
        size = max(GIB, min(now.most // MIB * MIB, now.chosen + steps[event.key()] * GIB))  # type: ignore[index]
        self.desk.set_aim("room for the new system", size_bytes=size)
