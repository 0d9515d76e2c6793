"""Pictures of the main views, from the demo job, taken from the real window."""

from __future__ import annotations

import time
from pathlib import Path

from PyQt6.QtCore import QBuffer, QSize
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QApplication

from inkshelf.core.plan.reading import Reading
from inkshelf.ui.chapters import KEYS
from inkshelf.ui.demo import demo_job, first_day
from inkshelf.ui.frame.window import Window

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


def take_pictures(window: Window, folder: Path, demo: Path, size: tuple[int, int] = (1280, 800)) -> list[Path]:
    """Save a PNG of every main view in ``folder`` and return their paths."""
    folder.mkdir(parents=True, exist_ok=True)
    window.desk.replace_job(demo_job(demo), None)
    window.bench_folder = demo / "bench"
    window.resize(*size)
    window.show()
    made = []

    def take(name: str) -> None:
        window.contents.setFocus()
        settle(0.4)  # rows of results find their places in more than one pass
        path = folder / f"{name}.png"
        window.grab().save(str(path))
        made.append(path)

    for key in KEYS:
        window.desk.show(key)
        if key == "start":
            window.chapter("start").choose("nt-updated")  # type: ignore[attr-defined]
        take(key)
    made.append(take_paper(window.desk.reading, folder / "sheet-on-paper.png"))
    window.desk.show("shelf")
    window.set_theme("slate")
    take("shelf-slate")
    window.set_theme("paper")
    window.desk.replace_job(first_day(demo, "two-disks"), None)
    window.desk.show("shelf")
    window.chapter("shelf").show_together()  # type: ignore[attr-defined]
    take("all-disks")
    window.desk.show("aim")
    take("two-aims")
    window.desk.replace_job(demo_job(demo), None)
    window.desk.show("shelf")
    window.desk.know("backup", "read back", "back-up read back")
    window.start_inking()
    while window.inking:
        settle(0.02)
        if window.ink_page.steps.now > len(window.desk.job.steps) // 2 and "inking" not in {path.stem for path in made}:
            window.grab().save(str(folder / "inking.png"))
            made.append(folder / "inking.png")
    take("inked")
    window.worker = None
    window.close()
    return made
