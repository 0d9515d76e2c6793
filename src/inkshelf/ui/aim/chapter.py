"""The Aim chapter: what the customer wants, said with a size and four schools, and what each costs."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from inkshelf.core.aims.beside import Beside
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.profiles import profile, profiles, room_of
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import MIB, binary, parse_size
from inkshelf.ui import theme
from inkshelf.ui.aim.gauge import Gauge, marks
from inkshelf.ui.desk import Desk
from inkshelf.ui.page import Page
from inkshelf.ui.parts import Choice, button, card, clear, heading, label, scrolled


class AimChapter(Page):
    """Chapter of the contents: say what is wanted."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        outer = QVBoxLayout(self)
        outer.setContentsMargins(28, 20, 24, 12)
        outer.setSpacing(12)
        head, self.sub = heading("Aim")
        outer.addLayout(head)
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(0, 0, 6, 0)
        box.setSpacing(12)
        box.addWidget(self._room())
        box.addWidget(self._schools())
        box.addWidget(self._outcome())
        box.addStretch(1)
        self.inside = scrolled(inside)
        outer.addWidget(self.inside, 1)
        self.take_in = button("Take a disk in", lambda: desk.show("intake"), primary=True)
        row = QHBoxLayout()
        row.addWidget(self.take_in)
        row.addStretch(1)
        outer.addLayout(row)
        outer.addStretch()
        self.refresh()

    def _room(self) -> QFrame:
        frame, box = card()
        head = QHBoxLayout()
        self.sentence = label("", theme.serif(18))
        head.addWidget(self.sentence, 1)
        self._disks = QHBoxLayout()
        head.addLayout(self._disks)
        self._known_disks: tuple[str, ...] = ()
        box.addLayout(head)
        row = QHBoxLayout()
        row.addWidget(label("Room for it", theme.sans(13)))
        self.room = QLineEdit()
        self.room.setFont(theme.mono(14, 700))
        self.room.setFixedWidth(150)
        self.room.setAccessibleName("room for the new system, with a unit")
        self.room.editingFinished.connect(self._typed)
        self.room.textEdited.connect(self._tried)
        row.addWidget(self.room)
        self.comfort = button("As much as is comfortable", lambda: desk_aim(self.desk, "comfortable room", size_bytes=None))
        row.addWidget(self.comfort)
        self.said = label("", theme.sans(12), quiet=True, wrap=True)
        row.addWidget(self.said, 1)
        box.addLayout(row)
        self.gauge = Gauge(self.desk)
        box.addWidget(self.gauge)
        return frame

    def _schools(self) -> QFrame:
        frame, box = card()
        box.addWidget(label("Schools", theme.serif(18)))
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(9)
        self.choices: dict[str, Choice] = {}
        self.costs: dict[str, QLabel] = {}
        self.system = QComboBox()
        self.system.setFont(theme.sans(13))
        self.system.setAccessibleName("system")
        self.system.activated.connect(lambda _: desk_aim(self.desk, "system", system=self.system.currentData()))
        self.system_cost = label("", theme.sans(12), quiet=True, wrap=True)
        for column, widget in enumerate((label("System", theme.sans(13, 600)), self.system, self.system_cost)):
            grid.addWidget(widget, 0, column)
        asked = [one for one in (self.desk.job.aim or Beside()).questions(self.desk.job.found) if one.kind == "choice"]
        for row, one in enumerate(asked, 1):
            self.choices[one.key] = Choice(
                one.title, [(answer.title, answer.value) for answer in one.answers], partial(self._choose, one.key, one.title)
            )
            self.costs[one.key] = label("", theme.sans(12), quiet=True, wrap=True)
            grid.addWidget(label(one.title, theme.sans(13, 600)), row, 0)
            grid.addWidget(self.choices[one.key], row, 1)
            grid.addWidget(self.costs[one.key], row, 2)
        grid.setColumnStretch(2, 1)
        box.addLayout(grid)
        return frame

    def _choose(self, field: str, words: str, value: object) -> None:
        desk_aim(self.desk, words, **{field: value})

    def _outcome(self) -> QFrame:
        frame, box = card()
        box.addWidget(label("What follows", theme.serif(18)))
        self.follows = QGridLayout()
        self.follows.setHorizontalSpacing(34)
        self.figures: list[tuple[QLabel, QLabel]] = []
        for column in range(5):
            pair = (label("", theme.sans(12), quiet=True), label("", theme.mono(16, 700)))
            self.follows.addWidget(pair[0], 0, column)
            self.follows.addWidget(pair[1], 1, column)
            self.figures.append(pair)
        self.follows.setColumnStretch(5, 1)
        box.addLayout(self.follows)
        row = QHBoxLayout()
        self.fault = label("", theme.sans(13, 500), wrap=True)
        self.fault.setProperty("bad", True)
        row.addWidget(self.fault, 1)
        self.go = button("See it on the shelf", lambda: self.desk.show("shelf"), primary=True)
        row.addWidget(self.go)
        box.addLayout(row)
        return frame

    def refresh(self) -> None:
        """Show the aim and what follows from it."""
        job = self.desk.job
        now = marks(self.desk)
        self.inside.setVisible(now is not None)
        self.take_in.setVisible(now is None)
        self.sub.setText(
            "one more system beside the one that is there" if now else "take a disk in first: what is possible depends on it"
        )
        aim = job.aim or Beside()
        owner = next(
            (volume.call for disk, volume in job.found.volumes() if volume.holds and disk.id == aim.disk), "what is there"
        )
        self._offer_systems(aim.system, apart=aim.home == "apart")
        self.sentence.setText(f"A {profile(aim.system).title} beside {owner} on disk {aim.disk}")
        for question in (one for one in aim.questions(job.found) if one.key in self.choices):
            value = getattr(aim, question.key) if job.aim else None
            self.choices[question.key].set_value(value)
            self.costs[question.key].setText(
                next(
                    (one.cost for one in question.answers if one.value == value),
                    f"usual here: {question.usual_title}; {question.why}",
                )
            )
        if now and not self.room.hasFocus():
            self.room.setText(binary(now.chosen, 2) if job.aim else "")
            self._fault("")
        self._offer_disks(aim.disk)
        self.comfort.setProperty("primary", job.aim is None)
        self.gauge.update()
        self._follow()

    def _offer_systems(self, chosen: str, *, apart: bool) -> None:
        """The systems that can be planned beside another one, as the figures are now."""
        known = [one for one in profiles() if one.family == "linux"]
        if [self.system.itemData(at) for at in range(self.system.count())] != [one.key for one in known]:
            self.system.clear()
            for one in known:
                self.system.addItem(one.title, one.key)
        self.system.setCurrentIndex(self.system.findData(chosen))
        room = room_of(chosen, apart=apart)
        installed = binary(profile(chosen).installed)
        what = "root" if apart else "root with home"
        self.system_cost.setText(
            f"Takes {installed}; {what} at least {binary(room.floor)}, comfortable {binary(room.comfort)}."
        )
        self.system_cost.setToolTip(room.reason)

    def _offer_disks(self, chosen: str) -> None:
        """Where there are several disks, one is chosen; with one there is nothing to ask."""
        letters = tuple(disk.id for disk in self.desk.job.found.disks)
        if letters != self._known_disks:
            self._known_disks = letters
            clear(self._disks)
            if len(letters) > 1:
                self._disk_choice = Choice(
                    "on disk", [(f"disk {one}", one) for one in letters], lambda one: desk_aim(self.desk, "disk", disk=one)
                )
                self._disks.addWidget(self._disk_choice)
        if len(letters) > 1:
            self._disk_choice.set_value(chosen)

    def _follow(self) -> None:
        job, reading = self.desk.job, self.desk.reading
        self.fault.setText(job.plan_fault)
        self.go.setEnabled(bool(job.steps))
        self.go.setToolTip("" if job.steps else job.plan_fault or "say how much room it gets first")
        rows: list[tuple[str, str]] = []
        if job.steps:
            made = sheet(reading, self.desk.findings)
            rows = [
                (f"{one.call} keeps free", binary(one.to_bytes - used))
                for one in reading.ledger.shrinks
                if (used := _used(self.desk, one.call)) is not None
            ]
            rows += [
                ("to copy", binary(reading.ledger.moved_bytes)),
                ("time, with a margin", f"{made.minutes:.0f} min"),
                ("steps", str(len(job.steps))),
                ("to put back", str(len(made.put_back))),
            ]
        for place, (words, figure) in enumerate(self.figures):
            words.setText(rows[place][0] if place < len(rows) else "")
            figure.setText(rows[place][1] if place < len(rows) else "")
            for one in (words, figure):
                one.setVisible(place < len(rows))
        if not job.steps and not job.plan_fault:
            self.figures[0][0].setText("nothing yet: say how much room it gets")
            self.figures[0][0].show()

    def _parse(self) -> int | None:
        try:
            size = parse_size(self.room.text()) // MIB * MIB
        except InkshelfError as error:
            self._fault(str(error))
            return None
        self._fault("")
        return max(size, MIB)

    def _tried(self) -> None:
        if self.room.text().strip():
            self._parse()

    def _typed(self) -> None:
        now = marks(self.desk)
        text = self.room.text().strip()
        if not text or (now and self.desk.job.aim and text == binary(now.chosen, 2)):
            return
        size = self._parse()
        if size is not None:
            desk_aim(self.desk, "room for the new system", size_bytes=size)

    def _fault(self, text: str) -> None:
        self.said.setText(text)
        self.said.setProperty("bad", bool(text))
        self.room.setProperty("bad", bool(text))
        for widget in (self.said, self.room):
            style = widget.style()
            if style:
                style.unpolish(widget)
                style.polish(widget)


def _used(desk: Desk, call: str) -> int | None:
    found = desk.reading.plan.found.find(call)
    return found[1].used if found else None


def desk_aim(desk: Desk, words: str, **fields: object) -> None:
    """Change the aim from this chapter."""
    desk.set_aim(words.lower(), preview=False, **fields)
