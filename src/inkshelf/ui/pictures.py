"""Pictures of the main views, from the demo job, taken from the real window."""

from __future__ import annotations

import time
from pathlib import Path

from PyQt6.QtCore import QBuffer, QSize
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QApplication

from inkshelf.core.disk.types import gpt_type
from inkshelf.core.plan.asbuilt import with_built
from inkshelf.core.plan.locks import lock
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.ui.benchmode.page import BenchMode
from inkshelf.ui.chapters import KEYS
from inkshelf.ui.demo import demo_job, first_day
from inkshelf.ui.frame.overlays import Overlay
from inkshelf.ui.frame.window import Window

NOON = 1_764_590_000  # when the sheet is worked, in pictures
PAPER = QSize(868, 1228)  # A4


def settle(seconds: float = 0.05) -> None:
    """Let the window finish what it has to draw."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.005)


def take_paper(reading: Reading, path: Path) -> Path:
    """Save the first page of the sheet as it is printed, read from its PDF."""
    from inkshelf.ui.sheetview.printing import pdf

    kept, document = QBuffer(), QPdfDocument(None)
    kept.setData(pdf(reading))
    kept.open(QBuffer.OpenModeFlag.ReadOnly)
    document.load(kept)
    page = QImage(PAPER, QImage.Format.Format_RGB32)
    page.fill(QColor("white"))
    painter = QPainter(page)
    painter.drawImage(0, 0, document.render(0, PAPER))
    painter.end()
    page.save(str(path))
    return path


class Pictures:
    """One window, and the pictures that are taken of it: each a PNG in ``folder``."""

    def __init__(self, window: Window, folder: Path) -> None:
        self.window, self.folder = window, folder
        self.made: list[Path] = []

    def take(self, name: str, *, now: bool = False) -> None:
        """Save what the window shows, once it is drawn; ``now``: while something goes on in it."""
        if not now:
            self.window.contents.setFocus()
            settle(0.4)  # rows of results find their places in more than one pass
        self.made.append(self.folder / f"{name}.png")
        self.window.grab().save(str(self.made[-1]))

    def chapters(self) -> None:
        """Every chapter of the demo job, the sheet on paper, the other theme."""
        for key in KEYS:
            if key in {"media", "proof", "logbook", "practice"}:
                continue  # of the job with sticks, of the one that is inked, of the made-up shop, of a drill
            self.window.desk.show(key)
            if key == "start":
                self.window.chapter("start").choose("nt-updated")  # type: ignore[attr-defined]
            self.take(key)
        self.made.append(take_paper(self.window.desk.reading, self.folder / "sheet-on-paper.png"))
        self.window.desk.show("shelf")
        self.window.set_theme("slate")
        self.take("shelf-slate")
        self.window.set_theme("paper")

    def closer(self) -> None:
        """The shelf with a locked size, small volumes as wide as their words; the guide over it."""
        desk, shelf = self.window.desk, self.window.chapter("shelf")
        desk.change(lock(desk.job, "S2", 60 * GIB), "lock S2")
        shelf.look_closer()  # type: ignore[attr-defined]
        self.take("shelf-closer")
        shelf.look_closer()  # type: ignore[attr-defined]
        self.window.open_help()
        self.take("guide")
        for card in self.window.findChildren(Overlay):
            card.close()

    def working(self, demo: Path) -> None:
        """Bench mode: a shrink in its third minute, with what its box offers."""
        desk, over, moment = self.window.desk, self.window.centralWidget(), [NOON]
        desk.replace_job(demo_job(demo), None)
        if over is None:
            return
        page = BenchMode(desk, over, lambda: moment[0])
        page.open_over()
        while desk.job.steps[page.at].kind != "shrink":
            page.go()
            moment[0] += 140
        moment[0] += 90
        page.step.asks[0].line.setText("229 112")
        page.tick()
        page.setFocus()
        settle(0.4)
        self.made.append(self.folder / "bench-mode.png")
        self.window.grab().save(str(self.made[-1]))
        page.leave()

    def proof(self) -> None:
        """The inked disk read afresh, on which somebody hid an EFI system partition and renamed a volume."""
        from inkshelf.bench.asbuilt import read_again
        from inkshelf.bench.folder import Bench

        desk, folder = self.window.desk, self.window.bench_folder
        if folder is None:
            return
        built = read_again([Bench(folder).image("A")])
        (disk,) = built.disks
        odd = {1: {"type_id": gpt_type("basic_data")}, 6: {"name": "root"}}
        volumes = tuple(replace(one, **odd.get(one.number, {})) for one in disk.volumes)
        firmware = replace(desk.reading.plan.planned.firmware, entries_known=True)
        desk.change(with_built(desk.job, replace(built, disks=(replace(disk, volumes=volumes),), firmware=firmware)), "compare")
        desk.show("proof")
        self.take("proof")

    def logbook(self, demo: Path) -> None:
        """The made-up shop's logbook, in which the demo's machine was here before."""
        self.window.desk.replace_job(demo_job(demo), None)
        self.window.desk.show("logbook")
        page, keeper = self.window.chapter("logbook"), self.window.keeper
        page.change_book()  # type: ignore[attr-defined]
        for _ in range(8):  # what is looked up asks for the next
            keeper.wait()
            settle(0.2)
        page.view.setCurrentIndex(page.model.index(1))  # type: ignore[attr-defined]
        for _ in range(3):
            settle(0.2)
            keeper.wait()
        self.take("logbook")
        keeper.look_at_own()

    def practice(self) -> None:
        """A start that was mended, and what came of it."""
        from inkshelf.ui.practice.chapter import PracticeChapter

        page = PracticeChapter(self.window.desk, lambda: "Reed", lambda: NOON, lambda: "picture")
        self.window.chapters["practice"] = page
        self.window.desk.show("practice")
        page.view.setCurrentIndex(page.model.index([one.kind.key for one in page.model.rows].index("stage-skipped")))
        page.begin()
        page.card.take_hint()
        page.clock = lambda: NOON + 407
        if page.exercise is not None and page.exercise.drill.way is not None:
            page.exercise.begun -= 407
            self.window.desk.replace_job(page.exercise.drill.way, None)
        self.window.desk.show("practice")
        page.judge()
        self.take("practice")
        page.go_back()

    def two_disks(self, demo: Path) -> None:
        """Every disk on one screen, two aims in one job, and what can be done where something does not fit."""
        self.window.desk.replace_job(first_day(demo, "two-disks"), None)
        self.window.desk.show("shelf")
        self.window.chapter("shelf").show_together()  # type: ignore[attr-defined]
        self.take("all-disks")
        self.window.desk.show("aim")
        settle(1.0)  # the ways are worked out beside the window
        self.take("two-aims")
        self.window.desk.answer_aim(self.window.desk.job.aims[0].id, "size", "400GiB")
        settle(1.5)
        self.take("ways-out")

    def sticks(self, demo: Path) -> None:
        """What goes on which stick."""
        self.window.desk.replace_job(first_day(demo, "sticks"), None)
        self.window.desk.show("media")
        self.take("media")

    def mending(self, demo: Path) -> None:
        """A machine that goes straight into another system: the causes, and its start as found."""
        self.window.desk.replace_job(first_day(demo, "mending"), None)
        self.window.desk.show("aim")
        settle(1.0)
        self.window.chapter("aim").inside.ensureWidgetVisible(self.window.chapter("aim").causes, 0, 8)  # type: ignore[attr-defined]
        self.take("mending")

    def inking(self, demo: Path) -> None:
        """Half-way through inking, and its end."""
        desk = self.window.desk
        desk.replace_job(demo_job(demo), None)
        desk.show("shelf")
        desk.know("backup", "read back", "back-up read back")
        self.window.start_inking()
        half = False
        while self.window.inking:
            settle(0.02)
            if not half and self.window.ink_page.steps.now > len(desk.job.steps) // 2:
                half = True
                self.take("inking", now=True)
        settle(0.4)
        self.window.worker = None


def take_pictures(window: Window, folder: Path, demo: Path, size: tuple[int, int] = (1280, 800)) -> list[Path]:
    """Save a PNG of every main view in ``folder`` and return their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    window.desk.replace_job(demo_job(demo), None)
    window.bench_folder = demo / "bench"
    window.resize(*size)
    window.show()
    pictures = Pictures(window, folder)
    pictures.chapters()
    pictures.closer()
    pictures.two_disks(demo)
    pictures.sticks(demo)
    pictures.mending(demo)
    pictures.inking(demo)
    pictures.proof()
    pictures.working(demo)
    pictures.logbook(demo)
    pictures.practice()
    window.close()
    return pictures.made
