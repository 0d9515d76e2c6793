"""Small widgets that every chapter uses: labels, choices, cards, call-number marks."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QLabel, QLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from inkshelf.ui import theme

MAY_BREAK = "\u200b"  # zero width: what is drawn stays as it is typed


def label(text: str = "", font: QFont | None = None, *, quiet: bool = False, wrap: bool = False) -> QLabel:
    """Return a label in the program's faces."""
    made = QLabel(text)
    made.setFont(font or theme.sans())
    made.setProperty("quiet", quiet)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


class OneLine(QLabel):
    """A label of one line; what there is no room for ends in three dots, and the tip has all of it."""

    def __init__(self, text: str = "", font: QFont | None = None, *, quiet: bool = False) -> None:
        super().__init__()
        self._whole = ""
        self.setFont(font or theme.sans())
        self.setProperty("quiet", quiet)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)

    def setText(self, text: str | None) -> None:
        if text == self._whole:
            return
        self._whole = text or ""
        self.setAccessibleName(self._whole)
        self.updateGeometry()
        self._fit()

    def text(self) -> str:
        return self._whole

    def _fit(self) -> None:
        room = self.contentsRect().width()
        shown = self.fontMetrics().elidedText(self._whole, Qt.TextElideMode.ElideRight, room)
        super().setText(shown)
        self.setToolTip("" if shown == self._whole else self._whole)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def sizeHint(self) -> QSize:
        inside = self.contentsMargins()
        wide = self.fontMetrics().horizontalAdvance(self._whole) + 2 + inside.left() + inside.right()
        return QSize(wide, super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        return QSize(24, super().minimumSizeHint().height())


def button(text: str, do: Callable[[], object], *, primary: bool = False, link: bool = False, tip: str = "") -> QPushButton:
    """Return a push button that calls ``do``."""
    made = QPushButton(text.replace("&", "&&"))
    made.setProperty("primary", primary)
    made.setProperty("link", link)
    made.setFont(theme.sans(12 if link else 13, 500))
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    made.setAccessibleName(text)
    if tip:
        made.setToolTip(tip)
    made.clicked.connect(lambda _checked: do())  # Qt would hand its own argument on
    return made


def card(*, margins: int = 16) -> tuple[QFrame, QVBoxLayout]:
    """Return a card and its layout."""
    frame = QFrame()
    frame.setObjectName("card")
    box = QVBoxLayout(frame)
    box.setContentsMargins(margins, margins - 4, margins, margins - 2)
    box.setSpacing(8)
    return frame, box


def scrolled(inside: QWidget) -> QScrollArea:
    """Return an area that scrolls ``inside`` up and down, never sideways."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inside)
    return area


def heading(title: str) -> tuple[QHBoxLayout, OneLine]:
    """Return the head of a chapter: its title, and a quiet line beside it that may be cut where room is short."""
    row = QHBoxLayout()
    row.addWidget(label(title, theme.serif(26)))
    row.addSpacing(8)
    line = OneLine("", theme.sans(13), quiet=True)
    row.addWidget(line, 1)
    return row, line


class Choice(QWidget):
    """One question with a few answers side by side; the answer in use is inked, ``None`` means not answered."""

    def __init__(self, name: str, answers: Sequence[tuple[str, object]], chosen: Callable[[object], None]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._answers = [value for _, value in answers]
        self._chosen = chosen
        self._group = QButtonGroup(self)
        self._group.setExclusive(True)
        row = QHBoxLayout(self)
        row.setContentsMargins(1, 0, 0, 0)
        row.setSpacing(0)
        for place, (text, _) in enumerate(answers):
            one = QPushButton(text)
            one.setCheckable(True)
            one.setProperty("choice", True)
            one.setFont(theme.sans(12, 500))
            one.setAccessibleName(f"{name}: {text}")
            one.setCursor(Qt.CursorShape.PointingHandCursor)
            self._group.addButton(one, place)
            row.addWidget(one)
        row.addStretch(1)
        self._group.idClicked.connect(lambda place: self._chosen(self._answers[place]))

    def set_value(self, value: object) -> None:
        """Show which answer is in use, without asking anybody."""
        place = next((at for at, one in enumerate(self._answers) if one == value), None)
        self._group.setExclusive(False)
        for at, one in enumerate(self._group.buttons()):
            one.setChecked(at == place)
        self._group.setExclusive(True)

    def chosen(self) -> QWidget:
        """The button of the answer in use, else the first."""
        return self._group.checkedButton() or self._group.buttons()[0]

    def button(self, place: int) -> QPushButton:
        """The button of the answer at ``place``."""
        return self._group.buttons()[place]  # type: ignore[return-value]


def draw_call(painter: QPainter, x: float, y: float, call: str, *, planned: bool = False, right: bool = False) -> float:
    """Draw a call-number mark with its top left (or right) corner at a place; return its width."""
    ink = theme.current()
    painter.save()
    painter.setFont(theme.mono(12, 700))
    width = painter.fontMetrics().horizontalAdvance(call) + 12.0
    box = QRectF(x - width if right else x, y, width, 20)
    pen = QPen(ink.color("pencil" if planned else "ink"), 1.4)
    if planned:
        pen.setStyle(Qt.PenStyle.DashLine)
    painter.setPen(pen)
    painter.setBrush(ink.color("card"))
    painter.drawRoundedRect(box, 2.5, 2.5)
    painter.setPen(ink.color("pencil" if planned else "ink"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, call)
    painter.restore()
    return width


class CallMark(QWidget):
    """A call-number mark as a widget of its own."""

    def __init__(self, call: str, *, planned: bool = False) -> None:
        super().__init__()
        self._call, self._planned = call, planned
        self.setFixedSize(34, 22)
        self.setAccessibleName(f"call number {call}")

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_call(painter, 1, 1, self._call, planned=self._planned)


def clear(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item else None
        if widget is not None:
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        elif item and item.layout():
            clear(item.layout())  # type: ignore[arg-type]
