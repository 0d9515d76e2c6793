"""Stations on lines: the way a start goes, drawn; the firmware's entries are moved and switched on it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from inkshelf.core.boot.routes import Route, Station
from inkshelf.core.machine.state import BootEntry
from inkshelf.ui import theme
from inkshelf.ui.parts import draw_call
from inkshelf.ui.startmap.entries import Entries

if TYPE_CHECKING:
    from inkshelf.ui.startmap.chapter import StartChapter

COLUMNS = ("firmware", "entry", "loader", "menu", "system")
TITLES = ("firmware", "entry, in order", "loader file", "menu", "system")
BROKEN = ("stop", "warn")
"""How a way is drawn that ends, and one that nobody read."""


def _ended(route: Route) -> str:
    return "warn" if route.reached.unclear else "stop"


class StartMap(QWidget):
    """Stations on lines; a broken line ends where and says why."""

    ROW, TOP, LEAST, ASIDE = 64, 30, 160, 30

    def __init__(self, chapter: StartChapter) -> None:
        super().__init__()
        self.chapter = chapter
        self.entries = Entries(chapter)
        self._drag: int | None = None
        self._at = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("start map")

    def refresh(self) -> None:
        """Make room for the routes there are."""
        self.setMinimumHeight(int(self._aside_top()) + self.ASIDE * len(self.chapter.now.aside) + 4)
        words = [
            f"{route.entry.title}: {'reaches ' + ', '.join(route.systems) if route.systems else route.broken}"
            for route in self.chapter.now.routes
        ]
        words += [f"{one.title}: not tried, {why}" for one, why in self.chapter.now.aside]
        self.setAccessibleDescription("; ".join(words))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(700, 260)

    def _row_at(self, x: float, y: float) -> int | None:
        """Which entry that can be moved is drawn there."""
        left, width = self._columns()[COLUMNS.index("entry")]
        row = int((y - self.TOP) // self.ROW)
        inside = left <= x <= left + width and 0 <= row < len(self.chapter.now.routes)
        return row if inside and self.entries.movable(row) else None

    def _aside_top(self) -> float:
        return self.TOP + self.ROW * max(2, len(self.chapter.now.routes))

    def _aside_at(self, x: float, y: float) -> BootEntry | None:
        """Which entry that is not tried is drawn there."""
        left, width = self._columns()[COLUMNS.index("entry")]
        row = int((y - self._aside_top()) // self.ASIDE)
        aside = self.chapter.now.aside
        return aside[row][0] if left <= x <= left + width and 0 <= row < len(aside) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        aside = self._aside_at(event.position().x(), event.position().y())
        if aside is not None:
            self.entries.menu_aside(self, event.globalPosition().toPoint(), aside)
            return
        row = self._row_at(event.position().x(), event.position().y())
        self.entries.selected = row
        if row is not None and event.button() == Qt.MouseButton.RightButton:
            self.entries.menu(self, event.globalPosition().toPoint())
        elif row is not None:
            self._drag, self._at = row, event.position().y()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is not None:
            self._at = event.position().y()
            self.update()
            return
        over = self._row_at(event.position().x(), event.position().y())
        self.setCursor(Qt.CursorShape.SizeVerCursor if over is not None else Qt.CursorShape.ArrowCursor)
        aside = self._aside_at(event.position().x(), event.position().y())
        self.setToolTip(self.entries.words(over) if over is not None else "press it to have it tried" if aside else "")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is not None and event is not None:
            row = max(0, int((event.position().y() - self.TOP) // self.ROW))
            dragged, self._drag = self._drag, None
            self.entries.moved(dragged, row)
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self.entries.key(event):
            super().keyPressEvent(event)
        self.update()

    def _columns(self) -> list[tuple[float, float]]:
        width = self.width() - 8
        each = width / 5
        return [(2 + place * each, min(168.0, each - 22)) for place in range(5)]

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        columns = self._columns()
        painter.setFont(theme.serif(14))
        painter.setPen(ink.color("pencil"))
        for (x, width), words in zip(columns, TITLES, strict=True):
            painter.drawText(QRectF(x, 2, width, 20), Qt.AlignmentFlag.AlignCenter, words)
        now = self.chapter.now
        rows = max(1, len(now.routes))
        middle = self.TOP + self.ROW * (now.reached if now.reached is not None else (rows - 1) / 2) + self.ROW / 2
        for place, route in enumerate(now.routes):
            self._lead(painter, columns, middle, place, route)
        firmware = now.machine.firmware
        secure = "no Secure Boot" if firmware.mode == "legacy" else f"Secure Boot {firmware.secure_boot or 'unknown'}"
        mode = {"uefi": "UEFI", "legacy": "legacy", None: "mode not known"}[firmware.mode]
        self._station(painter, columns[0], middle, Station("firmware", mode, secure), "ink")
        for place, route in enumerate(now.routes):
            self._route(painter, columns, place, route)
        self._aside(painter, columns)
        self._chosen(painter, columns[COLUMNS.index("entry")])
        if not now.routes:
            painter.setFont(theme.serif(15, italic=True))
            painter.setPen(ink.color("stop"))
            painter.drawText(QPointF(columns[1][0], middle + 5), "nothing here is started this way")

    def _aside(self, painter: QPainter, columns: list[tuple[float, float]]) -> None:
        """Entries that are there and not tried, small, each with the reason."""
        ink, (x, width) = theme.current(), columns[COLUMNS.index("entry")]
        for row, (entry, why) in enumerate(self.chapter.now.aside):
            y = self._aside_top() + self.ASIDE * row
            pen = QPen(ink.color("faint"), 1.4)
            pen.setDashPattern([2, 3])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            box = QRectF(x, y + 2, width, self.ASIDE - 6)
            painter.drawRoundedRect(box, 5, 5)
            painter.setPen(ink.color("pencil"))
            _fitted(painter, box.adjusted(6, 0, -6, 0), entry.title, (theme.sans(12), theme.sans(11)))
            painter.setFont(theme.serif(14, italic=True))
            words = QRectF(x + width + 12, y, self.width() - x - width - 16, self.ASIDE)
            painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, f"{entry.variable} is not tried: {why}")

    def _chosen(self, painter: QPainter, column: tuple[float, float]) -> None:
        """The entry that the keys mean, and where one that is dragged would go."""
        ink, row = theme.current(), self.entries.selected
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if row is not None and row < len(self.chapter.now.routes) and self.hasFocus():
            painter.setPen(QPen(ink.color("stop"), 2))
            painter.drawRoundedRect(
                QRectF(column[0] - 4, self.TOP + self.ROW * row + self.ROW / 2 - 27, column[1] + 8, 54), 7, 7
            )
        if self._drag is not None:
            y = self.TOP + self.ROW * max(0, round((self._at - self.TOP) / self.ROW))
            painter.setPen(QPen(ink.color("stop"), 3))
            painter.drawLine(QPointF(column[0] - 8, y), QPointF(column[0] + column[1] + 8, y))

    def _state(self, place: int, route: Route) -> str:
        now = self.chapter.now
        if now.reached is not None and place > now.reached:
            return "faint"
        return "ink" if route.systems else "warn" if route.reached.unclear else "stop"

    def _lead(self, painter: QPainter, columns: list[tuple[float, float]], middle: float, place: int, route: Route) -> None:
        ink, state = theme.current(), self._state(place, route)
        y = self.TOP + self.ROW * place + self.ROW / 2
        begin, end = QPointF(columns[0][0] + columns[0][1], middle), QPointF(columns[1][0], y)
        path = QPainterPath(begin)
        path.cubicTo(QPointF((begin.x() + end.x()) / 2, begin.y()), QPointF((begin.x() + end.x()) / 2, end.y()), end)
        pen = QPen(ink.color(state), 3 if state == "ink" else 1.6)
        if state in BROKEN:
            pen.setDashPattern([1.5, 2.5])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)

    def _route(self, painter: QPainter, columns: list[tuple[float, float]], place: int, route: Route) -> None:
        ink, state = theme.current(), self._state(place, route)
        y = self.TOP + self.ROW * place + self.ROW / 2
        last: float | None = None
        for station in route.stations:
            x, width = columns[COLUMNS.index(station.place)]
            broken = bool(route.broken) and station is route.stations[-1]
            if last is not None:
                painter.setPen(QPen(ink.color(state), 3 if state == "ink" else 1.6))
                painter.drawLine(QPointF(last, y), QPointF(x, y))
            detail = f"{place + 1} · {station.detail}" if station.place == "entry" else station.detail
            self._station(
                painter,
                (x, width),
                y,
                Station(station.place, station.title, detail, station.call),
                _ended(route) if broken and state != "faint" else state,
            )
            last = x + width
        if last is not None and route.broken:
            self._end(painter, last, y, route.broken, _ended(route) if state != "faint" else "faint")

    def _end(self, painter: QPainter, x: float, y: float, why: str, tint: str) -> None:
        ink = theme.current()
        pen = QPen(ink.color(tint), 1.8)
        pen.setDashPattern([1.5, 2.5])
        painter.setPen(pen)
        painter.drawLine(QPointF(x, y), QPointF(x + 26, y))
        painter.setPen(QPen(ink.color(tint), 3))
        for offset in (29, 35):
            painter.drawLine(QPointF(x + offset, y - 9), QPointF(x + offset, y + 9))
        painter.setFont(theme.serif(14, 600, italic=True))
        box = QRectF(x + 46, y - 24, self.width() - x - 52, 48)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap, why)

    def _station(self, painter: QPainter, column: tuple[float, float], y: float, station: Station, state: str) -> None:
        ink = theme.current()
        box = QRectF(column[0], y - 23, column[1], 46)
        pen = QPen(ink.color(state), 1.7)
        if state in BROKEN:
            pen.setDashPattern([3, 2])
        painter.setPen(pen)
        painter.setBrush(ink.color("card"))
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(ink.color("pencil" if state == "faint" else state))
        title = QRectF(box.left() + 4, box.top() + 6, box.width() - 8, 20)
        _fitted(painter, title, station.title, (theme.sans(13, 600), theme.sans(12, 600), theme.sans(11, 600)))
        painter.setPen(ink.color(state if state in BROKEN else "pencil"))
        detail = QRectF(box.left() + 4, box.top() + 24, box.width() - 8, 18)
        _fitted(painter, detail, station.detail, (theme.mono(11), theme.sans(11)))
        if station.call:
            draw_call(painter, box.right() + 5, box.top() - 13, station.call, right=True)


def _fitted(painter: QPainter, box: QRectF, text: str, fonts: tuple[QFont, ...]) -> None:
    """Write in the middle of a box, in the first font in which the text has room; in the last it may be cut."""
    font = next((one for one in fonts if QFontMetricsF(one).horizontalAdvance(text) <= box.width()), fonts[-1])
    painter.setFont(font)
    shown = QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideMiddle, box.width())
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shown)
