"""The day as ribbons: a machine a line, what needs a person as boxes, what is waited for hatched, now as a line in red lead."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from inkshelf.ui import theme

if TYPE_CHECKING:
    from inkshelf.core.day.planning import Placed, Ribbon
    from inkshelf.store.logbook.today import Today

NAME, READY, TALL, AXIS, HIGH = 150.0, 96.0, 30.0, 20.0, 22.0
STEPS = (15, 30, 60, 120, 240)
EMPTY = "No machine is on the bench: a job that is planned or begun, and not over, stands here with its hours."


class Ribbons(QWidget):
    """The day's plan, drawn."""

    def __init__(self) -> None:
        super().__init__()
        self.today: Today | None = None
        self.setMinimumHeight(190)
        self.setAccessibleName("the day")

    def show_day(self, today: Today) -> None:
        """Draw this day."""
        self.today = today
        self.setAccessibleDescription(in_words(today))
        self.setToolTip(in_words(today))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        day = self.today.day if self.today else None
        if self.today is None or day is None or not day.ribbons:
            painter.setFont(theme.sans(13))
            painter.setPen(theme.current().color("pencil"))
            painter.drawText(QRectF(self.rect()).adjusted(0, 8, -8, 0), Qt.TextFlag.TextWordWrap, EMPTY)
            return
        room = self.width() - NAME - READY
        scale = room / max(day.ready, 30.0)
        top = AXIS
        self._hours(painter, self.today, scale, room, top + TALL * len(day.ribbons))
        for ribbon in day.ribbons:
            self._ribbon(painter, self.today, ribbon, top, scale)
            top += TALL
        painter.setPen(QPen(theme.current().color("stop"), 2))
        painter.drawLine(QPointF(NAME, AXIS - 4), QPointF(NAME, top + 2))

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
        painter.drawText(QRectF(0, top, NAME - 10, TALL), Qt.AlignmentFlag.AlignVCenter, name)
        for one in ribbon.placed:
            self._span(painter, one, QRectF(NAME + one.begins * scale, top + 4, (one.ends - one.begins) * scale, HIGH))
        painter.setFont(theme.mono(12, 700))
        painter.setPen(ink.color("stop" if ribbon.late else "ink"))
        said = f"ready {clock(today.now + round(ribbon.ready * 60))}"
        painter.drawText(
            QRectF(self.width() - READY, top, READY - 2, TALL),
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


def in_short(today: Today) -> str:
    """Return what comes next, and when all are ready."""
    day = today.day
    if not day.ribbons:
        return "nothing is on the bench"
    following = day.next_up()
    comes = f"next: {following[0].name}, {following[1].span.title.lower()}" if following else "nobody is needed"
    likely, late = (clock(today.now + round(minutes * 60)) for minutes in (day.ready, day.ready * today.longer))
    proven = "" if day.proven else " · not proven to be the best"
    return f"{comes} · all ready at {likely}, 8 of 10 by {late}{proven} · hatched: it is waited for"


def in_words(today: Today) -> str:
    """Return what comes next, and when each can be collected."""
    day = today.day
    if not day.ribbons:
        return EMPTY
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
        words.append(f"{one.name}: ready at {likely}, 8 of 10 by {late}.")
    if today.passed_over:
        words.append(f"Not planned, for there is no room: {', '.join(today.passed_over)}.")
    return " ".join(words)
