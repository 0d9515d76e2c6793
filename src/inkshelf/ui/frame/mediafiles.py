"""What the window does with images and sticks: look into files for a stick, plug a simulated stick in, compare a sum."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QFileDialog, QMenu

from inkshelf.core.plan.job import Job
from inkshelf.core.size import decimal
from inkshelf.ui.desk import Notice
from inkshelf.ui.frame import settings

if TYPE_CHECKING:
    from inkshelf.bench.sticks import Simulated
    from inkshelf.core.media.material import Image
    from inkshelf.ui.frame.files import Files

KINDS = "Images (*.iso *.img *.raw *.xz *.zst *.gz);;All files (*)"


class MediaFiles:
    """File work of the chapter Media, in one window."""

    def __init__(self, files: Files) -> None:
        self.files, self.desk = files, files.window.desk

    def add(self, paths: list[Path] | None = None) -> None:
        """Look into image files, and put them into the pile of the stick that is planned."""
        if paths is None:
            names, _ = QFileDialog.getOpenFileNames(self.files.window, "Add images to a stick", self.files.folder(), KINDS)
            paths = [Path(one) for one in names]
        if not paths:
            return
        chosen = paths

        def work() -> tuple[Image, ...]:
            from inkshelf.exchange.images import for_job

            return tuple(for_job(str(one)) for one in chosen)

        words = chosen[0].name if len(chosen) == 1 else f"{len(chosen)} images"
        self.files.beside(f"Looking into {words}", work, lambda images: self._added(images, words))

    def _added(self, images: tuple[Image, ...], words: str) -> None:
        from inkshelf.core.plan.media import with_images

        job = self.desk.job if self.desk.job.seed else self._first()
        self.desk.change(with_images(job, images), f"add {words}")
        self.desk.show("media")

    def _first(self) -> Job:
        """A job of its own, where nothing was taken in yet."""
        from inkshelf.bench.intake import take_in

        made = take_in([], title=self.desk.job.title or "sticks", alone=True)
        self.desk.path = self.desk.path or settings.data_folder() / "jobs" / f"sticks-{made.seed[:6]}.json"
        return made

    def plug(self, name: str = "") -> None:
        """Offer the simulated sticks that are not plugged in; the one that is chosen is measured, tried, and taken into the job."""
        from inkshelf.bench import sticks

        folder = settings.data_folder() / "sticks"
        sticks.make(folder)
        known = [one for one in sticks.listed(folder) if not self._here(one)]
        if not name and known:
            name = self._ask(known)
        if not name:
            if not known:
                self.desk.say(Notice("Every simulated stick is plugged in already.", "Unplug one first."))
            return
        stick, image = sticks.find(folder, name)

        def work() -> Job:
            from inkshelf.bench.intake import with_stick

            facts, failing = sticks.tried(stick, image)
            job = self.desk.job if self.desk.job.seed else self._first()
            return with_stick(job, sticks.as_disk(stick, image, facts, failing=failing), image)

        old = self.desk.job
        self.files.beside(f"Measuring {stick.model}, and trying its size", work, lambda job: self._plugged(old, job, stick))

    def _plugged(self, old: Job, job: Job, stick: Simulated) -> None:
        if self.desk.job is not old:
            self.desk.say(Notice("The job was changed while the stick was measured.", "Plug it in again."))
            return
        self.desk.change(job, f"plug {stick.model} in")
        self.desk.show("media")

    def _here(self, stick: Simulated) -> bool:
        return any((one.model, one.serial) == (stick.model, stick.serial) for one in self.desk.job.found.disks)

    def _ask(self, known: list[Simulated]) -> str:
        menu = QMenu(self.files.window)
        for one in known:
            action = menu.addAction(
                f"{one.model}  \N{MIDDLE DOT}  serial {one.serial}  \N{MIDDLE DOT}  {decimal(one.size)}  \N{MIDDLE DOT}  {one.port}"
            )
            if action:
                action.setData(one.name)
        chosen = menu.exec(QCursor.pos())
        return str(chosen.data()) if chosen else ""

    def look_at(self, name: str) -> None:
        """Open the card of an image of the pile; what its sum says there is noted in the job."""
        from inkshelf.core.plan.media import stick_aims

        image = next((one for aim in stick_aims(self.desk.job) for one in aim.images if one.name == name), None)
        if image is None or not image.path:
            self.desk.say(
                Notice(f"{name} is not here as a file yet.", "Add the file: it takes the place of what was told.", bad=False)
            )
            return
        path = Path(image.path)
        from inkshelf.exchange.images import look

        self.files.beside(f"Looking into {path.name}", lambda: look(path), lambda found: self._card(found, name))

    def _card(self, found: object, name: str) -> None:
        from inkshelf.exchange.images import Looked
        from inkshelf.ui.frame.imagecard import ImageCard

        if isinstance(found, Looked):
            seed = self.desk.job.seed
            ImageCard(
                self.files.window, found, self.desk.job.found, lambda agrees: self._compared(seed, name, agrees=agrees)
            ).open_over()

    def _compared(self, seed: str, name: str, *, agrees: bool) -> None:
        from inkshelf.core.plan.media import compared

        if seed != self.desk.job.seed:
            return  # another job was opened while the card was: its image of that name was not compared
        self.desk.change(compared(self.desk.job, name, "agrees" if agrees else "differs"), f"sum of {name}")
