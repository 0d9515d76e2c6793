"""How long writing and checking a stick take: two passes over the bytes, at what the port and the stick allow, whichever is less."""

from __future__ import annotations

from inkshelf.core.machine.state import Disk
from inkshelf.core.value import Value
from inkshelf.data import table


class Passes(Value, frozen=True):
    """Seconds of writing, with the flush, and of checking; ``measured``: at the stick's own speed, else at an ordinary one's."""

    write: float
    check: float
    measured: bool

    @property
    def minutes(self) -> float:
        """Both, in minutes."""
        return (self.write + self.check) / 60


def span(seconds: float) -> str:
    """Return a time in minutes and seconds."""
    whole = max(1, round(seconds))
    return f"{whole // 60} min {whole % 60:02} s" if whole >= 60 else f"{whole} s"


def rate(disk: Disk) -> float:
    """Return bytes a second that are written in large pieces: what was measured, or an ordinary stick's, and never more than its port."""
    rates = table("defaults")["rates"]
    own = float(disk.stick.writes if disk.stick and disk.stick.writes else rates["stick"])
    port = float(rates[disk.stick.port]) if disk.stick and disk.stick.port else own
    return min(own, port)


def passes(disk: Disk, count: int) -> Passes:
    """Return how long ``count`` bytes take; a stick that became slower after so many bytes takes the rest at its slower speed."""
    fast, known = rate(disk), disk.stick
    first = min(count, known.slows_after) if known and known.slow and known.slows_after else count
    slow = min(float(known.slow), fast) if known and known.slow else fast
    read = max(fast, float(table("defaults")["rates"]["stick"]))
    return Passes(first / fast + (count - first) / slow, count / read, bool(known and known.writes))
