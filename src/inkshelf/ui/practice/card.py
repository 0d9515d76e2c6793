"""The drill on its card: before it begins, while it is worked, and what came of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from inkshelf.core.practice.drills import MINUTES
from inkshelf.core.practice.judging import HINT, Line, Verdict
from inkshelf.core.sheet.atwork import clock_words
from inkshelf.ui import theme
from inkshelf.ui.parts import button, clear, label, scrolled
from inkshelf.ui.practice.kinds import GROUPS, KindRow

if TYPE_CHECKING:
    from inkshelf.ui.practice.chapter import PracticeChapter

ABOUT = {
    "mend": "A machine whose start is broken is put on the desk. Find out why on the start map, plan its repair, and let it be judged: it has to "
    "start by itself again, everything else as before, and nothing of anybody's may be lost.",
    "plan": "A plan that somebody made, with a slip in it. Find it before anybody works by it, and put it right.",
    "look": "One question about a machine, to be answered by looking.",
}
SECOND = 1000


class Offer(QFrame):
    """A kind of drill before it begins."""

    def __init__(self, begin: Callable[[], object]) -> None:
        super().__init__()
        self.setObjectName("card")
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 18, 22, 18)
        box.setSpacing(10)
        self.title = label("", theme.serif(22), wrap=True)
        self.kind = label("", theme.sans(13), quiet=True, wrap=True)
        self.about = label("", theme.sans(14), wrap=True)
        self.stands = label("", theme.sans(13), quiet=True, wrap=True)
        for one in (self.title, self.kind, self.about, self.stands):
            box.addWidget(one)
        box.addSpacing(6)
        self.go = button("Begin  ⏎", begin, primary=True)
        box.addWidget(self.go, 0, Qt.AlignmentFlag.AlignLeft)
        box.addStretch(1)

    def show_row(self, row: KindRow) -> None:
        """Show what it is about, and how one stands with it."""
        level = row.card.level if row.card else 1
        self.title.setText(row.kind.face)
        self.kind.setText(f"{GROUPS[row.kind.group]} · level {level} · {MINUTES[level]:.0f} minutes")
        self.about.setText(ABOUT[row.kind.group])
        self.stands.setText(_stands(row))


def _stands(row: KindRow) -> str:
    """How one stands with it."""
    card = row.card
    if card is None:
        return "Never tried. No two are the same: each is made of a new seed."
    tries = f"Tried {card.times} time{'s' if card.times > 1 else ''}: {card.latest} points last, {card.best} at best."
    return tries if row.below == GROUPS[row.kind.group] else f"{tries} {row.below[0].upper()}{row.below[1:]}."


class DrillCard(QFrame):
    """A drill while it is worked."""

    def __init__(self, page: PracticeChapter) -> None:
        super().__init__()
        self.page = page
        self.setObjectName("card")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(22, 16, 12, 14)
        head = QHBoxLayout()
        self.title = label("", theme.serif(20), wrap=True)
        self.clock = label("", theme.mono(16, 700))
        self.clock.setAccessibleName("time on this drill")
        head.addWidget(self.title, 1)
        head.addWidget(self.clock)
        head.addSpacing(10)
        outer.addLayout(head)
        inside = QWidget()
        self.box = QVBoxLayout(inside)
        self.box.setContentsMargins(0, 0, 10, 0)
        self.box.setSpacing(8)
        outer.addWidget(scrolled(inside), 1)
        self.story = label("", theme.sans(14), wrap=True)
        self.box.addWidget(self.story)
        self.answers = QVBoxLayout()
        self.answers.setSpacing(4)
        self.box.addLayout(self.answers)
        self.hints = label("", theme.sans(13), wrap=True)
        self.box.addWidget(self.hints)
        self.points = label("", theme.serif(28))
        self.box.addWidget(self.points)
        self.lines = QVBoxLayout()
        self.lines.setSpacing(3)
        self.box.addLayout(self.lines)
        self.box.addStretch(1)
        outer.addLayout(self._foot())
        self.timer = QTimer(self)
        self.timer.setInterval(SECOND)
        self.timer.timeout.connect(self.tick)

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.work = button("Work on it", self.page.work, primary=True, tip="go where it is worked; come back to be judged")
        self.judge = button("Judge it", self.page.judge, tip="what a real machine would do by the plan as it is now")
        self.hint = button("A hint", self.take_hint)
        self.give_up = button("Give up", self.page.give_up, link=True)
        self.explain = button("Explain it step by step", self.page.explain, primary=True)
        self.other = button("What comes next", self.page.another)
        for one in (self.work, self.judge, self.hint, self.explain, self.other):
            row.addWidget(one)
        row.addStretch(1)
        row.addWidget(self.give_up)
        row.addSpacing(10)
        return row

    def refresh(self) -> None:
        """Show the drill as it stands."""
        one = self.page.exercise
        if one is None:
            self.timer.stop()
            return
        ended, asked = one.verdict is not None, one.drill.asked
        self.title.setText(
            f"{one.drill.title}, level {one.drill.level}" if ended else f"Level {one.drill.level}: {GROUPS[one.drill.group]}"
        )
        self.story.setText(one.drill.story)
        for made, there in (
            (self.work, not ended),
            (self.judge, not ended and asked is None),
            (self.hint, not ended),
            (self.give_up, not ended),
            (self.explain, ended),
            (self.other, ended),
        ):
            made.setVisible(there)
        left = len(one.hints) - one.shown
        self.hint.setEnabled(left > 0)
        self.hint.setText(f"A hint, {HINT} points" if left else "No hint left")
        self.hint.setToolTip("" if left else "every hint was taken")
        self.hints.setText("\n".join(f"· {hint}" for hint in one.hints[: one.shown]))
        self.hints.setVisible(one.shown > 0)
        self._show_answers()
        self.points.setVisible(bool(self.points.text()))
        if not self.timer.isActive() and not ended:
            self.timer.start()
        self.tick()

    def _show_answers(self) -> None:
        one = self.page.exercise
        if one is None or one.drill.asked is None or one.verdict is not None:
            clear(self.answers)
            return
        if self.answers.count() == 0:
            for value, words in one.drill.asked.answers:
                made = button(words, lambda value=value: self.page.judge(value))  # type: ignore[misc]
                self.answers.addWidget(made, 0, Qt.AlignmentFlag.AlignLeft)

    def tick(self) -> None:
        """Show the time; past what is given it is said in red."""
        one = self.page.exercise
        if one is None:
            return
        if one.verdict is not None:
            self.timer.stop()
        late = one.seconds > one.drill.minutes * 60
        self.clock.setText(f"{clock_words(one.seconds)} of {clock_words(round(one.drill.minutes * 60))}")
        tint = theme.current().stop if late else theme.current().ink
        self.clock.setStyleSheet(f"color: {tint}")

    def take_hint(self) -> None:
        """Show one more hint."""
        if self.page.exercise is not None:
            self.page.exercise.hint()
            self.refresh()

    def tell(self, verdict: Verdict) -> None:
        """Show what came of it: what is well, what is not, and what a real machine would have done."""
        clear(self.lines)
        one = self.page.exercise
        ended = one is not None and one.verdict is not None
        self.points.setText(f"{verdict.points} points" if verdict.done else "Not this time" if ended else "Not yet")
        self.points.setVisible(True)
        for line in verdict.lines:
            self.lines.addWidget(_line(line))
        if verdict.told:
            self.lines.addWidget(label("At the next start", theme.sans(13, 600)))
            for told in verdict.told:
                self.lines.addWidget(label(told, theme.sans(13), quiet=True, wrap=True))
        if not ended:
            self.lines.addWidget(
                label("The clock runs on: put it right, and let it be judged again.", theme.sans(13), wrap=True)
            )

    def clear(self) -> None:
        """Nothing is worked any more."""
        self.timer.stop()
        for one in (self.lines, self.answers):
            clear(one)
        self.points.setText("")
        self.points.setVisible(False)

    def buttons(self) -> list[QPushButton]:
        """The answers that are offered."""
        found = [self.answers.itemAt(at) for at in range(self.answers.count())]
        return [one.widget() for one in found if one is not None]  # type: ignore[misc]


def _line(line: Line) -> QWidget:
    frame = QFrame()
    row = QHBoxLayout(frame)
    row.setContentsMargins(0, 0, 0, 0)
    sign = label("✓" if line.good else "✗", theme.sans(14, 600))
    sign.setFixedWidth(18)
    sign.setStyleSheet(f"color: {theme.current().ok if line.good else theme.current().stop}")
    row.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
    words = label(line.words, theme.sans(13), wrap=True)
    words.setAccessibleName(f"{'well' if line.good else 'not well'}: {line.words}")
    row.addWidget(words, 1)
    return frame
