"""The inker: carries a plan out on bench copies of the images it was made from, then reads everything back.

Sources are opened for reading only. Cancelling is a cut between two pieces of work; what was begun stays in the bench folder.
"""

from __future__ import annotations

import errno
import itertools
import os
import shutil
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.doing import do
from inkshelf.bench.folder import Bench
from inkshelf.bench.hands import HAND, Hands
from inkshelf.bench.image import ImageFile, inspect, refuse_in_use
from inkshelf.bench.journal import Journal
from inkshelf.bench.mover import freed, give_back
from inkshelf.bench.opening import open_own
from inkshelf.bench.pace import Took, pace_of
from inkshelf.bench.proof import Check, prove, same_as_taken_in
from inkshelf.bench.sparse import clone, copy_data, data_bytes
from inkshelf.bench.stored import stored
from inkshelf.core.checks import findings
from inkshelf.core.errors import BenchError, CancelledError, StopsError
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.machine.told import machine_as_read
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling import words
from inkshelf.core.steps.effort import efforts
from inkshelf.core.steps.fold import Fold, fold
from inkshelf.core.texts import few, shown
from inkshelf.core.value import Value, replace


class Progress(Value, frozen=True):
    """Where the work is: step number (0: copying; past the last: proving), how many there are, bytes done and to do, words.

    ``left``: seconds that are left at this pace, ``None`` until that can be told. ``stick``: what a stick's own clock said last.
    """

    step: int
    steps: int
    done: int
    total: int
    words: str
    left: float | None = None
    stick: str = ""


@dataclass
class Report:
    """What was inked, with what result. Bytes are counted as they are written."""

    bench: str
    images: list[str]
    verified: bool
    checks: list[Check]
    copied_bytes: int = 0
    written_bytes: int = 0
    scratch_bytes: int = 0
    seconds: float = 0.0
    machine: Machine = field(default_factory=Machine)
    sticks: list[Took] = field(default_factory=list)


Tell = Callable[[Progress], None]


def ink(job: Job, folder: Path, tell: Tell | None = None, cancelled: Callable[[], bool] | None = None) -> Report:
    """Ink ``job`` in the bench ``folder`` and return the report; raises ``BenchError`` with what to do."""
    told, job = job, replace(job, found=machine_as_read(job.found))
    plan = fold(job.found, job.steps)
    if plan.fault:
        other = " The image says otherwise than what was said of it." if told != job else ""
        raise BenchError(
            f"Step {plan.fault[0]} cannot be done: {plan.fault[1].what}{other}",
            "Put the plan right first; nothing was written.",
        )
    if not job.steps:
        raise BenchError(
            job.plan_fault or "There is nothing to ink: the plan has no steps.", "" if job.plan_fault else "Say the aim first."
        )
    refuse_stops(told)
    with Bench(folder) as bench:
        journal = Journal(folder)
        journal.refuse_other(job)
        journal.begin(job)
        bench.note(job=job.seed, title=job.title, state="begun")
        return _Inker(job, plan, bench, journal, tell or (lambda _: None), cancelled or (lambda: False)).work()


def refuse_stops(job: Job) -> None:
    """Refuse a plan with a finding of severity stop that nobody answered for in writing."""
    stops = [one for one in findings(read(job)) if one.severity == "stop"]
    if stops:
        named = few((f"{one.title} ({one.key})" for one in stops), 4, "; ")
        raise StopsError(f"The plan is stopped: {named}.", "Put it right, or answer for it in writing; nothing was written.")


def back(folder: Path, meant: Job | None = None) -> str:
    """Go back where inking was cut or cancelled: the bench copies are given up. Return what was given up, in words.

    The source was never written to, so the way back is always open; raises ``BenchError`` where nothing was begun, or by another job
    than the one ``meant``.
    """
    journal, job = _begun(folder, meant)
    with Bench(folder) as bench:
        where = f"step {journal.entry.step} of {len(job.steps)}" if journal.entry.step else "copying"
        images = [bench.image(disk.id) for disk in job.found.disks]
        given_up = [path for path in images if path.exists()]
        for path in given_up:
            path.unlink()
        journal.forget()
        shutil.rmtree(folder / HAND, ignore_errors=True)
        bench.note(state="gone back")
    return f"back from {where}: {len(given_up)} bench image(s) given up; the source is as it was"


def resume(
    folder: Path, tell: Tell | None = None, cancelled: Callable[[], bool] | None = None, job: Job | None = None
) -> Report:
    """Go on, forward, where inking in ``folder`` was cut or cancelled; raises ``BenchError`` where nothing was begun.

    ``job``: the one that is meant; another one's work is refused.
    """
    journal, begun = _begun(folder, job)
    with Bench(folder) as bench:
        return _Inker(
            begun, fold(begun.found, begun.steps), bench, journal, tell or (lambda _: None), cancelled or (lambda: False)
        ).work()


