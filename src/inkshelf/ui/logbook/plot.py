"""Plots of a shop's times in the chapter: drawn beside the window in its theme, at its size and scale."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QPixmap, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QInputDialog, QLabel, QSizePolicy, QVBoxLayout

from inkshelf.core.errors import InkshelfError
from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.logbook.keeper import Keeper
from inkshelf.ui.logbook.ribbons import Ribbons, in_short
from inkshelf.ui.logbook.ribbons import clock as clock_of
from inkshelf.ui.parts import Choice, OneLine, button, label
from inkshelf.ui.png import png

if TYPE_CHECKING:
    from inkshelf.core.day.planning import Ribbon
    from inkshelf.core.learned.times import Times
    from inkshelf.store.logbook.book import Logbook
    from inkshelf.store.logbook.today import Today
    from inkshelf.ui.logbook.looked import Closer

KINDS = (("stages", "stages"), ("bands", "kept"), ("waits", "waits"), ("findings", "met"), ("today", "today"))
EXPLAINED = {
    "stages": "bar: 8 of 10 · line: half · dot: this job, a cross where it fell outside",
    "kept": "bar: foretold before it began · dot: what it took, a cross outside",
    "waits": "minutes that the clock stood, by the reason",
    "met": "jobs that met a warning or a stop",
    "today": "one person, two ports, one network; hatched: it is waited for",
}
OF_TIMES = {"stages", "kept"}
TITLES = {
    "stages": "How long things take here",
    "kept": "How often a band held",
    "waits": "What is waited for",
    "met": "What is found most",
    "today": "Today",
}
SAVED = (760, 360)
LATER = 80  # milliseconds until it is drawn anew while a window is being dragged


class Asked(Value, frozen=True):
    """What is to be drawn."""

    kind: str
    width: int
    height: int
    scale: float


class Plot(QFrame):
    """One plot at a time; the chosen job is marked in it."""

    def __init__(self, keeper: Keeper, run: Callable[[str], object]) -> None:
        super().__init__()
        self.keeper, self.kind, self.clock = keeper, "stages", time.time
        self.times: Times | None = None
        self.job: Closer | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(2)
        row = QHBoxLayout()
        self.title = label(TITLES[self.kind], theme.serif(17))
        row.addWidget(self.title)
        row.addSpacing(6)
        row.addStretch(1)
        self.words = ""
        self.choice = Choice("plot", KINDS, self._take)
        self.choice.set_value(self.kind)
        row.addWidget(self.choice)
        row.addSpacing(8)
        self.promises = button(
            "Promised for…", self._ask_chosen, link=True, tip="the hour that the chosen machine is promised for"
        )
        row.addWidget(self.promises)
        row.addSpacing(12)
        self.saves = button("Save it…", lambda: run("log.plot"), link=True, tip="as SVG, PDF or PNG")
        row.addWidget(self.saves)
        box.addLayout(row)
        self.picture = QLabel()
        self.picture.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
        self.picture.setMinimumHeight(190)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        box.addWidget(self.picture, 1)
        self.ribbons = Ribbons(self._ask_hour)
        box.addWidget(self.ribbons, 1)
        self.ribbons.hide()
        self.key = OneLine("", theme.sans(12), quiet=True)
        box.addWidget(self.key)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(LATER)
        self._later.timeout.connect(self.draw)

    def _take(self, kind: object) -> None:
        self.kind = str(kind)
        self.draw()

    def show_times(self, times: Times | None) -> None:
        """Draw what was learned."""
        self.times = times
        if times is not None:
            held, of = times.held
            jobs = f"from {times.count} job{'s' if times.count != 1 else ''}"
            self.words = (
                f"{jobs}, bands held {held} of {of} times: {round(100 * held / of)} %" if of else "nothing was timed yet"
            )
        self.draw()

    def forget(self) -> None:
        """Show nothing of one logbook while another is opened."""
        self.times, self.job, self.words = None, None, ""
        self.picture.clear()
        self.ribbons.show_day(None)
        self.promises.setEnabled(False)

    def show_job(self, job: Closer | None) -> None:
        """Mark this job in it."""
        if job != self.job:
            self.job = job
            self.draw()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._later.start()

    def draw(self) -> None:
        """Draw it anew beside the window."""
        size, scale = self.picture.size(), self.devicePixelRatioF()
        self.choice.set_value(self.kind)
        self.key.setText(" · ".join(one for one in (EXPLAINED[self.kind], self.words if self.kind in OF_TIMES else "") if one))
        self.title.setText(TITLES[self.kind])
        self.ribbons.setVisible(self.kind == "today")
        self.promises.setVisible(self.kind == "today")
        self.promises.setEnabled(bool(self.ribbons.ribbons))
        self.picture.setVisible(self.kind != "today")
        if self.kind == "today":
            self._today()
            return
        if self.times is None or size.width() < 200 or not self.isVisible():
            return
        asked = Asked(self.kind, size.width(), size.height(), scale)
        figure = FIGURES[self.kind]
        times, job, look = self.times, self.job, look_of(theme.current())

        def work(book: Logbook) -> tuple[Asked, bytes, str]:
            from inkshelf.exchange.plots import saved

            made, words = figure(book, times, job, look, asked.width, asked.height)
            return asked, saved(made, "png", scale), words

        self.keeper.ask(work, self._drawn, "plot")

    def _today(self) -> None:
        """Plan the day beside the window; the shop's made-up day is the one on which it was left."""
        times, made_up, clock, promised = self.times, bool(self.keeper.made_up), self.clock, dict(self.keeper.promised)
        if times is None or not self.isVisible():
            return

        def work(book: Logbook) -> Today:
            from inkshelf.core.practice.shop import UNTIL
            from inkshelf.store.logbook.today import today

            return today(book, times, UNTIL + 9 * 3600 if made_up else int(clock()), promised)

        self.keeper.ask(work, self._planned, "today")

    def _ask_chosen(self) -> None:
        if self.ribbons.ribbons:
            self._ask_hour(self.ribbons.ribbons[self.ribbons.at])

    def _ask_hour(self, ribbon: Ribbon) -> None:
        """Ask for which hour a machine is promised; an empty answer takes the promise back."""
        day, promised = self.ribbons.today, self.keeper.promised
        if day is None:
            return
        had = clock_of(promised[ribbon.key]) if ribbon.key in promised else ""
        words = f"For which hour is {ribbon.name} promised, today? Such as 15:40. Empty: it is not."
        text, sure = QInputDialog.getText(self, "Promised for", words, text=had)
        if sure:
            self.promise(ribbon.key, text)

    def promise(self, key: str, text: str) -> None:
        """Promise a machine for an hour of the day that is shown (empty: for none), and plan the day anew."""
        day = self.ribbons.today
        if day is None:
            return
        promised = self.keeper.promised
        try:
            if text.strip():
                from inkshelf.store.logbook.today import DAY, hour_today

                promised[key] = hour_today(text, day.now)
                for old in [one for one, at in promised.items() if at < day.now - DAY]:
                    del promised[old]
            else:
                promised.pop(key, None)
        except InkshelfError as error:
            self.key.setText(f"{error.what} {error.remedy}")
            return
        self.draw()

    def _planned(self, result: object) -> None:
        if isinstance(result, InkshelfError):
            self.key.setText(f"{result.what} {result.remedy}")
        elif self.kind == "today":
            self.ribbons.show_day(result)  # type: ignore[arg-type]
            self.promises.setEnabled(bool(self.ribbons.ribbons))
            self.key.setText(in_short(result))  # type: ignore[arg-type]

    def _drawn(self, result: object) -> None:
        if isinstance(result, InkshelfError):
            self.key.setText(f"{result.what} {result.remedy}")
        if not isinstance(result, tuple):
            return
        asked, raw, words = result
        pixmap = QPixmap()
        pixmap.loadFromData(raw, "PNG")
        pixmap.setDevicePixelRatio(asked.scale)
        self.picture.setPixmap(pixmap)
        self.picture.setAccessibleName(words)
        self.picture.setToolTip(words)

    def save(self, path: Path, then: Callable[[object], object]) -> None:
        """Save the plot as it is shown, on white, in the form that the file's name ends with; ``then`` is told where, or why not."""
        if self.kind == "today" and self.ribbons.today is None:
            then(InkshelfError("The day is not planned yet.", "Save it when it is shown."))
            return
        if self.kind == "today":
            then(self._today_saved(path))
            return
        figure, times, job = FIGURES[self.kind], self.times, self.job
        form, look = path.suffix.lower().removeprefix("."), look_of(theme.PRINT)

        def work(book: Logbook) -> object:
            from inkshelf.exchange.plots import FORMATS, saved
            from inkshelf.store.jobfile import write_atomically

            if form not in FORMATS or times is None:
                raise InkshelfError(
                    "Which form is meant is not said.", f"End the file's name with one of: {', '.join(FORMATS)}."
                )
            made, _ = figure(book, times, job, look, *SAVED)
            write_atomically(path, saved(made, form, 2.0))
            return path

        self.keeper.ask(work, then)

    def _today_saved(self, path: Path) -> Path | InkshelfError:
        from inkshelf.store.jobfile import write_atomically

        if path.suffix.lower() != ".png":
            return InkshelfError("The day is saved as a picture.", "End the file's name with .png.")
        try:
            write_atomically(path, png(self.ribbons.on_paper().toImage()))
        except InkshelfError as error:
            return error
        return path

    def sizeHint(self) -> QSize:
        return QSize(400, 260)


