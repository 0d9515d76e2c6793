"""Open the window: fonts, theme, what was remembered, the job asked for; or leave pictures of the main views."""

from __future__ import annotations

import gc
import os
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from inkshelf.core.errors import InkshelfError
from inkshelf.ui import rescue, theme
from inkshelf.ui.chapters import KEYS
from inkshelf.ui.demo import open_demo
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
    made = QApplication(["inkshelf", "-style", "fusion"])  # asked of the object, a style brings hundreds of names with it
    made.setApplicationName("Ink Shelf")
    made.setDesktopFileName("inkshelf")
    theme.load_fonts()
    return made


def open_window(*, demo: bool = False, pictures: Path | None = None, job: Path | None = None) -> int:
    """Open the window and return the exit status when it is closed."""
    app = application()
    settings = remembered.load()
    theme.apply(app, settings.theme if pictures is None else "paper")
    desk = Desk(asks_bench=pictures is not None)
    folder = remembered.data_folder()
    fault = None if pictures is not None else _shops_figures()
    rescue.install(desk, folder / "rescued")
    rescue.watch_below(folder / "rescued")
    if pictures is not None:
        from inkshelf.ui.pictures import take_pictures

        for path in take_pictures(Window(desk, settings), pictures, folder / "demo"):
            print(path)
        return 0
    _open(
        desk,
        job or (Path(settings.job) if settings.job else None),
        settings,
        folder / "demo" if demo else None,
        asked=job is not None,
    )
    desk.notice = fault or desk.notice
    window = Window(desk, settings)
    window.show()
    QTimer.singleShot(0, lambda: _when_drawn(window, folder / "rescued"))
    return app.exec()


def _when_drawn(window: Window, rescued: Path) -> None:
    """What can wait until the window is there: counted from now, or on a slow machine it would be due before the window is drawn."""
    window.contents.setFocus()
    _collect_again()
    QTimer.singleShot(50, window.desk.ask_bench)
    QTimer.singleShot(50, lambda: _offer_rescued(window, rescued))
    QTimer.singleShot(100, lambda: _watch_shop(window))
    QTimer.singleShot(400, lambda: _watch_logbook(window))


def _shops_figures() -> Notice | None:
    """Use a shop's own figures from the first plan on; the module is loaded only where there is a file of them."""
    if not remembered.config_path().with_name("figures.toml").is_file():
        return None
    from inkshelf.store import shop

    try:
        shop.use()
    except InkshelfError as error:
        return Notice(error.what, error.remedy)
    return None


def _watch_logbook(window: Window) -> None:
    """From now on jobs are put into the logbook, and a machine that was here before is known again."""
    window.keeper.watch()


def _watch_shop(window: Window) -> None:
    from inkshelf.ui.frame.shopwatch import ShopWatch  # late: the window is ready sooner

    ShopWatch(window.desk, window)


def _offer_rescued(window: Window, folder: Path) -> None:
    """Say once of every rescue that it is there."""
    newest = rescue.newest(folder)
    if newest is not None and newest.name != window.settings.rescued:
        window.settings.rescued = newest.name
        window.desk.say(
            Notice("The program ended unexpectedly the last time.", f"“Open the rescued job” brings back {newest}.")
        )


def _collect_again() -> None:
    """What was made so far stays: look for garbage only in what comes later."""
    gc.freeze()
    gc.enable()


def _open(desk: Desk, path: Path | None, settings: remembered.Settings, demo: Path | None, *, asked: bool) -> None:
    """Open the demo, the job asked for, or the one that was open last, before the window is built around it."""
    try:
        if demo is not None:
            demo.mkdir(parents=True, exist_ok=True)
            open_demo(desk, demo)
        elif path is not None and (asked or path.exists()):
            desk.open(path)
            desk.chapter = settings.chapter if settings.chapter in KEYS and not asked else KEYS[0]
    except InkshelfError as error:
        desk.notice = Notice(error.what, error.remedy)
    except OSError as error:
        desk.notice = Notice(f"{error.filename}: {error.strerror}.", "Check the place and your rights.")
