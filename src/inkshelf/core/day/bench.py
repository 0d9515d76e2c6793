"""What a day is planned of: the bench with what is there once, and the machines with their spans."""

from __future__ import annotations

from inkshelf.core.day.spans import Resource, Span
from inkshelf.core.value import Value


class Bench(Value, frozen=True):
    """How many of each there are: people, networks, ports."""

    hands: int = 1
    network: int = 1
    port: int = 2

    def room(self, takes: Resource) -> int:
        """Return how many spans may take this at once (0: any number)."""
        return {"hands": self.hands, "network": self.network, "port": self.port, "machine": 0}[takes]


class Order(Value, frozen=True):
    """One machine of the day: who it is, its spans in order, minutes from now until it was promised (``None``: it was not)."""

    key: str
    name: str
    spans: tuple[Span, ...]
    promised: float | None = None
