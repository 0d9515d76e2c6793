"""Another way to do the job, laid over the table of mishaps: what it would start otherwise."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from inkshelf.core.boot.rehearse import Outcome
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.ui import theme
from inkshelf.ui.background import Task
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import OneLine, button

ALONE = "this plan alone"


class Overlay(QWidget):
    """A line above the table: which other way is laid over it. ``chosen``: another one was taken, or none."""

    chosen = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.task: Task | None = None
        self._of: Job | None = None
        self._outcomes: list[tuple[str, dict[tuple[str, str], Outcome]]] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        self.ask = button("Lay another way over it", self._work, tip="the ways under Aim are worked out, and what each starts")
        row.addWidget(self.ask)
        self.box = QComboBox()
        self.box.setAccessibleName("which other way is laid over the table")
        self.box.currentIndexChanged.connect(lambda _: self._taken())
        row.addWidget(self.box)
        self.words = OneLine("", theme.sans(12), quiet=True)
        row.addWidget(self.words, 1)
        self.refresh()

    @property
    def other(self) -> dict[tuple[str, str], Outcome]:
        """What the way that was taken starts, by system and mishap; nothing where none was."""
        at = self.box.currentIndex() - 1
        return self._outcomes[at][1] if 0 <= at < len(self._outcomes) else {}

    def refresh(self) -> None:
        """Forget the ways of another plan."""
        if self.desk.job is not self._of and self.task is None:
            self._of, self._outcomes = None, []
            self.box.hide()
            self.ask.show()
            self.words.setText("")
        self.ask.setEnabled(bool(self.desk.job.aims) and not self.desk.job.plan_fault and self.task is None)
        self.ask.setToolTip(
            "the ways under Aim are worked out, and what each starts"
            if self.ask.isEnabled()
            else "there is no plan yet that has other ways"
        )

    def _work(self) -> None:
        job = self.desk.job

        def work() -> tuple[Job, list[tuple[str, dict[tuple[str, str], Outcome]]]]:
            from inkshelf.core.sheet.candidates import HERE, candidates  # late: seldom asked for

            others = [one for one in candidates(job) if one.key != HERE]
            return job, [(one.words, {(two.system, two.mishap): two for two in read(one.job).after}) for one in others]

        self.words.setText("being worked out")
        self.task = Task(work, self)
        self.task.done.connect(self._found)
        self.task.failed.connect(lambda what, remedy: self.words.setText(f"{what} {remedy}"))
        self.task.finished.connect(self._over)
        self.ask.setEnabled(False)
        self.task.start()

    def _found(self, made: object) -> None:
        job, outcomes = made if isinstance(made, tuple) else (None, [])
        if job is not self.desk.job:
            self.words.setText("the plan has changed meanwhile")
            return
        self._of, self._outcomes = job, outcomes
        self.box.blockSignals(True)
        self.box.clear()
        self.box.addItems([ALONE, *(words for words, _ in outcomes)])
        self.box.setCurrentIndex(1 if outcomes else 0)
        self.box.blockSignals(False)
        self.box.setVisible(bool(outcomes))
        self.ask.setVisible(not outcomes)
        self._taken()

    def _over(self) -> None:
        self.task = None
        self.refresh()

    def _taken(self) -> None:
        """Say how many starts differ."""
        if not self._outcomes:
            self.words.setText("there is no other way that is worth it")
        else:
            here = {(one.system, one.mishap): one for one in self.desk.reading.after}
            other = self.other
            count = sum(here[key].verdict != one.verdict for key, one in other.items() if key in here)
            self.words.setText(
                f"{count or 'no'} start{'' if count == 1 else 's'} differ{'s' if count == 1 else ''}: drawn beside this plan's"
                if other
                else ""
            )
        self.chosen.emit()

    def wait(self) -> None:
        """Nothing goes on in a thread when the window is gone."""
        if self.task is not None:
            self.task.wait()
