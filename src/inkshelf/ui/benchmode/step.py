"""One step, large: what to type, what is found, what is seen, what happens if it stops here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImageReader, QPixmap
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from inkshelf.core.checks.registry import AnswerFor, Finding, Remedy
from inkshelf.core.sheet.atwork import AtWork
from inkshelf.core.sheet.sheet import NOTHING_STARTS
from inkshelf.core.value import Value
from inkshelf.core.work.events import Attached
from inkshelf.ui import theme
from inkshelf.ui.benchmode.asks import Ask
from inkshelf.ui.benchmode.strip import WORDS
from inkshelf.ui.parts import button, clear, label

INDENT = 78
ROOMY = 5
"""Lines that a step has at most to be written larger: there is room for it then."""
LARGE, MIDDLE = 16, 34
"""Characters of a value that is written largest, and of one that still stands beside others."""
PICTURES = (".png", ".jpg", ".jpeg", ".webp", ".bmp")
THUMB = QSize(150, 96)


class Does(Value, frozen=True):
    """What a step's widgets do: keep a value, plan again by a fact, put right what stops it, copy a line, say where a kept file lies."""

    found: Callable[[str, str], object]
    again: Callable[[tuple[str, str]], object]
    remedy: Callable[[Remedy], object]
    copy: Callable[[str], object]
    place: Callable[[Attached], Path]


