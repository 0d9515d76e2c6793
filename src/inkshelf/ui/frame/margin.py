"""The margin on the right: findings as notes beside the thing they speak of, with remedies to apply."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QLabel, QPushButton, QVBoxLayout, QWidget

from inkshelf.core.checks.registry import AnswerFor, Finding, Remedy, Show
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import button, clear, label, scrolled

ABOVE_THE_FOLD = 6
WORDS = {"stop": "stop", "warn": "warning", "note": "note"}


def summary(findings: tuple[Finding, ...]) -> str:
    """Return how many findings there are of each kind, in words."""
    counts = [(sum(one.severity == kind for one in findings), kind) for kind in ("stop", "warn", "note")]
    said = [f"{count} {kind}{'s' if count > 1 and kind != 'warn' else ''}" for count, kind in counts if count]
    return " · ".join(said) or "nothing to say"


class Sign(QWidget):
    """Severity by shape first: an octagon stops, a triangle warns, a ring notes."""

    def __init__(self, severity: str) -> None:
        super().__init__()
        self._severity = severity
        self.setFixedSize(20, 20)
        self.setAccessibleName(WORDS[severity])

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._severity == "stop":
            cut = 5.5
            points = [
                (1 + cut, 2),
                (19 - cut, 2),
                (19, 2 + cut),
                (19, 18 - cut),
                (19 - cut, 18),
                (1 + cut, 18),
                (1, 18 - cut),
                (1, 2 + cut),
            ]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ink.color("stop"))
            painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in points]))
            painter.setPen(QPen(ink.color("card"), 2.2))
            painter.drawLine(QPointF(6, 10), QPointF(14, 10))
        elif self._severity == "warn":
            painter.setPen(QPen(ink.color("warn"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(QPolygonF([QPointF(10, 2), QPointF(18.5, 17.5), QPointF(1.5, 17.5)]))
            painter.drawLine(QPointF(10, 8), QPointF(10, 12.5))
        else:
            painter.setPen(QPen(ink.color("pencil"), 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QRectF(3, 3, 14, 14))


class Note(QWidget):
    """One finding: sign, title, call numbers, why, remedies."""

    def __init__(self, finding: Finding, desk: Desk) -> None:
        super().__init__()
        self.finding, self.desk = finding, desk
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 4, 0, 8)
        row.setSpacing(8)
        row.addWidget(Sign(finding.severity), 0, Qt.AlignmentFlag.AlignTop)
        text = QVBoxLayout()
        text.setSpacing(3)
        head = QHBoxLayout()
        head.addWidget(label(finding.title, theme.sans(13, 600), wrap=True), 1)
        calls = label(" ".join(finding.calls[:3]), theme.mono(11, 700), quiet=True)
        head.addWidget(calls, 0, Qt.AlignmentFlag.AlignTop)
        text.addLayout(head)
        self.why: QLabel = label(
            finding.why if not finding.overridden else f"{finding.why} Answered for: {finding.overridden}",
            theme.sans(12),
            quiet=True,
            wrap=True,
        )
        text.addWidget(self.why)
        text.addLayout(self._remedies())
        row.addLayout(text, 1)
        self.setAccessibleName(f"{WORDS[finding.severity]}: {finding.title}")
        self.setAccessibleDescription(finding.why)

    def _remedies(self) -> QVBoxLayout:
        lines = QVBoxLayout()
        lines.setSpacing(4)
        row, used = QHBoxLayout(), 0
        for remedy in self.finding.remedies:
            one = self._button(remedy)
            need = one.sizeHint().width() + 6
            if used and used + need > 216:
                row.addStretch(1)
                lines.addLayout(row)
                row, used = QHBoxLayout(), 0
            row.addWidget(one)
            used += need
        row.addStretch(1)
        lines.addLayout(row)
        return lines

    def _button(self, remedy: Remedy) -> QPushButton:
        made = button(remedy.title, lambda: self.apply(remedy), link=isinstance(remedy, Show | AnswerFor))
        made.setFont(theme.sans(12, 500))
        if not isinstance(remedy, Show | AnswerFor):
            made.setStyleSheet("padding: 3px 9px;")
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


class Margin(QWidget):
    """All findings, stops first. Notes that did not change stay as they are, so that a drag stays quick."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setObjectName("margin")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(296)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 18, 4, 8)
        box.setSpacing(10)
        head = QHBoxLayout()
        head.setContentsMargins(0, 0, 12, 0)
        head.addWidget(label("Margin", theme.serif(14), quiet=True))
        head.addStretch(1)
        self.total = label("", theme.sans(12), quiet=True)
        head.addWidget(self.total)
        box.addLayout(head)
        inside = QWidget()
        self._notes = QVBoxLayout(inside)
        self._notes.setContentsMargins(0, 0, 10, 0)
        self._notes.setSpacing(4)
        box.addWidget(scrolled(inside), 1)
        self._shown: dict[str, Note] = {}
        self.setAccessibleName("margin: findings")
        self._order: tuple[str, ...] | None = None
        self._waiting: list[Finding] = []

    def refresh(self) -> None:
        """Show the findings as they are now; only what changed is made anew."""
        findings = self.desk.findings
        self.total.setText(summary(findings) if self.desk.job.found.disks else "")
        order = tuple(one.key for one in findings)
        if order == self._order:
            for place, one in enumerate(findings[: len(self._shown)]):
                if self._shown[one.key].finding != one:
                    self._replace(place, one)
            self._waiting = list(findings[len(self._shown) :])
            return
        clear(self._notes)
        self._shown, self._order, self._waiting = {}, order, list(findings)
        if not findings:
            self._notes.addWidget(
                label("Findings about the disk and the plan are written here.", theme.sans(12), quiet=True, wrap=True)
            )
        self._notes.addStretch(1)
        self._make(ABOVE_THE_FOLD)
        if self._waiting:
            QTimer.singleShot(0, self._make_rest)

    def _make(self, most: int) -> None:
        for one in self._waiting[:most]:
            self._shown[one.key] = Note(one, self.desk)
            self._notes.insertWidget(self._notes.count() - 1, self._shown[one.key])
        self._waiting = self._waiting[most:]

    def _make_rest(self) -> None:
        """Notes below the fold are made once the window is drawn."""
        self._make(len(self._waiting))

    def _replace(self, place: int, finding: Finding) -> None:
        old = self._shown[finding.key]
        if (old.finding.title, old.finding.calls, old.finding.remedies, old.finding.severity) == (
            finding.title,
            finding.calls,
            finding.remedies,
            finding.severity,
        ):
            old.finding = finding
            old.why.setText(finding.why)
            return
        note = Note(finding, self.desk)
        self._notes.insertWidget(place, note)
        self._notes.removeWidget(old)
        old.hide()
        old.deleteLater()
        self._shown[finding.key] = note

    def rebuild(self) -> None:
        """Make every note anew, after the theme changed."""
        self._order = None
        self.refresh()
