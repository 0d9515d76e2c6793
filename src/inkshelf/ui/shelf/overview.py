"""Every disk on one screen, one below the other: as found in a thin strip, as planned on the board; a press selects, two open one disk."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from inkshelf.core.machine.state import Disk
from inkshelf.core.size import both
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.shelf.layout import Ribbon, Shelf, Space, Spine, lay_out
from inkshelf.ui.shelf.painter import draw_gap, draw_spine

HEAD, STRIP, BETWEEN, BELOW = 26.0, 24.0, 16.0, 18.0
PORTS = {"nvme": "NVMe", "sata": "SATA", "usb": "USB", "ata": "ATA", "mmc": "card"}
LEAST, LARGEST = 96.0, 150.0  # pixels that a board is high


class Band(NamedTuple):
    """One disk's part of the screen: its layout, and where it begins."""

    disk: Disk
    shelf: Shelf
    top: float

    @property
    def strip(self) -> float:
        """Where the strip of what was found ends."""
        return self.top + HEAD + STRIP


class AllDisks(QWidget):
    """All boards. ``open_one`` is told the letter of a disk that a person wants to see alone."""

    def __init__(self, desk: Desk, open_one: Callable[[str], object]) -> None:
        super().__init__()
        self.desk = desk
        self._open = open_one
        self._board = LEAST
        self._hovered = ""
        self._dragged = ""  # the call number of a new volume whose system is dragged
        self._over = ""  # the letter of the disk that it is held over
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("all disks")
        self.setAccessibleDescription(
            "Up and down choose a volume, Enter opens its disk alone. Ctrl with up or down puts a new system on the disk above or below."
        )

    def sizeHint(self) -> QSize:
        return QSize(720, self.height())

    def fill(self, height: float) -> None:
        """Share the height among the disks; boards are never lower than can be read."""
        count = max(1, len(self.desk.job.found.disks))
        self._board = max(LEAST, min(LARGEST, height / count - HEAD - STRIP - BETWEEN - BELOW))
        wanted = int(count * (HEAD + STRIP + BETWEEN + self._board + BELOW))
        if self.height() != wanted:
            self.setFixedHeight(wanted)

    def bands(self) -> list[Band]:
        """Every disk with its layout, as drawn now."""
        each = HEAD + STRIP + BETWEEN + self._board + BELOW
        found = []
        for place, disk in enumerate(self.desk.job.found.disks):
            shelf = lay_out(self.desk.reading, disk.id, 0.0, float(self.width()), self.desk.job.unit)
            if shelf is not None:
                found.append(Band(disk, shelf, place * each))
        return found

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for band in self.bands():
            self._draw(painter, band)

    def _draw(self, painter: QPainter, band: Band) -> None:
        ink = theme.current()
        painter.setFont(theme.serif(15))
        painter.setPen(ink.color("ink"))
        name = f"Disk {band.disk.id}"
        painter.drawText(QPointF(1, band.top + 16), name)
        beside = painter.fontMetrics().horizontalAdvance(name) + 14
        painter.setFont(theme.sans(12))
        painter.setPen(ink.color("pencil"))
        planned = next((one for one in self.desk.reading.plan.planned.disks if one.id == band.disk.id), band.disk)
        words = painter.fontMetrics().elidedText(facts(band.disk, planned), Qt.TextElideMode.ElideRight, self.width() - beside)
        painter.drawText(QPointF(beside, band.top + 16), words)
        foot = band.strip + BETWEEN + self._board
        for ribbon in band.shelf.ribbons:
            _ribbon(painter, ribbon, band.strip, foot - self._board)
        if self._over == band.disk.id:
            painter.setPen(QPen(ink.color("stop"), 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(1, band.top + 1, self.width() - 2, foot - band.top + 5), 4, 4)
        for space in band.shelf.found_gaps:
            _free(painter, space, band.strip - STRIP)
        for spine in band.shelf.found:
            _strip(painter, spine, band.strip - STRIP, warm=spine.call in {self._hovered, self.desk.selected})
        for space in band.shelf.planned_gaps:
            draw_gap(painter, space.x, space.width, foot, self._board, space.size)
        for spine in band.shelf.planned:
            chosen = spine.call == self.desk.selected
            draw_spine(painter, spine, foot, self._board, chosen=chosen, warm=spine.call == self._hovered)
        painter.setPen(QPen(ink.color("ink"), 3))
        for y in (band.strip + 1, foot + 2):
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))

    # -- mouse and keys ------------------------------------------------------------------------------------------
    def spine_at(self, at: QPointF) -> tuple[Band, Spine | None] | None:
        """The disk under a point, and the spine where there is one: on the board as planned, else in the strip."""
        for band in self.bands():
            foot = band.strip + BETWEEN + self._board
            if not band.top <= at.y() <= foot + BELOW:
                continue
            spines = band.shelf.planned if at.y() > band.strip else band.shelf.found
            return band, next((one for one in spines if one.x <= at.x() <= one.x + one.width), None)
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        under = self.spine_at(event.position()) if event else None
        self.desk.select(under[1].call if under and under[1] else "")
        self._dragged = under[1].call if under and under[1] and under[1].planned else ""

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A new system that is let go over another disk is planned there."""
        call, letter, self._dragged, self._over = self._dragged, self._over, "", ""
        self.unsetCursor()
        if call and letter:
            self.desk.put_on(call, letter)
        self.update()

    def _drag(self, under: tuple[Band, Spine | None] | None) -> None:
        own = next((one.disk.id for one in self.bands() if self._dragged in {two.call for two in one.shelf.planned}), "")
        over = under[0].disk.id if under and under[0].disk.id != own else ""
        if over != self._over:
            self._over = over
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        under = self.spine_at(event.position()) if event else None
        if under:
            self._open(under[0].disk.id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        under = self.spine_at(event.position()) if event else None
        if self._dragged and event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._drag(under)
            return
        now = under[1].call if under and under[1] else ""
        if now != self._hovered:
            self._hovered = now
            self.setToolTip(f"{now}: press to select, twice to see its disk alone" if now else "")
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        calls = [spine.call for band in self.bands() for spine in band.shelf.planned]
        if event is None or not calls:
            return
        at = calls.index(self.desk.selected) if self.desk.selected in calls else -1
        if (
            at >= 0
            and event.modifiers() & Qt.KeyboardModifier.ControlModifier
            and event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down}
        ):
            self._to_neighbour(1 if event.key() == Qt.Key.Key_Down else -1)
        elif event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Right}:
            self.desk.select(calls[(at + 1) % len(calls)])
        elif event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Left}:
            self.desk.select(calls[(at - 1) % len(calls)])
        elif event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and at >= 0:
            band = next(one for one in self.bands() if self.desk.selected in {two.call for two in one.shelf.planned})
            self._open(band.disk.id)
        else:
            super().keyPressEvent(event)

    def _to_neighbour(self, by: int) -> None:
        letters = [one.disk.id for one in self.bands()]
        own = next(one.disk.id for one in self.bands() if self.desk.selected in {two.call for two in one.shelf.planned})
        place = letters.index(own) + by
        if 0 <= place < len(letters):
            self.desk.put_on(self.desk.selected, letters[place])


def facts(disk: Disk, planned: Disk) -> str:
    """What a person recognises a disk by, on one line; its table as found, and that another one is planned."""
    where = "external" if disk.removable else "inside"
    by = f"{where}, {PORTS.get(disk.transport, disk.transport)}" if disk.transport else where
    table = "no table" if disk.table.kind == "none" else disk.table.kind.upper()
    if (planned.table.kind, planned.table.guid) != (disk.table.kind, disk.table.guid):
        table += f", becomes a new {planned.table.kind.upper()}"
    return f"{both(disk.size)} · {by} · {disk.model or 'model not known'} · serial {disk.serial or 'not known'} · {table}"


def _strip(painter: QPainter, spine: Spine, top: float, *, warm: bool) -> None:
    """A volume as found: how full it is from the left, and its call number where there is room."""
    ink = theme.current()
    box = QRectF(spine.x, top, spine.width, STRIP - 2)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink.color("card"))
    painter.drawRect(box)
    if spine.level:
        painter.setBrush(ink.color("used"))
        painter.drawRect(QRectF(box.left(), box.top(), box.width() * spine.level, box.height()))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(ink.color("ink"), 2.2 if warm else 1.3))
    painter.drawRect(box)
    painter.setFont(theme.mono(11, 700))
    painter.setPen(ink.color("ink"))
    if painter.fontMetrics().horizontalAdvance(spine.call) <= box.width() - 4:
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, spine.call)


def _free(painter: QPainter, space: Space, top: float) -> None:
    """Free room as found: a dotted box."""
    pen = QPen(theme.current().color("faint"), 1.2)
    pen.setDashPattern([1.5, 3])
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(space.x + 1, top + 2, max(4.0, space.width - 2), STRIP - 6))


def _ribbon(painter: QPainter, ribbon: Ribbon, top: float, foot: float) -> None:
    """From the strip to the board: what is kept; a torn edge where something is given up."""
    ink = theme.current()
    left, right = ribbon.top[0] + 1, ribbon.top[1] - 1
    path = QPainterPath(QPointF(left, top + 3))
    path.lineTo(right, top + 3)
    if ribbon.kind == "lost":
        count = max(2, round((right - left) / 7))
        for at in range(count + 1):
            path.lineTo(right - (right - left) * at / count, top + (9 if at % 2 else 14))
    else:
        path.lineTo(ribbon.foot[1] - 1, foot)
        path.lineTo(ribbon.foot[0] + 1, foot)
    path.closeSubpath()
    lost = ribbon.kind == "lost"
    painter.setPen(QPen(ink.color("stop"), 1.2) if lost else QPen(Qt.PenStyle.NoPen))
    painter.setBrush(ink.color("stop_wash" if lost else "used" if ribbon.kind == "stays" else "ribbon"))
    painter.drawPath(path)
