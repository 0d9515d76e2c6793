"""A stick as a shelf: its volumes as frames, the images in them as books, a tape underneath. Images are dropped on it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDropEvent, QFontMetricsF, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from inkshelf.core.disk.filesystems import title
from inkshelf.core.media.material import stem_of
from inkshelf.core.sheet.media import StickPlan
from inkshelf.core.size import binary
from inkshelf.ui import theme
from inkshelf.ui.media.layout import NARROW, Book, Drawn, Frame, drawn
from inkshelf.ui.media.pile import MIME
from inkshelf.ui.parts import draw_call
from inkshelf.ui.shelf.hatches import draw_hatch

TOP, HEIGHT, HEAD, TAPE = 10.0, 190.0, 34.0, 26.0
FOOT = TOP + HEIGHT
TOTAL = FOOT + 10 + TAPE + 4


class StickBoard(QWidget):
    """One planned stick. ``dropped``: told the name of an image that was let go on it; ``chosen``: the call number of a volume that was pressed."""

    def __init__(self, dropped: Callable[[str], None], chosen: Callable[[str], None]) -> None:
        super().__init__()
        self._dropped, self._chosen = dropped, chosen
        self.plan: StickPlan | None = None
        self.selected = ""
        self._over = False
        self.setAcceptDrops(True)
        self.setFixedHeight(int(TOTAL))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(460, int(TOTAL))

    def refresh(self, plan: StickPlan | None, selected: str) -> None:
        """Show a stick as it is planned."""
        self.plan, self.selected = plan, selected
        if plan is not None:
            images = ", ".join(one.name for one in plan.images if one.fits) or "no image"
            self.setAccessibleName(f"stick {plan.disk}, {plan.identity}: {images}; {binary(plan.free)} free")
        self.update()

    @property
    def drawn(self) -> Drawn:
        """Where everything stands now."""
        assert self.plan is not None  # noqa: S101 - asked only while a stick is shown
        return drawn(self.plan, self.width() - 2.0)

    def paintEvent(self, event: object) -> None:
        if self.plan is None:
            return
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(1, 0)
        shown = self.drawn
        for frame in shown.frames:
            self._frame(painter, frame)
        if shown.behind:
            self._room(painter, QRectF(shown.behind.x, TOP + 26, shown.behind.width, HEIGHT - 29), shown.behind.size)
        if not shown.frames:
            self._empty(painter)
        painter.setPen(QPen(ink.color("stop" if self._over else "ink"), 4))
        painter.drawLine(QPointF(0, FOOT + 2), QPointF(self.width() - 2.0, FOOT + 2))
        self._tape(painter, shown)

    def _empty(self, painter: QPainter) -> None:
        ink = theme.current()
        pen = QPen(ink.color("faint"), 1.3)
        pen.setDashPattern([2, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        box = QRectF(0, TOP + 20, self.width() - 3.0, HEIGHT - 20)
        painter.drawRect(box)
        painter.setPen(ink.color("pencil"))
        painter.setFont(theme.sans(13))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "drop an image here")

    def _frame(self, painter: QPainter, frame: Frame) -> None:
        ink = theme.current()
        low = frame.width < NARROW
        top = TOP + (26 if low else 0)
        box = QRectF(frame.x, top, frame.width, FOOT - top)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("card"))
        painter.drawRect(box)
        if not frame.books:
            level = box.height() * max(frame.used, 0.02)
            painter.setBrush(ink.color("used"))
            painter.drawRect(QRectF(box.left(), FOOT - level, box.width(), level))
            draw_hatch(painter, box, frame.volume.role)
        pen = QPen(ink.color("stop" if frame.call == self.selected else "pencil"), 2.4 if frame.call == self.selected else 1.5)
        pen.setDashPattern([3.2, 2.2])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        self._words(painter, frame, box)
        for book in frame.books:
            self._book(painter, book, box.top() + HEAD)

    def _words(self, painter: QPainter, frame: Frame, box: QRectF) -> None:
        ink = theme.current()
        system = frame.volume.filesystem
        kind = title(system.kind) if system else "no file system"
        label = f"“{system.label}”" if system and system.label else ""
        draw_call(painter, box.left() + 5, box.top() + 6, frame.call, planned=True)
        if box.width() >= NARROW:
            painter.setPen(ink.color("pencil"))
            painter.setFont(theme.sans(12))
            words = f"{label} {kind} \N{MIDDLE DOT} {binary(frame.volume.size)}".strip()
            fit = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width() - 52))
            painter.drawText(QPointF(box.left() + 44, box.top() + 20), fit)
        else:
            _up(painter, f"{kind} {binary(frame.volume.size)}", box, "pencil")

    def _book(self, painter: QPainter, book: Book, top: float) -> None:
        ink = theme.current()
        box = QRectF(book.x, top, book.width, FOOT - top - 3)
        if not book.name:
            self._room(painter, box, book.size)
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("used"))
        painter.drawRect(box)
        draw_hatch(painter, box, "medium")
        painter.setPen(QPen(ink.color("ink"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(box, 2, 2)
        figure = f"{book.size / (1 << 30):.1f}" if book.size >= 1 << 26 else f"{book.size / (1 << 30):.2f}"  # GiB, as the tape
        painter.setFont(theme.mono(11, 600))
        plate = QRectF(box.left() + 2, box.top() + 4, box.width() - 4, 16)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("card"))
        painter.drawRect(plate)
        painter.setPen(ink.color("ink"))
        painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, figure)
        _up(painter, stem_of(book.name), box.adjusted(0, 22, 0, 0), "ink")

    def _room(self, painter: QPainter, box: QRectF, size: int) -> None:
        ink = theme.current()
        box = box.adjusted(0, box.height() * 0.28, 0, 0)
        pen = QPen(ink.color("faint"), 1.2)
        pen.setDashPattern([1.5, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.setPen(ink.color("pencil"))
        if box.width() < 64:
            _up(painter, f"free {binary(size)}", box, "pencil")
            return
        painter.setFont(theme.sans(12))
        painter.drawText(
            box.adjusted(0, -18, 0, -18),
            Qt.AlignmentFlag.AlignCenter,
            "free for\nthe next" if self.plan and self.plan.largest_next else "free",
        )
        painter.setFont(theme.mono(12, 600))
        painter.drawText(box.adjusted(0, 28, 0, 28), Qt.AlignmentFlag.AlignCenter, binary(size))

    def _tape(self, painter: QPainter, shown: Drawn) -> None:
        ink = theme.current()
        box = QRectF(0, FOOT + 8, self.width() - 2.0, TAPE)
        painter.setPen(QPen(ink.color("line"), 1))
        painter.setBrush(ink.color("tape"))
        painter.drawRect(box)
        painter.setFont(theme.mono(11))
        painter.setPen(ink.color("tape_ink"))
        for x, size in shown.marks:
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.top() + 7))
            words = f"{size / (1 << 30):g}"
            wide = painter.fontMetrics().horizontalAdvance(words)
            if x + wide + 6 < box.right() - 34:
                painter.drawText(QPointF(x + 4, box.bottom() - 6), words)
        painter.setFont(theme.mono(11, 700))
        painter.drawText(QPointF(box.right() - 30, box.bottom() - 6), "GiB")

    # -- what is done with it ------------------------------------------------------------------------------------
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        at = event.position().x() if event else 0.0
        hit = next((one.call for one in (self.drawn.frames if self.plan else ()) if one.x <= at <= one.x + one.width), "")
        if hit:
            self._chosen(hit)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasFormat(MIME):
            self._over = True
            event.acceptProposedAction()
            self.update()

    def dragLeaveEvent(self, event: QDragLeaveEvent | None) -> None:
        self._over = False
        self.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        self._over = False
        if event and data and data.hasFormat(MIME):
            event.acceptProposedAction()
            self._dropped(data.data(MIME).data().decode())
        self.update()


def _up(painter: QPainter, words: str, box: QRectF, colour: str) -> None:
    """Words up the back, as books have them, on a plate so that the pattern does not run through them."""
    ink = theme.current()
    painter.save()
    painter.setFont(theme.sans(12, 500))
    measure = QFontMetricsF(painter.font())
    fit = measure.elidedText(words, Qt.TextElideMode.ElideRight, box.height() - 16)
    wide = measure.horizontalAdvance(fit)
    painter.translate(box.center().x(), box.bottom() - 8)
    painter.rotate(-90)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink.color("card"))
    painter.drawRoundedRect(QRectF(-3, -9, wide + 6, 18), 3, 3)
    painter.setPen(ink.color(colour))
    painter.drawText(QPointF(0, 4.5), fit)
    painter.restore()
