"""The Shelf chapter: the boards, what becomes of every byte, and what still starts at every step."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from inkshelf.core.boot.rehearse import systems
from inkshelf.core.sheet.reckon import byte_figures
from inkshelf.core.size import both
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.page import Page
from inkshelf.ui.parts import Choice, OneLine, button, clear, draw_call, label, scrolled
from inkshelf.ui.shelf.board import Board

if TYPE_CHECKING:
    from inkshelf.ui.shelf.overview import AllDisks

SPARE = 40
ALL = "all"


class ShelfChapter(Page):
    """Chapter of the contents: see and drag the plan."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(28, 20, 24, 8)
        box.setSpacing(8)
        self._inside = inside
        outer.addWidget(scrolled(inside))
        self._head = QHBoxLayout()
        box.addLayout(self._head)
        self.board = Board(desk)
        self._disks: Choice | None = None
        self._known: tuple[str, ...] = ()
        self.together = False  # every disk, one below the other
        box.addWidget(self.board)
        self._all: AllDisks | None = None
        self._box = box
        self.bytes = ByteRow(desk)
        box.addWidget(self.bytes)
        self.stops = StopStrip(desk)
        box.addWidget(self.stops)
        box.addStretch(1)
        self._empty = button("Take a disk in", lambda: desk.show("intake"), primary=True)
        box.addWidget(self._empty, 0, Qt.AlignmentFlag.AlignLeft)
        self.refresh()

    def refresh(self) -> None:
        """Show the job as it is now."""
        disks = self.desk.job.found.disks
        if self.board.disk not in {one.id for one in disks} and disks:
            self.board.disk = disks[0].id
        self._heading()
        self.together = self.together and len(disks) > 1
        self.board.setVisible(bool(disks) and not self.together)
        if self._all is not None or self.together:
            self.all_disks.setVisible(self.together)
            self.all_disks.update()
        for part in (self.bytes, self.stops):
            part.setVisible(bool(disks))
        self._empty.setVisible(not disks)
        self.board.refresh()
        self.bytes.update()
        self.stops.refresh()
        self._fill()

    @property
    def all_disks(self) -> AllDisks:
        """Every disk, one below the other; made when somebody first asks for it."""
        if self._all is None:
            from inkshelf.ui.shelf import overview  # late: most machines have one disk

            self._all = overview.AllDisks(self.desk, self._choose)
            self._all.setVisible(self.together)
            self._box.insertWidget(self._box.indexOf(self.board) + 1, self._all)
        return self._all

    def select(self) -> None:
        """What is selected is drawn so, wherever it stands."""
        for child in self.findChildren(QWidget, ""):
            child.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fill()

    def _fill(self) -> None:
        """Give the boards the height that nothing else needs; what is left over stays free at the foot."""
        shown = self.all_disks if self.together else self.board
        others = self._inside.minimumSizeHint().height() - shown.height()
        shown.fill(self.height() - others - SPARE)

    def _heading(self) -> None:
        facts = (
            *tuple(f"{one.id}{one.identity()}" for one in self.desk.job.found.disks),
            self.board.disk,
            self.desk.job.unit,
            str(self.together),
            str(self.board.closer),
        )
        if facts == self._known:
            return
        self._known = facts
        clear(self._head)
        self._head.addWidget(label("Shelf", theme.serif(26)), 0, Qt.AlignmentFlag.AlignBottom)
        disks = self.desk.job.found.disks
        disk = next((one for one in disks if one.id == self.board.disk), None)
        if disk is None:
            self._head.addWidget(label("no disk yet", theme.sans(13), quiet=True))
            self._head.addStretch(1)
            return
        if len(disks) > 1:
            each = [(f"Disk {one.id}", one.id) for one in disks]
            self._disks = Choice("disk", [("all disks", ALL), *each], self._choose)
            self._disks.set_value(ALL if self.together else disk.id)
            self._head.addWidget(self._disks)
        else:
            name = label(f"Disk {disk.id}", theme.serif(17))
            name.setContentsMargins(0, 0, 0, 3)
            self._head.addWidget(name, 0, Qt.AlignmentFlag.AlignBottom)
        self._head.addSpacing(8)
        facts_line = f"{both(disk.size)} · {disk.model or 'model not known'} · serial {disk.serial or 'not known'} · {disk.table.kind.upper()} · {disk.sector}-byte sectors"
        line = OneLine(
            "as found in the strip, as planned on the board" if self.together else facts_line, theme.sans(12), quiet=True
        )
        line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        line.setContentsMargins(0, 0, 0, 6)
        self._head.addWidget(line, 1, Qt.AlignmentFlag.AlignBottom)
        for link in self._links():
            self._head.addWidget(link, 0, Qt.AlignmentFlag.AlignBottom)

    def _links(self) -> list[QPushButton]:
        """What can be pressed beside the facts of a disk."""
        words, tip = "to scale" if self.board.closer else "look closer", "Z: small volumes as wide as their words"
        look = [] if self.together else [button(words, self.look_closer, link=True, tip=tip)]
        return [*look, button("key to the hatches", self.show_key, link=True)]

    def show_together(self) -> None:
        """Show every disk, one below the other."""
        self._choose(ALL)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Z and not self.together:
            self.look_closer()
        else:
            super().keyPressEvent(event)

    def look_closer(self) -> None:
        """Give small volumes the width of their words, or every volume its share again."""
        self.board.look_closer()
        self._heading()

    def show_key(self) -> None:
        """Open the key to the hatches."""
        from inkshelf.ui.shelf.key import HatchKey  # late: the window is ready sooner

        HatchKey(self.window() or self).open_over()

    def _choose(self, disk: object) -> None:
        self.together = disk == ALL
        if not self.together:
            self.board.disk = str(disk)
        self.refresh()


