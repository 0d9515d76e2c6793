"""The last resort: an error that nobody caught saves the work first, then is explained."""

from __future__ import annotations

import sys
from pathlib import Path
from types import TracebackType

from inkshelf.core.errors import InkshelfError
from inkshelf.store import jobfile
from inkshelf.ui.desk import Desk, Notice


def rescue(
    desk: Desk, folder: Path, kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> Path | None:
    """Save the job and the traceback in ``folder``; return the job's path, or ``None`` where even that failed."""
    import traceback
    from datetime import datetime

    stamp = datetime.now().astimezone().strftime("%Y%m%d-%H%M%S")
    place = folder / f"rescued-{stamp}.job.json"
    try:
        jobfile.save(desk.job, place, make_folder=True)
        jobfile.write_atomically(
            folder / f"rescued-{stamp}.txt", "".join(traceback.format_exception(kind, error, trace)).encode()
        )
    except InkshelfError:
        place = None  # type: ignore[assignment]
    return place


def install(desk: Desk, folder: Path) -> None:
    """Catch what nobody caught: the window goes on, and says where the work was saved."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        place = rescue(desk, folder, kind, error, trace)
        where = (
            f"The job was saved as {place}; the details lie beside it."
            if place
            else "The job could not be saved: use Save job as."
        )
        desk.say(Notice(f"Something went wrong in the program ({kind.__name__}: {error}).", where))

    sys.excepthook = hook
