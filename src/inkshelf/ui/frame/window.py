"""The window: header, contents on the left, chapter in the middle, margin on the right, reckoner at the foot."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QByteArray
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QMainWindow, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from inkshelf.core.errors import InkshelfError
from inkshelf.core.value import replace
from inkshelf.ui import theme
from inkshelf.ui.background import Saver
from inkshelf.ui.chapters import chapter_of
from inkshelf.ui.desk import Desk, Notice, Subject
from inkshelf.ui.frame import settings as remembered
from inkshelf.ui.frame.actions import ACTIONS, Action
from inkshelf.ui.frame.contents import Contents
from inkshelf.ui.frame.inkruns import InkRuns
from inkshelf.ui.frame.leaving import Leaving
from inkshelf.ui.frame.margin import Margin
from inkshelf.ui.frame.notice import NoticeBar
from inkshelf.ui.frame.reckoner import Reckoner
from inkshelf.ui.page import Page
from inkshelf.ui.parts import OneLine, button, label

if TYPE_CHECKING:
    from inkshelf.ui.frame.files import Files
    from inkshelf.ui.frame.logfiles import LogFiles
    from inkshelf.ui.inkview.page import InkPage
    from inkshelf.ui.inkview.worker import InkWorker
    from inkshelf.ui.logbook.keeper import Keeper


Shown = TypeVar("Shown", bound=QWidget)
CLOSING = 8000  # milliseconds that closing waits for inking to stop


class Window(QMainWindow, InkRuns):
    """One job in one window."""

    desk: Desk
    reckoner: Reckoner

    def __init__(self, desk: Desk, settings: remembered.Settings, settings_path: Path | None = None) -> None:
        super().__init__()
        self.desk, self.settings, self._settings_path = desk, settings, settings_path
        self._files: Files | None = None
        self._keeper: Keeper | None = None
        self.worker: InkWorker | None = None
        self.bench_folder: Path | None = None
        self.setStyleSheet(theme.sheet())
        self.setMinimumSize(840, 520)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._narrow, self._margin_on = False, True
        self._buttons: list[tuple[QPushButton, Action]] = []
        self._make_actions()
        self._build()
        self.saver = Saver(self)
        self.saver.saved.connect(self._was_saved)
        self.saver.failed.connect(lambda what, remedy: desk.not_saved(*self.leaving.words(what, remedy)))
        desk.write, desk.opened = self.saver.save, self.saver.opened
        if desk.as_read is not None:
            self.saver.opened(*desk.as_read)
        self.leaving = Leaving(desk, self.saver)
        desk.subscribe(self._heard)
        if settings.geometry:
            self.restoreGeometry(QByteArray.fromBase64(settings.geometry.encode()))
        self._heard("job")
        self._heard("notice")

    @property
    def files(self) -> Files:
        """What the window does with files; made when somebody first asks for it: the window is ready sooner."""
        if self._files is None:
            from inkshelf.ui.frame import files

            self._files = files.Files(self)
        return self._files

    @property
    def keeper(self) -> Keeper:
        """The logbook beside the window; made when somebody first asks for it."""
        if self._keeper is None:
            from inkshelf.store.logbook.where import shop_of
            from inkshelf.ui.logbook.keeper import Keeper

            shop, who = shop_of(self.settings.shop, self.settings.who)
            self._keeper = Keeper(self.desk, self, shop=shop, who=who)
            self._keeper.own_promises = self.settings.promised
        return self._keeper

    @property
    def logs(self) -> LogFiles:
        """What the window does with the logbook."""
        from inkshelf.ui.frame.logfiles import LogFiles

        return LogFiles(self)

    # -- building ------------------------------------------------------------------------------------------------
    def _make_actions(self) -> None:
        for one in ACTIONS:
            if one.keys:  # those without keys are in the list of all commands
                made = QAction(one.title, self)
                made.setShortcut(one.keys)
                made.setData(one.id)
                made.triggered.connect(self._triggered)
                self.addAction(made)

    def _triggered(self) -> None:
        sender = self.sender()
        if isinstance(sender, QAction):
            self.run(sender.data())

    def _build(self) -> None:
        centre = QWidget()
        centre.setObjectName("paper")
        outer = QVBoxLayout(centre)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self._header())
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.contents = Contents(self.desk, self.desk.show)
        middle.addWidget(self.contents)
        middle.addLayout(self._centre(), 1)
        self.margin = Margin(self.desk, self.open_guide)
        middle.addWidget(self.margin)
        outer.addLayout(middle, 1)
        self.reckoner = Reckoner(self.desk)
        outer.addWidget(self.reckoner)
        self.setCentralWidget(centre)

    def _header(self) -> QFrame:
        header = QFrame()
        header.setObjectName("header")
        header.setFixedHeight(53)
        row = QHBoxLayout(header)
        row.setContentsMargins(24, 0, 24, 0)
        row.setSpacing(8)
        self.title, self.subtitle = OneLine("", theme.serif(19)), OneLine("", theme.sans(13), quiet=True)
        row.addWidget(self.title)
        row.addWidget(self.subtitle)
        row.addStretch(1)
        self.saved = label("", theme.sans(12), quiet=True)
        row.addWidget(self.saved)
        row.addSpacing(8)
        for key, primary in (
            ("edit.undo", False),
            ("edit.redo", False),
            ("view.palette", False),
            ("view.margin", False),
            ("plan.rehearse", False),
            ("plan.ink", True),
        ):
            action = next(one for one in ACTIONS if one.id == key)
            made = button("Margin" if key == "view.margin" else action.title, partial(self.run, key), primary=primary)
            row.addWidget(made)
            self._buttons.append((made, action))
        return header

    def _centre(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(0)
        box.setContentsMargins(0, 0, 0, 0)
        self.notice = NoticeBar(self.desk)
        box.addWidget(self.notice)
        self.pages = QStackedWidget()
        self.chapters: dict[str, Page] = {}
        self._ink_page: InkPage | None = None
        box.addWidget(self.pages, 1)
        return box

    def chapter(self, key: str) -> Page:
        """Return a chapter, made when it is first opened: the window is ready sooner."""
        if key not in self.chapters:
            self.chapters[key] = chapter_of(key).make(self)
        return self._standing(self.chapters[key])

    def _standing(self, page: Shown) -> Shown:
        """A page that was put aside when the theme changed comes back, and takes the theme on."""
        if self.pages.indexOf(page) < 0:
            self.pages.addWidget(page)
        return page

    # -- actions -------------------------------------------------------------------------------------------------
    def run(self, key: str) -> None:
        """Do an action; one that cannot be done now says why."""
        action = next(one for one in ACTIONS if one.id == key)
        reason = action.why_not(self)
        if reason:
            self.desk.say(Notice(f"{action.title}: {reason}."))
            return
        action.do(self)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        from inkshelf.ui.frame.dropping import files_of

        if event and (paths := files_of(event.mimeData(), self.desk)):
            self.files.take_dropped(*paths)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """A narrow window (large text, small screen) hides the margin until it is asked for, and thins the reckoner."""
        narrow = self.width() < 1120
        if narrow != self._narrow:
            self._narrow = narrow
            self._margin_on = not narrow
        self.margin.setVisible(self._margin_on)
        self.reckoner.thin(self.width())
        for made, action in self._buttons:
            if action.id in {"view.palette", "plan.rehearse"}:
                made.setVisible(not narrow)
            if action.id == "view.margin":
                made.setVisible(narrow)

    def toggle_margin(self) -> None:
        """Show or hide the margin."""
        self._margin_on = not self._margin_on
        self.margin.setVisible(self._margin_on)

    def toggle_unit(self) -> None:
        """Change the tape between GiB and GB."""
        self.desk.change(replace(self.desk.job, unit="GB" if self.desk.job.unit == "GiB" else "GiB"), "unit of the tape")

    def toggle_theme(self) -> None:
        """Change between paper and slate."""
        self.set_theme("slate" if theme.current().name == "paper" else "paper")

    def set_theme(self, name: str) -> None:
        """Put a theme on."""
        application = QApplication.instance()
        if isinstance(application, QApplication):
            theme.apply(application, name)
        current = self.pages.currentWidget()
        for page in [self.pages.widget(at) for at in range(self.pages.count())]:
            if page is not None and page is not current:  # what nobody sees takes the theme on when it is shown
                self.pages.removeWidget(page)
                page.setParent(None)
        self.setStyleSheet(theme.sheet())
        self.settings.theme = "slate" if name == "slate" else "paper"
        self.margin.rebuild()
        self._heard("job")
        self.update()

    def open_palette(self) -> None:
        """Open the list of all commands."""
        from inkshelf.ui.frame.overlays import CommandPalette

        CommandPalette(self, lambda one: one.why_not(self), self.run).open_over()

    def open_keys(self) -> None:
        """Show the keys."""
        from inkshelf.ui.frame.overlays import KeysOverlay

        KeysOverlay(self).open_over()

    def open_guide(self, key: str = "") -> None:
        """Show what the findings of this job mean; ``key``: the finding whose page is open first."""
        from inkshelf.ui.frame.guide import Guide

        Guide(self, self.desk.findings, key).open_over()

    def open_help(self) -> None:
        """Show the guide's page of the chapter where one is."""
        from inkshelf.ui.frame.guide import Guide

        Guide(self, self.desk.findings, self.desk.chapter, self.desk.chapter).open_over()

    def work_on_it(self) -> None:
        """Open bench mode over the whole window."""
        from inkshelf.ui.benchmode.page import BenchMode

        over = self.centralWidget()
        if over is not None and not over.findChildren(BenchMode):
            BenchMode(self.desk, over).open_over()

    def enter_paper(self) -> None:
        """Enter what somebody wrote on the printed sheet."""
        from inkshelf.ui.benchmode.paper import PaperEntry

        PaperEntry(self, self.desk).open_over()

    def rehearse(self) -> None:
        """Show what starts."""
        self.desk.show("start")

    # -- inking --------------------------------------------------------------------------------------------------
    # -- listening -----------------------------------------------------------------------------------------------
    def _heard(self, subject: Subject) -> None:
        {
            "job": self._job_changed,
            "selection": self._selection_changed,
            "view": self._view_changed,
            "saved": self._saved,
            "notice": self._noticed,
            "foretold": self._foretold,
        }[subject]()

    def showEvent(self, event: QShowEvent | None) -> None:
        if self.pages.count() == 0:
            self._view_changed()
        super().showEvent(event)

    def _job_changed(self) -> None:
        job = self.desk.job
        self.title.setText(job.owner or ("Ink Shelf" if not job.found.disks else job.title or "job"))
        self.subtitle.setText(
            job.title
            if job.owner
            else "plans disks that several systems share"
            if not job.found.disks
            else "owner not known yet"
        )
        self.setWindowTitle(f"{job.title or 'new job'} · Ink Shelf")
        current = self.chapters.get(self.desk.chapter)
        if current is not None:
            current.refresh()
        self.say_whose()
        self.margin.refresh()
        self.reckoner.refresh()
        self.contents.refresh()
        self._saved()
        self._enable()

    def _selection_changed(self) -> None:
        self.reckoner.refresh()
        current = self.chapters.get(self.desk.chapter)
        if current is not None:
            current.select()

    def _view_changed(self) -> None:
        key = self.desk.chapter
        page = self.chapter(key)
        page.refresh()
        self.pages.setCurrentWidget(page)
        self.contents.update()
        self.settings.chapter = key
        if self.desk.step:
            step, self.desk.step = self.desk.step, None
            page.show_step_soon(step)

    def _foretold(self) -> None:
        if self.desk.chapter == "sheet" and "sheet" in self.chapters:
            self.chapters["sheet"].refresh()

    def _saved(self) -> None:
        if not self.desk.job.found.disks:
            self.saved.setText("")
        elif self.desk.unsaved:
            self.saved.setText("not saved")
        elif self.desk.saved_at:
            self.saved.setText(f"saved {self.desk.saved_at}")
        else:
            self.saved.setText("saved as you go" if self.desk.path else "not saved to a file")

    def _noticed(self) -> None:
        self.notice.show_notice(self.desk.notice)
        self._saved()

    def _enable(self) -> None:
        for made, action in self._buttons:
            reason = action.why_not(self)
            made.setEnabled(not reason)
            words = {"edit.undo": self.desk.undo_words, "edit.redo": self.desk.redo_words}.get(action.id, "")
            made.setToolTip(reason or f"{action.title}{': ' + words if words else ''} ({action.keys})")

    # -- closing -------------------------------------------------------------------------------------------------
    def _was_saved(self, path: str) -> None:
        if path == str(self.desk.path):
            self.desk.was_saved()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Stop what goes on, but never wait without an end: a utility that hangs keeps the window, which says so."""
        if self.worker is not None and self.worker.isRunning():
            self.worker.cancel()
            if not self.worker.wait(CLOSING):
                self.desk.say(Notice("Inking is being stopped still.", "Close the window again in a moment; nothing is lost."))
                if event is not None:
                    event.ignore()
                return
        # by its name: where bench mode is not open, nothing of it is loaded
        for open_one in self.findChildren(QFrame, "benchmode"):
            open_one.rest()  # type: ignore[attr-defined]
        if self._files is not None:
            self._files.wait()
        for page in self.chapters.values():
            page.wait()
        self.notice.dismiss()
        self.desk.drop()
        self.desk.save()
        self.saver.stop()
        try:
            self.leaving.ask()
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
            if event is not None:
                event.ignore()
            return
        if self._keeper is not None:
            self._keeper.stop()
        self.settings.geometry = self.saveGeometry().toBase64().data().decode()
        self.settings.job = str(self.desk.path) if self.desk.path else ""
        remembered.save(self.settings, self._settings_path)
        super().closeEvent(event)
