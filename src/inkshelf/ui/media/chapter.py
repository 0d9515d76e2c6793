"""The Media chapter: images as a pile, the stick as a shelf, which stick, how long, what the firmware will show."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from inkshelf.core.aims.sticks import StickAim, sticks_of
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan import media as changes
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.merging import medium_asked
from inkshelf.core.sheet.media import StickPlan, media
from inkshelf.core.size import binary
from inkshelf.ui import theme
from inkshelf.ui.aim.tiles import words_of
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.media.board import StickBoard
from inkshelf.ui.media.left import LeftOut
from inkshelf.ui.media.pile import MIME, Pile
from inkshelf.ui.media.table import Sticks
from inkshelf.ui.media.words import asked_words, map_lines, span
from inkshelf.ui.page import Page
from inkshelf.ui.parts import Choice, button, card, clear, heading, label, scrolled

PILE = 252  # pixels


class MediaChapter(Page):
    """Chapter of the contents: what goes on which stick. ``run`` does an action of the window, ``look`` opens the card of an image's file."""

    def __init__(self, desk: Desk, run: Callable[[str], object], look: Callable[[str], object]) -> None:
        super().__init__()
        self.desk, self._run, self._look = desk, run, look
        self.shown = ""  # the identity of the aim that is looked at
        self.stick = ""  # the letter of the stick that is looked at
        self.setAcceptDrops(True)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(28, 20, 24, 12)
        outer.setSpacing(10)
        head, self.sub = heading("Media")
        self.add = button(
            "Add images…", lambda: run("media.add"), primary=True, tip="image files, several at once; or drop them here"
        )
        self.plug = button(
            "Plug a stick in…", lambda: run("media.stick"), tip="measure one, try its size, and take it into the job"
        )
        head.addWidget(self.plug)
        head.addWidget(self.add)
        outer.addLayout(head)
        self._which = QHBoxLayout()
        outer.addLayout(self._which)
        self.empty, begin = card()
        self.first = label("", theme.sans(14), wrap=True)
        begin.addWidget(self.first)
        outer.addWidget(self.empty)
        inside = QWidget()
        columns = QHBoxLayout(inside)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(20)
        columns.addLayout(self._left())
        columns.addLayout(self._right(), 1)
        self.body = scrolled(inside)
        outer.addWidget(self.body, 1)
        self.below = self._below()
        outer.addWidget(self.below)
        self.rest = QWidget()
        self.rest.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        outer.addWidget(self.rest, 1)
        self.refresh()

    # -- building ------------------------------------------------------------------------------------------------
    def _left(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(6)
        box.addWidget(label("Images", theme.serif(17)))
        self.pile = Pile(self._wished)
        self.pile.setFixedWidth(PILE)
        box.addWidget(self.pile, 1)
        return box

    def _right(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(6)
        row = QHBoxLayout()
        self.title = label("", theme.serif(17))
        self.identity = label("", theme.sans(12), quiet=True)
        row.addWidget(self.title)
        row.addSpacing(6)
        row.addWidget(self.identity, 1)
        self._sticks = QHBoxLayout()
        row.addLayout(self._sticks)
        box.addLayout(row)
        self.board = StickBoard(lambda name: self._put(name, on=True), self._select)
        box.addWidget(self.board)
        self.map = label("", theme.sans(12), quiet=True, wrap=True)
        box.addWidget(self.map)
        self.left = LeftOut(self._instead, lambda name: self._put(name, on=True))
        box.addWidget(self.left)
        box.addStretch(1)
        return box

    def _below(self) -> QFrame:
        frame = QFrame()
        box = QVBoxLayout(frame)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        row = QHBoxLayout()
        row.addWidget(label("Which stick", theme.serif(17)))
        row.addSpacing(8)
        row.addWidget(label("nothing is erased before it is told apart by more than its size", theme.sans(12), quiet=True), 1)
        box.addLayout(row)
        self.sticks = Sticks(self._take)
        box.addWidget(self.sticks)
        self.times = QGridLayout()
        self.times.setHorizontalSpacing(34)
        self.times.setVerticalSpacing(0)
        self.figures = {}
        for place, (key, words) in enumerate(TIMES):
            self.times.addWidget(label(words, theme.sans(12), quiet=True), 0, place)
            self.figures[key] = label("", theme.mono(15, 700))
            self.figures[key].setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self.times.addWidget(self.figures[key], 1, place)
        self.times.setColumnStretch(len(TIMES), 1)
        box.addSpacing(4)
        box.addLayout(self.times)
        return frame

    # -- what is pressed -----------------------------------------------------------------------------------------
    def _change(self, work: Callable[[Job], Job], words: str) -> None:
        try:
            self.desk.change(work(self.desk.job), words)
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))

    def _wished(self, name: str, wish: str) -> None:
        if wish == "open":
            self._look(name)
        elif wish == "out":
            self._change(lambda job: changes.without_image(job, self.shown, name), f"{name} out of the pile")
        else:
            on = self.pile.slips[name].fits
            self._put(name, on=not on)

    def _put(self, name: str, *, on: bool) -> None:
        self._change(lambda job: changes.put(job, self.shown, name, on=on), f"{name} {'on the stick' if on else 'left out'}")

    def _instead(self, name: str, of: str) -> None:
        self._change(lambda job: changes.instead(job, self.shown, name, of), f"{name} instead of {of}")

    def _take(self, letter: str) -> None:
        if self._aim() is None:
            self.desk.say(Notice("No aim makes a stick yet.", "Add an image first."))
            return
        self._change(lambda job: changes.to_stick(job, self.shown, letter), f"onto stick {letter}")

    def _select(self, call: str) -> None:
        self.desk.select(call)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasFormat(MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Let go beside the stick: it is left out."""
        data = event.mimeData() if event else None
        if event and data and data.hasFormat(MIME):
            event.acceptProposedAction()
            self._put(data.data(MIME).data().decode(), on=False)

    # -- what is shown -------------------------------------------------------------------------------------------
    def _aim(self) -> StickAim | None:
        return next((one for one in changes.stick_aims(self.desk.job) if one.id == self.shown), None)

    def select(self) -> None:
        """Another volume was selected."""
        self.board.refresh(self.board.plan, self.desk.selected)

    def refresh(self) -> None:
        """Show the sticks as they are planned now."""
        job = self.desk.job
        aims = changes.stick_aims(job)
        if self._aim() is None:
            self.shown = aims[0].id if aims else ""
        aim = self._aim()
        disks = sticks_of(job.found)
        plans = [one for one in media(self.desk.reading) if one.aim == self.shown]
        if self.stick not in {one.disk for one in plans}:
            self.stick = plans[0].disk if plans else ""
        plan = next((one for one in plans if one.disk == self.stick), None)
        self._empty_words(aim, sticks=bool(disks))
        self._choices(aims, plans)
        on = {one.name: one for every in plans for one in every.images}
        self.pile.refresh(aim.images if aim else (), on)
        self._stick(plan)
        self.sticks.setVisible(bool(disks))
        self.sticks.refresh(disks, aim.letters() if aim else ())

    def _empty_words(self, aim: StickAim | None, *, sticks: bool) -> None:
        job = self.desk.job
        self.sub.setText(aim.sentence(job.found) if aim else "what goes on which stick")
        steps = []
        if aim is None and (asked := medium_asked(job.steps)):
            steps.append(asked_words(*asked))
        if not sticks:
            steps.append("Plug a stick in: it is measured, and its size is tried, before anything on it is lost.")
        if aim is None or not aim.images:
            steps.append(
                "Add images: one makes a stick of its own, several share one with a menu. Or press a picture under Aim."
            )
        if job.plan_fault and aim is not None and aim.images and sticks:
            steps.append(job.plan_fault)
        self.first.setText("\n\n".join(steps))
        self.empty.setVisible(bool(steps))
        self.body.setVisible(bool(aim and aim.images))
        self.below.setVisible(sticks)
        self.rest.setVisible(self.body.isHidden())

    def _choices(self, aims: tuple[StickAim, ...], plans: list[StickPlan]) -> None:
        clear(self._which)
        if len(aims) > 1:
            numbers = {one.id: at for at, one in enumerate(self.desk.job.aims, 1)}
            which = Choice("aim", [(f"{numbers[one.id]} {words_of(one.kind)}", one.id) for one in aims], self._look_at)
            which.set_value(self.shown)
            self._which.addWidget(which)
        clear(self._sticks)
        if len(plans) > 1:
            which = Choice("stick", [(one.disk, one.disk) for one in plans], self._look_at_stick)
            which.set_value(self.stick)
            self._sticks.addWidget(which)

    def _look_at(self, identity: object) -> None:
        self.shown = str(identity)
        self.refresh()

    def _look_at_stick(self, letter: object) -> None:
        self.stick = str(letter)
        self.refresh()

    def _stick(self, plan: StickPlan | None) -> None:
        planned = plan is not None and bool(self.desk.job.steps)
        self.board.setVisible(plan is not None)
        self.board.refresh(plan, self.desk.selected)
        self.left.refresh(plan.images if plan and planned else ())
        self.left.setVisible(bool(plan and planned and any(not one.fits for one in plan.images)))
        self.map.setText("\n".join(map_lines(plan)) if plan and planned else "")
        self.map.setVisible(bool(self.map.text()))
        self.title.setText(f"Stick {plan.disk}" if plan else "")
        self.identity.setText(plan.identity if plan else "")
        self.figures["write"].setText(span(plan.write) if plan and planned else "\N{EN DASH}")
        self.figures["check"].setText(span(plan.check) if plan and planned else "\N{EN DASH}")
        self.figures["next"].setText(binary(plan.largest_next) if plan and planned and plan.largest_next else "\N{EN DASH}")
        self.figures["shown"].setText(plan.start.shown_as if plan and planned and plan.start.shown_as else "\N{EN DASH}")


TIMES = (
    ("write", "write, and flush"),
    ("check", "check"),
    ("next", "largest image that still fits"),
    ("shown", "firmware will show"),
)
