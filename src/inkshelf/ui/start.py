"""Open the window: fonts, theme, what was remembered, the job asked for; or leave pictures of the main views."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from inkshelf.core.errors import InkshelfError
from inkshelf.ui import rescue, theme
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.frame import settings as remembered
from inkshelf.ui.frame.window import Window


def application() -> QApplication:
    """Return the one application, with fonts and a style that looks the same everywhere."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    if sys.platform == "linux" and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    made = QApplication(["inkshelf"])
    made.setApplicationName("Ink Shelf")
    made.setDesktopFileName("inkshelf")
    made.setStyle("Fusion")
    theme.load_fonts()
    return made


def open_window(*, demo: bool = False, pictures: Path | None = None, job: Path | None = None) -> int:
    """Open the window and return the exit status when it is closed."""
    app = application()
    settings = remembered.load()
    theme.apply(app, settings.theme if pictures is None else "paper")
    desk = Desk()
    folder = remembered.data_folder()
    rescue.install(desk, folder / "rescued")
    window = Window(desk, settings)
    if pictures is not None:
        from inkshelf.ui.pictures import take_pictures

        for path in take_pictures(window, pictures, folder / "demo"):
            print(path)
        return 0
    if demo:
        window.files.open_demo()
    else:
        _last(window, job, settings)
    window.show()
    QTimer.singleShot(0, window.contents.setFocus)
    return app.exec()


def _last(window: Window, job: Path | None, settings: remembered.Settings) -> None:
    path = job or (Path(settings.job) if settings.job and Path(settings.job).exists() else None)
    if path is None:
        return
    try:
        window.desk.open(path)
        window.desk.show("intake" if job else settings.chapter)
    except InkshelfError as error:
        window.desk.say(Notice(error.what, error.remedy))
