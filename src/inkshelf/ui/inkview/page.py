"""The inking page: the steps, how far, how long still, cancel and going on; afterwards every comparison that was made."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from inkshelf.bench.inker import Progress, Report
from inkshelf.core.size import binary
from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.chapters import KEYS
from inkshelf.ui.inkview.steps import Row, StepList, time_left
from inkshelf.ui.parts import button, clear, heading, label, scrolled

IF_IT_STOPS = (
    ("If you cancel", "It stops at the next safe place. What is on the bench is kept: go on from there later, or begin anew."),
    (
        "If the power fails",
        "The journal is on the disk before the bytes are. The work goes on at the step where it stopped, and loses nothing.",
    ),
    ("The way back", "The source image is only read. Throwing the bench folder away undoes everything."),
)
IF_NOT_AS_PREDICTED = "The source image is untouched. Ink once more; if it is the same again, do not work by this plan."


class Does(Value, frozen=True):
    """What the page's buttons do."""

    cancel: Callable[[], object]
    back: Callable[[], object]
    go_on: Callable[[], object]
    to_sheet: Callable[[], object]


class InkPage(QWidget):
    """Shows inking while it goes on and what came of it."""

    def __init__(self, does: Does) -> None:
        super().__init__()
        self._unfinished = self._verified = False
        box = QVBoxLayout(self)
        box.setContentsMargins(28, 20, 24, 12)
        box.setSpacing(12)
        box.addLayout(self._head(does))
        self.words = label("", theme.serif(18), wrap=True)
        box.addWidget(self.words)
        self.aside = label("", theme.sans(14, 500), wrap=True)
        self.aside.setAccessibleName("of which job this is")
        self.aside.hide()
        box.addWidget(self.aside)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("progress of inking")
        box.addWidget(self.bar)
        self.figures = label("", theme.mono(13), quiet=True)
        box.addWidget(self.figures)
        self.stick = label("", theme.mono(13), quiet=True, wrap=True)
        self.stick.setAccessibleName("what the stick's own clock says")
        self.stick.hide()
        box.addWidget(self.stick)
        inside = QWidget()
        self.checks = QVBoxLayout(inside)
        self.checks.setContentsMargins(0, 0, 8, 0)
        self.steps = StepList()
        self.steps_area = scrolled(self.steps)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self.steps_area, 4)
        row.addWidget(scrolled(inside), 3)
        box.addLayout(row, 1)

    def _head(self, does: Does) -> QHBoxLayout:
        head, self.sub = heading("Inking")
        self.cancel = button("Cancel", does.cancel)
        self.back = button("Back to the shelf", does.back)
        self.go_on = button(
            "Go on from there", does.go_on, tip="what is on the bench is kept; the work goes on at the step where it stopped"
        )
        self.go_on.hide()
        head.addWidget(self.go_on)
        head.addWidget(self.cancel)
        head.addWidget(self.back)
        self.to_sheet = button(
            "To the sheet",
            does.to_sheet,
            primary=True,
            tip=f"the steps to take along to the machine, with boxes to tick (Ctrl+{KEYS.index('sheet') + 1})",
        )
        head.addWidget(self.to_sheet)
        return head

    def begin(self, rows: tuple[Row, ...], whose: str, folder: str, *, again: bool = False) -> None:
        """Show that inking of a job, by its name, begins, or goes on."""
        clear(self.checks)
        self._unfinished = self._verified = False
        self.steps.show_rows(rows)
        self.steps_area.show()
        self._now = -1
        self._colour(bad=False)
        self.bar.setRange(0, 1000)
        self.bar.setValue(0)
        self.bar.show()
        for title, words in (("The bench", folder), *IF_IT_STOPS):
            self.checks.addWidget(label(title, theme.serif(15)))
            self.checks.addWidget(label(words, theme.sans(13), quiet=True, wrap=True))
            self.checks.addSpacing(8)
        self.checks.addStretch(1)
        self.sub.setText(f"{whose} · on a copy")
        self.say_aside("")
        self.words.setText("Going on where it stopped" if again else "Copying the image, holes and all")
        self.figures.setText("")
        self.stick.hide()
        self.cancel.setVisible(True)
        self.cancel.setEnabled(True)
        self.back.setEnabled(False)
        self.back.setToolTip("inking is going on")

    def progress(self, now: Progress) -> None:
        """Show how far it is."""
        self.bar.setValue(1000 * now.done // max(1, now.total))
        self.words.setText(
            f"{now.step} of {now.steps}: {now.words}" if 0 < now.step <= now.steps else now.words[:1].upper() + now.words[1:]
        )
        self.figures.setText(f"{binary(now.done)} of about {binary(now.total)}  ·  {time_left(now.left)}")
        self.stick.setText(now.stick)
        self.stick.setVisible(bool(now.stick))
        if now.step != self._now:
            self._now = now.step
            self.steps.set_now(now.step)
            self.steps_area.ensureVisible(0, self.steps.place(now.step), 0, 60)

    def _colour(self, *, bad: bool) -> None:
        """The line that says how it stands is red where something is wrong."""
        self.words.setProperty("bad", bad)
        style = self.words.style()
        if style:
            style.unpolish(self.words)
            style.polish(self.words)

    def _over(self) -> None:
        self.cancel.setVisible(False)
        self.back.setEnabled(True)
        self.back.setToolTip("")
        self.back.setFocus()

    def say_aside(self, words: str) -> None:
        """Say of which job this is, where it is not the one that is open as it is now (empty: it is): what leads on from here is away then."""
        self.aside.setText(words)
        self.aside.setVisible(bool(words))
        self.go_on.setVisible(self._unfinished and not words)
        self.to_sheet.setVisible(self._verified and not words)

    def fail(self, what: str, remedy: str, aside: str = "", *, unfinished: bool = False) -> None:
        """Show why it ended, and what to do; unfinished work can be gone on with."""
        self._over()
        self._unfinished = unfinished
        self.say_aside(aside)
        self._colour(bad=True)
        self.bar.hide()
        clear(self.checks)
        self.steps.stop()
        self.words.setText(what)
        self.checks.addWidget(label(remedy, theme.sans(14), wrap=True))
        self.checks.addStretch(1)

    def finish(self, report: Report, aside: str = "") -> None:
        """Show every comparison; ``aside``: of which job that is, where it is not the one that is open as it is now."""
        self._over()
        self._verified = report.verified
        self.say_aside(aside)
        clear(self.checks)
        self.steps.finish()
        self.steps_area.hide()  # what was compared matters now, and takes the room
        self.bar.setValue(self.bar.maximum())
        self.bar.setVisible(report.verified)
        self._colour(bad=not report.verified)
        good = sum(one.ok for one in report.checks)
        self.words.setText(
            f"All {good} comparisons agree with the prediction"
            if report.verified
            else f"{len(report.checks) - good} of {len(report.checks)} comparisons do NOT agree"
        )
        self.figures.setText(
            f"{binary(report.copied_bytes)} copied, {binary(report.written_bytes)} written, {report.seconds:.1f} s · {report.images[0]}"
        )
        self.stick.setText("\n".join(one.words for one in report.sticks))
        self.stick.setVisible(bool(report.sticks))
        if not report.verified:
            self.checks.addWidget(label(IF_NOT_AS_PREDICTED, theme.sans(14), wrap=True))
            self.checks.addSpacing(6)
        self._checks_of(report)

    def _checks_of(self, report: Report) -> None:
        """Every comparison on a card, what differs first."""
        frame = QFrame()
        frame.setObjectName("card")
        grid = QGridLayout(frame)
        grid.setContentsMargins(16, 12, 16, 12)
        grid.setHorizontalSpacing(18)
        for row, one in enumerate(sorted(report.checks, key=lambda one: one.ok)):  # what differs comes first
            sign = label("✓" if one.ok else "✗", theme.sans(14, 600))
            sign.setProperty("bad", not one.ok)
            sign.setAccessibleName("agrees" if one.ok else "differs")
            detail = label(one.detail, theme.sans(13), quiet=one.ok, wrap=True)
            detail.setProperty("bad", not one.ok)
            detail.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            for column, widget in enumerate((sign, label(one.what, theme.sans(13, 500)), detail)):
                grid.addWidget(widget, row, column, Qt.AlignmentFlag.AlignTop)
        grid.setColumnStretch(2, 1)
        self.checks.addWidget(frame)
        self.checks.addStretch(1)
