"""The Aim chapter: what the owner wants, several kinds at once, each with its questions; and the ways to do it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from inkshelf.core.aims import AimBase, Question, kind_of_aim
from inkshelf.core.aims.beside import Beside
from inkshelf.core.aims.in_file import InFile
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.job import found_by
from inkshelf.ui import theme
from inkshelf.ui.aim.answers import Questions
from inkshelf.ui.aim.causes import Causes
from inkshelf.ui.aim.gauge import Gauge
from inkshelf.ui.aim.tiles import AimTiles, words_of
from inkshelf.ui.aim.ways import Ways
from inkshelf.ui.background import Task
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.page import Page
from inkshelf.ui.parts import Choice, button, card, clear, heading, label, scrolled


class AimChapter(Page):
    """Chapter of the contents: say what is wanted."""

    def __init__(self, desk: Desk, run: Callable[[str], object]) -> None:
        super().__init__()
        self.desk, self._run = desk, run
        self._task: Task | None = None
        self.shown = ""  # the identity of the aim that is looked at
        outer = QVBoxLayout(self)
        outer.setContentsMargins(28, 20, 24, 12)
        outer.setSpacing(10)
        head, self.sub = heading("Aim")
        self.go = button("See it on the shelf", lambda: self.desk.show("shelf"), primary=True)
        head.addWidget(self.go)
        outer.addLayout(head)
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(0, 0, 6, 0)
        box.setSpacing(10)
        self.tiles = AimTiles(self._pressed)
        box.addWidget(self.tiles)
        box.addWidget(self._questions())
        self.ways = Ways(desk)
        box.addWidget(self.ways)
        box.addStretch(1)
        self.inside = scrolled(inside)
        outer.addWidget(self.inside, 1)
        self.take_in = button("Take a disk in", lambda: desk.show("intake"), primary=True)
        row = QHBoxLayout()
        row.addWidget(self.take_in)
        row.addStretch(1)
        outer.addLayout(row)
        self.refresh()

    def _questions(self) -> QFrame:
        frame, box = card()
        self._which = QHBoxLayout()
        box.addLayout(self._which)
        head = QHBoxLayout()
        self.sentence = label("", theme.serif(18), wrap=True)
        head.addWidget(self.sentence, 1)
        self.more = button("one more of these", self._one_more, link=True)
        head.addWidget(self.more)
        self.image = button("read the editions", lambda: self._run("take.editions"), link=True)
        self.image.setToolTip("which editions an install image holds, by the numbers it gives them")
        head.addWidget(self.image)
        self.out = button("take it out", self._take_out, link=True)
        head.addWidget(self.out)
        box.addLayout(head)
        self.gauge = Gauge(self.desk)
        box.addWidget(self.gauge)
        self.questions = Questions(self._answer, self.desk.show)
        box.addWidget(self.questions)
        self.causes = Causes(self._answer)
        box.addWidget(self.causes)
        foot = QHBoxLayout()
        self.binds = label("", theme.sans(12), quiet=True, wrap=True)
        foot.addWidget(self.binds, 1)
        self.unlock = button("unlock every size", self._unlock, link=True)
        foot.addWidget(self.unlock)
        box.addLayout(foot)
        self.fault = label("", theme.sans(13, 500), wrap=True)
        self.fault.setProperty("bad", True)
        box.addWidget(self.fault)
        return frame

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.ways.fit(self.width() - 62)

    # -- what is pressed -----------------------------------------------------------------------------------------
    def _pressed(self, kind: str) -> None:
        """Show an aim of that kind, the next one where there are several; where there is none, add one with the usual answers."""
        mine = [one.id for one in self.desk.job.aims if one.kind == kind]
        if not mine:
            self._once_planned(kind, lambda: self.desk.try_aim(kind), lambda: self._added(kind))
        else:
            self.shown = mine[(mine.index(self.shown) + 1) % len(mine)] if self.shown in mine else mine[0]
            self.refresh()

    def _added(self, kind: str) -> None:
        self.shown = self.desk.add_aim(kind)
        self.refresh()

    def _answer(self, key: str, value: str) -> None:
        aim, shown = self._aim(), self.shown
        if aim is not None:
            self._once_planned(
                aim.kind, lambda: self.desk.try_answer(shown, key, value), lambda: self.desk.answer_aim(shown, key, value)
            )

    def wait(self) -> None:
        """Nothing goes on in a thread when the window is gone."""
        for task in (self._task, self.ways.task):
            if task is not None:
                task.wait()

    def _once_planned(self, kind: str, work: Callable[[], object], then: Callable[[], object]) -> None:
        """Do what was pressed; where planning takes long it is worked out beside the window first."""
        if not kind_of_aim(kind).slow:
            then()
            return
        if self._task is not None:
            return  # one thing at a time: what was pressed first is being worked out
        job = self.desk.job
        self.sentence.setText("Being worked out …")
        for one in (self.tiles, self.questions):
            one.setEnabled(False)
        self._task = Task(work, self)

        def over() -> None:
            self._task = None
            for one in (self.tiles, self.questions):
                one.setEnabled(True)
            if self.desk.job is job:
                then()
            else:
                self.desk.say(Notice("The job has changed meanwhile, and what was pressed was not done.", "Press it again."))
            self.refresh()

        self._task.finished.connect(over)
        self._task.start()

    def _unlock(self) -> None:
        from inkshelf.core.plan.locks import unlock_all

        self.desk.change(unlock_all(self.desk.job), "unlock every size")

    def _take_out(self) -> None:
        self.desk.drop_aim(self.shown)

    def _one_more(self) -> None:
        aim = self._aim()
        if aim is not None:
            kind = aim.kind
            self._once_planned(kind, lambda: self.desk.try_aim(kind), lambda: self._added(kind))

    def _aim(self) -> AimBase | None:
        return next((one for one in self.desk.job.aims if one.id == self.shown), None)

    # -- what is shown -------------------------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show the aims and what follows from them."""
        job = self.desk.job
        there = bool(job.found.disks)
        self.inside.setVisible(there)
        self.take_in.setVisible(not there)
        self.sub.setText(
            "what the owner wants; press all that belong to this job"
            if there
            else "take a disk in first: what is possible depends on it"
        )
        if self._aim() is None:
            self.shown = job.aims[0].id if job.aims else ""
        aim = self._aim()
        self.tiles.refresh(job.aims, self.shown)
        found = found_by(job, self.shown) if aim else job.found
        self._head(aim, found)
        self.questions.setVisible(aim is not None)
        self.gauge.setVisible(isinstance(aim, Beside) and aim is job.aim)
        if aim is not None:
            self.questions.refresh(aim, found, medium=self._medium(aim))
        self.causes.refresh(aim, found)
        self.fault.setText(job.plan_fault)
        self.fault.setVisible(bool(job.plan_fault))
        self.go.setEnabled(bool(job.steps))
        self.go.setToolTip("" if job.steps else job.plan_fault or "press what the owner wants first")
        self._bound()
        self.gauge.update()
        self.ways.refresh()

    def _medium(self, aim: AimBase) -> tuple[Question, str] | None:
        """What the aim is started from, as a question with its answer."""
        if not aim.medium:
            return None
        from inkshelf.core.plan.bringing import medium_of, medium_question  # late: the window is ready sooner

        asked = medium_question(self.desk.job, aim)
        return (asked, medium_of(self.desk.job)) if asked else None

    def _bound(self) -> None:
        """Which limit the sizes stand at, and which of them a person locked."""
        from inkshelf.core.sheet.bounds import words_of as binding

        lines = [f"What binds {one}" for one in binding(self.desk.reading, self.shown)] if self.desk.job.steps else []
        self.binds.setText("\n".join(lines))
        self.binds.setVisible(bool(lines))
        self.unlock.setVisible(any(one.sizes for one in self.desk.job.aims))

    def _head(self, aim: AimBase | None, found: Machine) -> None:
        job = self.desk.job
        self.sentence.setText(
            aim.sentence(found) if aim else "Nothing yet. Press a picture: what is usual on this machine is filled in."
        )
        self.out.setVisible(aim is not None)
        self.image.setVisible(isinstance(aim, InFile))
        clear(self._which)
        if len(job.aims) > 1:
            which = Choice(
                "aim", [(f"{number} {words_of(one.kind)}", one.id) for number, one in enumerate(job.aims, 1)], self._look_at
            )
            which.set_value(self.shown)
            self._which.addWidget(which)
        self.more.setVisible(aim is not None)

    def _look_at(self, identity: object) -> None:
        self.shown = str(identity)
        self.refresh()
