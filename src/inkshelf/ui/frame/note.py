"""One note of the margin: a finding drawn beside the thing it speaks of, with its remedies as buttons."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetrics, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QInputDialog, QPushButton, QWidget

from inkshelf.core.checks.registry import AnswerFor, Finding, Remedy, Show
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import button

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
    """One finding: sign, title, call numbers, why, remedies. Its words are drawn, its remedies are buttons."""

    def __init__(self, finding: Finding, desk: Desk) -> None:
        super().__init__()
        self.finding, self.desk = finding, desk
        self._buttons = [self._button(remedy) for remedy in finding.remedies]
        self.rewrite(finding)

    def rewrite(self, finding: Finding) -> None:
        """Show a finding that differs in its words only."""
        self.finding = finding
        self.setAccessibleName(f"{WORDS[finding.severity]}: {finding.title}")
        self.setAccessibleDescription(finding.why)
        self._calls = " ".join(finding.calls[:3])
        self._why = f"{finding.why} Answered for: {finding.overridden}" if finding.overridden else finding.why
        self._place()
        self.update()

    def _place(self) -> None:
        """Lay the words out in the width that the margin has, and the remedies under them."""
        calls = QFontMetrics(theme.mono(11, 700)).horizontalAdvance(self._calls)
        self._calls_left = WIDTH - calls
        self._title_box = _box(theme.sans(13, 600), self.finding.title, 5, WIDTH - LEFT - (calls + 8 if calls else 0))
        self._why_box = _box(theme.sans(12), self._why, self._title_box.bottom() + 3, WIDTH - LEFT)
        x, y, row = LEFT, self._why_box.bottom() + 4, 0
        for one in self._buttons:
            need = one.sizeHint()
            if x > LEFT and x + need.width() > WIDTH:
                x, y, row = LEFT, y + row + 4, 0
            one.setGeometry(x, y, need.width(), need.height())
            x, row = x + need.width() + 6, max(row, need.height())
        self.setFixedSize(WIDTH, y + row + 8)

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(0, 4)
        draw_sign(painter, self.finding.severity)
        painter.translate(0, -4)
        for font, tint, box, words in (
            (theme.sans(13, 600), "ink", self._title_box, self.finding.title),
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
        if self.finding.calls:
            self.desk.select(self.finding.calls[0])


def _box(font: QFont, words: str, top: int, width: int) -> QRect:
    """The box, in pixels, that the words fill when they are wrapped to a width."""
    return QFontMetrics(font).boundingRect(QRect(LEFT, top, width, TALL), Qt.TextFlag.TextWordWrap, words)
