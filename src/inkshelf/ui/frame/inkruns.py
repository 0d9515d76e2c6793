"""Inking from the window: begun, gone on with, cancelled, and what came of it said of the job that it belongs to."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from inkshelf.core.plan.job import Job
from inkshelf.ui.frame import settings as remembered

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QStackedWidget

    from inkshelf.bench.inker import Report
    from inkshelf.ui.desk import Desk, Subject
    from inkshelf.ui.inkview.page import InkPage
    from inkshelf.ui.inkview.worker import InkWorker


class InkRuns:
    """What the window knows of inking. Another job may be opened, or this one changed, while it goes on."""

    desk: Desk
    pages: QStackedWidget
    worker: InkWorker | None
    bench_folder: Path | None
    _ink_page: InkPage | None

    if TYPE_CHECKING:

        def _standing(self, page: InkPage) -> InkPage: ...
        def _enable(self) -> None: ...
        def _heard(self, subject: Subject) -> None: ...

    @property
    def inking(self) -> bool:
        """Whether inking is going on."""
        return self.worker is not None and self.worker.isRunning()

    @property
    def ink_page(self) -> InkPage:
        """The inking page, made when it is first needed."""
        if self._ink_page is None:
            from inkshelf.ui.inkview.page import Does, InkPage

            show = self.desk.show
            does = Does(self.cancel_inking, lambda: show("shelf"), self.resume_inking, lambda: show("sheet"))
            self._ink_page = InkPage(does)
        return self._standing(self._ink_page)

    def start_inking(self) -> None:
        """Ink the plan in a fresh bench folder beside the job's file."""
        from inkshelf.ui.inkview.worker import InkWorker

        self._work(InkWorker(self.desk.job, self.bench_place), again=False)

    def resume_inking(self) -> None:
        """Go on where inking was cut or cancelled."""
        from inkshelf.ui.inkview.worker import InkWorker

        self._work(InkWorker(self.desk.job, self.bench_place, again=True), again=True)

    @property
    def bench_place(self) -> Path:
        """The folder that this job is inked in."""
        return self.bench_folder or remembered.data_folder() / "bench" / bench_name(self.desk.job)

    @property
    def unfinished(self) -> bool:
        """Whether inking was begun there and not ended."""
        from inkshelf.bench.journal import Journal

        return Journal(self.bench_place).unfinished_of(self.desk.job.seed)

    def _work(self, worker: InkWorker, *, again: bool) -> None:
        from inkshelf.ui.inkview.steps import rows

        self.worker = worker
        worker.progressed.connect(self.ink_page.progress)
        worker.inked.connect(self._inked)
        worker.failed.connect(self._inking_failed)
        worker.finished.connect(self._inking_over)
        whose = name_of(worker.job)
        self.ink_page.begin(rows(self.desk.job, self.desk.reading), whose, str(worker.folder), again=again)
        self.pages.setCurrentWidget(self.ink_page)
        worker.start()
        self._enable()

    def _inked(self, report: Report) -> None:
        worker = self.worker
        aside = self._aside(worker.job) if worker is not None else ""
        self.ink_page.finish(report, aside)

    def _inking_failed(self, what: str, remedy: str) -> None:
        from inkshelf.bench.journal import Journal

        worker = self.worker
        if worker is not None:
            unfinished = Journal(worker.folder).unfinished_of(worker.job.seed)
            self.ink_page.fail(what, remedy, self._aside(worker.job), unfinished=unfinished)

    def say_whose(self) -> None:
        """Say on the inking page of which job it is, now that another one is open, or this one was changed."""
        if self.worker is not None and self._ink_page is not None:
            self._ink_page.say_aside(self._aside(self.worker.job))

    def _aside(self, inked: Job) -> str:
        """Of which job that is, where it is not the one that is open, or not as it is now."""
        now = self.desk.job
        if inked.seed != now.seed:
            return f"This is of {name_of(inked)}, which is not the job that is open now. Open that one to go on with it."
        if inked.steps != now.steps or inked.found.disks != now.found.disks:
            return "The plan was changed since: this is of the plan as it was when inking began."
        return ""

    def _inking_over(self) -> None:
        self._heard("job")

    def cancel_inking(self) -> None:
        """Stop at the next safe place."""
        if self.worker:
            self.worker.cancel()
            self.ink_page.cancel.setEnabled(False)
            self.ink_page.words.setText("Stopping at the next safe place")


def name_of(job: Job) -> str:
    """Return a job by its owner and title, as people speak of it."""
    return ", ".join(one for one in (job.owner, job.title) if one) or "a job without a name"


def bench_name(job: Job) -> str:
    """Return the name of a job's bench folder: its title to be recognised by, and its identity, which no other job has."""
    title = "".join(one if one.isalnum() else "-" for one in job.title)[:40].strip("-")
    return f"{title or 'job'}-{job.seed or 'new'}"