class ByteRow(QWidget):
    """What becomes of every byte: five figures that add up to the ledger."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(66)
        self.setAccessibleName("what becomes of every byte")

    def paintEvent(self, event: object) -> None:
        ink, ledger = theme.current(), self.desk.reading.ledger
        painter = QPainter(self)
        painter.setFont(theme.serif(15))
        painter.setPen(ink.color("ink"))
        painter.drawText(QPointF(2, 16), "What becomes of every byte")
        tints = {"erased": "stop" if ledger.erased_bytes else "ink", "new": "pencil", "lost": "stop" if ledger.lost else "ok"}
        for place, (words, figure) in enumerate(byte_figures(ledger)):
            x = 2.0 + place * min(150.0, self.width() / 5)
            painter.setFont(theme.sans(12))
            painter.setPen(ink.color("pencil"))
            painter.drawText(QPointF(x, 37), words)
            painter.setFont(theme.mono(16, 700))
            painter.setPen(ink.color(tints.get(words, "ink")))
            painter.drawText(QPointF(x, 58), figure)


class StopStrip(QWidget):
    """If it stops here: systems down, steps across. A click shows the step on the sheet."""

    ROW, LEFT, TOP = 21, 40, 30

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAccessibleName("if it stops here: what still starts after each step")
        self._drawn: object = None
        self.setMouseTracking(True)

    def refresh(self) -> None:
        """Make room for the systems there are."""
        count = len(systems(self.desk.reading.plan.planned))
        if self.height() != self.TOP + self.ROW * max(1, count) + 24:
            self.setFixedHeight(self.TOP + self.ROW * max(1, count) + 24)
        now = (self.desk.reading.stops, self.desk.reading.no_return, len(self.desk.job.steps))
        if now != self._drawn:
            self._drawn = now
            self.update()

    def _cell(self) -> float:
        return (self.width() - self.LEFT - 4) / max(1, len(self.desk.job.steps))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and self.desk.job.steps and event.position().x() > self.LEFT:
            self.desk.show("sheet", min(len(self.desk.job.steps), int((event.position().x() - self.LEFT) / self._cell()) + 1))

    def paintEvent(self, event: object) -> None:
        ink, reading = theme.current(), self.desk.reading
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.serif(15))
        painter.setPen(ink.color("ink"))
        painter.drawText(QPointF(2, 16), "If it stops here")
        painter.setFont(theme.sans(12))
        painter.setPen(ink.color("pencil"))
        if not self.desk.job.steps:
            words = "no steps: this cannot be planned" if self.desk.job.plan_fault else "no steps yet: choose an aim"
            painter.drawText(QPointF(130, 16), words)
            return
        if not systems(reading.plan.planned):
            painter.drawText(QPointF(130, 16), "no system is known on these disks, so there is nothing to rehearse")
            return
        painter.drawText(QPointF(130, 16), f"what still starts after each of {len(self.desk.job.steps)} steps")
        for row, volume in enumerate(systems(reading.plan.planned)):
            self._row(painter, row, volume.call, planned=volume.planned)
        self._line(painter)

    def _row(self, painter: QPainter, row: int, call: str, *, planned: bool) -> None:
        ink, cell = theme.current(), self._cell()
        y = self.TOP + row * self.ROW
        draw_call(painter, 2, y - 1, call, planned=planned)
        for number in range(1, len(self.desk.reading.stops)):
            one = next((item for item in self.desk.reading.stops[number] if item.system == call), None)
            box = QRectF(self.LEFT + (number - 1) * cell + 1, y, cell - 2, self.ROW - 5)
            if one is not None and not one.starts and not one.sure:
                painter.setPen(QPen(ink.color("warn"), 1, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
            elif one is None or not one.starts:
                pen = QPen(ink.color("stop" if one else "faint"), 1)
                pen.setDashPattern([1.5, 2])
                painter.setPen(pen)
                painter.setBrush(ink.color("stop_wash") if one else Qt.BrushStyle.NoBrush)
            else:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(ink.color("warn" if one.by_hand else "ok_wash"))
            painter.drawRect(box)

    def _line(self, painter: QPainter) -> None:
        number = self.desk.reading.no_return
        if number is None:
            return
        ink = theme.current()
        x = self.LEFT + (number - 1) * self._cell()
        foot = self.TOP + self.ROW * len(systems(self.desk.reading.plan.planned))
        painter.setPen(QPen(ink.color("stop"), 2))
        painter.drawLine(QPointF(x, self.TOP - 4), QPointF(x, foot + 10))
        painter.setFont(theme.sans(11, 500))
        step = self.desk.job.steps[number - 1]
        words = f"point of no return: step {number}, {step.kind.replace('-', ' ')} {getattr(step, 'call', '')}".rstrip()
        wide = painter.fontMetrics().horizontalAdvance(words)
        left = x + 6 if x + 6 + wide <= self.width() else x - 6 - wide
        painter.drawText(QPointF(left, foot + 10), words)
