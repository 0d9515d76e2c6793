"""The shelf as a widget: shows the layout, turns mouse and keys into changes of the aim."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QPoint, QPointF, QSize, Qt
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from inkshelf.core.disk.filesystems import title
from inkshelf.core.disk.types import type_name
from inkshelf.core.machine.roles import flag_words
from inkshelf.core.size import GIB, MIB, both
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.shelf import painter as draw
from inkshelf.ui.shelf.layout import Edge, Shelf, Spine, lay_out, snap

if TYPE_CHECKING:
    from inkshelf.ui.shelf.hand import HandMenu

REACH = 13.0
LARGEST = 1.25


class Board(QWidget):
    """Two boards, ribbons and a tape for one disk. Edges are dragged, or moved with the arrow keys."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.disk = "A"
        self.edge = "room"
        self.zoom = 1.0
        self.closer = False
        self._hovered = ""
        self._dragging: tuple[Edge, float, int] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(int(draw.TOTAL))
        self.setAccessibleName("shelf")
        self.setAccessibleDescription(
            "Left and right move the edge, with Shift in steps of 10 GiB, with Ctrl of 1 MiB. Up and down choose a volume. "
            "E takes the other edge, L locks a size, Z looks closer at small volumes, Menu offers steps by hand."
        )

    def sizeHint(self) -> QSize:
        return QSize(720, int(draw.TOTAL * self.zoom))

    def shelf(self) -> Shelf | None:
        """The layout as it is drawn now."""
        return lay_out(self.desk.reading, self.disk, 0.0, self.width() / self.zoom, self.desk.job.unit, closer=self.closer)

    def fill(self, height: float) -> None:
        """Draw larger, up to a quarter, where there is more height in pixels than the boards need."""
        self.zoom = max(1.0, min(LARGEST, height / draw.TOTAL))
        if self.height() != int(draw.TOTAL * self.zoom):
            self.setFixedHeight(int(draw.TOTAL * self.zoom))

    def look_closer(self) -> None:
        """Give small volumes the width of their words, or every volume its share again."""
        self.closer = not self.closer
        self.update()

    def refresh(self) -> None:
        """Draw the job as it is now, and tell of the volume under the mouse."""
        self.setToolTip(self.describe(self._hovered))
        self.update()

    def paintEvent(self, event: object) -> None:
        shelf = self.shelf()
        if shelf:
            painter = QPainter(self)
            painter.scale(self.zoom, self.zoom)
            draw.draw_shelf(
                painter,
                shelf,
                self.width() / self.zoom,
                self.desk.job.unit,
                self.desk.selected,
                self.edge,
                self._hovered,
                focused=self.hasFocus(),
            )

    # -- mouse ---------------------------------------------------------------------------------------------------
    def _edge_at(self, shelf: Shelf, at: QPointF) -> Edge | None:
        near = [
            edge
            for edge in shelf.edges
            if abs(edge.x - at.x()) <= REACH and draw.PLANNED_TOP - 14 <= at.y() <= draw.TAPE_TOP + draw.TAPE_HEIGHT
        ]
        return min(near, key=lambda one: abs(one.x - at.x()), default=None)

    def spine_at(self, shelf: Shelf, at: QPointF) -> Spine | None:
        """The spine under a point, on either board."""
        for spines, top, foot in (
            (shelf.found, draw.FOUND_TOP, draw.FOUND_FOOT),
            (shelf.planned, draw.PLANNED_TOP, draw.PLANNED_FOOT),
        ):
            if top <= at.y() <= foot:
                return next((one for one in spines if one.x <= at.x() <= one.x + one.width), None)
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        shelf = self.shelf()
        if event is None or shelf is None or event.button() != Qt.MouseButton.LeftButton:
            return
        edge = self._edge_at(shelf, event.position() / self.zoom)
        if edge:
            self.edge = edge.key
            self._dragging = (edge, event.position().x() / self.zoom, self._behind(edge))
            self.desk.select(edge.call)
            self.update()
            return
        spine = self.spine_at(shelf, event.position() / self.zoom)
        self.desk.select(spine.call if spine else "")

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        shelf = self.shelf()
        if event is None or shelf is None:
            return
        if self._dragging:
            edge, begun, behind = self._dragging
            fine = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            moved = int((event.position().x() / self.zoom - begun) / shelf.scale.bulk) if shelf.scale.bulk else 0
            self._move(edge, snap(edge, edge.place + moved, behind, MIB if fine else GIB), behind, preview=True)
            return
        at = event.position() / self.zoom
        edge_now, spine = self._edge_at(shelf, at), self.spine_at(shelf, at)
        self.setCursor(
            Qt.CursorShape.SplitHCursor
            if edge_now
            else Qt.CursorShape.PointingHandCursor
            if spine
            else Qt.CursorShape.ArrowCursor
        )
        if (spine.call if spine else "") != self._hovered:
            self._hovered = spine.call if spine else ""
            self.refresh()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragging:
            edge, _, _ = self._dragging
            self._dragging = None
            self.desk.change(self.desk.job, _words(edge))

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hovered = ""
        self.refresh()

    def describe(self, call: str) -> str:
        """A volume in words: what it is, how large, what it is called elsewhere."""
        found = self.desk.reading.plan.planned.find(call) or self.desk.reading.plan.found.find(call)
        if found is None:
            return ""
        disk, volume = found
        lines = [f"{call}: {type_name(volume.type_id)}, partition {volume.number}", both(volume.size)]
        if volume.used is not None:
            lines.append(f"{both(volume.used)} used")
        system = volume.filesystem
        if system is not None:
            least = (
                f"smallest {both(system.smallest_bytes)}: {system.smallest_why}"
                if system.smallest_bytes
                else system.smallest_why
            )
            lines += [least] if least else []
            lines += [
                f"{one.name}: {both(one.size_bytes)} {title(one.kind) if one.kind else ''}".rstrip() for one in system.inside
            ]
        if disk.device:
            lines.append(f"{disk.device}{'p' if disk.device[-1:].isdigit() else ''}{volume.number} where it was captured")
        return "\n".join(lines + flag_words(volume))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer steps by hand for what is under the mouse, or for what is selected where a key asked."""
        shelf = self.shelf()
        if event is None or shelf is None:
            return
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        menu = self.hand_menu(shelf, None if by_key else QPointF(event.pos()) / self.zoom)
        if menu is not None:
            menu.aboutToHide.connect(menu.deleteLater)
            menu.popup(self.mapToGlobal(QPoint(20, int(draw.PLANNED_TOP * self.zoom))) if by_key else event.globalPos())

    def hand_menu(self, shelf: Shelf, at: QPointF | None) -> HandMenu | None:
        """Return the menu for the planned volume or gap at a point (``None``: the selected volume)."""
        from inkshelf.ui.shelf.hand import HandMenu  # late: the window is ready sooner

        disk = self.desk.reading.plan.planned.disk(self.disk)
        spine = self.spine_at(shelf, at) if at is not None else None
        call = spine.call if spine else (self.desk.selected if at is None else "")
        volume = next((one for one in disk.volumes if one.call == call), None)
        if volume is not None:
            self.desk.select(volume.call)
            return HandMenu(self, self.desk, disk, volume)
        if at is None or not draw.PLANNED_TOP <= at.y() <= draw.PLANNED_FOOT:
            return None
        gap = next((one for one in disk.gaps() if shelf.scale.x(one.start) <= at.x() <= shelf.scale.x(one.end)), None)
        return HandMenu(self, self.desk, disk, gap) if gap else None

    # -- keys ----------------------------------------------------------------------------------------------------
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        shelf = self.shelf()
        if event is None or shelf is None:
            return
        key, held = event.key(), event.modifiers()
        edge = next((one for one in shelf.edges if one.key == self.edge), next(iter(shelf.edges), None))
        if key in {Qt.Key.Key_Left, Qt.Key.Key_Right} and edge:
            grain = MIB if held & Qt.KeyboardModifier.ControlModifier else GIB
            step = (10 if held & Qt.KeyboardModifier.ShiftModifier else 1) * grain
            behind = self._behind(edge)
            place = snap(edge, edge.place + (step if key == Qt.Key.Key_Right else -step), behind, grain)
            self._move(edge, place, behind, preview=False)
        elif key in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
            calls = list(dict.fromkeys(one.call for one in shelf.planned))
            at = calls.index(self.desk.selected) if self.desk.selected in calls else -1
            if calls:
                self.desk.select(calls[(at + (1 if key == Qt.Key.Key_Down else -1)) % len(calls)])
        elif key == Qt.Key.Key_E and len(shelf.edges) > 1:
            self.edge = "root" if self.edge == "room" else "room"
            self.update()
        elif key == Qt.Key.Key_L and self.desk.selected:
            self.desk.toggle_lock(self.desk.selected)
        elif key == Qt.Key.Key_Escape and self._dragging:
            self._dragging = None
            self.desk.drop()
        else:
            super().keyPressEvent(event)

    # -- what an edge means --------------------------------------------------------------------------------------
    def _behind(self, edge: Edge) -> int:
        """Where the room that the edge sizes is counted from: its far end, or the root volume's start."""
        planned = self.desk.reading.plan.planned.disk(self.disk)
        new = [one for one in planned.volumes if one.planned]
        return max(one.end for one in new) if edge.key == "room" else next(one.start for one in new if one.role == "system")

    def _move(self, edge: Edge, place: int, behind: int, *, preview: bool) -> None:
        job = self.desk.job
        if edge.key != "room" and job.aim is not None and "root" in dict(job.aim.sizes):
            self.desk.say(Notice("The size of the root volume is locked.", "L opens it again where it is selected."))
        elif edge.key == "room":
            self.desk.set_aim(_words(edge), preview=preview, size_bytes=behind - place)
        else:
            self.desk.set_aim(_words(edge), preview=preview, root_bytes=place - behind)


def _words(edge: Edge) -> str:
    return "room for the new system" if edge.key == "room" else "size of the root volume"
