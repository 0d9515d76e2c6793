"""Bench mode: it lies over the whole window while the work is done. Keys do everything; what is written down is kept at once."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QMimeData, QObject, Qt, QTimer
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication, QImage, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QLineEdit, QMenu, QVBoxLayout, QWidget

from inkshelf.core.checks.registry import Remedy, Show
from inkshelf.core.errors import InkshelfError
from inkshelf.core.sheet.atwork import AtWork, at_work, first_open, of_gone_steps, pace
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.texts import one_line
from inkshelf.core.work.events import AnyEvent, Attached, Began, How, Measured, Noted, Paused, Reopened, Resumed, ended
from inkshelf.core.work.worked import left_running
from inkshelf.store import kept
from inkshelf.ui import theme
from inkshelf.ui.benchmode.foot import Foot
from inkshelf.ui.benchmode.step import Does, StepView
from inkshelf.ui.benchmode.strip import Strip
from inkshelf.ui.desk import Desk, Notice, Subject
from inkshelf.ui.frame.dropping import files_of
from inkshelf.ui.frame.notice import NoticeBar
from inkshelf.ui.parts import OneLine, button, scrolled
from inkshelf.ui.png import png

ASKS: dict[How, tuple[str, str]] = {
    "failed": ("It &failed…", "What happened?"),
    "skipped": ("&Leave it out…", "Why is it left out?"),
    "otherwise": ("Done in &another way…", "How was it done?"),
}


class BenchMode(QFrame):
    """One step at a time. ``now`` says the time in whole seconds."""

    def __init__(self, desk: Desk, over: QWidget, now: Callable[[], int] = lambda: int(time.time())) -> None:
        super().__init__(over)
        self.setObjectName("benchmode")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setAutoFillBackground(True)
        self.setAccessibleName("bench mode")
        self.desk, self.now, self.at = desk, now, 0
        self.rows: tuple[AtWork, ...] = ()
        self._shown: object = None
        self._build()
        desk.note(*left_running(desk.job.work, now()))
        desk.subscribe(self._heard)
        over.installEventFilter(self)
        self.timer = QTimer(self)
        self.timer.timeout.connect(self.tick)
        self.timer.start(1000)
        self._read()
        running = self._running()
        self.at = first_open(self.rows) if running is None else running
        self.refresh()

    # -- building ------------------------------------------------------------------------------------------------
    def _build(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self._header())
        self.notice = NoticeBar(self.desk)
        middle = QVBoxLayout()
        middle.setContentsMargins(40, 12, 40, 0)
        middle.addWidget(self.notice)
        self.strip = Strip()
        self.strip.chosen.connect(self.go_to)
        middle.addWidget(self.strip)
        outer.addLayout(middle)
        self.step = StepView(Does(self.found, self.plan_again, self.put_right, self.copy, self.place_of))
        self.area = scrolled(self.step)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        outer.addWidget(self.area, 1)
        self.foot = Foot(self.go, self.pause, self.others)
        outer.addWidget(self.foot)

    def _header(self) -> QFrame:
        header = QFrame()
        header.setObjectName("header")
        header.setFixedHeight(53)
        row = QHBoxLayout(header)
        row.setContentsMargins(40, 0, 24, 0)
        row.setSpacing(12)
        self.title, self.about = OneLine("", theme.serif(19)), OneLine("", theme.sans(14), quiet=True)
        row.addWidget(self.title)
        row.addWidget(self.about, 1)
        for words, do in (("←", lambda: self.go_to(self.at - 1)), ("→", lambda: self.go_to(self.at + 1))):
            made = button(words, do, tip="look at an earlier step" if words == "←" else "look at a later step")
            made.setAccessibleName(made.toolTip())
            row.addWidget(made)
        row.addWidget(button("Leave  Esc", self.leave))
        return header

    # -- showing -------------------------------------------------------------------------------------------------
    def _read(self) -> None:
        made = sheet(self.desk.reading, self.desk.findings)
        self.made = made
        self.rows, self.clock = at_work(self.desk.reading, made, self.now())

    def _running(self) -> int | None:
        return next((at for at, one in enumerate(self.rows) if one.row.step == self.clock.running), None)

    def refresh(self) -> None:
        """Show the job as it is now; what is being typed stays where the step is the same."""
        self._read()
        if not self.rows:
            self.desk.say(Notice("There is no step to work on any more.", self.desk.job.plan_fault or "Say the aim first."))
            self.leave()
            return
        self.at = min(self.at, len(self.rows) - 1)
        job, one = self.desk.job, self.rows[self.at]
        self.title.setText(job.owner or job.title or "job")
        disks = " · ".join(f"disk {disk.id}: {disk.identity()}" for disk in self.made.at_work)
        self.about.setText(f"{disks} · {job.title}" if job.owner and job.title else disks)
        shown = (
            one.row,
            one.mark,
            one.work.stands,
            one.work.why,
            one.work.notes,
            one.work.files,
            one.stops,
            one.changed,
            theme.current().name,
        )
        if shown != self._shown:
            self._shown = shown
            self.step.show_step(one)
        self.strip.show_rows(self.rows, self.at)
        later = self.rows[self.at + 1] if self.at + 1 < len(self.rows) else None
        self.foot.next.setText(f"next: {later.row.number}  {later.row.words.title}" if later else "this is the last one")
        self.tick()

    def tick(self) -> None:
        """Let the clocks go on."""
        if self.rows:
            rows, self.clock = at_work(self.desk.reading, self.made, self.now())
            self.rows = rows
            self.foot.show_state(rows[self.at], self.clock, pace(rows, self.now()), self.now())

    def _heard(self, subject: Subject) -> None:
        if subject == "job":
            self.refresh()
        elif subject == "notice":
            self.notice.show_notice(self.desk.notice)

    def go_to(self, place: int) -> None:
        """Look at another step; the clock goes on for the one that it runs for."""
        if 0 <= place < len(self.rows) and place != self.at:
            self.at = place
            self.refresh()
            bar = self.area.verticalScrollBar()
            if bar is not None:
                bar.setValue(0)

    # -- working -------------------------------------------------------------------------------------------------
    @property
    def one(self) -> AtWork:
        """The step that is looked at."""
        return self.rows[self.at]

    def note(self, *events: AnyEvent) -> None:
        """Write events down; what cannot be is said."""
        self.desk.note(*events)

    def go(self) -> None:
        """What the one key does: begin, go on, done, next."""
        one, now = self.one, self.now()
        if one.over:
            self._on()
        elif self.clock.running != one.row.step:
            self.note(Began(now, one.row.step))
        elif self.clock.paused is not None:
            self.note(Resumed(now, one.row.step))
        elif self._may_end():
            self._end("done", "")

    def _may_end(self) -> bool:
        """Not with a value that says that the work must not go on."""
        for ask in self.step.asks:
            judged, fault = self.one.judged(ask.asks.key, ask.line.text())
            if fault or (judged and judged.good is False):
                self.desk.say(
                    Notice(f"{ask.asks.title}: {fault or (judged.words if judged else '')}.", "Say under Other… what you did.")
                )
                return False
        return True

    def _end(self, how: How, why: str) -> None:
        one, now = self.one, self.now()
        try:
            event = ended(one.row.step, now, how, one.mark, one_line(why, "The reason"))
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
            return
        later = self.rows[self.at + 1] if self.at + 1 < len(self.rows) else None
        begun = self.clock.running == one.row.step
        goes_on = how != "failed" and begun and later is not None and not later.over
        self.note(event, *([Began(now, later.row.step)] if goes_on and later else []))
        if how != "failed":
            self._on()

    def _on(self) -> None:
        if self.at + 1 < len(self.rows):
            self.go_to(self.at + 1)
        elif all(one.over for one in self.rows):
            self.desk.say(Notice("Every step is done.", "Print or save the sheet for the owner.", bad=False))

    def pause(self, why: str) -> None:
        """Let the clock stand, or go on."""
        if self.clock.running != self.one.row.step:
            self.desk.say(Notice("The clock does not run for this step.", "Press Space to begin it."))
        elif self.clock.paused is not None:
            self.note(Resumed(self.now(), self.one.row.step))
        else:
            self.note(Paused(self.now(), self.one.row.step, one_line(why, "The reason").strip()))

    def others(self) -> QMenu:
        """Return what else this step can come to."""
        menu = QMenu(self)
        menu.aboutToHide.connect(menu.deleteLater)
        for how, (words, question) in ASKS.items():
            menu.addAction(words, lambda how=how, question=question: self._ask(question, how))
        again = menu.addAction("&Not done yet", self.reopen)
        if again is not None:
            again.setEnabled(self.one.work.stands != "open")
        menu.addSeparator()
        gone = of_gone_steps(self.desk.job)
        if gone:
            menu.addAction(
                f"&What was noted of {len(gone)} steps that are gone",
                lambda: self.desk.say(Notice(" · ".join(gone), bad=False)),
            )
        menu.addAction("W&rite a note…\tN", self.write)
        menu.addAction("Keep a &photograph or file…", self.choose_file)
        return menu

    def _ask(self, question: str, how: How) -> None:
        self.foot.reason.ask(question, lambda text: self._end(how, text))

    def reopen(self) -> None:
        """The step is to be done still."""
        self.note(Reopened(self.now(), self.one.row.step))

    def write(self) -> None:
        """Write a note to this step."""
        self.foot.reason.ask("Note", self.add_note)

    def add_note(self, text: str) -> None:
        """Keep a note; each line is one."""
        lines = [one_line(line.strip(), "A note") for line in text.splitlines() if line.strip()]
        if lines:
            self.note(*(Noted(self.now(), self.one.row.step, line[:4000]) for line in lines))

    def found(self, what: str, value: str) -> None:
        """Keep a value that was found."""
        self.note(Measured(self.now(), self.one.row.step, what, one_line(value, "What was found")))

    def plan_again(self, fact: tuple[str, str]) -> None:
        """Plan with what was found; what was done and noted stays."""
        field, value = fact
        step = self.one.row.step
        try:
            self.desk.know(field, value, "what the step found")
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
            return
        if not self.isVisible() or not self.rows:
            return
        self.at = next((at for at, one in enumerate(self.rows) if one.row.step == step), self.at)
        self.refresh()
        stops = self.one.stops
        self.desk.say(
            Notice("Written down. With that the plan cannot be: choose below what changes.", "", bad=True)
            if stops
            else Notice("Planned again from here: look at the numbers of this step.", "All that was noted stays.", bad=False)
        )

    def put_right(self, remedy: Remedy) -> None:
        """Put right what stops the work, and plan again; what is put right elsewhere is gone to."""
        if isinstance(remedy, Show):
            self.leave()
            self.desk.show(remedy.chapter, remedy.step or None)
            return
        self.desk.remedy(remedy)

    # -- files ---------------------------------------------------------------------------------------------------
    def place_of(self, file: Attached) -> Path:
        """Where a kept file lies."""
        return kept.path_of(self.desk.path or Path("job.json"), file.digest, file.name)

    def choose_file(self) -> None:
        """Choose files to keep."""
        names, _ = QFileDialog.getOpenFileNames(self, "Keep with this step")
        for name in names:
            self.keep(Path(name))

    def keep(self, source: Path | bytes, name: str = "") -> None:
        """Keep a file, or the bytes of a picture, with this step."""
        if self.desk.path is None:
            self.desk.say(Notice("Files are kept beside the job, which has no file yet.", "Save it first: Ctrl+Shift+S."))
            return
        try:
            told = (
                kept.keep_bytes(self.desk.path, source, name)
                if isinstance(source, bytes)
                else kept.keep_file(self.desk.path, source)
            )
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
            return
        self.note(Attached(self.now(), self.one.row.step, *told))

    def paste(self) -> None:
        """Keep what the clipboard holds: files, a picture, a text as a note."""
        clipboard = QGuiApplication.clipboard()
        data = clipboard.mimeData() if clipboard else None
        if data is None:
            return
        if data.hasUrls():
            self._keep_files(data)
        elif data.hasImage():
            self.keep(png(QImage(data.imageData())), "pasted.png")
        elif data.hasText():
            self.add_note(data.text())

    def copy(self, text: str) -> None:
        """Put exact values on the clipboard."""
        clipboard = QGuiApplication.clipboard()
        if clipboard and text:
            clipboard.setText(text)
            self.desk.say(Notice(f"Copied: {text.replace(chr(10), ' · ')[:160]}", bad=False))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event:
            self._keep_files(event.mimeData())

    def _keep_files(self, data: QMimeData | None) -> None:
        for path in files_of(data, self.desk):
            self.keep(path)

    # -- keys ----------------------------------------------------------------------------------------------------
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.matches(QKeySequence.StandardKey.Paste):
            self.paste()
        elif event.matches(QKeySequence.StandardKey.Copy):
            words = self.one.row.words
            self.copy("\n".join(words.commands or words.paste) or "\n".join(value for _, value in words.exact) or words.title)
        elif event.key() in KEYS and event.modifiers() in {Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier}:
            KEYS[event.key()](self)
        else:
            super().keyPressEvent(event)

    def first_ask(self) -> None:
        """Go into the first value that the step asks for."""
        if self.step.asks:
            self.step.asks[0].line.setFocus()
            self.step.asks[0].line.selectAll()

    def escape(self) -> None:
        """Out of a line first, then out of bench mode."""
        if isinstance(self.focusWidget(), QLineEdit) and self.focusWidget() is not self:
            self.setFocus()
        else:
            self.leave()

    def rest(self) -> None:
        """The clock stands from now on: nobody is here."""
        self.timer.stop()
        self.desk.listeners = [one for one in self.desk.listeners if one != self._heard]
        state = self.clock
        if state.running and state.paused is None:
            self.desk.note(Paused(self.now(), state.running, "closed"))

    def leave(self) -> None:
        """Back to the sheet; the clock stands while nobody looks at it."""
        self.rest()
        parent = self.parentWidget()
        if parent is not None:
            parent.removeEventFilter(self)
        self.close()
        self.desk.show("sheet", self.one.row.number if self.rows else None)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        parent = self.parentWidget()
        if event is not None and event.type() == QEvent.Type.Resize and parent is not None and watched is parent:
            self.setGeometry(parent.rect())
        return super().eventFilter(watched, event)

    def open_over(self) -> None:
        """Show it over the whole window."""
        parent = self.parentWidget()
        if parent is not None:
            self.setGeometry(parent.rect())
        self.show()
        self.raise_()
        self.setFocus()


KEYS: dict[int, Callable[[BenchMode], object]] = {
    Qt.Key.Key_Space: lambda page: page.go(),
    Qt.Key.Key_P: lambda page: page.foot.offer_pause(),
    Qt.Key.Key_O: lambda page: page.foot.offer_other(),
    Qt.Key.Key_N: lambda page: page.write(),
    Qt.Key.Key_F: lambda page: page.first_ask(),
    Qt.Key.Key_Left: lambda page: page.go_to(page.at - 1),
    Qt.Key.Key_Right: lambda page: page.go_to(page.at + 1),
    Qt.Key.Key_PageUp: lambda page: page.go_to(page.at - 1),
    Qt.Key.Key_PageDown: lambda page: page.go_to(page.at + 1),
    Qt.Key.Key_Home: lambda page: page.go_to(0),
    Qt.Key.Key_End: lambda page: page.go_to(len(page.rows) - 1),
    Qt.Key.Key_Escape: lambda page: page.escape(),
}
