"""The foot of bench mode: three clocks, the keys that end a step, and a line to say why."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QMenu, QPushButton, QVBoxLayout

from inkshelf.core.sheet.atwork import AtWork, Pace, clock_words
from inkshelf.core.work.events import REASONS
from inkshelf.core.work.worked import Worked
from inkshelf.ui import theme
from inkshelf.ui.parts import button, label

NARROW = 1100
Says = Callable[[str], object]


class Clock(QFrame):
    """One figure with what it is above it, and a word beside it."""

    def __init__(self, title: str) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        self.title = label(title, theme.sans(14), quiet=True)
        box.addWidget(self.title)
        row = QHBoxLayout()
        row.setSpacing(12)
        self.figure = label("", theme.mono(31, 600))
        self.word = label("", theme.sans(14), quiet=True)
        row.addWidget(self.figure)
        row.addWidget(self.word, 0, Qt.AlignmentFlag.AlignBottom)
        row.addStretch(1)
        box.addLayout(row)

    def say(self, figure: str, word: str = "", *, bad: bool = False) -> None:
        """Show a figure and the word beside it."""
        self.figure.setText(figure)
        self.word.setText(word)
        if self.word.property("bad") != bad:
            self.word.setProperty("bad", bad)
            self.word.setStyleSheet("")  # takes the property on
        self.setAccessibleName(f"{self.title.text()}: {figure} {word}")


class Reason(QFrame):
    """One line that asks why; Enter keeps what is written, Escape gives it up."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.question = label("", theme.sans(15, 600))
        self.line = QLineEdit()
        self.line.setFont(theme.sans(16))
        self.line.returnPressed.connect(self._keep)
        row.addWidget(self.question)
        row.addWidget(self.line, 1)
        row.addWidget(button("Keep  Enter", self._keep, primary=True))
        row.addWidget(button("Not now  Esc", self.drop))
        self._says: Says = str
        self.hide()

    def ask(self, question: str, says: Says) -> None:
        """Ask; ``says`` is called with what is written."""
        self.question.setText(question)
        self.line.setAccessibleName(question)
        self.line.clear()
        self._says = says
        self.show()
        self.line.setFocus()

    def _keep(self) -> None:
        says, text = self._says, self.line.text()
        self.drop()
        says(text)

    def drop(self) -> None:
        """Give it up."""
        self.hide()
        parent = self.parentWidget()
        if parent is not None:
            parent.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.drop()
            return
        super().keyPressEvent(event)


class Foot(QFrame):
    """Clocks and keys; ``does`` by their names: go, pause, and what else a step can come to."""

    def __init__(self, go: Callable[[], object], pause: Says, other: Callable[[], QMenu]) -> None:
        super().__init__()
        self.setObjectName("reckoner")
        self._pause, self._other = pause, other
        self.box = box = QVBoxLayout(self)
        box.setContentsMargins(40, 12, 40, 10)
        box.setSpacing(6)
        self.reason = Reason()
        box.addWidget(self.reason)
        self.row = row = QHBoxLayout()
        row.setSpacing(28)
        self.step, self.all, self.ready = Clock("this step"), Clock("since the start"), Clock("ready between")
        for one in (self.step, self.all, self.ready):
            row.addWidget(one)
        row.addStretch(1)
        self.pause = button("Pause  P", self.offer_pause)
        self.other = button("Other…  O", self.offer_other)
        self.go = button("Begin  Space", go, primary=True)
        for made in (self.pause, self.other, self.go):
            made.setFont(theme.sans(15, 600))
            made.setMinimumHeight(46)
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(made)
        self.go.setMinimumWidth(150)
        box.addLayout(row)
        self.next = label("", theme.sans(14), quiet=True)
        box.addWidget(self.next, 0, Qt.AlignmentFlag.AlignRight)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window (large text, small screen) every key and the clocks of this step and of the end stay whole."""
        super().resizeEvent(event)
        narrow = self.width() < NARROW
        self.all.setVisible(not narrow)
        self.row.setSpacing(12 if narrow else 28)
        self.box.setContentsMargins(*((16, 10, 16, 8) if narrow else (40, 12, 40, 10)))
        for one in (self.step, self.all, self.ready):
            one.figure.setFont(theme.mono(22 if narrow else 31, 600))
        for made in (self.pause, self.other, self.go):
            made.setFont(theme.sans(13 if narrow else 15, 600))
        self.go.setMinimumWidth(0 if narrow else 150)

    def offer_pause(self) -> None:
        """Offer the reasons why the clock stands; it runs again where it stood."""
        if self.pause.text().startswith("Go on"):
            self._pause("")
            return
        menu = QMenu(self)
        menu.aboutToHide.connect(menu.deleteLater)
        for number, (key, words) in enumerate(REASONS.items(), 1):
            if key != "closed":
                menu.addAction(f"&{number}  {words}", lambda key=key: self._pause(key))
        menu.addAction("&W  in other words…", lambda: self.reason.ask("What is waited for?", self._pause))
        self._popup(menu, self.pause)

    def offer_other(self) -> None:
        """Offer what else a step can come to."""
        self._popup(self._other(), self.other)

    def _popup(self, menu: QMenu, over: QPushButton) -> None:
        place = over.mapToGlobal(over.rect().topLeft())
        place.setY(place.y() - menu.sizeHint().height() - 4)
        menu.popup(place)

    def show_state(self, one: AtWork, clock: Worked, pace: Pace, now: int) -> None:
        """Show the clocks of a step at a moment."""
        here = clock.running == one.row.step
        standing = here and clock.paused is not None
        about = f"of about {max(1, round(one.row.minutes))} min"
        waited = sum(seconds for _, seconds in one.work.waited)
        late = one.work.seconds > one.row.minutes * 60
        word = f"{about}, waited {clock_words(waited)}" if waited >= 60 else about
        self.step.say(clock_words(one.work.seconds), word, bad=late and here)
        begun = now - clock.begun if clock.begun is not None else 0
        behind = round(pace.behind)
        said = "" if not behind else f"{abs(behind)} min {'behind' if behind > 0 else 'ahead'}"
        self.all.say(clock_words(begun), said, bad=behind > 0)
        low, high = (datetime.fromtimestamp(moment).astimezone().strftime("%H:%M") for moment in pace.ready)
        self.ready.say(f"{low} to {high}" if pace.left else "now")
        self.pause.setEnabled(here)
        self.pause.setToolTip("" if here else "the clock does not run for this step")
        self.pause.setText("Go on  P" if standing else "Pause  P")
        self.go.setText(go_words(one, clock))
        self.step.title.setText(
            f"stands: {REASONS.get(clock.paused, clock.paused)}" if standing and clock.paused else "this step"
        )


def go_words(one: AtWork, clock: Worked) -> str:
    """Return what the one key does now."""
    if one.over:
        return "Next  Space"
    if clock.running != one.row.step:
        return "Begin  Space"
    return "Go on  Space" if clock.paused is not None else "Done  Space"