def look_of(current: theme.Theme) -> Any:
    """Return the theme's colours as plots take them."""
    from inkshelf.exchange.plots import Look

    return Look(**{name: getattr(current, name) for name in Look.__struct_fields__})


Figure = Callable[["Logbook", "Times", "Closer | None", Any, int, int], tuple[Any, str]]


def _stages(_book: Logbook, times: Times, job: Closer | None, look: Any, width: int, height: int) -> tuple[Any, str]:
    from inkshelf.exchange.plots import StageRow, stages
    from inkshelf.ui.logbook.looked import stage_rows

    rows = [StageRow(stage, band, took, times.over.get(stage)) for stage, band, took in stage_rows(times, job)]
    return stages(rows, look, width, height), "; ".join(f"{one.stage} {one.band.words}" for one in rows)


def _kept(_book: Logbook, times: Times, _job: Closer | None, look: Any, width: int, height: int) -> tuple[Any, str]:
    from inkshelf.exchange.plots import kept

    held, of = times.held
    return kept(times.past[-80:], look, width, height), f"{held} of {of} bands held"


def _waits(book: Logbook, _times: Times, _job: Closer | None, look: Any, width: int, height: int) -> tuple[Any, str]:
    from inkshelf.core.work.events import REASONS
    from inkshelf.exchange.plots import counted
    from inkshelf.store.logbook.history import waits

    rows = [(REASONS.get(why, why), minutes) for why, minutes in waits(book)[:8]]
    return counted(rows, "min", look, width, height), "; ".join(f"{why} {minutes:.0f} min" for why, minutes in rows)


def _met(book: Logbook, _times: Times, _job: Closer | None, look: Any, width: int, height: int) -> tuple[Any, str]:
    from inkshelf.exchange.plots import counted
    from inkshelf.store.logbook.history import met

    rows = [(one.title, float(one.count)) for one in met(book)]
    return counted(rows, "jobs", look, width, height), "; ".join(f"{title}: {count:.0f} jobs" for title, count in rows)


FIGURES: dict[str, Figure] = {"stages": _stages, "kept": _kept, "waits": _waits, "met": _met}
"""What draws each kind; one that is missing here is refused."""
