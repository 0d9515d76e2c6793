"""The Start chapter: the way a start goes as stations on a line, at any step, and the table of mishaps."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QSlider, QVBoxLayout, QWidget

from inkshelf.core.boot.firmware import Route, Station, routes
from inkshelf.core.boot.rehearse import Mishap, Outcome, mishaps, outcome, systems
from inkshelf.core.machine.state import Machine
from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import draw_call, label, scrolled

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
    after = chosen.change(state)
    tried = routes(after)
    reached = next((place for place, route in enumerate(tried) if route.systems), None)
    outcomes = {(volume.call, one.key): outcome(state, volume.call, one) for volume in systems(state) for one in known}
    return Rehearsal(after, tried, reached, known, outcomes)


class StartChapter(QWidget):
    """Chapter of the contents: which systems start, at which step, whatever happens."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
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
        self.map = StartMap(self)
        box.addWidget(scrolled(self.map), 3)
        self.table = Mishaps(self)
        box.addWidget(self.table)
        self.detail = label("", theme.sans(13), wrap=True)
        self.detail.setMinimumHeight(40)
        self.detail.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        box.addWidget(self.detail)
        box.addStretch(1)
        self.now = rehearsal(desk, 0, "none")
        self.refresh()

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
        self._say()

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
        mode = {"uefi": "UEFI", "legacy": "legacy", None: "mode not known"}[firmware.mode]
        self._station(
            painter, columns[0], middle, Station("firmware", mode, f"Secure Boot {firmware.secure_boot or 'not known'}"), "ink"
        )
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
        return "ink" if route.systems else "stop"

    def _lead(self, painter: QPainter, columns: list[tuple[float, float]], middle: float, place: int, route: Route) -> None:
        ink, state = theme.current(), self._state(place, route)
        y = self.TOP + self.ROW * place + self.ROW / 2
        begin, end = QPointF(columns[0][0] + columns[0][1], middle), QPointF(columns[1][0], y)
        path = QPainterPath(begin)
        path.cubicTo(QPointF((begin.x() + end.x()) / 2, begin.y()), QPointF((begin.x() + end.x()) / 2, end.y()), end)
        pen = QPen(ink.color(state), 3 if state == "ink" else 1.6)
        if state == "stop":
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
            title = f"{place + 1}  {station.title}" if station.place == "entry" else station.title
            self._station(
                painter,
                (x, width),
                y,
                Station(station.place, title, station.detail, station.call),
                "stop" if broken and state != "faint" else state,
            )
            last = x + width
        if last is not None and route.broken:
            self._end(painter, last, y, route.broken, "stop" if state != "faint" else "faint")

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
        if state == "stop":
            pen.setDashPattern([3, 2])
        painter.setPen(pen)
        painter.setBrush(ink.color("card"))
        painter.drawRoundedRect(box, 5, 5)
        painter.setFont(theme.sans(13, 600))
        painter.setPen(ink.color("pencil" if state == "faint" else state))
        metrics = painter.fontMetrics()
        painter.drawText(
            QRectF(box.left() + 6, box.top() + 6, box.width() - 12, 20),
            Qt.AlignmentFlag.AlignCenter,
            metrics.elidedText(station.title, Qt.TextElideMode.ElideMiddle, int(box.width() - 14)),
        )
        painter.setFont(theme.mono(11))
        painter.setPen(ink.color("stop" if state == "stop" else "pencil"))
        painter.drawText(
            QRectF(box.left() + 6, box.top() + 24, box.width() - 12, 18),
            Qt.AlignmentFlag.AlignCenter,
            painter.fontMetrics().elidedText(station.detail, Qt.TextElideMode.ElideRight, int(box.width() - 14)),
        )
        if station.call:
            draw_call(painter, box.right() + 5, box.top() - 13, station.call, right=True)


