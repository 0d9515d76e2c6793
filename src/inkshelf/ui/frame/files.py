"""What the window does with files: open, save, take in, write."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QFileDialog

from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.assemble import infer_entries
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, with_found
from inkshelf.core.texts import few, shown
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from inkshelf.ui.background import Task
from inkshelf.ui.demo import first_day, show_demo
from inkshelf.ui.desk import Notice
from inkshelf.ui.frame import settings
from inkshelf.ui.frame.sheetfiles import SheetFiles

# Reading images, captured text and templates is loaded when it is asked for: the window is ready sooner.
if TYPE_CHECKING:
    from inkshelf.exchange.images import Looked
    from inkshelf.ui.frame.builtfiles import BuiltFiles
    from inkshelf.ui.frame.capturefiles import CaptureFiles
    from inkshelf.ui.frame.mediafiles import MediaFiles
    from inkshelf.ui.frame.window import Window


class Files:
    """File work of one window; every failure becomes one line in it."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self._task: Task | None = None
        self._then: Callable[[Any], None] = lambda _: None
        self._of: str | None = None
        self._words = self._otherwise = ""
        self._said: Notice | None = None
        self.sheets: SheetFiles = SheetFiles(self)

    def folder(self) -> str:
        """Where the last file was."""
        return self.window.settings.folder or str(Path.home())

    def _remember(self, path: Path) -> None:
        self.window.settings.folder = str(path.parent)

    def ask_open(self, title: str, kinds: str) -> Path | None:
        """Ask for a file that is there."""
        name, _ = QFileDialog.getOpenFileName(self.window, title, self.folder(), kinds)
        if not name:
            return None
        self._remember(Path(name))
        return Path(name)

    def ask_several(self, title: str, kinds: str) -> list[Path]:
        """Ask for files that are there, one or more."""
        names, _ = QFileDialog.getOpenFileNames(self.window, title, self.folder(), kinds)
        for name in names[:1]:
            self._remember(Path(name))
        return [Path(name) for name in names]

    def _ask_folder(self, title: str) -> Path | None:
        chosen = QFileDialog.getExistingDirectory(self.window, title, self.folder())
        return Path(chosen) if chosen else None

    def ask_save(self, title: str, name: str, kinds: str) -> Path | None:
        """Ask for the name of a file to be written."""
        chosen, _ = QFileDialog.getSaveFileName(self.window, title, str(Path(self.folder()) / name), kinds)
        if not chosen:
            return None
        self._remember(Path(chosen))
        return Path(chosen)

    @property
    def busy(self) -> bool:
        """Whether something is being read or written beside the window."""
        return self._task is not None or self.sheets.printing is not None

    def refuse_busy(self) -> bool:
        """Whether something goes on already; it is said then."""
        if self.busy:
            self.window.desk.say(
                Notice("Something else is being read or written still.", "Wait until it is done, then try again.")
            )
        return self.busy

    def beside(
        self, words: str, work: Callable[[], Any], then: Callable[[Any], None], *, any_job: bool = False, otherwise: str = ""
    ) -> None:
        """Do ``work`` in a thread of its own and give what comes of it to ``then``; the window goes on meanwhile.

        Where another job is opened until then, nothing of it is taken, unless it is for ``any_job``. ``otherwise``: what is said, too, where
        it fails.
        """
        if self.refuse_busy():
            return
        self._task = task = Task(work, self.window)
        self._then, self._of = then, None if any_job else self.window.desk.job.seed
        self._words, self._otherwise = words, otherwise
        task.done.connect(self._done)
        task.failed.connect(self._failed)
        self._said = Notice(f"{words} …", bad=False)
        self.window.desk.say(self._said)
        task.start()

    def _done(self, result: object) -> None:
        self._end_task()
        if self.window.desk.notice is self._said:  # what was said meanwhile stays: nobody may have read it yet
            self.window.desk.say(None)
        if self._of is not None and self._of != self.window.desk.job.seed:
            self.window.desk.say(
                Notice(f"{self._words}: another job was opened meanwhile, and nothing was put into it.", "Do it again there.")
            )
            return
        self.attempt(lambda: self._then(result))

    def _failed(self, what: str, remedy: str) -> None:
        self._end_task()
        self.window.desk.say(Notice(what, f"{remedy} {self._otherwise}".strip()))

    def _end_task(self) -> None:
        task, self._task = self._task, None
        if task is not None:
            task.wait()
            task.deleteLater()

    def wait(self) -> None:
        """Wait for what goes on beside the window, when it closes."""
        if self._task is not None:
            self._task.wait(5000)
        self.sheets.wait()

    def attempt(self, work: object) -> None:
        """Do something; what goes wrong is said."""
        try:
            work()  # type: ignore[operator]
        except InkshelfError as error:
            self.window.desk.say(Notice(error.what, error.remedy))
        except OSError as error:
            self.window.desk.say(Notice(f"{error.filename or 'This'}: {error.strerror}.", "Check the place and your rights."))

    def new_job(self) -> None:
        """Begin an empty job; the one before stays in its file."""

        def work() -> None:
            self.window.leaving.ask()
            self.window.desk.replace_job(Job(), None)
            self.window.desk.show("intake")

        self.attempt(work)

    def open_job(self, path: Path | None = None) -> None:
        """Open a job file."""
        chosen = path or self.ask_open("Open job", "Jobs (*.json);;All files (*)")
        if chosen:
            self.attempt(lambda: self._open(chosen))

    def _open(self, path: Path) -> None:
        self.window.leaving.ask()  # first: what is opened may be what is being written
        self.window.desk.open(path)

    def open_logged(self, seed: str, raw: bytes) -> None:
        """Open a job out of the logbook: in a file of its own, never over one that says something else."""

        def work() -> None:
            job, folder = document.load(raw), settings.data_folder() / "jobs"
            plain = "".join(one if one.isalnum() else "-" for one in seed)[:60]
            names = (folder / f"logged-{plain}{more}.json" for more in ("", *(f"-{number}" for number in range(2, 100))))
            place = next(one for one in names if not one.exists() or one.read_bytes() == raw)
            jobfile.write_atomically(place, raw, make_folder=True)
            self.window.leaving.ask()
            self.window.desk.replace_job(job, place)

        self.attempt(work)

    def rescued(self) -> Path | None:
        """The job that was rescued last."""
        from inkshelf.ui.rescue import newest

        return newest(settings.data_folder() / "rescued")

    def open_rescued(self) -> None:
        """Open the job that was rescued last, in a file of its own: neither the rescued one nor the one from before is written over."""
        place = self.rescued()

        def work(place: Path) -> None:
            self.window.leaving.ask()
            self.window.desk.replace_job(jobfile.load(place), None)
            self.keep_it(place.name.split(".")[0])

        if place is not None:
            self.attempt(lambda: work(place))

    def save_as(self) -> None:
        """Give the job a file of its own; from then on it is saved as you go."""
        chosen = self.ask_save("Save job as", f"{self.window.desk.job.title or 'job'}.json", "Jobs (*.json)")
        if chosen:
            # whoever chose a file that is there was asked whether it may be written over
            self.window.saver.opened(chosen, jobfile.stamp(chosen), None)
            self.window.desk.path = chosen
            self.window.desk.save()

    def open_demo(self, key: str = "demo") -> None:
        """Open a demo job, building it on first use."""
        folder = settings.data_folder() / "demo"

        def work() -> None:
            self.window.leaving.ask()
            self.beside(
                "Building the demo machine",
                lambda: first_day(folder, key),
                lambda job: show_demo(self.window.desk, job, folder, key),
                any_job=True,
            )

        self.attempt(work)

    def add_image(self, path: Path | None = None) -> None:
        """Take a disk image in."""
        chosen = path or self.ask_open("Take in a disk image", "Disk images (*.img *.raw *.bin *.dd);;All files (*)")
        if chosen:
            self.take_images([chosen])

    def take_images(self, paths: Sequence[Path], texts: Sequence[Path] = ()) -> None:
        """Take disk images in, in one step, and captured ``texts`` of the same machine after them."""
        from inkshelf.bench.intake import take_in, with_images

        old, names = self.window.desk.job, few([shown(one.name) for one in paths], 2)

        def work() -> Job:
            return with_images(old, paths) if old.seed else first_of(take_in(paths, title=old.title or paths[0].stem), old)

        def taken(job: Job) -> None:
            desk = self.window.desk
            if desk.job is not old:
                desk.say(Notice("The job was changed while the image was read.", "Take the image in again."))
                return
            desk.change(job, f"take in {names}")
            self.keep_it(paths[0].stem)
            if texts:
                self.captures.add(texts)

        whole = f"Nothing of {names} was taken in" if len(paths) > 1 else ""
        together = f"{whole or 'Nothing was taken in'}, nor the text beside it." if texts else whole and f"{whole}."
        self.beside(f"Reading {names}", work, taken, otherwise=together)

    def keep_it(self, stem: str) -> None:
        """Give a job that has no file yet one of its own, so that nothing of it is lost when another one is opened."""
        desk = self.window.desk
        if desk.path is None:
            desk.path = settings.data_folder() / "jobs" / f"{stem}-{desk.job.seed[:6]}.json"
            desk.save()

    def add_capture(self, *paths: Path) -> None:
        """Take captured text in: one file, or several of one machine together."""
        self.captures.add(paths)

    def read_editions(self, path: Path | None = None) -> None:
        """Note which editions an install image holds."""
        chosen = path or self.ask_open("Read the editions of an install image", "Install images (*.wim *.esd);;All files (*)")
        if chosen:
            self.attempt(lambda: self._editions(chosen))

    def _editions(self, path: Path) -> None:
        from inkshelf.exchange.editions import editions, with_editions

        known = editions(path)
        desk = self.window.desk
        desk.change(with_editions(desk.job, known), f"editions of {path.name}")
        if len(known) > 1:
            desk.say(Notice(f"{len(known)} editions in {path.name}.", "Choose one under Aim.", bad=False))

    def look_into(self, path: Path | None = None) -> None:
        """Show what an image file holds, and how a stick is made of it for this machine."""
        chosen = path or self.ask_open("Look into an image file", "Images (*.iso *.img *.raw *.xz *.zst *.gz);;All files (*)")
        if chosen is None:
            return
        from inkshelf.exchange.images import look

        self.beside(f"Looking into {chosen.name}", lambda: look(chosen), self._looked, any_job=True)

    def _looked(self, found: Looked) -> None:
        from inkshelf.ui.frame.imagecard import ImageCard

        ImageCard(self.window, found, self.window.desk.job.found).open_over()

    @property
    def captures(self) -> CaptureFiles:
        """What is done with captured text."""
        from inkshelf.ui.frame.capturefiles import CaptureFiles

        return CaptureFiles(self)

    @property
    def media(self) -> MediaFiles:
        """What is done with images and sticks."""
        from inkshelf.ui.frame.mediafiles import MediaFiles

        return MediaFiles(self)

    @property
    def built(self) -> BuiltFiles:
        """What is done with a machine that was read afresh."""
        from inkshelf.ui.frame.builtfiles import BuiltFiles

        return BuiltFiles(self)

    def save_kit(self, folder: Path | None = None) -> None:
        """Write the scripts that capture a machine into a folder."""
        from inkshelf.exchange.kit import save_scripts

        chosen = folder or self._ask_folder("Where the capture kit goes: a stick for example")
        if chosen:
            self.attempt(
                lambda: self.window.desk.say(Notice(f"Written: {', '.join(map(str, save_scripts(chosen)))}", bad=False))
            )

    def take_dropped(self, *paths: Path) -> None:
        """Take in what was dropped on the window, each by its contents."""
        from inkshelf.ui.frame.dropping import take_dropped

        take_dropped(self, paths)

    def take_work(self, path: Path | None = None) -> None:
        """Take in what the sheet's own page saved."""
        chosen = path or self.ask_open("Take in what the page saved", "What a sheet saved (*.json);;All files (*)")
        if chosen:
            self.attempt(lambda: self._work(chosen))

    def _work(self, path: Path) -> None:
        from inkshelf.bounded import read_bounded
        from inkshelf.exchange.worknotes import LARGEST, take_work

        desk = self.window.desk
        job, new, same = take_work(desk.job, read_bounded(path, LARGEST))
        desk.take_work(job)
        earlier = "" if same else "The page shows an earlier plan: look whether each step is still the same."
        desk.say(Notice(f"{new} entries more from the page.", earlier, bad=not same))

    def write(self, path: Path, written: bytes, then: str = "") -> None:
        """Write a file whole, and say so, and what to do with it; or why it could not be."""
        from inkshelf.store.jobfile import write_atomically

        def work() -> None:
            write_atomically(path, written)
            self.window.desk.say(Notice(f"Saved: {path}", then, bad=False))

        self.attempt(work)


def first_of(job: Job, before: Job) -> Job:
    """The first disk of a job keeps what was said before there was one."""
    found = before.found
    firmware = replace(job.found.firmware, mode=found.firmware.mode, secure_boot=found.firmware.secure_boot)
    known = replace(job.found, firmware=firmware, ram_bytes=found.ram_bytes, conditions=found.conditions)
    return with_found(replace(job, owner=before.owner, unit=before.unit), infer_entries(known))
