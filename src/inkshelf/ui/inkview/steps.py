"""The steps while they are inked: pencil before, red while it is done, ink afterwards."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QWidget

from inkshelf.bench.stored import stored
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.scene import scenes
from inkshelf.core.sheet.telling import words
from inkshelf.core.size import binary
from inkshelf.core.steps.effort import LEAST, efforts
from inkshelf.core.value import Value
from inkshelf.ui import theme

ROW, LEFT = 27, 34


class Row(Value, frozen=True):
    """One line: what is done, and the bytes that it carries (empty where that is next to nothing)."""

    title: str
    bytes: str


def rows(job: Job, reading: Reading) -> tuple[Row, ...]:
    """Return the lines: copying, the steps, reading back."""
    each = efforts(reading.plan, job.steps, stored(job))
    titles = [words(step, scene).title for _, step, scene in scenes(reading)]
    lines = zip(["Copy the disk, holes and all", *titles, "Read everything back and compare"], each, strict=False)
    return tuple(Row(title, binary(count) if count > 16 * LEAST else "") for title, count in lines)


def time_left(seconds: float | None) -> str:
    """Return the time left in words a person would use."""
    if seconds is None:
        return "time left not known yet"
    if seconds < 5:
        return "a few seconds left"
    if seconds < 90:
        return f"about {round(seconds / 5) * 5:.0f} s left"
    return f"about {seconds / 60:.0f} min left" if seconds < 5400 else f"about {seconds / 3600:.1f} h left"


class StepList(QWidget):
    """Draws the lines; the one that is being done stands out."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: tuple[Row, ...] = ()
        self._now, self._stopped = 0, False
        self.setAccessibleName("steps of inking")

    def show_rows(self, lines: tuple[Row, ...]) -> None:
        """Show these lines, none of them done."""
        self._rows, self._now, self._stopped = lines, 0, False
        self.setFixedHeight(ROW * len(lines) + 8)
        self.update()

    def set_now(self, number: int) -> None:
        """Mark the line that is being done."""
        self._now = number
        if number < len(self._rows):
            self.setAccessibleDescription(f"{number} of {len(self._rows) - 1}: {self._rows[number].title}")
        self.update()

    @property
    def now(self) -> int:
        """The line that is being done."""
        return self._now

    def stop(self) -> None:
        """Show that the work stopped at the line that was being done."""
        self._stopped = True
        self.update()

    def finish(self) -> None:
        """Show that all is done."""
        self.set_now(len(self._rows))

    def place(self, number: int) -> int:
        """The height of a line's middle."""
        return ROW * number + ROW // 2

    def sizeHint(self) -> QSize:
        return QSize(300, ROW * max(1, len(self._rows)) + 8)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink = theme.current()
        last = self.place(len(self._rows) - 1)
        painter.setPen(QPen(ink.color("line"), 2))
        painter.drawLine(QPointF(14, self.place(0)), QPointF(14, last))
        painter.setPen(QPen(ink.color("ink"), 2.4))
        painter.drawLine(QPointF(14, self.place(0)), QPointF(14, min(last, self.place(self._now))))
        for number, row in enumerate(self._rows):
            self._row(painter, number, row)

    def _row(self, painter: QPainter, number: int, row: Row) -> None:
        ink, y = theme.current(), self.place(number)
        done, here = number < self._now, number == self._now
        if here:
            painter.fillRect(
                QRectF(LEFT - 8, y - ROW / 2 + 1, self.width() - LEFT + 4, ROW - 2),
                ink.color("stop_wash" if self._stopped else "select"),
            )
        painter.setPen(QPen(ink.color("ink" if done else "stop" if here else "pencil"), 1.8))
        painter.setBrush(ink.color("ink" if done else "stop" if here else "paper"))
        painter.drawEllipse(QPointF(14, y), 6 if here else 4.5, 6 if here else 4.5)
        painter.setFont(theme.mono(12))
        wide = painter.fontMetrics().horizontalAdvance(row.bytes)
        painter.setPen(ink.color("ink" if done or here else "pencil"))
        box = QRectF(0, y - ROW / 2, self.width() - 12, ROW)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, row.bytes)
        painter.setFont(theme.sans(13, 600 if here else 400))
        room = self.width() - LEFT - wide - 28
        text = painter.fontMetrics().elidedText(row.title, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(LEFT, y - ROW / 2, room, ROW), Qt.AlignmentFlag.AlignVCenter, text)
