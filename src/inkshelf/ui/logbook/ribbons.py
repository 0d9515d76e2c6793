"""The day as ribbons: a machine a line, what needs a person as boxes, what is waited for hatched, now as a line in red lead."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from inkshelf.ui import theme

if TYPE_CHECKING:
    from inkshelf.core.day.planning import Placed, Ribbon
    from inkshelf.store.logbook.today import Today

NAME, READY, AXIS, APART = 150.0, 96.0, 20.0, 8.0
LOW, TALL = 30.0, 46.0  # a machine's line, at least and at most
BELOW = 44.0  # two lines of words under them
STEPS = (15, 30, 60, 120, 240)
EMPTY = "No machine is on the bench: a job that is planned or begun, and not over, stands here with its hours."


class Ribbons(QWidget):
    """The day's plan, drawn."""

    def __init__(self, opens: Callable[[Ribbon], object]) -> None:
        super().__init__()
        self.today: Today | None = None
        self.at = 0
        self._opens = opens
        self.setMinimumHeight(190)
        self.setAccessibleName("the day")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    @property
    def ribbons(self) -> tuple[Ribbon, ...]:
        """The machines that are shown."""
        return self.today.day.ribbons if self.today else ()

    @property
    def tall(self) -> float:
        """The height of a machine's line: what room there is, within bounds."""
        below = BELOW if self.today and self.today.left_out else 0
        return max(LOW, min(TALL, (self.height() - AXIS - below) / max(1, len(self.ribbons))))

    def show_day(self, today: Today | None) -> None:
        """Draw this day, or none."""
        self.today = today
        self.at = min(self.at, max(0, len(self.ribbons) - 1))
        words = in_words(today) if today is not None else ""
        self.setAccessibleDescription(words)
        self.setToolTip(words)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        key = event.key() if event is not None else 0
        if key in {Qt.Key.Key_Down, Qt.Key.Key_Up} and self.ribbons:
            self.at = max(0, min(len(self.ribbons) - 1, self.at + (1 if key == Qt.Key.Key_Down else -1)))
            self.update()
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and self.ribbons:
            self._opens(self.ribbons[self.at])
        else:
            super().keyPressEvent(event)

    def _row(self, event: QMouseEvent | None) -> int | None:
        at = int((event.position().y() - AXIS) // self.tall) if event is not None else -1
        return at if 0 <= at < len(self.ribbons) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        at = self._row(event)
        self.at = self.at if at is None else at
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        at = self._row(event)
        if at is not None:
            self._opens(self.ribbons[at])

    def on_paper(self) -> QPixmap:
        """Return the day as it is saved: with ink on white, whatever the window shows, twice as fine."""
        pixmap = QPixmap(self.size() * 2)
        pixmap.setDevicePixelRatio(2.0)
        with theme.on_white():
            pixmap.fill(theme.current().color("paper"))
            painter = QPainter(pixmap)
            self.draw(painter, chosen=False)
            painter.end()
        return pixmap

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        self.draw(painter, chosen=self.hasFocus())

    def draw(self, painter: QPainter, *, chosen: bool) -> None:
        """Draw the day; ``chosen``: with a line under the chosen machine's name."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        day = self.today.day if self.today else None
        if self.today is None or day is None or not day.ribbons:
            painter.setFont(theme.sans(13))
            painter.setPen(theme.current().color("pencil"))
            words = (self.today.left_out if self.today else "") or EMPTY
            painter.drawText(QRectF(self.rect()).adjusted(0, 8, -8, 0), Qt.TextFlag.TextWordWrap, words)
            return
        room = self.width() - NAME - READY
        scale = room / max(day.ready, 30.0)
        top = AXIS
        self._hours(painter, self.today, scale, room, top + self.tall * len(day.ribbons))
        for at, ribbon in enumerate(day.ribbons):
            self._ribbon(painter, self.today, ribbon, top, scale)
            if chosen and at == self.at:
                painter.setPen(QPen(theme.current().color("ink"), 2))
                painter.drawLine(QPointF(0, top + self.tall - 4), QPointF(NAME - 14, top + self.tall - 4))
            top += self.tall
        painter.setPen(QPen(theme.current().color("stop"), 2))
        painter.drawLine(QPointF(NAME, AXIS - 4), QPointF(NAME, top + 2))
        painter.setFont(theme.sans(12))
        painter.setPen(theme.current().color("pencil"))
        below = QRectF(0, top + 8, self.width() - 8, max(0.0, self.height() - top - 8))
        painter.drawText(below, Qt.TextFlag.TextWordWrap, self.today.left_out)

    def _hours(self, painter: QPainter, today: Today, scale: float, room: float, bottom: float) -> None:
        step = next((one for one in STEPS if one * scale >= 56), STEPS[-1])
        painter.setFont(theme.mono(11))
        first = -(-today.now // (step * 60)) * step * 60
        for at in range(first, today.now + int(room / scale * 60), step * 60):
            x = NAME + (at - today.now) / 60 * scale
            painter.setPen(QPen(theme.current().color("line"), 1))
            painter.drawLine(QPointF(x, AXIS - 2), QPointF(x, bottom))
            painter.setPen(theme.current().color("pencil"))
            painter.drawText(QRectF(x - 30, 0, 60, AXIS - 4), Qt.AlignmentFlag.AlignHCenter, clock(at))

    def _ribbon(self, painter: QPainter, today: Today, ribbon: Ribbon, top: float, scale: float) -> None:
        ink = theme.current()
        painter.setFont(theme.sans(13, 600))
        painter.setPen(ink.color("ink"))
        name = painter.fontMetrics().elidedText(ribbon.name, Qt.TextElideMode.ElideRight, int(NAME - 14))
        painter.drawText(QRectF(0, top, NAME - 10, self.tall), Qt.AlignmentFlag.AlignVCenter, name)
        for one in ribbon.placed:
            self._span(
                painter, one, QRectF(NAME + one.begins * scale, top + 4, (one.ends - one.begins) * scale, self.tall - APART)
            )
        if ribbon.promised is not None and 0 <= ribbon.promised * scale <= self.width() - NAME - READY:
            x = NAME + ribbon.promised * scale
            painter.setPen(QPen(ink.color("stop" if ribbon.late else "warn"), 2.5))
            for begins, ends in ((1, 9), (self.tall - 9, self.tall - 1)):  # what is done then stays readable
                painter.drawLine(QPointF(x, top + begins), QPointF(x, top + ends))
        painter.setFont(theme.mono(12, 700))
        painter.setPen(ink.color("stop" if ribbon.late else "ink"))
        said = f"ready {clock(today.now + round(ribbon.ready * 60))}"
        painter.drawText(
            QRectF(self.width() - READY, top, READY - 2, self.tall),
            int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight),
            said,
        )

    def _span(self, painter: QPainter, one: Placed, box: QRectF) -> None:
        ink = theme.current()
        hands = one.span.takes == "hands"
        painter.setPen(QPen(ink.color("ink" if hands else "pencil"), 1.3 if hands else 1))
        painter.setBrush(ink.color("card" if hands else "used"))
        painter.drawRoundedRect(box, 3, 3)
        if not hands:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QBrush(QColor(ink.pencil), Qt.BrushStyle.BDiagPattern))
            painter.drawRoundedRect(box, 3, 3)
        words = one.span.title.split(", ")
        whole = words[0].lower() if len(words) == 1 else f"{words[0].lower()} to {words[-1].lower()}"
        painter.setFont(theme.sans(11, 500))
        measured = painter.fontMetrics().horizontalAdvance
        label = next((one for one in (whole, words[0].lower()) if measured(one) + 10 <= box.width()), "")
        wide = measured(label)
        if label:
            if not hands:
                painter.setBrush(ink.color("used"))
                painter.drawRoundedRect(
                    QRectF(box.center().x() - wide / 2 - 4, box.top() + 3, wide + 8, box.height() - 6), 3, 3
                )
            painter.setPen(ink.color("ink"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label)


def clock(at: int) -> str:
    """Return a moment as a clock shows it here."""
    return f"{datetime.fromtimestamp(at).astimezone():%H:%M}"


def promised_words(today: Today, one: Ribbon) -> str:
    """Return for when a machine was promised, and how far past that it will be ready."""
    if one.promised is None:
        return ""
    hour = clock(today.now + round(one.promised * 60))
    over = one.ready * today.longer - one.promised
    if one.late:
        return f"; promised for {hour}, {one.late:.0f} minutes late"
    return f"; promised for {hour}" + (f", and in two of ten cases up to {over:.0f} minutes late or more" if over > 0 else "")


def in_short(today: Today) -> str:
    """Return what comes next, and when all are ready."""
    day = today.day
    out = len(today.passed_over) + len(today.unplanned)
    if not day.ribbons:
        return today.left_out or "nothing is on the bench"
    following = day.next_up()
    comes = f"next: {following[0].name}, {following[1].span.title.lower()}" if following else "nobody is needed"
    likely, late = (clock(today.now + round(minutes * 60)) for minutes in (day.ready, day.ready * today.longer))
    late_ones = [one for one in day.ribbons if one.late]
    comes += f" · {late_ones[0].name} {late_ones[0].late:.0f} minutes past its promise" if late_ones else ""
    proven = "" if day.proven else " · not proven to be the best"
    ready = f"the others ready at {likely}" if out else f"all ready at {likely}"
    left = f" · {out} not planned" if out else ""
    return f"{comes} · {ready}, 8 of 10 by {late}{left}{proven} · hatched: it is waited for"


def in_words(today: Today) -> str:
    """Return what comes next, and when each can be collected."""
    day = today.day
    if not day.ribbons:
        return today.left_out or EMPTY
    following = day.next_up()
    words = (
        [
            f"Next: {following[0].name}, {following[1].span.title.lower()}, at {clock(today.now + round(following[1].begins * 60))}."
        ]
        if following
        else []
    )
    for one in day.ribbons:
        likely, late = (clock(today.now + round(minutes * 60)) for minutes in (one.ready, one.ready * today.longer))
        words.append(f"{one.name}: ready at {likely}, 8 of 10 by {late}{promised_words(today, one)}.")
    return " ".join((*words, *([today.left_out] if today.left_out else [])))
