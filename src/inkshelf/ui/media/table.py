"""Which stick: those of the job, told apart by more than size, with what their speed makes them good for. A press takes one."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QVBoxLayout, QWidget

from inkshelf.core.machine.state import Disk
from inkshelf.core.media.alike import alike
from inkshelf.core.media.speed import SHORT, good_for, grade
from inkshelf.core.media.times import rate
from inkshelf.core.size import decimal
from inkshelf.ui import theme
from inkshelf.ui.parts import draw_call

HIGH, HEAD = 34, 24
COLUMNS = (("stick", 12), ("serial", 178), ("size", 268), ("writes", 338), ("good for", 478))
BAR, FULL = 54.0, 400_000_000  # pixels of a bar that is full, and the bytes a second that fill it


class StickRow(QAbstractButton):
    """One stick of the job."""

    def __init__(self, disk: Disk, like: str, *, taken: bool) -> None:
        super().__init__()
        self.disk, self.like, self.taken = disk, like, taken
        self.setFixedHeight(HIGH)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        words = self.words
        self.setAccessibleName(f"stick {disk.id}, {disk.identity()}, {words}" + (", taken" if taken else ""))
        self.setToolTip(f"{disk.identity()}\n{good_for(disk)}")

    @property
    def words(self) -> str:
        """What it is good for, or what speaks against it."""
        return f"looks like {self.like}: unplug one of them" if self.like else SHORT[grade(self.disk)]

    def sizeHint(self) -> QSize:
        return QSize(600, HIGH)

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.taken or self.hasFocus() or self.underMouse():
            edge = "stop" if self.hasFocus() else "ink" if self.taken else "line"
            painter.setPen(QPen(ink.color(edge), 1.6))
            painter.setBrush(ink.color("card"))
            painter.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), 4, 4)
        line = self.height() / 2 + 5
        draw_call(painter, 8, self.height() / 2 - 10, self.disk.id)
        painter.setFont(theme.sans(13, 600 if self.taken else 500))
        painter.setPen(ink.color("ink"))
        model = painter.fontMetrics().elidedText(self.disk.model or "model not known", Qt.TextElideMode.ElideRight, 124)
        painter.drawText(QPointF(46, line), model)
        painter.setFont(theme.mono(12))
        serial = painter.fontMetrics().elidedText(self.disk.serial or "not known", Qt.TextElideMode.ElideRight, 84)
        painter.drawText(QPointF(COLUMNS[1][1], line), serial)
        painter.drawText(QPointF(COLUMNS[2][1], line), decimal(self.disk.size))
        self._speed(painter, line)
        bad = bool(self.like or self.disk.failing) or self.words.startswith("nothing")
        painter.setFont(theme.sans(12))
        painter.setPen(ink.color("stop" if bad else "pencil"))
        left = COLUMNS[4][1]
        fit = painter.fontMetrics().elidedText(self.words, Qt.TextElideMode.ElideRight, self.width() - left - 10)
        painter.drawText(QPointF(left, line), fit)

    def _speed(self, painter: QPainter, line: float) -> None:
        ink, left = theme.current(), COLUMNS[3][1]
        measured = bool(self.disk.stick and self.disk.stick.writes)
        painter.setPen(ink.color("pencil"))
        painter.setFont(theme.mono(12))
        if not measured:
            painter.drawText(QPointF(left, line), "not measured")
            return
        share = min(1.0, rate(self.disk) / FULL)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("used"))
        painter.drawRoundedRect(QRectF(left, line - 8, BAR, 7), 3, 3)
        painter.setBrush(ink.color("ok_wash"))
        painter.drawRoundedRect(QRectF(left, line - 8, max(6.0, BAR * share), 7), 3, 3)
        painter.setPen(ink.color("ink"))
        painter.drawText(QPointF(left + BAR + 6, line), f"{rate(self.disk) / 1e6:.0f} MB/s")


class _Head(QWidget):
    """The words over the columns."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEAD)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setFont(theme.sans(12))
        painter.setPen(theme.current().color("pencil"))
        for words, x in COLUMNS:
            painter.drawText(QPointF(x, 16), words)


class Sticks(QWidget):
    """The table. ``take``: told the letter of a stick that was pressed."""

    def __init__(self, take: Callable[[str], None]) -> None:
        super().__init__()
        self._take = take
        self.rows: dict[str, StickRow] = {}
        self._shown: object = None
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(2)
        self._box.addWidget(_Head())

    def refresh(self, disks: tuple[Disk, ...], taken: tuple[str, ...]) -> None:
        """Show these sticks; ``taken``: the letters of those that the aim makes."""
        now = (disks, taken)
        if now == self._shown:
            return
        self._shown = now
        focused = next((key for key, one in self.rows.items() if one.hasFocus()), "")
        for one in self.rows.values():
            self._box.removeWidget(one)
            one.hide()
            one.deleteLater()
        like = {a.id: b.id for pair in alike(disks) for a, b in (pair, pair[::-1])}
        self.rows = {one.id: StickRow(one, like.get(one.id, ""), taken=one.id in taken) for one in disks}
        for key, row in self.rows.items():
            row.clicked.connect(lambda _checked, key=key: self._take(key))
            self._box.addWidget(row)
        if focused in self.rows:
            self.rows[focused].show()
            self.rows[focused].setFocus()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A press beside the rows does nothing."""
