"""What happens while a sheet is worked: a list that only grows. Whoever takes something back adds that he did.

Times are whole seconds since the epoch, UTC. A step is named by its identity, which lasts through planning again.
"""

from typing import Literal

from inkshelf.core.errors import PlanError
from inkshelf.core.texts import Count, Digest, Key, KeyOrNone, Line
from inkshelf.core.value import Value

How = Literal["done", "failed", "skipped", "otherwise"]
"""How a step ended; ``otherwise``: it was done, in another way than the sheet's."""
NEEDS_REASON: tuple[How, ...] = ("failed", "skipped", "otherwise")
REASONS = {
    "download": "waiting for a download",
    "customer": "waiting for the customer",
    "tool": "a tool or a part is missing",
    "break": "a break",
    "closed": "the program was closed",
}
"""Why a clock stands, by the word that events keep; anything else is a person's own words."""


class Event(Value, frozen=True, tag_field="kind"):
    """Something at a moment; ``step``: the identity of the step that it is about (empty: of none)."""

    at: Count
    step: KeyOrNone = ""


class Began(Event, frozen=True, tag="began"):
    """The clock runs for this step, and for no other one any more."""


class Paused(Event, frozen=True, tag="paused"):
    """The clock stands, and why: a key of ``REASONS``, or words."""

    why: Line = ""


class Resumed(Event, frozen=True, tag="resumed"):
    """It runs again."""


class Ended(Event, frozen=True, tag="ended"):
    """A step ended; ``of``: what it said then, so that one that says something else now was not done; ``minutes``: what it took, where
    somebody says so afterwards (``None``: by the clock)."""

    how: How = "done"
    why: Line = ""
    of: Key = "0"
    minutes: float | None = None


class Reopened(Event, frozen=True, tag="reopened"):
    """It is to be done still."""


class Measured(Event, frozen=True, tag="measured"):
    """A value that was found where the step asks for it."""

    what: Key = "value"
    value: Line = ""


class Noted(Event, frozen=True, tag="noted"):
    """A note."""

    text: Line = ""


class Attached(Event, frozen=True, tag="attached"):
    """A file that is kept beside the job: its own name, its size in bytes, and the sum (SHA-256) that it is kept under."""

    name: Line = "file"
    size: Count = 0
    digest: Digest = "0" * 64


AnyEvent = Began | Paused | Resumed | Ended | Reopened | Measured | Noted | Attached
Work = tuple[AnyEvent, ...]


def ended(step: str, at: int, how: How, of: str, why: str = "", minutes: float | None = None) -> Ended:
    """Return how a step ended; raises ``PlanError`` where it needs a reason and has none."""
    if how in NEEDS_REASON and not why.strip():
        words = {"failed": "What happened", "skipped": "Why it is left out", "otherwise": "How it was done"}[how]
        raise PlanError(f"{words} is not said.", "Say it in a few words: whoever reads this later was not there.")
    return Ended(at, step, how, why.strip(), of, minutes)
