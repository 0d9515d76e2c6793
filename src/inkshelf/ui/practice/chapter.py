"""The Practice chapter: which drill comes, the drill while it is worked, what came of it, the number drill."""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QListView, QStackedWidget, QVBoxLayout

from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job
from inkshelf.core.practice.drills import KINDS, drill
from inkshelf.core.practice.judging import explained
from inkshelf.core.practice.repetition import in_order
from inkshelf.store import practice
from inkshelf.store.folders import data_folder
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.listing import VALUE_ROLE
from inkshelf.ui.page import Page
from inkshelf.ui.parts import button, heading
from inkshelf.ui.practice.card import DrillCard, Offer
from inkshelf.ui.practice.exercise import Exercise
from inkshelf.ui.practice.kinds import KindDelegate, KindRow, Kinds
from inkshelf.ui.practice.numbers import NumberCard

WIDE = 300
OPENS = {"mend": "start", "plan": "sheet"}


class KindView(QListView):
    """The drills; Enter begins the chosen one."""

    def __init__(self, begins: Callable[[], object]) -> None:
        super().__init__()
        self._begins = begins
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setUniformItemSizes(True)
        self.setFixedWidth(WIDE)
        self.setAccessibleName("drills, in the order in which they come")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self._begins()
            return
        super().keyPressEvent(event)


