"""The Proof chapter: a fresh reading of the machine against the plan, what is left over, what is accepted, the hand-over."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QListView, QVBoxLayout

from inkshelf.core.built.compare import compared
from inkshelf.core.built.line import Line
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.asbuilt import accept, accepted, as_built, repair_of, repaired
from inkshelf.core.plan.job import Job
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.listing import VALUE_ROLE
from inkshelf.ui.page import Page
from inkshelf.ui.parts import Choice, button, heading, label
from inkshelf.ui.proof.lines import CALL, GAP, VERDICT, WHAT, LineDelegate, Lines, Shown

EMPTY = (
    "When the work is done, capture the machine once more with the kit, or take an image of its disk, and hold it against this plan: every "
    "volume, size, type, label, UUID, boot entry, order and switch, and what starts."
)
NOTHING = "There is no plan to hold a machine against yet. Take a disk in and say the aim first."


KEPT: dict[str, Callable[[Line], bool]] = {
    "differs": lambda one: one.stands == "differs",
    "left": lambda one: one.left,
    "unknown": lambda one: one.stands == "unknown",
    "all": lambda _: True,
}


class LineView(QListView):
    """The lines; R puts the chosen one right, A accepts it."""

    def __init__(self, right: Callable[[], object], accept_it: Callable[[], object]) -> None:
        super().__init__()
        self._keys = {Qt.Key.Key_R: right, Qt.Key.Key_A: accept_it}
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setAccessibleName("what was planned, and what was read")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in self._keys and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            self._keys[Qt.Key(event.key())]()
            return
        super().keyPressEvent(event)


class ProofChapter(Page):
    """Chapter of the contents."""

    def __init__(self, desk: Desk, run: Callable[[str], object]) -> None:
        super().__init__()
        self.desk, self.which = desk, "differs"
        box = QVBoxLayout(self)
        box.setContentsMargins(28, 20, 24, 12)
        box.setSpacing(8)
        head, self.sub = heading("Proof")
        self.fresh = button("Capture…", partial(run, "proof.capture"), tip="hold a fresh capture against the plan")
        self.image = button("Image…", partial(run, "proof.image"), tip="hold a fresh image of a disk against the plan")
        self.paper = button("Hand-over…", partial(run, "proof.paper"))
        self.take = button("Take it as it is", self.take_as_it_is, primary=True)
        for one in (self.fresh, self.image, self.paper, self.take):
            head.addWidget(one)
        box.addLayout(head)
        self.summary = label("", theme.sans(15, 600), wrap=True)
        box.addWidget(self.summary)
        answers = (("what differs", "differs"), ("left over", "left"), ("not known", "unknown"), ("everything", "all"))
        self.choice = Choice("which lines", answers, self._show)
        box.addWidget(self.choice)
        box.addWidget(self._titles())
        self.view = LineView(self.put_right, self.ask)
        self.model = Lines(self)
        self.view.setModel(self.model)
        self.view.setItemDelegate(LineDelegate(self.view))
        selection = self.view.selectionModel()
        if selection is not None:
            selection.currentChanged.connect(lambda *_: self._chosen())
        box.addWidget(self.view, 1)
        box.addWidget(self._foot())
        self.empty = label("", theme.sans(15), quiet=True, wrap=True)
        box.addWidget(self.empty)
        self.go = button("Say the aim", lambda: desk.show("aim"), primary=True)
        box.addWidget(self.go, 1, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self.refresh()

    def _titles(self) -> QFrame:
        self.titles = QFrame()
        row = QHBoxLayout(self.titles)
        row.setContentsMargins(int(CALL), 0, 0, 0)
        row.setSpacing(int(GAP))
        for words, wide in (("what", WHAT), ("planned", 0.0), ("read", 0.0), ("", VERDICT)):
            made = label(words, theme.sans(12), quiet=True)
            if wide:
                made.setFixedWidth(int(wide))
            row.addWidget(made, 0 if wide else 1)
        return self.titles

    def _foot(self) -> QFrame:
        """What is done with the chosen line."""
        self.foot = QFrame()
        row = QHBoxLayout(self.foot)
        row.setContentsMargins(0, 4, 0, 0)
        self.right = button("Put it right  R", self.put_right, primary=True)
        self.accept = button("Accept it  A", self.ask)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("why it is tolerable, in writing; Enter keeps it")
        self.reason.setAccessibleName("why it is accepted")
        self.reason.returnPressed.connect(self.accept_it)
        self.why = label("", theme.sans(12), quiet=True)
        for one in (self.right, self.accept):
            row.addWidget(one)
        row.addWidget(self.reason, 1)
        row.addWidget(self.why, 1)
        return self.foot

    # -- showing -------------------------------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show the proof of the job as it is now."""
        job = self.desk.job
        there = job.built is not None
        for one in (self.summary, self.choice, self.titles, self.view, self.foot):
            one.setVisible(there)
        for two in (self.paper, self.take):
            two.setEnabled(there)
            two.setToolTip("" if there else "compare a fresh reading first")
        planned = bool(job.steps) or there
        for three in (self.fresh, self.image):
            three.setEnabled(planned)
            three.setToolTip("hold a fresh reading against the plan" if planned else "there is no plan yet")
        self.empty.setVisible(not there)
        self.empty.setText(EMPTY if planned else NOTHING)
        self.go.setVisible(not there and not planned)
        self.lines: tuple[Line, ...] = compared(self.desk.reading.plan, job.built) if job.built is not None else ()
        counts = {stands: sum(one.stands == stands for one in self.lines) for stands in ("same", "differs", "unknown")}
        self.sub.setText(f"{counts['differs']} differ · {counts['unknown']} not known" if there else "")
        self.summary.setText(self._in_words(job))
        self._show(self.which)

    def _in_words(self, job: Job) -> str:
        open_ones = [one for one in self.lines if one.stands == "differs" and not accepted(job, one)]
        stops = sum(one.matters == "stop" for one in open_ones)
        left = sum(one.left and one.matters != "stop" for one in open_ones)
        if not open_ones:
            return "As far as it was read, the machine is as planned, or what differs was accepted in writing."
        parts = [f"{stops} to be put right" if stops else "", f"{left} left over from the work" if left else ""]
        rest = len(open_ones) - stops - left
        parts.append(f"{rest} to be looked at or accepted" if rest else "")
        same = sum(one.stands == "same" for one in self.lines)
        return f"{', '.join(one for one in parts if one).capitalize()}; {same} lines are as planned."

    def _show(self, which: object) -> None:
        self.which = str(which)
        self.choice.set_value(self.which)
        kept: Callable[[Line], bool] = KEPT[self.which]
        weight = {"stop": 0, "warn": 1, "note": 2, "": 3}
        shown = [one for one in self.lines if kept(one)]
        if self.which == "differs":
            shown.sort(key=lambda one: weight[one.matters])
        self.model.show_rows(tuple(Shown(one, accepted(self.desk.job, one)) for one in shown))
        if shown:
            self.view.setCurrentIndex(self.model.index(0))
        self._chosen()

    @property
    def one(self) -> Line | None:
        """The chosen line."""
        index: QModelIndex = self.view.currentIndex()
        shown = index.data(VALUE_ROLE) if index.isValid() else None
        return shown.line if shown is not None else None

    def _chosen(self) -> None:
        one = self.one
        differs = one is not None and one.stands == "differs"
        may = bool(differs and one and one.matters != "stop")
        self.right.setEnabled(bool(one and repair_of(one)))
        self.right.setToolTip("" if one and repair_of(one) else "no single step puts that right")
        self.accept.setEnabled(may)
        self.accept.setToolTip("" if may else "only what differs and does not stop a start can be accepted")
        self.reason.setVisible(False)
        self.why.setVisible(True)
        self.why.setText("" if one is None else f"{one.about}, {one.what}" + (f": {one.why}" if one.why else ""))

    # -- doing ---------------------------------------------------------------------------------------------------
    def _try(self, make: Callable[[], Job], words: str) -> bool:
        try:
            self.desk.change(make(), words)
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
            return False
        return True

    def put_right(self) -> None:
        """Start from the machine as it is, with the step that puts the chosen line right."""
        one = self.one
        if one is not None and self._try(lambda: repaired(self.desk.job, one), f"put {one.about} {one.what} right"):
            self.desk.show("sheet")

    def ask(self) -> None:
        """Ask why the chosen line is accepted."""
        if self.accept.isEnabled():
            self.why.setVisible(False)
            self.reason.setVisible(True)
            self.reason.clear()
            self.reason.setFocus()

    def accept_it(self) -> None:
        """Accept the chosen line in writing."""
        one = self.one
        if one is not None:
            self._try(lambda: accept(self.desk.job, one, self.reason.text()), f"accept {one.about} {one.what}")
            self.view.setFocus()

    def take_as_it_is(self) -> None:
        """Start from the machine as it is now; undone like any edit."""
        if self._try(lambda: as_built(self.desk.job), "take the machine as it is"):
            self.desk.show("shelf")
