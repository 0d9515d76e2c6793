"""How fast a stick is written, by its own clock: measured over the first 256 MiB, told again where it changes. Nothing waits for it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from inkshelf.bench.sticks import FACTS, IMAGE, SAMPLE, Clock, described
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk
from inkshelf.core.media.times import passes, span
from inkshelf.core.size import binary, decimal
from inkshelf.core.value import Value

CHANGED = 1.5  # so many times faster or slower than was told last, and it is told again


class Took(Value, frozen=True):
    """What writing a stick took by its own clock, and what was planned for so many bytes. Seconds; ``told``: every estimate on the way."""

    disk: str
    bytes: int
    seconds: float
    planned: float
    told: tuple[str, ...]

    @property
    def words(self) -> str:
        """One line for a report."""
        return f"stick {self.disk}: {binary(self.bytes)} in {span(self.seconds)} by its own clock, planned {span(self.planned)}"


class Pace:
    """One stick at work. ``say`` is told in words what was measured, and how long the rest takes."""

    def __init__(self, disk: Disk, clock: Clock, say: Callable[[str], None]) -> None:
        self._disk, self._clock, self._say = disk, clock, say
        self._todo = self._done = 0
        self._mark, self._mark_at = 0.0, 0
        self._rate = 0.0
        self._told: list[str] = []

    def expect(self, count: int) -> None:
        """So many bytes more are to come."""
        self._todo += count

    def passed(self, count: int) -> None:
        """So many bytes were written; raises ``BenchError`` where the stick dies under them."""
        while count > 0:
            own = min(count, SAMPLE - (self._done - self._mark_at))
            self._clock.passed(own)
            self._done += own
            count -= own
            if self._done - self._mark_at == SAMPLE:
                self._measured()

    def _measured(self) -> None:
        """Another 256 MiB are written: what the rest takes at this speed."""
        rate = SAMPLE / max(1e-9, self._clock.seconds - self._mark)
        self._mark, self._mark_at = self._clock.seconds, self._done
        first = not self._rate
        if not first and 1 / CHANGED <= rate / self._rate <= CHANGED:
            return
        self._rate = rate
        left = max(0, self._todo - self._done)
        where = f"over the first {binary(SAMPLE)}" if first else f"after {binary(self._done)}"
        words = f"stick {self._disk.id}: {decimal(round(rate))} a second {where}"
        words += f", {span(left / rate)} more (planned in all: {span(self._planned())})" if left else ""
        self._told.append(words)
        self._say(words)

    def _planned(self) -> float:
        return passes(self._disk, max(self._todo, self._done)).write

    def over(self) -> Took:
        """Return what it took in the end."""
        return Took(self._disk.id, self._done, self._clock.seconds, passes(self._disk, self._done).write, tuple(self._told))


def pace_of(disk: Disk, source: Path | None, say: Callable[[str], None]) -> Pace | None:
    """Return the pace of a disk whose image is a simulated stick's, or ``None``: of another disk nothing is known."""
    if source is None or source.suffix != IMAGE or not source.with_suffix(FACTS).is_file():
        return None
    try:
        return Pace(disk, Clock(described(source.with_suffix(FACTS))), say)
    except BenchError:
        return None
