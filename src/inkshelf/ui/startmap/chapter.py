"""The Start chapter: the way a start goes as stations on a line, at any step, and the table of mishaps."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QFont, QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QSlider, QVBoxLayout, QWidget

from inkshelf.core.boot.mishaps import Mishap, mishaps
from inkshelf.core.boot.rehearse import Outcome, outcome, systems
from inkshelf.core.boot.routes import Route, Station
from inkshelf.core.boot.uefi import routes
from inkshelf.core.machine.state import Machine
from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.page import Page
from inkshelf.ui.parts import draw_call, label, scrolled
from inkshelf.ui.startmap.mending import Mends
from inkshelf.ui.startmap.mishaps import Mishaps
from inkshelf.ui.startmap.watch import Watch

COLUMNS = ("firmware", "entry", "loader", "menu", "system")
TITLES = ("firmware", "entry, in order", "loader file", "menu", "system")


class Rehearsal(Value, frozen=True):
    """What the chapter shows: the state after a step and a mishap, its routes, and every outcome."""

    machine: Machine
    routes: tuple[Route, ...]
    reached: int | None
    mishaps: tuple[Mishap, ...]
    outcomes: dict[tuple[str, str], Outcome]


def rehearsal(desk: Desk, step: int, mishap: str) -> Rehearsal:
    """Return the rehearsal of a step (0: as found) after a mishap."""
    states = desk.reading.plan.machines
    state = states[max(0, min(step, len(states) - 1))]
    known = mishaps(state)
    chosen = next((one for one in known if one.key == mishap), known[0])
    after = chosen.befall(state)
    tried = routes(after)
    reached = next((place for place, route in enumerate(tried) if route.systems), None)
    outcomes = {(volume.call, one.key): outcome(state, volume.call, one) for volume in systems(state) for one in known}
    return Rehearsal(after, tried, reached, known, outcomes)


class StartChapter(Page):
    """Chapter of the contents: which systems start, at which step, whatever happens."""

    def __init__(self, desk: Desk, bench: Callable[[], Path]) -> None:
        super().__init__()
        self.desk, self._bench = desk, bench
        self.mishap = "none"
        self.step = 0
        self._follow = True
        box = QVBoxLayout(self)
        box.setContentsMargins(28, 20, 24, 10)
        box.setSpacing(8)
        head = QHBoxLayout()
        head.addWidget(label("Start", theme.serif(26)))
        head.addSpacing(8)
        self.sub = label("", theme.serif(16))
        head.addWidget(self.sub)
        head.addStretch(1)
        self.where = label("", theme.sans(13), quiet=True)
        head.addWidget(self.where)
        box.addLayout(head)
        self.slider = StepLine()
        self.slider.valueChanged.connect(self._slid)
        box.addWidget(self.slider)
        self.area = scrolled(self._ways())
        self.watch.grew.connect(lambda: QTimer.singleShot(0, lambda: self.area.ensureWidgetVisible(self.watch, 0, 8)))
        box.addWidget(self.area, 1)
        self.now = rehearsal(desk, 0, "none")
        self.refresh()

    def _ways(self) -> QWidget:
        """The map, the mishaps under it and what they come to; one thing to scroll where they have no room."""
        inside = QWidget()
        ways = QVBoxLayout(inside)
        ways.setContentsMargins(0, 0, 0, 0)
        ways.setSpacing(8)
        self.map = StartMap(self)
        ways.addWidget(self.map)
        self.table = Mishaps(self)
        ways.addWidget(self.table)
        self.detail = label("", theme.sans(13), wrap=True)
        self.detail.setMinimumHeight(40)
        self.detail.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        ways.addWidget(self.detail)
        self.mends = Mends(self.desk)
        ways.addWidget(self.mends)
        self.watch = Watch(self.desk, self._bench, self._meant)
        ways.addWidget(self.watch)
        ways.addStretch(1)
        return inside

    def _meant(self) -> Mishap:
        """The mishap that is looked at, as it is at the end of the plan."""
        known = mishaps(self.desk.reading.plan.planned)
        return next((one for one in known if one.key == self.mishap), known[0])

    def wait(self) -> None:
        """Nothing goes on in a thread when the window is gone."""
        self.watch.wait()

    def refresh(self) -> None:
        """Show the job as it is now; at the end of the plan unless another step was chosen."""
        last = len(self.desk.reading.plan.machines) - 1
        self.slider.blockSignals(True)
        self.slider.setMaximum(max(0, last))
        self.step = last if self._follow else min(self.step, last)
        self.slider.setValue(self.step)
        self.slider.blockSignals(False)
        self.slider.setEnabled(last > 0)
        self.now = rehearsal(self.desk, self.step, self.mishap)
        chosen = next((one for one in self.now.mishaps if one.key == self.mishap), self.now.mishaps[0])
        self.mishap = chosen.key
        self.sub.setText("when nothing goes wrong" if chosen.key == "none" else f"when: {chosen.title}")
        self.where.setText("as found" if self.step == 0 else f"after step {self.step} of {last}")
        self.map.updateGeometry()
        self.map.refresh()
        self.table.refresh()
        self.table.setVisible(bool(self.now.outcomes))
        self._say()
        self.mends.refresh(self.now.machine, chosen, at_end=self.step == last)
        self.watch.refresh()

    def choose(self, mishap: str) -> None:
        """Rehearse another mishap."""
        self.mishap = mishap
        self.refresh()

    def _slid(self, step: int) -> None:
        self.step = step
        self._follow = step == len(self.desk.reading.plan.machines) - 1
        self.refresh()

    def _say(self) -> None:
        if not self.now.outcomes:
            mode = self.desk.job.found.firmware.mode
            self.detail.setText(
                "No installed system was found."
                if mode
                else "Say under Intake how the firmware starts; then the ways can be rehearsed."
            )
            return
        said = [
            f"{call}: {one.why}" + (f"  ({' → '.join(one.path)})" if one.path else "")
            for (call, key), one in self.now.outcomes.items()
            if key == self.mishap
        ]
        self.detail.setText("\n".join(said))


class StepLine(QSlider):
    """The plan as a line with a tick for each step and a knob; mouse, arrow keys, Home and End choose the step."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setAccessibleName("after which step")
        self.setFixedHeight(26)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def _x(self, value: int) -> float:
        return 10 + (self.width() - 20) * value / max(1, self.maximum())

    def _choose(self, event: QMouseEvent | None) -> None:
        if event and self.isEnabled():
            self.setValue(round((event.position().x() - 10) / max(1, self.width() - 20) * self.maximum()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._choose(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        self._choose(event)

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(ink.color("line"), 3))
        painter.drawLine(QPointF(10, 11), QPointF(self.width() - 10, 11))
        painter.setPen(QPen(ink.color("ink"), 3))
        painter.drawLine(QPointF(10, 11), QPointF(self._x(self.value()), 11))
        for value in range(self.maximum() + 1):
            painter.setPen(QPen(ink.color("ink" if value <= self.value() else "faint"), 1))
            painter.drawLine(QPointF(self._x(value), 14), QPointF(self._x(value), 19))
        painter.setPen(QPen(ink.color("stop" if self.hasFocus() else "ink"), 2.5))
        painter.setBrush(ink.color("ink"))
        painter.drawEllipse(QPointF(self._x(self.value()), 11), 7, 7)


BROKEN = ("stop", "warn")
"""How a way is drawn that ends, and one that nobody read."""


def _ended(route: Route) -> str:
    return "warn" if route.reached.unclear else "stop"


class StartMap(QWidget):
    """Stations on lines; a broken line ends where and says why."""

    ROW, TOP = 74, 34

    def __init__(self, chapter: StartChapter) -> None:
        super().__init__()
        self.chapter = chapter
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("start map")

    def refresh(self) -> None:
        """Make room for the routes there are."""
        self.setMinimumHeight(self.TOP + self.ROW * max(2, len(self.chapter.now.routes)) + 4)
        words = [
            f"{route.entry.title}: {'reaches ' + ', '.join(route.systems) if route.systems else route.broken}"
            for route in self.chapter.now.routes
        ]
        self.setAccessibleDescription("; ".join(words))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(700, 260)

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
        if not now.routes:
            painter.setFont(theme.serif(15, italic=True))
            painter.setPen(ink.color("stop"))
            painter.drawText(QPointF(columns[1][0], middle + 5), "nothing here is started this way")

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