class StepView(QWidget):
    """The page of one step; made anew for another one."""

    def __init__(self, does: Does) -> None:
        super().__init__()
        self.does = does
        self.asks: list[Ask] = []
        self.outer = self.box = QVBoxLayout(self)
        self.box.setContentsMargins(40, 8, 40, 14)
        self.scale = 1.0

    def show_step(self, one: AtWork) -> None:
        """Show a step as it stands."""
        clear(self.box)
        self.asks = []
        words = one.row.words
        lines = len(words.values) + 3 * len(words.commands) * (not words.instead) + 2 * len(words.paste) + len(words.look) // 90
        self.scale = 1.25 if lines <= ROOMY else 1.0
        self.box.setSpacing(self._px(14))
        self._head(one)
        self.box = self._indented()
        self._inside(one)
        self.box = self.outer

    def _px(self, pixels: int) -> int:
        return round(pixels * self.scale)

    def _indented(self) -> QVBoxLayout:
        """What belongs to a step stands under its title, and not under its number."""
        inner = QVBoxLayout()
        inner.setContentsMargins(INDENT, 0, 0, 0)
        inner.setSpacing(self._px(14))
        self.outer.addLayout(inner, 1)
        return inner

    def _inside(self, one: AtWork) -> None:
        if one.changed:
            self._card("The plan has changed since this step was ended: look whether it is still so.", "warned")
        elif one.work.stands != "open":
            why = f": {one.work.why}" if one.work.why else ""
            took = f" · {one.work.took:.0f} min" if one.work.took >= 1 else ""
            self._card(f"{WORDS[one.work.stands].capitalize()}{why}{took}", "bad" if one.work.stands == "failed" else "plain")
        self._values(one)
        for asks in one.asks:
            made = Ask(one, asks, self.does.found, self.does.again)
            self.asks.append(made)
            self.box.addWidget(made)
        for stop in one.stops:
            self._stop(stop)
        if not one.row.words.instead:
            self._typed(one)
        if one.row.words.caution:
            self._card(one.row.words.caution, "bad")
        self._below(one)
        if one.row.words.instead:
            self._typed(one)
        self._noted(one)
        self.box.addStretch(1)

    def _head(self, one: AtWork) -> None:
        words = one.row.words
        row = QHBoxLayout()
        row.setSpacing(16)
        number = label(str(one.row.number), theme.serif(44, 500), quiet=True)
        number.setFixedWidth(INDENT - 16)
        row.addWidget(number, 0, Qt.AlignmentFlag.AlignTop)
        box = QVBoxLayout()
        box.setSpacing(3)
        title = label(words.title, theme.serif(self._px(34) if len(words.title) < 60 else 28), wrap=True)
        box.addWidget(title)
        about = f"{words.stage} · {'; '.join(words.about)}" if words.about else words.stage
        box.addWidget(label(about, theme.sans(self._px(15)), quiet=True, wrap=True))
        row.addLayout(box, 1)
        self.box.addLayout(row)
        self.setAccessibleName(f"step {one.row.number}: {words.title}")

    def _values(self, one: AtWork) -> None:
        """Short values in columns, those that are typed first; long ones in lines of their own."""
        values = sorted(one.row.words.values, key=lambda pair: not pair[0].startswith("type"))
        short = [pair for pair in values if len(pair[1]) <= MIDDLE]
        if short:
            grid = QGridLayout()
            grid.setHorizontalSpacing(36)
            grid.setVerticalSpacing(10)
            columns = 3 if max(len(value) for _, value in short) <= LARGE + 6 else 2
            for place, (what, value) in enumerate(short):
                grid.addWidget(self._value(what, value), place // columns, place % columns, Qt.AlignmentFlag.AlignTop)
            for column in range(columns):
                grid.setColumnStretch(column, 1)
            self.box.addLayout(grid)
        for what, value in values:
            if len(value) > MIDDLE:
                self.box.addWidget(self._value(what, value))

    def _value(self, what: str, value: str) -> QWidget:
        typed = what.startswith("type")
        frame = QWidget()
        box = QVBoxLayout(frame)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(label(what, theme.sans(self._px(15)), quiet=True))
        size = (38 if typed else 27) if len(value) <= LARGE else 20 if len(value) <= MIDDLE else 16
        shown = label(value, theme.mono(self._px(size), 600), wrap=len(value) > MIDDLE)
        shown.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        shown.setAccessibleName(f"{what}: {value}")
        if typed:
            shown.setObjectName("typed")
            shown.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
            shown.setMinimumWidth(240)
        box.addWidget(shown)
        return frame

    def _typed(self, one: AtWork) -> None:
        words = one.row.words
        if words.commands:
            self._lines(f"type, as root, {words.where}", words.commands)
        if words.paste:
            self._lines(f"in {words.into}", words.paste)

    def _lines(self, title: str, lines: tuple[str, ...]) -> None:
        frame = QFrame()
        frame.setObjectName("card")
        box = QVBoxLayout(frame)
        box.setContentsMargins(16, 10, 10, 12)
        box.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(label(title, theme.sans(14), quiet=True), 1)
        head.addWidget(button("Copy  Ctrl+C", lambda: self.does.copy("\n".join(lines))))
        box.addLayout(head)
        for line in lines:
            shown = label(line, theme.mono(16), wrap=True)
            shown.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            box.addWidget(shown)
        self.box.addWidget(frame)

    def _card(self, text: str, kind: str) -> QVBoxLayout:
        frame = QFrame()
        frame.setObjectName({"bad": "notice", "warned": "notice"}.get(kind, "card"))
        box = QVBoxLayout(frame)
        box.setContentsMargins(18, 10, 18, 10)
        shown = label(text, theme.sans(17, 600), wrap=True)
        shown.setProperty("bad", kind in {"bad", "warned"})
        box.addWidget(shown)
        self.box.addWidget(frame)
        return box

    def _stop(self, stop: Finding) -> None:
        """What stops the work on this volume, with what puts it right here."""
        inner = self._card(f"{stop.title}. {stop.why}", "bad")
        row = QHBoxLayout()
        row.setSpacing(10)
        for one in stop.remedies:
            if not isinstance(one, AnswerFor):
                row.addWidget(button(one.title, partial(self.does.remedy, one)))
        row.addStretch(1)
        inner.addLayout(row)

    def _below(self, one: AtWork) -> None:
        words = one.row.words
        stops = "; ".join(f"{seen.system} {seen.verdict}" for seen in one.row.starts) or NOTHING_STARTS
        cut = f" {words.risk[0].upper()}{words.risk[1:]}." if words.risk else ""
        said = (("You will see", words.look), ("If it stops here", f"{stops}.{cut}"), ("The way back", words.way_back))
        columns = QHBoxLayout()
        columns.setSpacing(36)
        for title, text in said:
            if text:
                box = QVBoxLayout()
                box.setSpacing(2)
                box.addWidget(label(title, theme.serif(self._px(18))))
                shown = label(text, theme.sans(self._px(16)), wrap=True)
                shown.setAlignment(Qt.AlignmentFlag.AlignTop)
                box.addWidget(shown, 1)
                columns.addLayout(box, 1)
        self.box.addLayout(columns)

    def _noted(self, one: AtWork) -> None:
        if not one.work.notes and not one.work.files:
            return
        self.box.addWidget(label("Noted", theme.serif(self._px(18))))
        for note in one.work.notes:
            self.box.addWidget(label(note, theme.sans(self._px(16)), wrap=True))
        row = QHBoxLayout()
        row.setSpacing(12)
        for file in one.work.files:
            row.addWidget(self._file(file))
        row.addStretch(1)
        self.box.addLayout(row)

    def _file(self, file: Attached) -> QWidget:
        """A picture as it is, small; another file by its name."""
        shown = QLabel()
        place = self.does.place(file)
        shown.setAccessibleName(f"kept file {file.name}")
        shown.setToolTip(f"{file.name} · {place}")
        if place.suffix in PICTURES and place.exists():
            reader = QImageReader(str(place))
            reader.setAutoTransform(True)
            size = reader.size()
            if size.isValid():
                reader.setScaledSize(size.scaled(THUMB, Qt.AspectRatioMode.KeepAspectRatio))
            picture = QPixmap.fromImageReader(reader)
            if not picture.isNull():
                shown.setPixmap(picture)
                return shown
        shown.setText(file.name if place.exists() else f"{file.name}: not beside the job any more")
        shown.setFont(theme.mono(14))
        return shown
