"""Nobody leaves a job whose last change is not in its file without having been told."""

from __future__ import annotations

from inkshelf.core.errors import JobError
from inkshelf.core.plan.job import Job
from inkshelf.ui.background import Saver
from inkshelf.ui.desk import Desk

PATIENCE = 2.0  # seconds that a file which is being written is waited for
SLOW = ("Its file is being written still.", "Wait a moment.")


class Leaving:
    """Asked before the window closes or another job takes the place of the one that is open."""

    def __init__(self, desk: Desk, saver: Saver) -> None:
        self.desk, self.saver = desk, saver
        self._told: Job | None = None

    def ask(self) -> None:
        """Raise ``JobError`` where something is not saved; who does it again, with nothing changed meanwhile, goes on."""
        written = self.saver.flush(PATIENCE)
        wrong = next(iter(self.saver.wrong.values()), None if written else SLOW)
        if wrong is None:
            return
        if self.desk.job is self._told:
            self.saver.wrong.clear()  # it was said, and is not asked for again behind the next job
            return
        self._told = self.desk.job
        raise JobError(*self.words(*wrong))

    def words(self, what: str, remedy: str) -> tuple[str, str]:
        """Return what is said of a job that was not saved: once it was asked about, that stays in sight whatever comes in afterwards."""
        if self.desk.job is not self._told:
            return what, remedy
        return f"What was changed last is not saved. {what}", f"{remedy} Do this again to go on without it."
