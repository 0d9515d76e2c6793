"""The Logbook chapter: find a job as one types, see what it took against what was foretold, and how long things take here."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QListView, QVBoxLayout, QWidget

from inkshelf.core.errors import InkshelfError
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.listing import VALUE_ROLE
from inkshelf.ui.logbook.conflicts import Conflicts
from inkshelf.ui.logbook.keeper import Keeper
from inkshelf.ui.logbook.looked import Closer, Found, clock, closer, find, learned
from inkshelf.ui.logbook.plot import Plot
from inkshelf.ui.logbook.rows import ROW, RowDelegate, Rows
from inkshelf.ui.page import Page
from inkshelf.ui.parts import OneLine, button, heading, label, scrolled

if TYPE_CHECKING:
    from inkshelf.core.learned.times import Times
    from inkshelf.store.logbook.book import Logbook

EMPTY = (
    "Nothing is in this logbook yet. Every job that you work on is put in by itself, with its machine, its times and what was noted; "
    "a machine that comes back is known again by its disks."
)
NOT_FOUND = "No job has all of these words. A word may be cut short; owner, machine, model, serial, aim, findings and notes are looked through."
SHOWN = 6  # rows at least


class JobView(QListView):
    """The jobs; Enter opens the chosen one."""

    def __init__(self, opens: Callable[[], object]) -> None:
        super().__init__()
        self._opens = opens
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("jobs in the logbook")
        self.setMinimumHeight(SHOWN * ROW)
        self.setUniformItemSizes(True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self._opens()
            return
        super().keyPressEvent(event)


class Search(QLineEdit):
    """What is looked for; down goes to what was found."""

    def __init__(self, down: Callable[[], object]) -> None:
        super().__init__()
        self._down = down
        self.setPlaceholderText("owner, machine, any word")
        self.setAccessibleName("look for a job")
        self.setClearButtonEnabled(True)
        self.setMinimumWidth(176)
        self.setMaximumWidth(330)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self._down()
            return
        if event is not None and event.key() == Qt.Key.Key_Escape and self.text():
            self.clear()
            return
        super().keyPressEvent(event)


class LogbookChapter(Page):
    """Chapter of the contents."""

    def __init__(self, desk: Desk, keeper: Keeper, run: Callable[[str], object], opens: Callable[[str, bytes], object]) -> None:
        super().__init__()
        self.desk, self.keeper, self._run, self._opens = desk, keeper, run, opens
        self.times: Times | None = None
        self.one: Closer | None = None
        self._stale = True
        outer = QVBoxLayout(self)
        outer.setContentsMargins(28, 20, 10, 12)
        outer.setSpacing(8)
        outer.addLayout(self._head())
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(0, 0, 10, 0)
        box.setSpacing(8)
        outer.addWidget(scrolled(inside), 1)
        self.banner = label("", theme.sans(12), quiet=True, wrap=True)
        box.addWidget(self.banner)
        self.conflicts = Conflicts(keeper, self.again)
        box.addWidget(self.conflicts)
        self.model = Rows(self)
        self.view = JobView(self.open_it)
        self.view.setModel(self.model)
        self.view.setItemDelegate(RowDelegate(self.view))
        self.view.doubleClicked.connect(lambda _: self.open_it())
        box.addWidget(self.view, 3)
        self.empty = label(EMPTY, theme.sans(14), quiet=True, wrap=True)
        box.addWidget(self.empty)
        self.go = button("Look at a made-up shop's", self.change_book, primary=True)
        box.addWidget(self.go, 0, Qt.AlignmentFlag.AlignLeft)
        box.addWidget(self._foot())
        self.plot = Plot(keeper, run)
        box.addWidget(self.plot, 4)
        self.rest = QWidget()
        box.addWidget(self.rest, 4)
        selection = self.view.selectionModel()
        if selection is not None:
            selection.currentChanged.connect(self._chosen)
        keeper.changed.connect(self._changed)
        keeper.synced.connect(self._synced)
        self._shows(there=False)

    def _head(self) -> QHBoxLayout:
        row, self.sub = heading("Logbook")
        self.search = Search(self._down)
        self.search.textChanged.connect(lambda _: self.look())
        row.insertWidget(1, self.search)
        self.which = button("Look at a made-up shop's", self.change_book, link=True)
        self.export = button("Export…", lambda: self._run("log.export"), tip="as JSON lines, a table or a page")
        row.addWidget(self.which)
        row.addWidget(self.export)
        row.addSpacing(10)
        return row

    def _foot(self) -> QFrame:
        """The chosen job in a line, and what can be done with it."""
        self.foot = QFrame()
        row = QHBoxLayout(self.foot)
        row.setContentsMargins(10, 0, 0, 4)
        self.about = OneLine("", theme.sans(12), quiet=True)
        row.addWidget(self.about, 1)
        self.opener = button("Open it  ⏎", self.open_it, primary=True, tip="the job as it was put in, in a file of its own")
        self.sheet = button("Its sheet", self.open_sheet, tip="open it at its sheet")
        row.addWidget(self.sheet)
        row.addWidget(self.opener)
        return self.foot

    # -- showing -------------------------------------------------------------------------------------------------
    def refresh(self) -> None:
        """Show the logbook as it is now; looked up beside the window."""
        if self._stale:
            self._stale = False
            self.keeper.ask(learned, self._learned, "learned")
        self.conflicts.refresh()
        self.look()

    def again(self) -> None:
        """Look everything up anew."""
        self._stale = True
        if self.isVisible():
            self.refresh()

    def _changed(self) -> None:
        self.again()

    def _synced(self, result: object) -> None:
        self.conflicts.standing(result)

    def _learned(self, result: object) -> None:
        if isinstance(result, InkshelfError):
            self.desk.say(Notice(result.what, result.remedy))
            return
        self.times = result  # type: ignore[assignment]
        self.plot.show_times(self.times)
        self.look()

    def look(self) -> None:
        """Search for what is typed."""
        asked, times = self.search.text(), self.times
        self.keeper.ask(lambda book: find(book, asked, times), self._found, "find")

    def _found(self, result: object) -> None:
        if isinstance(result, InkshelfError):
            self.sub.setText("")
            self._shows(there=False)
            self.empty.setText(f"{result.what} {result.remedy}")
            return
        if not isinstance(result, Found) or result.asked != self.search.text():
            return
        seed = self.chosen.brief.seed if self.chosen else ""
        self.model.show_rows(result.rows)
        self._shows(there=result.total > 0)
        self.empty.setVisible(not result.rows)
        self.empty.setText(NOT_FOUND if result.total else EMPTY)
        self.sub.setText(self._counted(result))
        at = next((at for at, one in enumerate(result.rows) if one.brief.seed == seed), 0)
        if result.rows:
            self.view.setCurrentIndex(self.model.index(at))
        self._chosen()

    def _counted(self, found: Found) -> str:
        many = f"{found.count:,} of {found.total:,}".replace(",", " ")
        return f"{many} job{'s' if found.total != 1 else ''}" if found.total else ""

    def _shows(self, *, there: bool) -> None:
        for one in (self.view, self.foot, self.plot):
            one.setVisible(there)
        for other in (self.go, self.rest):
            other.setVisible(not there)
        self.which.setVisible(there)
        self.export.setEnabled(there)
        self.export.setToolTip("as JSON lines, a table or a page" if there else "nothing is in it yet")
        made_up = bool(self.keeper.made_up)
        self.go.setVisible(not there and not made_up)
        self.which.setText("Back to your own" if made_up else "Look at a made-up shop's")
        self.banner.setVisible(made_up)
        self.banner.setText("This is the logbook of a made-up shop: two benches, forty jobs in two years. Yours is untouched.")

    @property
    def chosen(self) -> Any:
        """The chosen row, or ``None``."""
        index: QModelIndex = self.view.currentIndex()
        return index.data(VALUE_ROLE) if index.isValid() else None

    def _chosen(self, *_: object) -> None:
        row = self.chosen
        for one in (self.opener, self.sheet):
            one.setEnabled(row is not None)
        if row is None:
            self.about.setText("")
            self.plot.show_job(None)
            return
        seed, who = row.brief.seed, row.brief.who
        self.keeper.ask(lambda book: closer(book, seed, who), self._closer, "closer")

    def _closer(self, result: object) -> None:
        row = self.chosen
        if row is None or not isinstance(result, Closer) or result.logged.seed != row.brief.seed:
            return
        self.one = result
        logged = result.logged
        stops = sum(one.severity != "note" for one in logged.findings)
        parts = [
            row.took_words,
            f"planned {clock(logged.planned)}",
            f"{len(logged.steps)} steps",
            f"{stops} finding{'s' if stops != 1 else ''}",
            f"{logged.opened} opened its firmware" if logged.opened else "",
            logged.board,
            f"by {row.brief.who}" if row.brief.who else "",
            f"{len(result.files)} file{'s' if len(result.files) != 1 else ''}" if result.files else "",
        ]
        self.about.setText(" · ".join(one for one in parts if one))
        self.plot.show_job(result)

    # -- doing ---------------------------------------------------------------------------------------------------
    def _down(self) -> None:
        self.view.setFocus()

    def _open(self, then: Callable[[], object]) -> None:
        row = self.chosen
        if row is None:
            return
        seed = row.brief.seed

        def read(book: Logbook) -> bytes:
            return book.read(seed)[0]

        def came(result: object) -> None:
            if isinstance(result, InkshelfError):
                self.desk.say(Notice(result.what, result.remedy))
            elif isinstance(result, bytes):
                self._opens(seed, result)
                then()

        self.keeper.ask(read, came)

    def open_it(self) -> None:
        """Open the chosen job."""
        self._open(lambda: self.desk.show("shelf"))

    def open_sheet(self) -> None:
        """Open the chosen job at its sheet."""
        self._open(lambda: self.desk.show("sheet"))

    def change_book(self) -> None:
        """Look at the made-up shop's, or back at one's own."""
        self.times = None
        self.plot.forget()
        if self.keeper.made_up:
            self.keeper.look_at_own()
            self.again()
            return
        self.sub.setText("the made-up shop's is being put together …")
        self.keeper.look_at_made_up(self._made_up)

    def _made_up(self, result: object) -> None:
        if isinstance(result, InkshelfError):
            self.desk.say(Notice(result.what, result.remedy))
        self.again()

    def show_step_soon(self, number: int) -> None:
        """Show what was done on the machine of the open job: its disk is looked for."""
        serial = next((one.serial for one in self.desk.job.found.disks if one.serial and not one.stick), "")
        self.search.setText(serial)

    def save_export(self, path: Path) -> None:
        """Export all jobs, in the form that the file's name ends with."""

        def work(book: Logbook) -> int:
            from inkshelf.store.logbook.forms import export

            return export(book, path)

        def done(result: object) -> None:
            if isinstance(result, InkshelfError):
                self.desk.say(Notice(result.what, result.remedy))
            else:
                self.desk.say(Notice(f"Saved: {path}", f"{result} jobs.", bad=False))

        self.keeper.ask(work, done)
