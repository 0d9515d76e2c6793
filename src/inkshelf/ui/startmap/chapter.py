"""The Start chapter: the way a start goes as stations on a line, at any step, and the table of mishaps."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent, QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QSlider, QVBoxLayout, QWidget

from inkshelf.core.boot.mishaps import Mishap, mishaps
from inkshelf.core.boot.rehearse import Outcome, rehearse
from inkshelf.core.boot.routes import Route
from inkshelf.core.boot.uefi import left_aside, routes
from inkshelf.core.machine.state import BootEntry, Machine
from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.page import Page
from inkshelf.ui.parts import label, scrolled
from inkshelf.ui.startmap.map import StartMap
from inkshelf.ui.startmap.mending import Mends
from inkshelf.ui.startmap.mishaps import Mishaps
from inkshelf.ui.startmap.overlay import Overlay
from inkshelf.ui.startmap.own import OwnMishap
from inkshelf.ui.startmap.switched import Switched
from inkshelf.ui.startmap.watch import Watch

MAP_PART = 0.42  # of the page's height, at most


class Rehearsal(Value, frozen=True):
    """What the chapter shows: the state after a step and a mishap, its routes, entries that are not tried, and every outcome."""

    machine: Machine
    routes: tuple[Route, ...]
    aside: tuple[tuple[BootEntry, str], ...]
    reached: int | None
    mishaps: tuple[Mishap, ...]
    outcomes: dict[tuple[str, str], Outcome]


def rehearsal(desk: Desk, step: int, mishap: str) -> Rehearsal:
    """Return the rehearsal of a step (0: as found) after a mishap."""
    states = desk.reading.plan.machines
    state = states[max(0, min(step, len(states) - 1))]
    known = mishaps(state, desk.job.mishaps)
    chosen = next((one for one in known if one.key == mishap), known[0])
    after = chosen.befall(state)
    tried = routes(after)
    reached = next((place for place, route in enumerate(tried) if route.systems), None)
    outcomes = {(one.system, one.mishap): one for one in rehearse(state, desk.job.mishaps)}
    return Rehearsal(after, tried, left_aside(after), reached, known, outcomes)


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
        self.map = StartMap(self)
        self.top = scrolled(self.map)
        box.addWidget(self.top)
        self.area = scrolled(self._ways())
        self.watch.grew.connect(lambda: QTimer.singleShot(0, lambda: self.area.ensureWidgetVisible(self.watch, 0, 8)))
        box.addWidget(self.area, 1)
        self.now = rehearsal(desk, 0, "none")
        self.refresh()

    def _ways(self) -> QWidget:
        """What the chosen mishap comes to, the mishaps, real firmware; one thing to scroll where they have no room, under the map that stays."""
        inside = QWidget()
        ways = QVBoxLayout(inside)
        ways.setContentsMargins(0, 0, 0, 0)
        ways.setSpacing(8)
        self.detail = label("", theme.sans(13), wrap=True)
        self.detail.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        ways.addWidget(self.detail)
        self.mends = Mends(self.desk)
        ways.addWidget(self.mends)
        self.table = Mishaps(self)
        ways.addWidget(self.table)
        self.overlay = Overlay(self.desk)
        self.overlay.chosen.connect(self.table.refresh)
        ways.addWidget(self.overlay)
        self.switched = Switched(self.desk)
        ways.addWidget(self.switched)
        self.own = OwnMishap(self.desk)
        ways.addWidget(self.own)
        self.watch = Watch(self.desk, self._bench, self._meant)
        ways.addWidget(self.watch)
        ways.addStretch(1)
        return inside

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._share()

    def _share(self) -> None:
        """The map has the height that its ways need, and at most its part of the page."""
        self.top.setFixedHeight(min(self.map.minimumHeight() + 2, max(StartMap.LEAST, int(self.height() * MAP_PART))))

    def _meant(self) -> Mishap:
        """The mishap that is looked at, as it is at the end of the plan."""
        known = mishaps(self.desk.reading.plan.planned, self.desk.job.mishaps)
        return next((one for one in known if one.key == self.mishap), known[0])

    def wait(self) -> None:
        """Nothing goes on in a thread when the window is gone."""
        self.watch.wait()
        self.overlay.wait()

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
        self.map.refresh()
        self._share()
        self.overlay.refresh()
        self.table.refresh()
        self.switched.refresh()
        self.table.setVisible(bool(self.now.outcomes))
        self._say()
        self.own.refresh(chosen.key)
        self.own.setVisible(bool(self.now.outcomes))
        self.mends.refresh(self.now.machine, chosen, at_end=self.step == last)
        self.watch.refresh()

    @property
    def at_end(self) -> bool:
        """Whether the end of the plan is shown."""
        return self.step == len(self.desk.reading.plan.machines) - 1

    def tell(self, words: str) -> None:
        """Say why something was not done, in the place of what the mishap comes to, until something changes."""
        self.detail.setText(words)

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
        said = [f"{call} {one.why}" for (call, key), one in self.now.outcomes.items() if key == self.mishap]
        self.detail.setText(" · ".join(said))


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
