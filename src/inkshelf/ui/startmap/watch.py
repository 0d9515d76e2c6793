"""Watch it start: throw-away copies of the inked disks under real firmware, line by line, beside the prediction."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from inkshelf.bench import watching
from inkshelf.bench.emulator import Seen
from inkshelf.bench.journal import NAME
from inkshelf.bench.watching import Watched
from inkshelf.core.boot.mishaps import Mishap
from inkshelf.ui import theme
from inkshelf.ui.background import Task
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import OneLine, button, label
from inkshelf.ui.startmap.watched import Line, going, lines, summary

ROW, EDGE, WHO = 22, 12, 190
LEAST = 3  # rows that the console has room for
LISTEN = 200  # milliseconds
SCREEN = 300  # the emulated screen's width, small


class Watch(QWidget):
    """The strip at the foot of the Start chapter. ``bench``: where the job is inked; ``mishap``: the one that is looked at. ``grew``: it has more to show."""

    grew = pyqtSignal()

    def __init__(self, desk: Desk, bench: Callable[[], Path], mishap: Callable[[], Mishap]) -> None:
        super().__init__()
        self.desk, self._bench, self._mishap = desk, bench, mishap
        self.task: Task | None = None
        self._heard: Seen | None = None
        self._stop = False
        self._of: object = None  # what was watched: the job and the mishap
        self._asked: object = None
        self._lacks = ""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 6, 0, 0)
        box.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(label("Watch it start", theme.serif(18)))
        head.addSpacing(8)
        self.sub = OneLine("", theme.sans(13), quiet=True)
        head.addWidget(self.sub, 1)
        self.go = button("Watch", self._pressed, tip="about ten seconds; the inked disks are copied, and stay as they are")
        head.addWidget(self.go)
        box.addLayout(head)
        self.console = Console()
        box.addWidget(self.console)
        self.said = label("", theme.sans(13, 500), wrap=True)
        box.addWidget(self.said)
        self.thumb = QLabel()
        self.thumb.setAccessibleName("the emulated screen at the end of the start")
        self.thumb.hide()
        box.addWidget(self.thumb)
        self.kept = label("", theme.mono(12), wrap=True)
        self.kept.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.kept.hide()
        box.addWidget(self.kept)
        self._listen = QTimer(self)
        self._listen.setInterval(LISTEN)
        self._listen.timeout.connect(self._hear)
        self.refresh()

    def refresh(self) -> None:
        """Say whether this start can be watched now, and forget one of another plan or mishap."""
        if self.task is not None:
            return
        mishap = self._mishap()
        lacks = self._why_not()
        if not lacks and not all(isinstance(one, watching.SHOWN) for one in mishap.parts):
            lacks = "this mishap writes files or disks: it is rehearsed only"
        self.sub.setText(lacks or f"copies of the inked disks under real firmware{self._when(mishap)}")
        self.go.setEnabled(not lacks)
        self.go.setToolTip(lacks or "about ten seconds; the inked disks are copied, and stay as they are")
        if (self.desk.job.steps, mishap.key) != self._of:
            self._of = None
            self.console.show_lines(())
            self.said.setText("")
            self._show_screen(b"", None)
        self.console.setVisible(bool(self.console.lines))
        self.said.setVisible(bool(self.said.text()))

    def _why_not(self) -> str:
        """Asked of the disk only when the plan or the bench is another one."""
        mark = self._bench() / NAME
        asked = (self.desk.job, mark.stat().st_mtime_ns if mark.is_file() else 0)
        if asked != self._asked:
            self._asked, self._lacks = asked, watching.why_not(self.desk.job, self._bench())
        return self._lacks

    @staticmethod
    def _when(mishap: Mishap) -> str:
        return "" if mishap.key == "none" else f", when: {mishap.title}"

    def _pressed(self) -> None:
        """Begin, or break off what goes on."""
        if self.task is not None:
            self._stop = True
            self.go.setEnabled(False)
            return
        job, bench, mishap = self.desk.job, self._bench(), self._mishap()
        self._of, self._heard, self._stop = (job.steps, mishap.key), None, False

        def hear(seen: Seen) -> bool:
            self._heard = seen
            return not self._stop

        def work() -> tuple[Watched, Path | None]:
            watched = watching.watch(job, bench, mishap, hear, picture=True)
            return watched, watching.keep_picture(bench, mishap, watched)

        self.task = Task(work, self)
        self.task.done.connect(self._over)
        self.task.failed.connect(self._failed)
        self.task.finished.connect(self._finished)
        self.go.setText("Break off")
        self.console.show_lines((Line("firmware", "begins …"),))
        self.console.show()
        self.said.setText("")
        self._show_screen(b"", None)
        self.grew.emit()
        self._listen.start()
        self.task.start()

    def _hear(self) -> None:
        if self._heard is not None and self._heard.tried:
            self.console.show_lines(going(self._heard))

    def _over(self, found: object) -> None:
        watched, kept = found if isinstance(found, tuple) else (None, None)
        if isinstance(watched, Watched):
            self.console.show_lines(lines(watched))
            words, good = summary(watched)
            self._show_screen(watched.seen.picture, kept)
            self._tell("; ".join((words, *watched.notes)), bad=not good)

    def _show_screen(self, picture: bytes, kept: Path | None) -> None:
        """The screen small, and where the whole picture of it is kept."""
        shown = QPixmap()
        there = bool(picture) and shown.loadFromData(picture, "PNG")
        if there:
            dots = self.devicePixelRatioF()
            small = shown.scaledToWidth(int(SCREEN * dots), Qt.TransformationMode.SmoothTransformation)
            small.setDevicePixelRatio(dots)
            self.thumb.setPixmap(small)
            self.kept.setText(f"its screen is kept in {kept}")
        self.thumb.setVisible(there)
        self.kept.setVisible(there)

    def _failed(self, what: str, remedy: str) -> None:
        self.console.show_lines(())
        self._tell(f"{what} {remedy}", bad=True)

    def _tell(self, words: str, *, bad: bool) -> None:
        self.said.setProperty("bad", bad)
        style = self.said.style()
        if style:
            style.polish(self.said)
        self.said.setText(words)
        self.said.show()
        self.grew.emit()

    def _finished(self) -> None:
        self._listen.stop()
        self.task = None
        self.go.setText("Watch again")
        self.refresh()

    def wait(self) -> None:
        """Break off and wait: nothing goes on when the window is gone."""
        if self.task is not None:
            self._stop = True
            self.task.wait()


class Console(QWidget):
    """The lines, on dark ground in both themes: what speaks here is a machine."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: tuple[Line, ...] = ()
        self.setAccessibleName("what the firmware did")

    def show_lines(self, lines: tuple[Line, ...]) -> None:
        """Show these lines."""
        self.lines = lines
        self.setFixedHeight(2 * EDGE + ROW * max(LEAST, len(lines)))
        self.setAccessibleDescription("; ".join(f"{one.who}: {one.what} {one.verdict}".strip() for one in lines))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(700, 2 * EDGE + ROW * LEAST)

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        ground, words = ("ink", "on_ink") if ink.name == "paper" else ("desk", "ink")
        painter.setBrush(ink.color(ground))
        painter.drawRoundedRect(QRectF(self.rect()), 4, 4)
        left = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        for place, one in enumerate(self.lines):
            y = EDGE + ROW * place
            painter.setPen(ink.color(words))
            painter.setFont(theme.mono(12, 700))
            painter.drawText(QRectF(EDGE, y, WHO, ROW), left, one.who)
            painter.setFont(theme.mono(12))
            room = QRectF(EDGE + WHO, y, max(60.0, self.width() - 2 * EDGE - WHO - 110), ROW)
            shown = painter.fontMetrics().elidedText(one.what, Qt.TextElideMode.ElideMiddle, int(room.width()))
            painter.drawText(room, left, shown)
            if one.verdict:
                painter.setFont(theme.sans(12, 600))
                mark = "\N{CHECK MARK} " if one.verdict == "as predicted" else "\N{MULTIPLICATION SIGN} "
                right = QRectF(self.width() - 130 - EDGE, y, 130, ROW)
                painter.drawText(right, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, mark + one.verdict)
