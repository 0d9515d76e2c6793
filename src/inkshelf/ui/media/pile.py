"""The images as a pile of slips: what each needs, whether its sum agrees, whether it is on the stick. A slip is dragged onto a stick, or off it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QDrag, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QApplication, QSizePolicy, QVBoxLayout, QWidget

from inkshelf.core.media.material import Image
from inkshelf.core.sheet.media import OnStick
from inkshelf.core.size import decimal
from inkshelf.ui import theme
from inkshelf.ui.media.words import starts_words, state_words

HIGH, MIME = 52, "application/x-inkshelf-image"


class Slip(QWidget):
    """One image of the pile. ``pressed``: told its name and what is wished: open, toggle or out."""

    def __init__(self, image: Image, on: OnStick | None, pressed: Callable[[str, str], None]) -> None:
        super().__init__()
        self.image, self.on, self._pressed = image, on, pressed
        self._from = QPoint()
        self.setFixedHeight(HIGH)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        words, _ = state_words(image)
        lies = f"on {on.volume}" if on and on.fits else f"not on the stick: {on.why}" if on else "not on this stick"
        self.setAccessibleName(f"image {image.name}, {decimal(image.size)}, {starts_words(image)}, {words}, {lies}")
        self.setToolTip(f"{image.name}\n{lies}\nEnter: look into it; space: on the stick or off it; Delete: out of the pile")

    def sizeHint(self) -> QSize:
        return QSize(230, HIGH)

    @property
    def fits(self) -> bool:
        """Whether it is on a stick."""
        return bool(self.on and self.on.fits)

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(1, 1, self.width() - 2, self.height() - 2)
        words, colour = state_words(self.image)
        painter.setPen(
            QPen(
                ink.color("stop" if self.hasFocus() else "ink" if self.underMouse() else "line"), 2 if self.hasFocus() else 1.2
            )
        )
        painter.setBrush(ink.color("card" if self.fits else "paper"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("ink" if self.fits else "faint"))
        painter.drawRect(QRectF(1, 4, 5, self.height() - 8))
        painter.setFont(theme.mono(12, 700))
        size = decimal(self.image.size)
        wide = painter.fontMetrics().horizontalAdvance(size)
        painter.setPen(ink.color("ink" if self.fits else "pencil"))
        painter.drawText(QPointF(self.width() - wide - 12, 21), size)
        painter.setFont(theme.sans(13, 600))
        name = painter.fontMetrics().elidedText(self.image.name, Qt.TextElideMode.ElideRight, self.width() - wide - 40)
        painter.drawText(QPointF(16, 21), name)
        painter.setFont(theme.sans(12))
        painter.setPen(ink.color(colour))
        room = painter.fontMetrics().horizontalAdvance(words)
        painter.drawText(QPointF(self.width() - room - 12, 40), words)
        painter.setPen(ink.color("pencil"))
        left = painter.fontMetrics().elidedText(starts_words(self.image), Qt.TextElideMode.ElideRight, self.width() - room - 40)
        painter.drawText(QPointF(16, 40), left)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        wishes = {
            Qt.Key.Key_Return: "open",
            Qt.Key.Key_Enter: "open",
            Qt.Key.Key_Space: "toggle",
            Qt.Key.Key_Delete: "out",
            Qt.Key.Key_Backspace: "out",
        }
        wish = wishes.get(Qt.Key(event.key())) if event else None
        if wish is None:
            super().keyPressEvent(event)
        else:
            self._pressed(self.image.name, wish)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and event.button() == Qt.MouseButton.LeftButton:
            self._from = event.pos()
            self.setFocus()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        near = event and (event.pos() - self._from).manhattanLength() < QApplication.startDragDistance()
        if event and near and event.button() == Qt.MouseButton.LeftButton:
            self._pressed(self.image.name, "open")

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        if (event.pos() - self._from).manhattanLength() >= QApplication.startDragDistance():
            self.drag()

    def drag(self) -> None:
        """Carry the slip: it is dropped on a stick, or beside it."""
        carried, held = QDrag(self), QMimeData()
        held.setData(MIME, self.image.name.encode())
        carried.setMimeData(held)
        carried.setPixmap(self.grab())
        carried.setHotSpot(self._from)
        carried.exec(Qt.DropAction.MoveAction)


class Pile(QWidget):
    """All slips, one under the other. What is dropped here from a stick is left out."""

    def __init__(self, pressed: Callable[[str, str], None]) -> None:
        super().__init__()
        self._pressed = pressed
        self.slips: dict[str, Slip] = {}
        self._shown: object = None
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 4, 0)
        self._box.setSpacing(5)
        self._box.addStretch(1)

    def refresh(self, images: tuple[Image, ...], on: dict[str, OnStick]) -> None:
        """Show these images, and where each is."""
        now = (images, on)
        if now == self._shown:
            return
        self._shown = now
        focused = next((name for name, one in self.slips.items() if one.hasFocus()), "")
        for one in self.slips.values():
            self._box.removeWidget(one)
            one.hide()
            one.deleteLater()
        self.slips = {one.name: Slip(one, on.get(one.name), self._pressed) for one in images}
        for place, one in enumerate(self.slips.values()):
            self._box.insertWidget(place, one)
        if focused in self.slips:
            self.slips[focused].show()
            self.slips[focused].setFocus()
