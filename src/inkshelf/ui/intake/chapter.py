"""The Intake chapter: disks taken in, and the questions that must be asked of a person."""

from __future__ import annotations

from functools import partial
from typing import cast

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from inkshelf.core.checks.unknown import Unknown, unknown
from inkshelf.core.disk.filesystems import title
from inkshelf.core.disk.types import type_name
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.asked import ASKED, Asked
from inkshelf.core.machine.roles import flag_words
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.size import binary, both, parse_size
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.intake.begin import Ways, begin
from inkshelf.ui.page import Page
from inkshelf.ui.parts import MAY_BREAK, CallMark, Choice, OneLine, button, card, clear, heading, label, scrolled

ROOM_FOR_REASONS, REASON = 640, 2  # pixels; the place of the reason in a row
PLATTERS = {True: "platters turn in it", False: "nothing turns in it"}
NOT_KNOWN: tuple[str, object] = ("not known yet", None)


class IntakeChapter(Page):
    """Chapter of the contents: take the machine in."""

    def __init__(self, desk: Desk, ways: Ways) -> None:
        super().__init__()
        self.desk = desk
        self._ways = ways
        outer = QVBoxLayout(self)
        outer.setContentsMargins(28, 20, 14, 12)
        outer.setSpacing(10)
        head, self.sub = heading("Intake")
        head.addWidget(button("Add image…", ways.add_image, tip="take in a raw disk image (Ctrl+I)"))
        head.addWidget(
            button(
                "Add captured text…",
                ways.add_capture,
                tip="what lsblk and sfdisk printed on the machine; several files are read together (Ctrl+Shift+I)",
            )
        )
        head.addSpacing(10)
        outer.addLayout(head)
        inside = QWidget()
        self.box = QVBoxLayout(inside)
        self.box.setContentsMargins(0, 0, 10, 0)
        self.box.setSpacing(12)
        outer.addWidget(scrolled(inside), 1)
        self.questions = Questions(desk)
        self._shown: tuple[tuple[Disk, ...], tuple[Unknown, ...]] | None = None
        self.refresh()

    def refresh(self) -> None:
        """Show the job as it is now."""
        disks = self.desk.job.found.disks
        volumes = sum(len(disk.volumes) for disk in disks)
        self.sub.setText(
            f"{len(disks)} disk{'s' if len(disks) != 1 else ''}, {volumes} volume{'s' if volumes != 1 else ''}"
            if disks
            else "nothing taken in yet"
        )
        missing = unknown(self.desk.job.found)
        if (disks, missing) != self._shown:
            self._shown = (disks, missing)
            self.questions.setParent(None)
            clear(self.box)
            for widget in [self._disk(disk) for disk in disks] or begin(self._ways):
                self.box.addWidget(widget)
            self.box.addWidget(self.questions)
            if missing:
                self.box.addWidget(self._unknown(missing))
            self.box.addStretch(1)
        self.questions.setVisible(bool(disks))
        self.questions.refresh()

    def _disk(self, disk: Disk) -> QFrame:
        frame, box = card()
        head = QHBoxLayout()
        head.addWidget(label(f"Disk {disk.id}", theme.serif(18)))
        head.addSpacing(6)
        identity = label(
            f"{both(disk.size)} · {disk.model or 'model not known'} · serial {disk.serial or 'not known'}",
            theme.sans(13, 600),
            wrap=True,
        )
        identity.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        head.addWidget(identity, 1)
        said = ("it is sound after all", "no") if disk.failing else ("note errors of this disk", "yes")
        know = partial(self.desk.know, f"failing:{disk.id}", said[1], f"errors of disk {disk.id}")
        head.addWidget(
            button(said[0], know, link=True, tip="what its own counters say: reading errors, sectors moved to spare ones")
        )
        box.addLayout(head)
        source = next((one.path for one in self.desk.job.sources if one.disk == disk.id), "")
        read = f"read from {source}" if source else "from captured text; an image tells more"
        table = {"gpt": "GPT", "mbr": "MBR", "none": "no table"}[disk.table.kind]
        facts = (
            table,
            f"{disk.sector}-byte sectors, {disk.physical_sector} physical",
            disk.transport or "transport not known",
            *((PLATTERS[disk.rotational],) if disk.rotational is not None else ()),
            disk.device or "no device name",
            read,
        )
        box.addWidget(label(" · ".join(facts).replace("/", f"/{MAY_BREAK}"), theme.sans(12), quiet=True, wrap=True))
        box.addLayout(self._volumes(disk))
        return frame

    def _unknown(self, missing: tuple[Unknown, ...]) -> QFrame:
        """What could not be known, and how to find out; commands can be selected and copied."""
        frame, box = card()
        box.addWidget(label("What could not be known", theme.serif(18)))
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(6)
        for row, one in enumerate(missing):
            grid.addWidget(label(one.what, theme.sans(13), wrap=True), row, 0, Qt.AlignmentFlag.AlignTop)
            lines = QVBoxLayout()
            lines.setSpacing(1)
            lines.addWidget(label(one.how, theme.sans(13), quiet=True, wrap=True))
            if one.command:
                command = label(one.command, theme.mono(12))
                command.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                lines.addWidget(command)
            grid.addLayout(lines, row, 1)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)
        box.addLayout(grid)
        return frame

    def _volumes(self, disk: Disk) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(5)
        for column, words in enumerate(("", "no.", "type", "holds", "size", "used", "state")):
            grid.addWidget(
                label(words, theme.sans(12), quiet=True),
                0,
                column,
                Qt.AlignmentFlag.AlignRight if column in {4, 5} else Qt.AlignmentFlag.AlignLeft,
            )
        rows = [(volume.start, volume) for volume in disk.volumes] + [(gap.start, gap) for gap in disk.gaps()]
        for row, (_, one) in enumerate(sorted(rows, key=lambda pair: pair[0]), 1):
            if isinstance(one, Volume):
                self._volume(grid, row, one)
            else:
                grid.addWidget(label("free", theme.sans(13), quiet=True), row, 2)
                grid.addWidget(label(binary(one.size), theme.mono(13), quiet=True), row, 4, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(3, 3)
        grid.setColumnStretch(6, 2)
        return grid

    def _volume(self, grid: QGridLayout, row: int, volume: Volume) -> None:
        system = volume.filesystem
        holds = f"{title(system.kind)}{f' “{system.label}”' if system.label else ''}" if system else "no file system"
        state = [
            words
            for words, true in (("half asleep", system and system.hibernated), ("marked for a check", system and system.dirty))
            if true
        ]
        grid.addWidget(CallMark(volume.call), row, 0)
        grid.addWidget(label(str(volume.number), theme.mono(13), quiet=True), row, 1)
        grid.addWidget(label(type_name(volume.type_id) if volume.type_id else "whole disk", theme.sans(13)), row, 2)
        grid.addWidget(OneLine(f"{volume.holds.title} on {holds}" if volume.holds else holds, theme.sans(13)), row, 3)
        grid.addWidget(label(binary(volume.size), theme.mono(13, 700)), row, 4, Qt.AlignmentFlag.AlignRight)
        used = "none" if system is None else "not known" if volume.used is None else binary(volume.used)
        if system is not None and volume.used is None and volume.role in {"system", "data"}:
            grid.addWidget(self._ask_used(volume.call), row, 5, Qt.AlignmentFlag.AlignRight)
        else:
            grid.addWidget(label(used, theme.mono(13)), row, 5, Qt.AlignmentFlag.AlignRight)
        told = ["told"] if volume.told else []
        said = OneLine(", ".join([*state, *told, *flag_words(volume)]), theme.sans(12, 500), quiet=not state)
        said.setProperty("bad", bool(state))
        grid.addWidget(said, row, 6)
        tell = button("more", partial(self.say_of, volume.call), link=True, tip=f"say what is known of {volume.call}")
        tell.setAccessibleName(f"say what is known of {volume.call}")
        grid.addWidget(tell, row, 7)

    def say_of(self, call: str) -> None:
        """Show what is known of a volume, and take what a person says of it."""
        window = self.window()
        if window is not None:
            from inkshelf.ui.intake.saying import SayingCard  # late: the window is ready sooner

            SayingCard(window, self.desk, call).open_over()

    def _ask_used(self, call: str) -> QLineEdit:
        """Captured text may not say how full a volume is; the owner's system does."""
        line = QLineEdit()
        line.setPlaceholderText("not known: 188 GiB")
        line.setToolTip("type what the volume's own system shows as used, with a unit")
        line.setAccessibleName(f"used space of {call}")
        line.setFont(theme.mono(12))
        line.setFixedWidth(150)

        def typed() -> None:
            if not line.text().strip():
                return
            try:
                self.desk.know(f"used:{call}", line.text().strip(), f"used space of {call}")
            except InkshelfError as error:
                self.desk.say(Notice(error.what, error.remedy))

        line.editingFinished.connect(typed)
        return line


class Questions(QFrame):
    """What only a person can say; "not known" is an honest answer."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setObjectName("card")
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 12, 16, 14)
        box.addLayout(self._head())
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(5)
        self.choices: dict[str, Choice] = {}
        self._grid = grid
        self._rows: dict[str, tuple[QWidget, ...]] = {}
        for one in ASKED:
            if not one.seldom:
                self._ask(one)
        self.ram = QLineEdit()
        self.ram.setPlaceholderText("not known yet; for example 16 GiB")
        self.ram.setAccessibleName("memory")
        self.ram.setFont(theme.mono(13))
        self.ram.editingFinished.connect(self._memory)
        often = sum(not one.seldom for one in ASKED)
        self._memory_row = self._line(grid, often, "Memory", self.ram, "swap follows from it")
        self.board = QLineEdit()
        self.board.setPlaceholderText("as it names itself")
        self.board.setAccessibleName("model of the machine or its board")
        self.board.setFont(theme.sans(13))
        self.board.editingFinished.connect(self._boarded)
        self._board_row = self._line(
            grid, len(ASKED) + 1, "Machine or board", self.board, "known faults of a model are looked up"
        )
        grid.setColumnStretch(2, 1)
        box.addLayout(grid)
        self._all = False
        self.fold = button("", self._unfold, link=True)
        foot = QHBoxLayout()
        foot.addWidget(self.fold)
        foot.addStretch(1)
        box.addLayout(foot)

    def _head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        head.addWidget(label("Questions", theme.serif(18)))
        head.addStretch(1)
        self.title, self.owner = QLineEdit(), QLineEdit()
        for line, words in ((self.title, "job or machine"), (self.owner, "owner")):
            line.setPlaceholderText("not named yet")
            line.setAccessibleName(words)
            line.setMinimumWidth(90)
            line.setMaximumWidth(158)
            line.editingFinished.connect(self._named)
            head.addWidget(label(words, theme.sans(12), quiet=True))
            head.addWidget(line)
            head.addSpacing(4)
        return head

    def _ask(self, one: Asked) -> None:
        answers = (*((words, value) for _, words, value in one.answers), NOT_KNOWN)
        self.choices[one.field] = Choice(one.title, answers, partial(self._know, one.field, one.title.lower()))
        row = ASKED.index(one) + (1 if one.seldom else 0)  # the memory stands between
        self._rows[one.field] = self._line(self._grid, row, one.title, self.choices[one.field], one.why)

    def _unfold(self) -> None:
        self._all = not self._all
        self.refresh()

    def _know(self, field: str, words: str, value: object) -> None:
        self.desk.know(field, cast("str", value), words)

    def _line(self, grid: QGridLayout, row: int, words: str, answer: QWidget, why: str) -> tuple[QWidget, ...]:
        asked = label(words, theme.sans(13))
        asked.setToolTip(why)
        grid.addWidget(asked, row, 0)
        grid.addWidget(answer, row, 1)
        reason = label(why, theme.sans(12), quiet=True, wrap=True)
        reason.setMinimumWidth(60)
        grid.addWidget(reason, row, 2)
        return asked, answer, reason

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where the column of reasons has no room, each is the tip of its question."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """What is asked of few machines is folded away, unless somebody has said it. Reasons need room."""
        hidden = [one for one in ASKED if one.seldom and not self._all and self._answer(one.field) is None]
        for one in ASKED:
            if one not in hidden and one.field not in self._rows:
                self._ask(one)
        for one in ASKED:
            for place, widget in enumerate(self._rows.get(one.field, ())):
                widget.setVisible(one not in hidden and (place < REASON or self.width() >= ROOM_FOR_REASONS))
        for row in (self._memory_row, self._board_row):
            row[REASON].setVisible(self.width() >= ROOM_FOR_REASONS)
        self.fold.setText(f"{len(hidden)} more that concern few machines" if hidden else "only what is asked of every machine")
        names = ", ".join(one.title for one in hidden)
        self.fold.setToolTip(names)
        self.fold.setAccessibleDescription(names)

    def _answer(self, field: str) -> object:
        found = self.desk.job.found
        return getattr(found.firmware if field in {"mode", "secure_boot"} else found.conditions, field)

    def refresh(self) -> None:
        """Show the answers as they are now."""
        found = self.desk.job.found
        self._fit()
        for field, choice in self.choices.items():
            choice.set_value(self._answer(field))
        for line, text in ((self.title, self.desk.job.title), (self.owner, self.desk.job.owner)):
            if not line.hasFocus():
                line.setText(text)
                line.setCursorPosition(0)
        if not self.ram.hasFocus():
            self.ram.setText(binary(found.ram_bytes) if found.ram_bytes else "")
        if not self.board.hasFocus():
            self.board.setText(found.board)

    def _boarded(self) -> None:
        text = self.board.text().strip()
        if text != self.desk.job.found.board:
            try:
                self.desk.know("board", text, "model of the machine")
            except InkshelfError as error:
                self.desk.say(Notice(error.what, error.remedy))

    def _named(self) -> None:
        title, owner = self.title.text().strip(), self.owner.text().strip()
        if (title, owner) != (self.desk.job.title, self.desk.job.owner):
            self.desk.rename(title, owner)

    def _memory(self) -> None:
        text = self.ram.text().strip()
        found = self.desk.job.found
        if text == (binary(found.ram_bytes) if found.ram_bytes else ""):
            return
        try:
            self.desk.know("ram_bytes", parse_size(text) if text else None, "memory")
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
