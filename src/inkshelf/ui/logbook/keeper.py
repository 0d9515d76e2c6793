"""The logbook beside the window: a thread of its own puts jobs in, looks things up, brings the shop's up to date. Nothing waits for it."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from inkshelf.core.errors import InkshelfError
from inkshelf.ui.desk import Desk, Notice, Subject
from inkshelf.ui.frame.settings import data_folder

if TYPE_CHECKING:
    from inkshelf.core.checks.registry import Finding
    from inkshelf.core.learned.times import Times
    from inkshelf.core.plan.job import Job
    from inkshelf.store.logbook.book import Logbook
    from inkshelf.store.logbook.shared import Synced

Work = Callable[["Logbook"], Any]
SOON, LATER, SYNC_EVERY, PATIENCE = 1_200, 400, 60_000, 10.0  # milliseconds; seconds


class _Asked(NamedTuple):
    """What is to be done with which logbook, said when it is asked: by the time that it is done another may be looked at."""

    url: str
    own: bool
    topic: str
    number: int
    work: Work
    then: Callable[[Any], object]


class Keeper(QObject):
    """One logbook for one window; its own, or the made-up shop's to look at. ``url``: of one's own (empty: in the person's folder)."""

    came = pyqtSignal(object, object)
    changed = pyqtSignal()
    synced = pyqtSignal(object)

    def __init__(self, desk: Desk, parent: QObject | None = None, url: str = "", shop: str = "", who: str = "") -> None:
        super().__init__(parent)
        self.desk, self._own, self.shop, self.who = desk, url, shop, who
        self.made_up = ""
        self.away = ""
        self.own_promises: dict[str, int] = {}
        self._made_up_promises: dict[str, int] = {}
        self._asked: queue.Queue[_Asked | None] = queue.Queue()
        self._thread: threading.Thread | None = None
        self._newest: dict[str, int] = {}
        self._known: tuple[object, ...] = ()
        self._put: object = None
        self._times: tuple[str, Times] | None = None
        self.changed.connect(self._forget_times)
        self._watching = False
        self.came.connect(self._came)
        self._soon, self._again = QTimer(self), QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON)
        self._soon.timeout.connect(self.put_now)
        self._foretell = QTimer(self)
        self._foretell.setSingleShot(True)
        self._foretell.setInterval(LATER)
        self._foretell.timeout.connect(self.foretell)
        self._again.setInterval(SYNC_EVERY)
        self._again.timeout.connect(self.sync)

    @property
    def promised(self) -> dict[str, int]:
        """When machines were promised for, by a job's identity; of a made-up shop's, only while the program runs."""
        return self._made_up_promises if self.made_up else self.own_promises

    # -- asking --------------------------------------------------------------------------------------------------
    def ask(self, work: Work, then: Callable[[Any], object], topic: str = "", *, own: bool = False) -> None:
        """Do ``work`` beside the window with the logbook that is looked at now (``own``: with one's own, whatever is looked at), and give
        what comes of it, or the error, to ``then``. Of several that wait on one ``topic`` only the last is done, and what was looked up
        in a logbook that is not looked at any more is not shown."""
        self._newest[topic] = self._newest.get(topic, 0) + 1
        self._asked.put(_Asked(self._own if own else self._looked_at, own, topic, self._newest[topic], work, then))
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="logbook", daemon=True)
            self._thread.start()

    def _run(self) -> None:
        book: Logbook | None = None
        while (asked := self._asked.get()) is not None:
            try:
                from inkshelf.store.logbook.book import Logbook

                if book is None or (asked.url and book.url != asked.url) or (not asked.url and self._other(book)):
                    if book is not None:
                        book.close()
                        book = None  # the next may not open
                    book = Logbook(asked.url)
                result: Any = asked.work(book) if asked.number == self._newest[asked.topic] or not asked.topic else None
            except InkshelfError as error:
                result = error
            except Exception as error:  # noqa: BLE001 - a thread must not end in silence
                result = InkshelfError(f"The logbook did not do that: {error}", "Look whether its disk is full or gone.")
            if result is not None:
                self.came.emit(asked, result)
            self._asked.task_done()
        if book is not None:
            book.close()

    @property
    def _looked_at(self) -> str:
        return self.made_up or self._own

    def _came(self, asked: _Asked, result: object) -> None:
        if asked.own or not asked.topic or asked.url == self._looked_at:
            asked.then(result)

    def _other(self, book: Logbook) -> bool:
        from inkshelf.store.logbook.connection import default_url

        return book.url != default_url()

    def stop(self) -> None:
        """Do what waits, and end; the window closes."""
        self._soon.stop()
        self._foretell.stop()
        if self._watching:
            self.put_now()  # what was saved last may not have been heard of yet
        if self._thread is not None:
            self._asked.put(None)
            self._thread.join(PATIENCE)
            self._thread = None

    def _forget_times(self) -> None:
        self._times = None

    def wait(self) -> None:
        """Wait until all that was asked is done (its answers come with the next events)."""
        self._asked.join()

    # -- keeping -------------------------------------------------------------------------------------------------
    def watch(self) -> None:
        """From now on put the open job in as it is saved, and say what is known of its machine."""
        self._watching = True
        self.desk.subscribe(self._heard)
        self._recognise()
        self._foretell.start()
        self.follow(self.shop, self.who)

    def follow(self, shop: str, who: str) -> None:
        """Bring a shop's logbook up to date from now on, every minute (empty: none)."""
        self.shop, self.who = shop, who
        if shop:
            self._again.start()
            self.sync()
        else:
            self._again.stop()

    def _heard(self, subject: Subject) -> None:
        if subject == "saved" and self._keeps():
            self._soon.start()
        if subject == "job":
            self._recognise()
            self._foretell.start()

    def _keeps(self) -> bool:
        """Jobs with a file and a disk are kept; those of the demo and of drills are nobody's."""
        path = self.desk.path
        made_up = {data_folder() / "demo", data_folder() / "practice"}
        return bool(path and self.desk.job.found.disks and self.desk.job.seed and not made_up & set(path.parents))

    def put_now(self) -> None:
        """Put the open job in as it is."""
        if not self._keeps() or self.desk.job is self._put:
            return
        job, path, waits, who = self.desk.job, self.desk.path, bool(self.shop), self.who
        self._put = job

        def work(book: Logbook) -> bool:
            from inkshelf.core.plan import document
            from inkshelf.core.plan.reading import read
            from inkshelf.core.sheet.logged import logged
            from inkshelf.store.logbook.changes import Says
            from inkshelf.store.logbook.files import keep_attached

            says = Says(int(time.time()), who, waits=waits)
            book.put(logged(read(job)), document.dump(job), says)
            keep_attached(book, job, path or Path(), says)
            return True

        self.ask(work, self._was_put, own=True)

    def _was_put(self, result: object) -> None:
        """A job that could not be put in is said once, and tried again with its next change: it is safe in its own file."""
        if isinstance(result, InkshelfError):
            self._put = None
            if result.what != self.away:
                self.desk.say(
                    Notice(f"This job is not in the logbook: {result.what}", f"{result.remedy} Its own file is saved.")
                )
            self.away = result.what
            return
        self.away = ""
        self.changed.emit()

    def sync(self) -> None:
        """Bring this logbook and the shop's up to date."""
        if not self.shop or self.made_up:
            return
        shop = self.shop

        def work(book: Logbook) -> Synced:
            from inkshelf.store.logbook.following import synced

            return synced(book, shop)

        self.ask(work, self._was_synced, "sync", own=True)

    def _was_synced(self, result: object) -> None:
        self.synced.emit(result)
        if not isinstance(result, InkshelfError) and result.taken:  # type: ignore[attr-defined]
            self.changed.emit()

    # -- knowing again -------------------------------------------------------------------------------------------
    def know_again(self) -> None:
        """Look the machine up once more, and learn anew."""
        self._known = ()
        self._times = None
        if self._watching:
            self._foretell.start()
        self._recognise()

    def _recognise(self) -> None:
        """Say what the logbook knows of the machine, where it is another one than before."""
        job = self.desk.job
        known = (job.seed, job.found.board, *((one.model, one.serial) for one in job.found.disks))
        if known == self._known:
            return
        self._known = known
        self.desk.tell_also(())  # what was said of the machine before is not this one's, whatever comes of looking it up
        self.desk.foretell("")
        if not job.found.disks:
            return

        def work(book: Logbook) -> tuple[Finding, ...]:
            from inkshelf.store.logbook.recognised import recognised

            return recognised(book, job)

        self.ask(work, lambda result: self._recognised(known, result), "recognise")

    def _recognised(self, known: tuple[object, ...], result: Any) -> None:
        if known != self._known:
            return  # of a machine that was open before
        if isinstance(result, InkshelfError):
            from inkshelf.store.logbook.recognised import unread

            result = unread(result)
        self.desk.tell_also(result)

    # -- foretelling ---------------------------------------------------------------------------------------------
    def foretell(self) -> None:
        """Say how long the open job will take here, where that was learned."""
        job, who = self.desk.job, self.who
        if not job.steps:
            self.desk.foretell("")
            return

        def work(book: Logbook) -> str:
            from inkshelf.core.learned.history import planned_of
            from inkshelf.core.learned.times import learn
            from inkshelf.core.plan.reading import read
            from inkshelf.core.sheet.logged import logged
            from inkshelf.store.logbook.history import history

            held = self._times
            if held is None or held[0] != book.url:
                held = self._times = (book.url, learn(history(book)))
            planned = planned_of(logged(read(job)), who)
            return held[1].job(planned.stages, planned.port, who).words if held[1].count else ""

        self.ask(work, lambda result: self._foretold(job, result), "foretell")

    def _foretold(self, job: Job, result: object) -> None:
        now = self.desk.job
        if isinstance(result, str) and (job.seed, job.steps) == (now.seed, now.steps):  # not of what was planned before
            self.desk.foretell(result)

    # -- the made-up shop ----------------------------------------------------------------------------------------
    def look_at_made_up(self, then: Callable[[Any], object]) -> None:
        """Open the made-up shop's logbook; built beside the window on first use."""
        folder = data_folder() / "demo"

        def work(_: Logbook) -> str:
            from inkshelf.store.logbook.demo import demo_logbook

            folder.mkdir(parents=True, exist_ok=True)
            return demo_logbook(folder)

        def opened(url: object) -> None:
            if isinstance(url, str):
                self.made_up = url
                self.know_again()
            then(url)

        self.ask(work, opened)

    def look_at_own(self) -> None:
        """Go back to one's own."""
        self.made_up = ""
        self.know_again()
