"""What is dropped on the window, or pasted into it: files of this machine, each taken in by its contents."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QMimeData

from inkshelf.core.texts import few, shown
from inkshelf.ui.desk import Desk, Notice

if TYPE_CHECKING:
    from inkshelf.ui.frame.files import Files

SMALL = 1 << 24  # bytes: a larger file is no job and no work that a page saved


def files_of(data: QMimeData | None, desk: Desk) -> list[Path]:
    """Return the files, all on this machine; where one lies elsewhere, that is said and nothing is returned."""
    urls = data.urls() if data is not None else []
    elsewhere = [shown(one.toString()) for one in urls if not one.toLocalFile()]
    if elsewhere:
        desk.say(Notice(f"{few(elsewhere, 2)}: no file of this machine.", "Save it into a folder of yours, then drop it here."))
        return []
    return [Path(one.toLocalFile()) for one in urls]


def take_dropped(files: Files, paths: Sequence[Path]) -> None:
    """Take in jobs and what a sheet saved at once, disk images together, and captured texts after them; discs are looked into."""
    images: list[Path] = []
    discs: list[Path] = []
    texts: list[Path] = []
    for path in dict.fromkeys(paths):
        head = _head(path)
        if files.captures.is_one(path):
            texts.append(path)
        elif b'"inkshelf-work"' in head:
            files.take_work(path)
        elif head.lstrip().startswith(b"{"):
            files.open_job(path)
        else:
            (discs if _is_disc(path) else images).append(path)
    if images:
        files.take_images(images, texts)
    elif texts:
        files.captures.add(texts)
    if discs and not files.busy:
        files.look_into(discs.pop(0))
    if discs:
        names = few([shown(one.name) for one in discs], 3)
        files.window.desk.say(Notice(f"Not looked into yet: {names}.", "Discs are looked into one at a time: drop it again."))


def _head(path: Path) -> bytes:
    """Return how a small ordinary file begins; nothing of what cannot be read, which says itself why when it is taken in."""
    try:
        if not path.is_file() or path.stat().st_size >= SMALL:
            return b""
        with path.open("rb") as opened:
            return opened.read(4096)
    except OSError:
        return b""


def _is_disc(path: Path) -> bool:
    from inkshelf.exchange.images import is_disc

    return is_disc(path)
