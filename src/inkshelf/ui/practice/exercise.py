"""One drill while it is worked: its clock, the hints that were taken, what came of it. No Qt here."""

from __future__ import annotations

import time
from collections.abc import Callable

from inkshelf.core.plan.job import Job
from inkshelf.core.practice.drills import Drill
from inkshelf.core.practice.judging import Verdict, hints, judged


class Exercise:
    """A drill from its beginning to its end."""

    def __init__(self, drill: Drill, clock: Callable[[], float] = time.time) -> None:
        self.drill, self._clock = drill, clock
        self.begun = clock()
        self.hints = hints(drill)
        self.shown = 0
        self.verdict: Verdict | None = None
        self.minutes = 0.0

    @property
    def seconds(self) -> int:
        """Seconds since it began; it stands once it was judged."""
        return round(self.minutes * 60) if self.verdict else max(0, round(self._clock() - self.begun))

    def hint(self) -> str:
        """Show one more hint, and return it; the last one again where there is none left."""
        self.shown = min(len(self.hints), self.shown + 1)
        return self.hints[self.shown - 1] if self.hints else ""

    def judge(self, job: Job, answer: str = "") -> Verdict:
        """Judge it: it may be tried again as long as it was not done, on the same clock."""
        minutes = max(0.0, self._clock() - self.begun) / 60
        verdict = judged(self.drill, job, answer, minutes, self.shown)
        if verdict.done or self.drill.asked:
            self.verdict, self.minutes = verdict, minutes
        return verdict

    def give_up(self, job: Job) -> Verdict:
        """End it without points."""
        from inkshelf.core.value import replace

        self.minutes = max(0.0, self._clock() - self.begun) / 60
        asked = self.drill.asked
        told = judged(self.drill, job, next((one for one, _ in asked.answers if one != asked.right), "") if asked else "")
        self.verdict = replace(told, done=False, points=0)
        return self.verdict
