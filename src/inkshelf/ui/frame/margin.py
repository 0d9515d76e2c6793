"""The margin on the right: findings as notes beside the thing they speak of, with remedies to apply."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from inkshelf.core.checks.registry import Finding
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.note import Note
from inkshelf.ui.parts import clear, label, scrolled

ABOVE_THE_FOLD = 6
AFTER_DRAWING = 30  # milliseconds


def summary(findings: tuple[Finding, ...]) -> str:
    """Return how many findings there are of each kind, in words."""
    counts = [(sum(one.severity == kind for one in findings), kind) for kind in ("stop", "warn", "note")]
    said = [f"{count} {kind}{'s' if count > 1 and kind != 'warn' else ''}" for count, kind in counts if count]
    return " · ".join(said) or "nothing to say"


class Margin(QFrame):
    """All findings, stops first. Notes that did not change stay as they are, so that a drag stays quick."""

    def __init__(self, desk: Desk, explain: Callable[[str], object]) -> None:
        super().__init__()
        self.desk, self._explain = desk, explain
        self.setObjectName("margin")
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
        inside = self._inside = QWidget()
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
            QTimer.singleShot(AFTER_DRAWING, self._make_rest)

    def _make(self, most: int) -> None:
        for one in self._waiting[:most]:
            self._shown[one.key] = Note(one, self.desk, self._inside, self._explain)
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
            old.rewrite(finding)
            return
        note = Note(finding, self.desk, self._inside, self._explain)
        self._notes.insertWidget(place, note)
        self._notes.removeWidget(old)
        old.hide()
        old.deleteLater()
        self._shown[finding.key] = note

    def rebuild(self) -> None:
        """Make every note anew, after the theme changed."""
        self._order = None
        self.refresh()