class Mishaps(QWidget):
    """Systems down, mishaps across; a column is rehearsed by clicking it or with the arrow keys."""

    LEFT, HEAD, ROW = 190, 62, 36

    def __init__(self, chapter: StartChapter) -> None:
        super().__init__()
        self.chapter = chapter
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("mishaps: what starts, whatever happens")

    def refresh(self) -> None:
        """Make room for the systems there are."""
        calls = {call for call, _ in self.chapter.now.outcomes}
        self.setFixedHeight(self.HEAD + self.ROW * max(1, len(calls)) + 8)
        words = [
            f"{call} {key}: {'starts' if one.starts else 'does not start'}"
            for (call, key), one in self.chapter.now.outcomes.items()
        ]
        self.setAccessibleDescription("; ".join(words))
        self.update()

    def _cell(self) -> float:
        return (self.width() - self.LEFT - 4) / max(1, len(self.chapter.now.mishaps))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and event.position().x() > self.LEFT:
            place = int((event.position().x() - self.LEFT) / self._cell())
            known = self.chapter.now.mishaps
            self.chapter.choose(known[min(place, len(known) - 1)].key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or event.key() not in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            super().keyPressEvent(event)
            return
        keys = [one.key for one in self.chapter.now.mishaps]
        at = keys.index(self.chapter.mishap) + (1 if event.key() == Qt.Key.Key_Right else -1)
        self.chapter.choose(keys[at % len(keys)])

    def paintEvent(self, event: object) -> None:
        ink, now = theme.current(), self.chapter.now
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.serif(17))
        painter.setPen(ink.color("ink"))
        painter.drawText(QPointF(2, 20), "Mishaps")
        painter.setFont(theme.sans(12))
        painter.setPen(ink.color("pencil"))
        painter.drawText(QPointF(2, 40), "what starts, whatever happens")
        cell = self._cell()
        for place, one in enumerate(now.mishaps):
            box = QRectF(self.LEFT + place * cell, 0, cell, self.height() - 2)
            if one.key == self.chapter.mishap:
                painter.setPen(QPen(ink.color("stop" if self.hasFocus() else "ink"), 1.6))
                painter.setBrush(ink.color("card"))
                painter.drawRoundedRect(box.adjusted(3, 1, -3, -1), 4, 4)
            painter.setPen(ink.color("ink"))
            painter.setFont(theme.sans(12, 600 if one.key == self.chapter.mishap else 400))
            painter.drawText(
                box.adjusted(6, 8, -6, 0),
                Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap,
                one.title,
            )
        for row, call in enumerate(dict.fromkeys(call for call, _ in now.outcomes)):
            self._row(painter, row, call)

    def _row(self, painter: QPainter, row: int, call: str) -> None:
        ink, now = theme.current(), self.chapter.now
        y, cell = self.HEAD + row * self.ROW, self._cell()
        painter.setPen(QPen(ink.color("line"), 1))
        painter.drawLine(QPointF(0, y - 4), QPointF(self.width(), y - 4))
        found = now.machine.find(call) or self.chapter.desk.reading.plan.planned.find(call)
        wide = draw_call(painter, 2, y + 4, call, planned=bool(found and found[1].planned))
        painter.setFont(theme.sans(13))
        painter.setPen(ink.color("ink"))
        title = found[1].holds.title if found and found[1].holds else ""
        painter.drawText(QPointF(wide + 12, y + 19), title)
        for place, one in enumerate(now.mishaps):
            _verdict(painter, QPointF(self.LEFT + (place + 0.5) * cell, y + 13), now.outcomes[call, one.key])


def _verdict(painter: QPainter, at: QPointF, one: Outcome) -> None:
    """A tick, a wave with words, or a cross: shape first, colour second."""
    ink = theme.current()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if one.starts and not one.by_hand:
        painter.setPen(QPen(ink.color("ok"), 3))
        painter.drawPolyline([at + QPointF(-8, 0), at + QPointF(-2, 6), at + QPointF(9, -7)])
    elif one.starts:
        painter.setPen(QPen(ink.color("warn"), 2.6))
        path = QPainterPath(at + QPointF(-9, -3))
        path.cubicTo(at + QPointF(-4, -11), at + QPointF(4, 5), at + QPointF(9, -4))
        painter.drawPath(path)
        painter.setFont(theme.sans(11))
        painter.drawText(QRectF(at.x() - 30, at.y() + 3, 60, 14), Qt.AlignmentFlag.AlignCenter, "by hand")
    else:
        painter.setPen(QPen(ink.color("stop"), 3))
        painter.drawLine(at + QPointF(-7, -7), at + QPointF(7, 7))
        painter.drawLine(at + QPointF(7, -7), at + QPointF(-7, 7))