def _begun(folder: Path, meant: Job | None) -> tuple[Journal, Job]:
    """The journal and the job of what was begun in a folder."""
    if not folder.is_dir():
        raise BenchError(f"{folder} is not there.", "Name the bench folder that inking was begun in.")
    journal = Journal(folder)
    job = journal.load()
    if meant is not None and job.seed != meant.seed:
        raise BenchError(
            f"What was begun in {folder} is another job, “{shown(job.title)}”.",
            "Open that job, or ink this one in a folder of its own.",
        )
    return journal, job


class _Inker:
    def __init__(self, job: Job, plan: Fold, bench: Bench, journal: Journal, tell: Tell, cancelled: Callable[[], bool]) -> None:
        self.job, self.plan, self.bench, self.journal, self.tell, self.cancelled = job, plan, bench, journal, tell, cancelled
        self.copied = 0
        self.sources = {one.disk: Path(one.path) for one in job.sources if one.kind == "image"}
        self.hands = Hands(bench, journal, self.sources, self._carried)
        self.hands.say = self._waits
        self.step, self.words, self.done, self.stick = 0, "", 0, ""
        parts = efforts(plan, job.steps, stored(job))
        self.reached = tuple(itertools.accumulate(parts))  # bytes done once copying, and each step, is over
        self.total = self.reached[-1]
        self.begun, self.begun_at = time.monotonic(), 0

    def work(self) -> Report:
        """Copy, carry out, read back."""
        with tools.stopped_by(self.cancelled):
            return self._work()

    def _work(self) -> Report:
        begun = time.monotonic()
        try:
            self._copy()
            self._carry_out()
            images = {disk: self.bench.image(disk) for disk in self.hands.fds}
            with ThreadPoolExecutor(1) as aside:  # freeing room takes long on some disks, and nobody waits for it
                freeing = [aside.submit(give_back, fd, self._freed(disk)) for disk, fd in self.hands.fds.items()]
                machine, checks = prove(self.plan, self.job.steps, self.sources, images, self.hands.store.read(), self._carried)
                for one in freeing:
                    one.result()
        except OSError as error:
            full = "The disk that the bench is on is full."
            what = full if error.errno == errno.ENOSPC else f"Writing on the bench failed: {error.strerror}."
            on = (
                "Free some room and go on from there"
                if self.journal.entry.state != "copying"
                else "Free some room and ink again"
            )
            raise BenchError(what, f"{on}; the source image is untouched.") from error
        finally:
            self.hands.close()
        report = Report(
            bench=str(self.bench.folder),
            images=[str(one) for one in images.values()],
            verified=all(one.ok for one in checks),
            checks=checks,
            copied_bytes=self.copied,
            written_bytes=self.hands.written.image,
            scratch_bytes=self.hands.written.scratch,
            seconds=time.monotonic() - begun,
            machine=machine,
            sticks=[one for one in (pace.over() for pace in self.hands.paces.values()) if one.bytes],
        )
        self._keep(report)
        return report

    def _freed(self, disk: str) -> list[tuple[int, int]]:
        """What nobody takes any more on a disk, once all is done."""
        spans = (one for step in self.job.steps for one in step.spans() if one[0] == disk and one[1] >= 0)
        return freed(self.plan.machines, disk, tuple((low, high) for _, low, high in spans))

    def _carry_out(self) -> None:
        for disk in self.plan.found.disks:
            pace = pace_of(disk, self.sources.get(disk.id), self._measured)
            if pace is not None:
                self.hands.paces[disk.id] = pace
        entry = self.journal.entry
        self.done = self.reached[0] if entry.state == "copying" else self.done
        first = entry.step if entry.state == "step" else len(self.job.steps) + 1 if entry.state != "copying" else 1
        if entry.state == "copying":
            self.hands.store.write(self.plan.found.firmware)
            self._checkpoint(1)
        for number in range(first, len(self.job.steps) + 1):
            step, before, after = self.job.steps[number - 1], self.plan.machines[number - 1], self.plan.machines[number]
            self.stick = ""
            self._say(number, words(step, Scene(self.plan.found, before, after)).title)
            if step.writes == "inside" and (self.journal.entry.state, self.journal.entry.step) != ("step", number):
                self._checkpoint(number)
            do(step, self.hands, before, after)
            self.done = self.reached[number]
        self.hands.sync()
        self.journal.over("reading back")
        shutil.rmtree(self.bench.folder / HAND, ignore_errors=True)
        self._say(len(self.job.steps) + 1, "reading everything back")

    def _checkpoint(self, number: int) -> None:
        """From here on the work can go on at step ``number``: what was done before is on the disk, and the journal says so."""
        self.hands.sync()
        self.journal.step(number)
        shutil.rmtree(self.bench.folder / HAND, ignore_errors=True)

    def _keep(self, report: Report) -> None:
        """Keep the report with the bench."""
        self.journal.over("done")
        checks = [{"what": one.what, "ok": one.ok, "detail": one.detail} for one in report.checks]
        self.bench.note(
            state="done",
            verified=report.verified,
            written_bytes=report.written_bytes,
            copied_bytes=report.copied_bytes,
            checks=checks,
            sticks=[one.words for one in report.sticks],
        )

    def _measured(self, words: str) -> None:
        """Keep what a stick's clock says in sight until it says something else."""
        self.stick = words
        self._say(self.step, self.words)

    def _waits(self, what: str) -> None:
        """Say what is waited for, behind the step's own words, which come back with the next step."""
        own = self.words
        self._say(self.step, f"{own}: {what}")
        self.words = own

    def _say(self, step: int, words: str, more: int = 0) -> None:
        ceiling = self.reached[min(step, len(self.reached) - 1)]
        self.step, self.words, self.done = step, words, min(self.done + more, ceiling)
        if self.cancelled():
            self.bench.note(state="cancelled", step=step)
            raise CancelledError(
                f"Cancelled at step {step}.", "The source image is untouched. Go on with the same bench, or throw it away."
            )
        self.tell(Progress(step, len(self.job.steps), self.done, self.total, words, self._left(), self.stick))

    def _left(self) -> float | None:
        """Seconds left at the pace so far, once a second and a fiftieth of the bytes have gone by."""
        gone, bytes_gone = time.monotonic() - self.begun, self.done - self.begun_at
        if gone < 1 or bytes_gone < self.total // 50:
            return None
        return gone * (self.total - self.done) / bytes_gone

    def _copy(self) -> None:
        if self.journal.entry.state != "copying":
            self._open_again()
            self.done = self.begun_at = self.reached[max(0, min(self.journal.entry.step, len(self.reached) - 1) - 1)]
            return
        for disk in self.plan.found.disks:
            path = self.sources.get(disk.id)
            if path is None:
                raise BenchError(f"Disk {disk.id} was taken in from captured text only.", "Take an image of it in, then ink.")
            refuse_in_use(path)
            same_as_taken_in(disk, inspect(path, disk.id, disk.sector), path)
            with ImageFile(path) as source:
                self._copy_one(source, self.bench.image(disk.id), disk)

    def _open_again(self) -> None:
        """Go on with the images that are on the bench already."""
        for disk in self.plan.found.disks:
            path = self.bench.image(disk.id)
            if not path.exists() or path.stat().st_size != disk.size:
                raise BenchError(
                    f"{path} is not what was begun.", "Ink the job again into an empty bench; the source is untouched."
                )
            self.hands.fds[disk.id] = self.hands.open(path, disk.size)

    def _scratch_bytes(self, source: ImageFile, disk: Disk) -> int:
        """The copy that a utility works on: what the image stores of the largest volume that one is handed."""
        handed = {call for step in self.job.steps if not step.moves for call in step.inside()}
        return max((data_bytes(source.fileno(), one.start, one.end) for one in disk.volumes if one.call in handed), default=0)

    def _carried(self, count: int) -> None:
        self._say(self.step, self.words, count)

    def _copy_one(self, source: ImageFile, target: Path, disk: Disk) -> None:
        if target.exists() and target.samefile(source.path):
            raise BenchError("The bench would overwrite its own source.", "Choose another bench folder.")
        self._say(0, f"copying disk {disk.id}")
        stored_bytes = data_bytes(source.fileno(), 0, source.size)
        self.bench.require_room(stored_bytes + self._scratch_bytes(source, disk) + (256 << 20), source.size)
        os.close(open_own(target.parent, target.name, fresh=True))
        self.hands.fds[disk.id] = self.hands.open(target, source.size)
        before = os.fstat(source.fileno())
        if not clone(source.fileno(), self.hands.fds[disk.id]):
            self.copied += copy_data(
                source.fileno(), self.hands.fds[disk.id], 0, source.size, 0, lambda count: self._say(0, self.words, count)
            )
        after = os.fstat(source.fileno())
        if (before.st_mtime_ns, before.st_size) != (after.st_mtime_ns, after.st_size):
            raise BenchError(
                f"{source.path} changed while it was copied.",
                "Something else writes to it: close that, take the image in again, then ink.",
            )