class PracticeChapter(Page):
    """Chapter of the contents. ``draws``: what a new drill's seed is drawn by; ``clock``: seconds since the epoch."""

    def __init__(
        self,
        desk: Desk,
        who: Callable[[], str],
        clock: Callable[[], float] = time.time,
        draws: Callable[[], str] = lambda: uuid.uuid4().hex[:8],
    ) -> None:
        super().__init__()
        self.desk, self.who, self.clock, self.draws = desk, who, clock, draws
        self.exercise: Exercise | None = None
        self.own: tuple[Job, Path | None] | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(28, 20, 20, 12)
        box.setSpacing(10)
        head, self.sub = heading("Practice")
        self.back = button("Back to your own job", self.go_back, link=True)
        self.number = button("Number drill", self.numbers, tip="thirty seconds: which number goes into this box?")
        head.addWidget(self.back)
        head.addWidget(self.number)
        box.addLayout(head)
        row = QHBoxLayout()
        row.setSpacing(16)
        self.model = Kinds(self)
        self.view = KindView(self.begin)
        self.view.setModel(self.model)
        self.view.setItemDelegate(KindDelegate(self.view))
        self.view.doubleClicked.connect(lambda _: self.begin())
        row.addWidget(self.view)
        self.cards = QStackedWidget()
        self.offer = Offer(self.begin)
        self.card = DrillCard(self)
        self.number_card = NumberCard(self)
        for one in (self.offer, self.card, self.number_card):
            self.cards.addWidget(one)
        row.addWidget(self.cards, 1)
        box.addLayout(row, 1)
        selection = self.view.selectionModel()
        if selection is not None:
            selection.currentChanged.connect(self._chosen)
        self.refresh()

    # -- showing -------------------------------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show what comes, and how the drill stands."""
        fault = ""
        try:
            learner = practice.load().of(self.who())
        except InkshelfError as error:
            fault, learner = f"{error.what} {error.remedy}", practice.Learner()
        now = int(self.clock())
        order = in_order(learner.cards, KINDS, now)
        chosen = self.chosen.kind.key if self.chosen else ""
        blind = self.exercise is not None and self.exercise.verdict is None
        self.model.show_kinds(order, learner.cards, now, blind=blind)
        at = order.index(chosen) if chosen in order else 0
        self.view.setCurrentIndex(self.model.index(at))
        due = sum(one.due <= now for one in learner.cards.values())
        known = sum(one.latest >= 60 for one in learner.cards.values())
        self.sub.setText(fault or f"{self.who() or 'you'}: {due} due · {known} of {len(KINDS)} known · {learner.points} points")
        self.back.setVisible(self.own is not None)
        self.view.setVisible(self.exercise is None and self.cards.currentWidget() is not self.number_card)
        self.number_card.best = learner.best_numbers
        self.card.refresh()

    @property
    def chosen(self) -> KindRow | None:
        """The chosen row."""
        index: QModelIndex = self.view.currentIndex()
        found = index.data(VALUE_ROLE) if index.isValid() else None
        return found if isinstance(found, KindRow) else None

    def _chosen(self, *_: object) -> None:
        row = self.chosen
        if row is not None and self.exercise is None and self.cards.currentWidget() is not self.number_card:
            self.offer.show_row(row)
            self.cards.setCurrentWidget(self.offer)

    # -- doing ---------------------------------------------------------------------------------------------------
    def begin(self) -> None:
        """Begin the chosen drill, on a machine that nobody has seen."""
        row = self.chosen
        if row is None:
            return
        level = row.card.level if row.card else 1
        self.exercise = Exercise(drill(row.kind.key, level, self.draws()), self.clock)
        self.card.clear()
        self._open(self.exercise.drill.task)
        self.cards.setCurrentWidget(self.card)
        self.refresh()

    def _open(self, job: Job) -> None:
        """Put a drill's job on the desk; one's own waits."""
        if self.own is None:
            self.desk.drop()
            self.desk.save()
            self.own = (self.desk.job, self.desk.path)
        self.desk.replace_job(job, data_folder() / "practice" / "drill.job.json")
        self.desk.show("practice")

    def work(self) -> None:
        """Go where the drill is worked."""
        if self.exercise is not None:
            asked = self.exercise.drill.asked
            self.desk.show(asked.chapter if asked else OPENS[self.exercise.drill.group])

    def judge(self, answer: str = "") -> None:
        """Judge what was made of it; what is not done may be tried again."""
        if self.exercise is None or self.exercise.verdict is not None:
            return
        verdict = self.exercise.judge(self.desk.job, answer)
        if self.exercise.verdict is not None:
            self._ended(verdict.points)
        self.card.tell(verdict)
        self.refresh()

    def give_up(self) -> None:
        """End it without points, and see how it is done."""
        if self.exercise is not None and self.exercise.verdict is None:
            verdict = self.exercise.give_up(self.desk.job)
            self._ended(0)
            self.card.tell(verdict)
            self.refresh()

    def _ended(self, points: int) -> None:
        one = self.exercise
        if one is None:
            return
        tried = practice.Tried(
            one.drill.kind, one.drill.level, one.drill.seed, points, round(one.minutes, 1), one.shown, int(self.clock())
        )
        try:
            practice.ended(tried, self.who())
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))

    def explain(self) -> None:
        """Put a job that does it on the desk, at its first step: to be walked through."""
        if self.exercise is not None and self.exercise.verdict is not None:
            self._open(explained(self.exercise.drill))
            asked = self.exercise.drill.asked
            self.desk.show(asked.chapter if asked else "start")

    def another(self) -> None:
        """Leave the drill, and show what comes next."""
        self.exercise = None
        self.card.clear()
        self.refresh()
        self._chosen()
        self.view.setCurrentIndex(self.model.index(0))
        self.view.setFocus()

    def go_back(self) -> None:
        """Give one's own job back to the desk."""
        if self.own is None:
            return
        (job, path), self.own = self.own, None
        self.exercise = None
        self.card.clear()
        self.desk.go_back_to(job, path)
        self._chosen()
        self.refresh()

    def numbers(self) -> None:
        """Thirty seconds of numbers."""
        self.cards.setCurrentWidget(self.number_card)
        self.refresh()
        self.number_card.begin()

    def counted(self, right: int) -> None:
        """Keep how many were right."""
        try:
            practice.counted(right, self.who())
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
        self.refresh()

    def leave_numbers(self) -> None:
        """Back to the drills."""
        self.cards.setCurrentWidget(self.card if self.exercise else self.offer)
        self._chosen()
        self.refresh()

    def wait(self) -> None:
        """The window closes: one's own job is the one that is open next time."""
        self.card.timer.stop()
        self.number_card.stop()
        self.go_back()
