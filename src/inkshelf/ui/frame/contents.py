"""The table of contents on the left: chapters in the order of the work, each with its open questions."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.chapters import CHAPTERS, KEYS
from inkshelf.ui.desk import Desk

TOP, ROW = 50, 38


class Line(Value, frozen=True):
    """One chapter as it stands in the contents; ``open`` marks a question that is open."""

    key: str
    title: str
    hint: str
    open: bool


def lines(desk: Desk) -> tuple[Line, ...]:
    """Return the chapters with their hints, from the reading."""
    return tuple(Line(one.key, one.title, *one.hint(desk)) for one in CHAPTERS)


def machine_lines(desk: Desk) -> tuple[tuple[str, str], ...]:
    """Return the machine in a few lines, for the foot of the contents."""
    from inkshelf.core.size import binary, decimal

    found = desk.job.found
    if not found.disks:
        return ()
    rows = [
        ("firmware", {"uefi": "UEFI", "legacy": "legacy"}.get(found.firmware.mode or "", "not known yet")),
        ("Secure Boot", found.firmware.secure_boot or "not known yet"),
        ("memory", binary(found.ram_bytes) if found.ram_bytes else "not known yet"),
    ]
    for disk in found.disks[:3]:
        rows += [(f"disk {disk.id}", decimal(disk.size, 1)), ("serial", disk.serial or "not known yet")]
    more = len(found.disks) - 3
    return (*rows, *([("and", f"{more} more disk{'s' if more > 1 else ''}")] if more > 0 else []))


class Contents(QWidget):
    """Chapters as a printed table of contents; arrow keys or a click open one."""

    def __init__(self, desk: Desk, opened: Callable[[str], None]) -> None:
        super().__init__()
        self.desk, self._opened = desk, opened
        self._hovered = -1
        self._drawn: object = None
        self.setObjectName("contents")
        self.setFixedWidth(208)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("contents")

    def refresh(self) -> None:
        """Draw anew where a chapter's hint or the machine changed; a drag leaves most of it as it is."""
        now = (lines(self.desk), machine_lines(self.desk))
        if now != self._drawn:
            self._drawn = now
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(208, 500)

    def row_at(self, y: float) -> int:
        """The chapter's place under a height, or -1."""
        row = int((y - TOP) // ROW)
        return row if 0 <= row < len(CHAPTERS) and y >= TOP else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event.position().y()) if event else -1
        if row >= 0:
            self._opened(KEYS[row])

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event.position().y()) if event else -1
        if row != self._hovered:
            self._hovered = row
            self.setCursor(Qt.CursorShape.PointingHandCursor if row >= 0 else Qt.CursorShape.ArrowCursor)
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._hovered = -1
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        at = KEYS.index(self.desk.chapter)
        if event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
            self._opened(KEYS[(at + (1 if event.key() == Qt.Key.Key_Down else -1)) % len(KEYS)])
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.serif(14))
        painter.setPen(ink.color("pencil"))
        painter.drawText(QPointF(24, 34), "Contents")
        for row, line in enumerate(lines(self.desk)):
            self._chapter(painter, row, line)
        self._machine(painter)

    def _chapter(self, painter: QPainter, row: int, line: Line) -> None:
        ink = theme.current()
        y = TOP + row * ROW
        here = line.key == self.desk.chapter
        if here or row == self._hovered:
            painter.fillRect(QRectF(0, y + 2, self.width() - 2, ROW - 4), ink.color("card" if here else "select"))
        if here:
            painter.fillRect(QRectF(0, y + 2, 4, ROW - 4), ink.color("stop" if self.hasFocus() else "ink"))
        painter.setFont(theme.serif(17, 600 if here else 400))
        painter.setPen(ink.color("ink"))
        painter.drawText(QPointF(24, y + 25), line.title)
        begin = 24 + painter.fontMetrics().horizontalAdvance(line.title) + 8
        painter.setFont(theme.sans(12))
        wide = painter.fontMetrics().horizontalAdvance(line.hint)
        end = self.width() - 18 - wide
        if line.hint:
            pen = QPen(ink.color("faint"), 1.3)
            pen.setDashPattern([1, 3.4])
            painter.setPen(pen)
            painter.drawLine(QPointF(begin, y + 22), QPointF(end - 7, y + 22))
            painter.setPen(ink.color("stop" if line.open else "pencil"))
            painter.drawText(QPointF(end, y + 25), line.hint)

    def _machine(self, painter: QPainter) -> None:
        rows = machine_lines(self.desk)
        if not rows:
            return
        ink = theme.current()
        y = max(TOP + ROW * len(CHAPTERS) + 40, self.height() - 22 * len(rows) - 20)
        painter.setFont(theme.serif(14))
        painter.setPen(ink.color("pencil"))
        painter.drawText(QPointF(24, y - 12), "This machine")
        for place, (what, value) in enumerate(rows):
            painter.setFont(theme.sans(11))
            painter.setPen(ink.color("pencil"))
            painter.drawText(QPointF(24, y + 10 + place * 21), what)
            painter.setPen(ink.color("stop" if "not known" in value else "ink"))
            metrics, room = painter.fontMetrics(), self.width() - 104
            text = (
                value
                if metrics.horizontalAdvance(value) <= room
                else metrics.elidedText(value, Qt.TextElideMode.ElideRight, room)
            )
            painter.drawText(QPointF(92, y + 10 + place * 21), text)
