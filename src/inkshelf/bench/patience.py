"""How long a program is waited for: by the processor time that it had, so that a busy machine ends nothing that is still at work."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

IDLE = 0.01  # of one processor: what has less than that waits for something else
WINDOW = 2.0  # seconds over which that is looked at
MOST = 20  # times the seconds it may take in all, however busy the machine is


class Patience:
    """``seconds`` of processor time, or of waiting while it does nothing; ``spent`` says the processor time so far, ``now`` the time."""

    def __init__(self, seconds: float, spent: Callable[[], float], now: Callable[[], float] = time.monotonic) -> None:
        self.seconds, self.spent, self.now = seconds, spent, now
        self.begun = self.looked = now()
        self.had, self.counted = spent(), 0.0

    def over(self) -> bool:
        """Tell whether it was long enough."""
        at = self.now()
        if at - self.looked >= WINDOW:
            had = self.spent()
            passed, worked = at - self.looked, had - self.had
            self.counted += passed if worked < IDLE * passed else min(passed, worked)
            self.looked, self.had = at, had
        return self.counted > self.seconds or at - self.begun > MOST * self.seconds


def spent_by(parent: int) -> float:
    """Return the processor time, in seconds, that the children of a process had (proc(5): stat, fields 4, 14 and 15)."""
    ticks = 0
    for one in Path("/proc").iterdir():
        if one.name.isdecimal():
            with suppress(OSError, ValueError, IndexError):
                fields = (one / "stat").read_text(errors="replace").rpartition(")")[2].split()
                ticks += int(fields[11]) + int(fields[12]) if int(fields[1]) == parent else 0
    return ticks / os.sysconf("SC_CLK_TCK")
