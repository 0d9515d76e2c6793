"""One note of the margin: a finding drawn beside the thing it speaks of, with its remedies as buttons."""

from __future__ import annotations

import re
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetrics, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QInputDialog, QPushButton, QWidget

from inkshelf.core.checks.registry import AnswerFor, Finding, Remedy, Show
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import button

NUMBER = re.compile(r"(?<=\d) (?=(?:[KMGTP]i?)?B\b|%)|(?<=\bstep) (?=\d)|(?<=\bStep) (?=\d)")
WORDS = {"stop": "stop", "warn": "warning", "note": "note"}
WIDTH, LEFT, TALL = 256, 28, 10_000
OCTAGON = ((6.5, 2), (13.5, 2), (19, 7.5), (19, 12.5), (13.5, 18), (6.5, 18), (1, 12.5), (1, 7.5))


def draw_sign(painter: QPainter, severity: str) -> None:
    """Severity by shape first: an octagon stops, a triangle warns, a ring notes. 20 by 20 pixels."""
    ink = theme.current()
    if severity == "stop":
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("stop"))
        painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in OCTAGON]))
        painter.setPen(QPen(ink.color("card"), 2.2))
        painter.drawLine(QPointF(6, 10), QPointF(14, 10))
        return
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if severity == "warn":
        painter.setPen(QPen(ink.color("warn"), 2))
        painter.drawPolygon(QPolygonF([QPointF(10, 2), QPointF(18.5, 17.5), QPointF(1.5, 17.5)]))
        painter.drawLine(QPointF(10, 8), QPointF(10, 12.5))
    else:
        painter.setPen(QPen(ink.color("pencil"), 1.8))
        painter.drawEllipse(QRectF(3, 3, 14, 14))


class Note(QWidget):
    """One finding: sign, title, call numbers, why, remedies. Its words are drawn, its remedies are buttons.

    A press on its sign opens its page of the guide. ``parent``: where it stands. Buttons are measured while it is made, in the style that they have there.
    """

    def __init__(self, finding: Finding, desk: Desk, parent: QWidget, explain: Callable[[str], object]) -> None:
        super().__init__(parent)
        self.finding, self.desk, self._explain = finding, desk, explain
        self.setToolTip("a press on the sign says what this means")
        self._buttons = [self._button(remedy) for remedy in finding.remedies]
        self.rewrite(finding)

    def rewrite(self, finding: Finding) -> None:
        """Show a finding that differs in its words only."""
        self.finding = finding
        self.setAccessibleName(f"{WORDS[finding.severity]}: {finding.title}")
        self._calls = finding.place
        self._title = kept_together(finding.title)
        why = f"{finding.why} Answered for: {finding.overridden}" if finding.overridden else finding.why
        self.setAccessibleDescription(why)
        self._why = kept_together(why)
        self._place()
        self.update()

    def _place(self) -> None:
        """Lay the words out in the width that the margin has, and the remedies under them."""
        calls = QFontMetrics(theme.mono(11, 700)).horizontalAdvance(self._calls)
        self._calls_left = WIDTH - calls
        self._title_box = _box(theme.sans(13, 600), self._title, 5, WIDTH - LEFT - (calls + 8 if calls else 0))
        self._why_box = _box(theme.sans(12), self._why, self._title_box.bottom() + 3, WIDTH - LEFT)
        self.setFixedSize(WIDTH, self._place_remedies(self._why_box.bottom() + 4) + 8)

    def _place_remedies(self, y: int) -> int:
        """Put the remedies side by side where they fit, their middles on one line; return where the last line ends."""
        lines: list[list[tuple[QPushButton, QSize, int]]] = [[]]
        x = LEFT
        for one in self._buttons:
            need = one.sizeHint()
            if x > LEFT and x + need.width() > WIDTH:
                lines.append([])
                x = LEFT
            lines[-1].append((one, need, x))
            x += need.width() + 8
        for line in lines:
            high = max((need.height() for _, need, _ in line), default=0)
            for one, need, left in line:
                one.setGeometry(left, y + (high - need.height()) // 2, need.width(), need.height())
            y += high + 4
        return y - 4

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(0, 4)
        draw_sign(painter, self.finding.severity)
        painter.translate(0, -4)
        for font, tint, box, words in (
            (theme.sans(13, 600), "ink", self._title_box, self._title),
            (theme.sans(12), "pencil", self._why_box, self._why),
        ):
            painter.setFont(font)
            painter.setPen(ink.color(tint))
            painter.drawText(box, Qt.TextFlag.TextWordWrap, words)
        painter.setFont(theme.mono(11, 700))
        painter.drawText(QPointF(self._calls_left, self._title_box.top() + 12.0), self._calls)

    def _button(self, remedy: Remedy) -> QPushButton:
        made = button(remedy.title, lambda: self.apply(remedy), link=isinstance(remedy, Show | AnswerFor))
        made.setParent(self)
        made.setFont(theme.sans(12, 500))
        if not isinstance(remedy, Show | AnswerFor):
            made.setProperty("small", True)
        return made

    def apply(self, remedy: Remedy) -> None:
        """Apply a remedy; one that is answered for asks for the reason, once."""
        if isinstance(remedy, Show):
            self.desk.show(remedy.chapter, remedy.step)
        elif isinstance(remedy, AnswerFor):
            reason, good = QInputDialog.getText(
                self,
                "Answer for it in writing",
                f"{self.finding.title}. {self.finding.why}\nWhy may the work go on all the same? It stands on the sheet.",
            )
            if good and reason.strip():
                self.desk.remedy(remedy, reason)
        else:
            self.desk.remedy(remedy)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.position().x() < LEFT:
            self._explain(self.finding.key)
        elif self.finding.calls:
            self.desk.select(self.finding.calls[0])


def kept_together(text: str) -> str:
    """Let no line end between a number and its unit, or between "step" and its number."""
    return NUMBER.sub("\u00a0", text)


def _box(font: QFont, words: str, top: int, width: int) -> QRect:
    """The box, in pixels, that the words fill when they are wrapped to a width."""
    return QFontMetrics(font).boundingRect(QRect(LEFT, top, width, TALL), Qt.TextFlag.TextWordWrap, words)
