"""Ways to do what the job asks for, side by side: each worked out in full while the window goes on; best and worst are marked."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import QRectF, Qt, QTimer
from PyQt6.QtGui import QHideEvent, QPainter, QPen, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.job import Job
from inkshelf.core.sheet.candidates import HERE, Candidate, chosen, worked_out
from inkshelf.core.size import binary
from inkshelf.core.steps.fold import fold
from inkshelf.ui import theme
from inkshelf.ui.background import Task
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import OneLine, button, card, clear, label

NARROWEST = 14.0
MOST_SHOWN = 3
PAUSE = 60  # milliseconds without a change before ways are worked out
CARD = 232  # pixels that a card needs


class SmallShelf(QWidget):
    """The disk that a way changes most, as it becomes: a small board."""

    def __init__(self, disk: Disk) -> None:
        super().__init__()
        self.disk = disk
        self.setFixedHeight(52)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"disk {disk.id}: " + ", ".join(f"{one.call} {binary(one.size)}" for one in disk.volumes))

    def paintEvent(self, event: object) -> None:
        ink = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        foot = self.height() - 5.0
        for call, left, width, level, planned in spines(self.disk, self.width() - 4.0):
            box = QRectF(2 + left, 4, width - 1.5, foot - 5)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ink.color("card"))
            painter.drawRect(box)
            if level:
                painter.setBrush(ink.color("used"))
                painter.drawRect(QRectF(box.left(), box.bottom() - box.height() * level, box.width(), box.height() * level))
            pen = QPen(ink.color("pencil" if planned else "ink"), 1.3)
            if planned:
                pen.setDashPattern([3, 2])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box)
            painter.setFont(theme.mono(10, 700))
            if painter.fontMetrics().horizontalAdvance(call) + 2 <= box.width():
                painter.drawText(box.adjusted(0, 3, 0, 0), Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, call)
        painter.setPen(QPen(ink.color("ink"), 2.4))
        painter.drawLine(0, int(foot), self.width(), int(foot))


def spines(disk: Disk, width: float) -> list[tuple[str, float, float, float, bool]]:
    """Return (call, left, width, used share, planned) of each volume in pixels; narrow ones are widened, the wide ones give."""
    if not disk.volumes:
        return []
    least = min(NARROWEST, width / len(disk.volumes))
    scale = width / max(1, disk.size)
    wide = [max(least, one.size * scale) for one in disk.volumes]
    over, bulk = max(0.0, sum(wide) - width), sum(one - least for one in wide)
    wide = [one - over * (one - least) / bulk if bulk else one for one in wide]
    found: list[tuple[str, float, float, float, bool]] = []
    at = 0.0
    for volume, own in zip(disk.volumes, wide, strict=True):
        at = max(at, min(volume.start * scale, width - sum(wide[len(found) :])))
        found.append((volume.call, at, own, (volume.used or 0) / max(1, volume.size), volume.planned))
        at += own
    return found


class Ways(QWidget):
    """Cards of ways; the one that is planned is first. They are worked out one by one, between two things that the window does."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._of: Job | None = None
        self._found: list[Candidate] = []
        self._ways: tuple[Candidate, ...] = ()
        self._count = MOST_SHOWN
        self._working: Iterator[Candidate] | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        head = QHBoxLayout()
        self.title = label("Ways to do it", theme.serif(18))
        head.addWidget(self.title)
        self.state = OneLine("", theme.sans(12), quiet=True)
        head.addWidget(self.state, 1)
        box.addLayout(head)
        self.row = QHBoxLayout()
        self.row.setSpacing(8)
        box.addLayout(self.row)
        self.task: Task | None = None
        self._next = QTimer(self)
        self._next.timeout.connect(self._one_more)

    def refresh(self) -> None:
        """Work the ways of the job out anew, where it has changed."""
        job = self.desk.job
        if job is self._of:
            return
        self._of, self._found, self._ways = job, [], ()
        self.setVisible(bool(job.aims))
        self.title.setText("Ways out" if job.plan_fault else "Ways to do it")
        self._working = worked_out(job) if job.aims else None
        self._next.stop()
        self._go_on()
        self.state.setText("being worked out")

    def _go_on(self) -> None:
        """After a moment in which nothing changed: a drag is not held up by ways that the next frame makes untrue."""
        if self._working is not None and self.isVisible():
            self._next.start(PAUSE)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._go_on()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self._next.stop()  # nothing is worked out for a page that nobody looks at

    def _one_more(self) -> None:
        """Work the next way out: between two things that the window does, or beside it where that takes longer than a frame."""
        self._next.setInterval(0)
        working, job = self._working, self._of
        if working is None or job is None or self.task is not None:
            return
        if not any(aim.slow for aim in job.aims):
            self._got(next(working, None))
            return
        self._next.stop()
        self.task = Task(lambda: next(working, None), self)
        self.task.done.connect(lambda one: self._later(job, one))
        self.task.failed.connect(lambda what, _: self._broken(job, what))
        self.task.finished.connect(self._free)
        self.task.start()

    def _later(self, job: Job, one: Candidate | None) -> None:
        if job is self._of:
            self._got(one)

    def _broken(self, job: Job, what: str) -> None:
        """A way that cannot be worked out ends the search, and is no search in full."""
        if job is self._of:
            self._working = None
            self.state.setText(f"not worked out to the end: {what}")

    def _free(self) -> None:
        self.task = None
        if self._working is not None and self.isVisible():
            self._next.start(0)

    def _got(self, one: Candidate | None) -> None:
        if one is not None:
            self._found.append(one)
            if len(self._found) == 1:
                self._show((one,))
            return
        self._next.stop()
        self._working = None
        self._ways = ways = chosen(tuple(self._found), MOST_SHOWN)
        self._show(ways)
        if self._of is not None and self._of.plan_fault:
            self.state.setText(
                "worked out in full, the cheapest first"
                if ways
                else "no other answer leads out of it, nor did any pair that was tried"
            )
            return
        more = "worked out in full; none is better in everything"
        self.state.setText(more if len(ways) > 1 else "no other answer leads to a way that is better in anything")

    def fit(self, width: int) -> None:
        """Show as many cards as there is room for."""
        count = max(1, min(MOST_SHOWN, width // CARD))
        if count != self._count:
            self._count = count
            self._show(self._ways or tuple(self._found[:1]))

    def _show(self, ways: tuple[Candidate, ...]) -> None:
        clear(self.row)
        ways = ways[: self._count]
        best = _ranks(ways)
        for place, one in enumerate(ways):
            self.row.addWidget(self._card(chr(ord("A") + place), one, best), 1)
        for _ in range(self._count - len(ways)):
            self.row.addStretch(1)

    def _card(self, letter: str, one: Candidate, ranks: dict[tuple[str, str], str]) -> QWidget:
        frame, box = card(margins=12)
        frame.setProperty("taken", one.key == HERE)
        head = QHBoxLayout()
        head.addWidget(label(letter, theme.mono(13, 700)))
        head.addWidget(OneLine(one.words, theme.sans(12, 600)), 1)
        box.addLayout(head)
        box.addWidget(SmallShelf(_disk(one.job)))
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        for row, (words, figure) in enumerate(rows(one)):
            grid.addWidget(label(words, theme.sans(12), quiet=True), row, 0)
            value = label(figure, theme.mono(12, 700))
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            tint = ranks.get((one.key, words), "")
            value.setProperty(tint or "plain", bool(tint))
            grid.addWidget(value, row, 1)
        box.addLayout(grid)
        box.addStretch(1)  # the shortest card keeps its words at the same height as the others
        if one.key == HERE:
            reasons = self.desk.job.reasons
            box.addWidget(
                OneLine(f"taken: {reasons[-1]}" if reasons else "this is what is planned", theme.sans(12), quiet=True)
            )
        else:
            box.addLayout(self._taking(one))
        return frame

    def _taking(self, one: Candidate) -> QHBoxLayout:
        """A press asks for the reason in the place of the button; Enter takes the way."""
        row = QHBoxLayout()
        why = QLineEdit()
        why.setPlaceholderText("because … (Enter takes it)")
        why.setAccessibleName(f"why this way: {one.words}")
        why.hide()

        def ask() -> None:
            take.hide()
            why.show()
            why.setFocus()

        take = button("take this one", ask, link=True)
        why.returnPressed.connect(lambda: self.desk.take_way(one.key, why.text().strip() or "no reason was given"))
        row.addWidget(take)
        row.addWidget(why, 1)
        row.addStretch(0)
        return row


def rows(one: Candidate) -> list[tuple[str, str]]:
    """Return a way's figures as words and text, in the order in which they are shown."""
    made = one.figures
    return [
        *((f"{call} will show", binary(size)) for call, size in made.free.items()),
        ("to copy", binary(made.moved)),
        ("time, with a margin", f"{made.minutes:.0f} min"),
        ("by hand", f"{made.by_hand} steps"),
        ("to put back", str(made.put_back)),
        ("starts survive", f"{made.survives} of {made.starts}"),
    ]


def _ranks(ways: tuple[Candidate, ...]) -> dict[tuple[str, str], str]:
    """Return which figures are the best and the worst of all, where they differ: "good" and "bad" by way and words."""
    measures = {
        one.key: {
            **{f"{call} will show": -size for call, size in one.figures.free.items()},
            "to copy": one.figures.moved,
            "time, with a margin": round(one.figures.minutes),
            "by hand": one.figures.by_hand,
            "to put back": one.figures.put_back,
            "starts survive": one.figures.starts - one.figures.survives,
        }
        for one in ways
    }
    found: dict[tuple[str, str], str] = {}
    for words in {word for each in measures.values() for word in each}:
        values = {key: each[words] for key, each in measures.items() if words in each}
        if len(set(values.values())) > 1:
            found |= {(key, words): "good" for key, value in values.items() if value == min(values.values())}
            found |= {(key, words): "bad" for key, value in values.items() if value == max(values.values())}
    return found


def _disk(job: Job) -> Disk:
    """The disk of a plan with the most new volumes, else the first."""
    planned = fold(job.found, job.steps).planned
    return max(planned.disks, key=lambda disk: sum(one.planned for one in disk.volumes))
