"""The last resort: an error that nobody caught saves the work first, then is explained."""

from __future__ import annotations

import sys
import threading
from pathlib import Path
from types import TracebackType
from typing import TextIO

from inkshelf.core.errors import InkshelfError
from inkshelf.store import jobfile
from inkshelf.ui.desk import Desk, Notice

ENDING = ".job.json"


def rescue(
    desk: Desk, folder: Path, kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> Path | None:
    """Save the job and the traceback in ``folder``, beside every earlier rescue; return the job's path, ``None`` where even that failed."""
    import traceback
    from datetime import datetime

    stamp = datetime.now().astimezone().strftime("%Y%m%d-%H%M%S-%f")
    place = folder / f"rescued-{stamp}{ENDING}"
    try:
        jobfile.save(desk.job, place, make_folder=True, read_back=False)
        jobfile.write_atomically(
            folder / f"rescued-{stamp}.txt", "".join(traceback.format_exception(kind, error, trace)).encode()
        )
    except InkshelfError:
        place = None  # type: ignore[assignment]
    return place


def newest(folder: Path) -> Path | None:
    """Return the job that was rescued last, or ``None``."""
    found = sorted(folder.glob(f"rescued-*{ENDING}"), key=lambda one: one.name)
    return found[-1] if found else None


def install(desk: Desk, folder: Path) -> None:
    """Catch what nobody caught: the window goes on, and says where the work was saved.

    A fault while that is done is only printed. What ends the interpreter itself leaves its trace in a file of the folder.
    """
    rescuing = threading.Lock()

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt) or not rescuing.acquire(blocking=False):
            sys.__excepthook__(kind, error, trace)
            return
        try:
            place = rescue(desk, folder, kind, error, trace)
            where = (
                f"The job was saved as {place}; the details lie beside it."
                if place
                else "The job could not be saved: use Save job as."
            )
            desk.say(Notice(f"Something went wrong in the program ({kind.__name__}: {error}).", where))
        finally:
            rescuing.release()

    sys.excepthook = hook


def watch_below(folder: Path) -> TextIO | None:
    """Let a fault below Python leave the place it happened at in a file, which is returned open; none where it cannot be written."""
    import faulthandler

    try:
        folder.mkdir(parents=True, exist_ok=True)
        kept = (folder / "faults.txt").open("a", encoding="utf-8")
    except OSError:
        return None
    faulthandler.enable(kept)
    return kept
