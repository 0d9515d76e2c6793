"""Which way a start goes: stations on a line, the systems that it reaches, or where and why it ends."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.machine.state import BootEntry
from inkshelf.core.value import Value

Result = Literal["started", "not found", "refused", "unsupported", "skipped", "returned"]
Place = Literal["firmware", "entry", "loader", "menu", "system"]


class Station(Value, frozen=True):
    """One stop of a route; ``call`` is the volume it stands on."""

    place: Place
    title: str
    detail: str = ""
    call: str = ""


class Reached(Value, frozen=True):
    """What a loader or a menu comes to.

    ``systems``: those that can be reached; ``by_itself``: the first of them without a key press; ``asks``: why a person
    must choose, where not. ``broken``: why it ends. ``waits``: it
    ends at a prompt or a screen of its own and never goes back to the firmware, so that nothing after it is tried. ``unclear``: nobody
    read what lies there, so that it may start something or pass on. ``result``: what the firmware itself sees of it. ``file``: what it runs,
    as (letter of the disk, call number, path).
    """

    stations: tuple[Station, ...]
    systems: tuple[str, ...] = ()
    broken: str = ""
    waits: bool = False
    by_itself: bool = True
    asks: str = ""
    unclear: bool = False
    result: Result = "started"
    file: tuple[str, str, str] | None = None


class Route(Value, frozen=True):
    """One way from an entry."""

    entry: BootEntry
    reached: Reached

    @property
    def stations(self) -> tuple[Station, ...]:
        """The stops in order."""
        return self.reached.stations

    @property
    def systems(self) -> tuple[str, ...]:
        """The systems it can reach."""
        return self.reached.systems

    @property
    def broken(self) -> str:
        """Why it ends, or an empty string."""
        return self.reached.broken

    @property
    def passes(self) -> bool:
        """Whether the firmware goes on to its next entry."""
        return not self.systems and not self.reached.waits
