"""The desk: the job that is open, its history, what is selected. Plain Python; widgets subscribe and ask."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Literal

from inkshelf.core.aims import kind_of_aim
from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import Finding, apply_remedy, findings, know
from inkshelf.core.checks.registry import RANK, Remedy
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job, and_aim, changed_aim, found_by, left_by, without_aim
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.plan.working import keeping, with_events
from inkshelf.core.steps.identity import tick
from inkshelf.core.texts import one_line
from inkshelf.core.value import Value, replace
from inkshelf.core.work.events import AnyEvent, Reopened
from inkshelf.core.work.worked import ends
from inkshelf.store import jobfile

Subject = Literal["job", "selection", "view", "saved", "notice", "foretold"]
Listener = Callable[[Subject], None]
DEEPEST = 500
DRILL = "drill-"


class Notice(Value, frozen=True):
    """One line for the person: what happened and what to do; ``bad`` colours it."""

    what: str
    remedy: str = ""
    bad: bool = True


class Desk:
    """Holds one job and its history. Every change makes a new reading, and tells who listens."""

    def __init__(self, job: Job | None = None, path: Path | None = None, *, asks_bench: bool = True) -> None:
        self.path = path
        self.listeners: list[Listener] = []
        self._past: list[tuple[str, Job]] = []
        self._future: list[tuple[str, Job]] = []
        self._held: Job | None = None
        self.selected = ""
        self.step: int | None = None
        self.chapter = "intake"
        self.notice: Notice | None = None
        self.saved_at = ""
        self.unsaved = False  # the last writing failed: what is open is not what is in its file
        self.write: Callable[[Job, Path], object] | None = None  # the window's way to save, which no edit waits for
        self.opened: Callable[[Path, jobfile.Stamp | None, Job | None], object] | None = (
            None  # told of every file that is opened
        )
        self.as_read: tuple[Path, jobfile.Stamp | None, Job | None] | None = None
        self.asks_bench = asks_bench
        self._also: tuple[Finding, ...] = ()
        self.foretold = ""  # how long the open job will take here, where the logbook has learned that
        self._take(job or Job())

    def _take(self, job: Job) -> None:
        self.job = job
        self.reading: Reading = read(job)
        found = (*self._also, *findings(self.reading), *(_of_bench(job) if self.asks_bench else ()))
        if job.seed.startswith(DRILL):
            from inkshelf.core.practice.drills import held_back  # late: few jobs are drills

            found = tuple(one for one in found if not held_back(job, one.key))
        self.findings: tuple[Finding, ...] = tuple(sorted(found, key=lambda one: RANK[one.severity]))
        if self.selected and not self._known(self.selected):
            self.selected = ""

    def ask_bench(self) -> None:
        """From now on say what this machine lacks for inking; the window asks once it is there."""
        self.asks_bench = True
        self._take(self.job)
        self.tell("job")

    def tell_also(self, found: tuple[Finding, ...]) -> None:
        """From now on say these, too: what is known of the machine beside the job itself."""
        if found != self._also:
            self._also = found
            self._take(self.job)
            self.tell("job")

    def foretell(self, words: str) -> None:
        """From now on say how long the open job will take here (empty: nobody knows)."""
        if words != self.foretold:
            self.foretold = words
            self.tell("foretold")

    def _known(self, call: str) -> bool:
        return bool(self.reading.plan.planned.find(call) or self.reading.plan.found.find(call))

    def subscribe(self, listener: Listener) -> None:
        """Call ``listener`` with what changed, after every change."""
        self.listeners.append(listener)

    def tell(self, subject: Subject) -> None:
        """Tell who listens."""
        for listener in list(self.listeners):
            listener(subject)

    # -- changes -------------------------------------------------------------------------------------------------
    def change(self, job: Job, words: str) -> None:
        """Make ``job`` the current one, undoable under ``words``; saved where the job has a file."""
        before = self._held or self.job
        self._held = None
        if job == before:
            self._take(job)
            self.tell("job")
            return
        self._past = [*self._past[-DEEPEST:], (words, before)]
        self._future = []
        self._take(job)
        if self.notice is not None and self.notice.bad:
            self.say(None)  # what was wrong before this edit is not what is wrong now
        self.save()
        self.tell("job")

    def preview(self, job: Job) -> None:
        """Show ``job`` while something is being dragged; ``change`` or ``drop`` ends it."""
        if self._held is None:
            self._held = self.job
        if job != self.job:
            self._take(job)
            self.tell("job")

    def drop(self) -> None:
        """Give a preview up and show what was there before."""
        if self._held is not None:
            held, self._held = self._held, None
            self._take(held)
            self.tell("job")

    def note(self, *events: AnyEvent) -> None:
        """Write down what happens at work: kept at once, and nothing that is undone takes it back."""
        self.drop()
        if events:
            self.take_work(with_events(self.job, *events))

    def take_work(self, job: Job) -> None:
        """Take the job with more work in it: no edit, so that no undo takes it back."""
        self._take(job)
        self.save()
        self.tell("job")

    def undo(self) -> None:
        """Go back to the earlier job; what was done, found and noted at work stays."""
        self.drop()
        if self._past:
            words, earlier = self._past.pop()
            self._future.append((words, self.job))
            self._take(keeping(earlier, self.job))
            self.save()
            self.tell("job")

    def redo(self) -> None:
        """Go forward again."""
        self.drop()
        if self._future:
            words, later = self._future.pop()
            self._past.append((words, self.job))
            self._take(keeping(later, self.job))
            self.save()
            self.tell("job")

    @property
    def undo_words(self) -> str:
        """What an undo would take back, or an empty string."""
        return self._past[-1][0] if self._past else ""

    @property
    def redo_words(self) -> str:
        """What a redo would do again, or an empty string."""
        return self._future[-1][0] if self._future else ""

    def set_aim(self, words: str, *, preview: bool = False, **fields: object) -> None:
        """Change fields of the aim (or make one)."""
        aim = replace(self.job.aim or Beside(disk=self.job.found.disks[0].id if self.job.found.disks else "A"), **fields)
        job = changed_aim(self._held or self.job, aim)
        if preview:
            self.preview(job)
        else:
            self.change(job, words)

    def add_aim(self, kind: str) -> str:
        """Add an aim with the answers that are usual here, and return its identity."""

        found = left_by(self.job)
        changed = and_aim(self.job, kind_of_aim(kind).usual_on(found))
        self.change(changed, changed.aims[-1].title.lower())
        return changed.aims[-1].id

    def try_aim(self, kind: str) -> object:
        """Plan one more aim without keeping it, so that it is planned at once when it is added; may be asked beside the window."""

        return and_aim(self.job, kind_of_aim(kind).usual_on(left_by(self.job)))

    def try_answer(self, identity: str, key: str, value: str) -> object:
        """Plan an answer without keeping it; what cannot be is said when it is given."""
        from inkshelf.core.aims.asking import answered

        job = self.job
        aim = next(one for one in job.aims if one.id == identity)
        try:
            return changed_aim(job, answered(aim, found_by(job, identity), key, value))
        except InkshelfError:
            return None

    def answer_aim(self, identity: str, key: str, value: str) -> None:
        """Answer a question of an aim; what cannot be is said, and nothing changes."""
        from inkshelf.core.aims.asking import answered

        aim = next(one for one in self.job.aims if one.id == identity)
        try:
            changed = changed_aim(self.job, answered(aim, found_by(self.job, identity), key, value))
        except InkshelfError as error:
            self.say(Notice(error.what, error.remedy))
            return
        self.change(changed, key.replace("-", " "))

    def put_on(self, call: str, disk: str) -> None:
        """Plan the system that a new volume belongs to on another disk; what cannot be there is said, and nothing changes."""
        from inkshelf.core.plan.wanted import wanted_by

        aim = next((aim for aim, _, create in wanted_by(self.job) if create.call == call), None)
        if aim is None:
            self.say(Notice(f"{call} was found there: only what an aim makes goes to another disk.", "Drag a new volume."))
        elif not any(one.key == "disk" for one in aim.asked(found_by(self.job, aim.id))):
            self.say(
                Notice(
                    "Where these systems go, the fit finds out itself.", "Choose an aim that names its disk, for each of them."
                )
            )
        else:
            moved = self.try_answer(aim.id, "disk", disk)
            if isinstance(moved, Job) and not moved.plan_fault:
                self.change(moved, f"put {call} on disk {disk}")
            else:
                why = moved.plan_fault if isinstance(moved, Job) else "Choose it under Aim."
                self.say(Notice(f"It cannot be on disk {disk}.", why))

    def toggle_lock(self, call: str) -> None:
        """Lock the size of a planned volume as it is, or open it again."""
        from inkshelf.core.plan.locks import lock, locked, unlock  # late: the window is ready sooner

        try:
            if call in locked(self.job):
                self.change(unlock(self.job, call), f"unlock {call}")
            else:
                self.change(lock(self.job, call), f"lock {call}")
        except InkshelfError as error:
            self.say(Notice(error.what, error.remedy))

    def drop_aim(self, identity: str) -> None:
        """Take an aim out of the job."""
        self.change(without_aim(self.job, identity), "without that aim")

    def take_way(self, key: str, because: str) -> None:
        """Do the work in another way, and keep why."""
        from inkshelf.core.sheet.candidates import choose  # late: the window is ready sooner

        try:
            self.change(choose(self.job, key, one_line(because, "The reason")), key.replace("=", ": "))
        except InkshelfError as error:
            self.say(Notice(error.what, error.remedy))

    def know(self, field: str, value: str | int | None, words: str) -> None:
        """Record a fact about the machine."""
        self.change(know(self.job, field, value), words)

    def remedy(self, remedy: Remedy, reason: str = "") -> None:
        """Apply a remedy of a finding."""
        try:
            self.change(apply_remedy(self.job, remedy, reason), remedy.title[0].lower() + remedy.title[1:])
        except InkshelfError as error:
            self.say(Notice(error.what, error.remedy))

    def tick(self, number: int) -> None:
        """Tick a step of the sheet, or take the tick off."""
        step = self.job.steps[number - 1]
        if step.id in ends(self.job.work):  # its clock said that it is done: that it is not is noted, too
            self.note(Reopened(int(time.time()), step.id))
            return
        others = tuple(one for one in self.job.ticked if one.step != step.id)
        ticked = others if step.id in self.job.done else (*others, tick(step))
        self.change(replace(self.job, ticked=ticked), f"tick step {number}")

    def rename(self, title: str, owner: str) -> None:
        """Give the job a title and an owner."""
        self.change(replace(self.job, title=title, owner=owner), "title and owner")

    # -- looking -------------------------------------------------------------------------------------------------
    def select(self, call: str) -> None:
        """Select a volume by its call number (empty: nothing)."""
        if call != self.selected:
            self.selected = call
            self.tell("selection")

    def show(self, chapter: str, step: int | None = None) -> None:
        """Open a chapter, at a step where one is named."""
        self.chapter = chapter
        if step:
            self.step = step
        self.tell("view")

    def say(self, notice: Notice | None) -> None:
        """Show one line to the person (``None`` takes it away)."""
        self.notice = notice
        self.tell("notice")

    # -- the file ------------------------------------------------------------------------------------------------
    def open(self, path: Path) -> None:
        """Open a job file; raises ``InkshelfError``."""
        known = jobfile.stamp(path)
        job = jobfile.load(path)
        self.go_back_to(job, path)
        self._note_file(path, known, job)

    def replace_job(self, job: Job, path: Path | None) -> None:
        """Start over with another job, which is kept in a file from now on, whatever that holds; its history is empty."""
        self.go_back_to(job, path)
        if path is not None:
            self._note_file(path, jobfile.stamp(path), None)

    def _note_file(self, path: Path, known: jobfile.Stamp | None, job: Job | None) -> None:
        self.as_read = (path, known, job)
        if self.opened is not None:
            self.opened(*self.as_read)

    def go_back_to(self, job: Job, path: Path | None) -> None:
        """Go on with a job that was open before: its file is the one that was read then."""
        self._past, self._future, self._held = [], [], None
        self.path, self.selected, self.step, self.saved_at, self.unsaved = path, "", None, "", False
        self._take(job)
        self.tell("job")

    def save(self) -> None:
        """Save where the job has a file; a failure is said, and the work goes on."""
        if self.path is None:
            return
        job = self._held or self.job
        if self.write is not None:
            self.write(job, self.path)
            return
        try:
            jobfile.save(job, self.path, make_folder=True)
            self.was_saved()
        except InkshelfError as error:
            self.not_saved(error.what, error.remedy)

    def was_saved(self) -> None:
        """The job is on the disk."""
        self.saved_at, self.unsaved = datetime.now().astimezone().strftime("%H:%M"), False
        self.tell("saved")

    def not_saved(self, what: str, remedy: str) -> None:
        """The job could not be saved; the work goes on."""
        self.saved_at, self.unsaved = "", True
        self.say(Notice(what, remedy))


def _of_bench(job: Job) -> tuple[Finding, ...]:
    """What this machine lacks for inking."""
    from inkshelf.bench import readiness  # late: the window asks once it is there

    return readiness.findings(job)
