"""The questions of one aim, as its data has them: each with its answers and the reason; those that are as usual are folded away."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QApplication, QComboBox, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from inkshelf.core.aims import AimBase, Question
from inkshelf.core.aims.asking import answer_of, answered
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.profiles import profile, room_of
from inkshelf.core.machine.state import Machine
from inkshelf.core.size import binary
from inkshelf.ui import theme
from inkshelf.ui.flow import Flow
from inkshelf.ui.parts import Choice, button, clear, label

Say = Callable[[str, str], None]
"""Told the key of a question and the answer."""
SIDE_BY_SIDE, WIDE = 3, 30  # more answers than that come in a list, and longer ones, so that their reasons keep their room
LIST_WIDTH, TITLE_WIDTH = 240, 200  # pixels


class Questions(QWidget):
    """Rows of questions. ``say`` is told of an answer; ``show`` opens a chapter; nothing is decided here."""

    def __init__(self, say: Say, show: Callable[[str], object] = lambda _: None) -> None:
        super().__init__()
        self._say, self._open = say, show
        self._all = False
        self._last: object = None
        self.rows: dict[str, QWidget] = {}
        self.costs: dict[str, QLabel] = {}
        self.sizes: dict[str, QLineEdit] = {}
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        self._grid_box = QVBoxLayout()
        box.addLayout(self._grid_box)
        self.fold = button("", self._unfold, link=True)
        row = QHBoxLayout()
        row.addWidget(self.fold)
        row.addStretch(1)
        box.addLayout(row)

    def refresh(
        self, aim: AimBase, found: Machine, without: tuple[str, ...] = (), medium: tuple[Question, str] | None = None
    ) -> None:
        """Show the questions of an aim as it is; ``without``: those that stand elsewhere on the page; ``medium``: what it is started from, with the answer."""
        asked = tuple(one for one in aim.asked(found) if one.key not in without)
        now = (aim, asked, self._all, medium)
        if now == self._last:
            return
        focus = QApplication.focusWidget()
        focused = next((key for key, one in self.rows.items() if focus is one or (focus and one.isAncestorOf(focus))), "")
        self._last, self._aim, self._found, self._without, self._medium = now, aim, found, without, medium
        clear(self._grid_box)
        self.rows, self.costs, self.sizes = {}, {}, {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(7)
        grid.setColumnStretch(2, 1)
        self._grid_box.addLayout(grid)
        hidden = [] if self._all else [one for one in asked if _as_usual(aim, one) and one.kind != "number" and not one.stays]
        hidden = hidden if len(hidden) > 1 else []
        for place, question in enumerate(one for one in asked if one not in hidden):
            self._row(grid, place, question, aim, found)
        if medium:
            self._medium_row(grid, len(asked), *medium)
        self._fold_words(hidden, asked)
        if focused in self.rows:  # the keyboard stays where it was
            made = self.rows[focused]
            made.show()  # what is hidden takes no focus, and a fresh widget is shown only later
            (made.chosen() if isinstance(made, Choice) else made).setFocus()

    def _fold_words(self, hidden: list[Question], asked: tuple[Question, ...]) -> None:
        names = ", ".join(one.title for one in hidden)
        self.fold.setText(f"{len(hidden)} more answers are as usual here" if hidden else "show only what is not as usual")
        self.fold.setToolTip(names)
        self.fold.setAccessibleDescription(names)
        self.fold.setVisible(bool(hidden) or (self._all and any(_as_usual(self._aim, one) and not one.stays for one in asked)))

    def _unfold(self) -> None:
        self._all = not self._all
        self.refresh(self._aim, self._found, self._without, self._medium)

    def _medium_row(self, grid: QGridLayout, place: int, question: Question, answer: str) -> None:
        """What the aim is started from: chosen where images and sticks are drawn, the chapter Media."""
        usual = answer == question.usual
        names = [one.rsplit("/", 1)[-1] for one in answer.splitlines()]
        words = question.usual_title if usual else names[0] + (f" and {len(names) - 1} more" if names[1:] else "")
        made = button(words, lambda: self._open("media"), tip="choose an image and a stick: the job makes it first")
        self.rows[question.key] = made
        self.costs[question.key] = label(
            question.answers[0].cost if usual else "made in this job, before anything is started from it",
            theme.sans(12),
            quiet=True,
            wrap=True,
        )
        grid.addWidget(label(question.title, theme.sans(13, 600)), place, 0)
        grid.addWidget(made, place, 1)
        grid.addWidget(self.costs[question.key], place, 2)

    def _row(self, grid: QGridLayout, place: int, question: Question, aim: AimBase, found: Machine) -> None:
        title = label(question.title, theme.sans(13, 600), wrap=True)
        title.setMinimumWidth(min(TITLE_WIDTH, title.fontMetrics().horizontalAdvance(question.title) + 4))
        title.setMaximumWidth(TITLE_WIDTH)
        grid.addWidget(title, place, 0)
        made = self._widget(question, aim, found)
        self.rows[question.key] = made
        grid.addWidget(made, place, 1)
        value = answer_of(aim, question)
        cost = next((one.cost for one in question.answers if one.value == value), "")
        cost = system_words(value, aim) if question.kind == "system" else cost
        usual = "" if _as_usual(aim, question) or not question.usual else f"usual here: {question.usual_title}; {question.why}"
        why = "" if question.kind in {"image", "images"} else question.why  # how it is said on the command line
        self.costs[question.key] = label(cost or usual or why, theme.sans(12), quiet=True, wrap=True)
        self.costs[question.key].setToolTip(usual)
        grid.addWidget(self.costs[question.key], place, 2)

    def _widget(self, question: Question, aim: AimBase, found: Machine) -> QWidget:
        if question.kind == "size":
            return self._size(question, aim, found)
        if question.kind == "systems":
            return self._several(question, aim)
        if question.kind in {"image", "images"}:
            return self._pile(question, aim)
        if question.kind == "names":
            return self._names(question, aim)
        say = partial(self._said, question.key)
        short = len(question.answers) <= SIDE_BY_SIDE and sum(len(one.title) for one in question.answers) <= WIDE
        if question.kind in {"choice", "disk"} and short:
            choice = Choice(question.title, [(one.title, one.value) for one in question.answers], say)
            choice.set_value(answer_of(aim, question))
            return choice
        return self._list(question, answer_of(aim, question), say)

    def _said(self, key: str, value: object) -> None:
        self._say(key, str(value))

    def _list(self, question: Question, value: str, say: Callable[[object], None]) -> QComboBox:
        box = QComboBox()
        box.setFont(theme.sans(13))
        box.setAccessibleName(question.title)
        box.setMaximumWidth(LIST_WIDTH)
        box.setMinimumContentsLength(1)
        widest = max((box.fontMetrics().horizontalAdvance(one.title) for one in question.answers), default=0)
        if view := box.view():
            view.setMinimumWidth(widest + 40)  # what is cut off in the box is read in its list
        for one in question.answers:
            box.addItem(one.title, one.value)
        box.setCurrentIndex(box.findData(value))
        box.setEnabled(box.count() > 0)
        box.setToolTip(box.currentText() if box.count() else "there is nothing here to choose from")
        box.activated.connect(lambda _: say(box.currentData()))
        return box

    def _size(self, question: Question, aim: AimBase, found: Machine) -> QWidget:
        line = QLineEdit(answer_of(aim, question))
        line.setFont(theme.mono(13, 700))
        line.setFixedWidth(150)
        line.setAccessibleName(f"{question.title}, a size with its unit, or “{question.usual}”")
        line.textEdited.connect(lambda text: self._tried(question, aim, found, text))
        line.editingFinished.connect(lambda: self._typed(question, aim, found, line))
        self.sizes[question.key] = line
        return line

    def _tried(self, question: Question, aim: AimBase, found: Machine, text: str) -> str:
        """Say beside the box what is wrong with a size while it is typed."""
        try:
            answered(aim, found, question.key, text)
            fault = ""
        except InkshelfError as error:
            fault = str(error)
        cost = self.costs.get(question.key)
        if cost is not None:
            cost.setText(fault or question.why)
            cost.setProperty("bad", bool(fault))
            style = cost.style()
            if style:
                style.polish(cost)
        return fault

    def _typed(self, question: Question, aim: AimBase, found: Machine, line: QLineEdit) -> None:
        text = line.text().strip()
        if text and text != answer_of(aim, question) and not self._tried(question, aim, found, text):
            self._say(question.key, text)

    def _pile(self, question: Question, aim: AimBase) -> QWidget:
        """Images are chosen where they are drawn: the chapter Media."""
        count = len(getattr(aim, question.of))
        words = "choose in Media" if not count else f"{count} in Media"
        return button(words, lambda: self._open("media"), tip="the pile of images, and the stick they go on")

    def _names(self, question: Question, aim: AimBase) -> QWidget:
        """Names out of a list: a press takes one out, the list adds one."""
        inside = QWidget()
        row = Flow(inside)
        held: tuple[str, ...] = getattr(aim, question.of)
        for one in held:
            rest = "\n".join(other for other in held if other != one) or "none"
            row.addWidget(button(f"{one} \N{MULTIPLICATION SIGN}", partial(self._said, question.key, rest), tip="take it out"))
        more = self._list(question, "", lambda value: self._said(question.key, "\n".join((*held, str(value)))))
        more.setPlaceholderText("none" if not held else "one more")
        more.setCurrentIndex(-1)
        row.addWidget(more)
        return inside

    def _several(self, question: Question, aim: AimBase) -> QWidget:
        """Systems, one behind the other: a press takes one out, the list adds one."""
        inside = QWidget()
        row = Flow(inside)
        keys = [one for one in answer_of(aim, question).split(",") if one]
        titles = {one.value: one.title for one in question.answers}
        for place, key in enumerate(keys):
            rest = ",".join(one for at, one in enumerate(keys) if at != place)
            out = button(
                f"{titles.get(key, key)} \N{MULTIPLICATION SIGN}", partial(self._said, question.key, rest), tip="take it out"
            )
            out.setEnabled(len(keys) > 1)
            row.addWidget(out)
        more = self._list(question, "", lambda value: self._said(question.key, ",".join([*keys, str(value)])))
        more.setPlaceholderText("add a system")
        more.setCurrentIndex(-1)
        row.addWidget(more)
        return inside


def system_words(key: str, aim: AimBase) -> str:
    """Return the room that a system needs, as the figures in use have it."""
    apart = getattr(aim, "home", "together") == "apart"
    room, what = room_of(key, apart=apart), "root" if apart else "root with home"
    return (
        f"Takes {binary(profile(key).installed)}; {what} at least {binary(room.floor)}, comfortable {binary(room.comfort)}: "
        f"{room.reason}."
    )


def _as_usual(aim: AimBase, question: Question) -> bool:
    return answer_of(aim, question) == question.usual
