"""What people have practised: one JSON file in the person's data folder, a learner each; written atomically, with a version."""

from __future__ import annotations

from pathlib import Path

import msgspec

from inkshelf.bounded import read_bounded
from inkshelf.core.errors import JobError
from inkshelf.core.practice.repetition import Card, after
from inkshelf.core.value import Value, field, replace
from inkshelf.store.folders import data_folder
from inkshelf.store.jobfile import LARGEST, write_atomically

FORMAT, VERSION = "inkshelf-practice", 1
KEPT = 400
"""Drills that are kept of a learner, the newest."""


class Tried(Value, frozen=True):
    """One drill that was ended: points, minutes, hints taken, when (seconds since the epoch)."""

    kind: str
    level: int
    seed: str
    points: int
    minutes: float
    hints: int
    at: int


class Learner(Value, frozen=True):
    """One person's cards by kind of drill, drills of late, and how many numbers were right in thirty seconds: the best, and the last."""

    cards: dict[str, Card] = field(default_factory=dict)
    tried: tuple[Tried, ...] = ()
    best_numbers: int = 0
    latest_numbers: int = 0

    @property
    def points(self) -> int:
        """All points of the drills that are kept."""
        return sum(one.points for one in self.tried)


class Practised(Value, frozen=True):
    """The whole file."""

    format: str = FORMAT
    version: int = VERSION
    learners: dict[str, Learner] = field(default_factory=dict)

    def of(self, who: str) -> Learner:
        """Return a learner; one who never practised has no cards."""
        return self.learners.get(who, Learner())


def place() -> Path:
    """Where it is kept."""
    return data_folder() / "practice.json"


def load(path: Path | None = None) -> Practised:
    """Return what was practised; nothing where there is no file. Raises ``JobError`` for one that cannot be read: it is not written over."""
    own = path or place()
    try:
        raw = read_bounded(own, LARGEST)
    except FileNotFoundError:
        return Practised()
    except OSError as error:
        raise JobError(f"{own} cannot be read: {error.strerror}.", "Check its permissions.") from None
    try:
        found = msgspec.json.decode(raw, type=Practised)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        raise JobError(f"{own} is not what was practised.", "Put it aside, or restore a copy of it.") from None
    if (found.format, found.version) != (FORMAT, VERSION):
        raise JobError(f"{own} is of another version.", "Use the Ink Shelf that wrote it, or put it aside.")
    return found


def ended(tried: Tried, who: str, path: Path | None = None) -> Learner:
    """Write down that a drill was ended, and return how the learner stands."""
    known = load(path)
    learner = known.of(who)
    card = after(learner.cards.get(tried.kind, Card()), tried.points, tried.at)
    changed = replace(learner, cards={**learner.cards, tried.kind: card}, tried=(*learner.tried, tried)[-KEPT:])
    return _written(known, who, changed, path)


def counted(right: int, who: str, path: Path | None = None) -> Learner:
    """Write down how many numbers were right in thirty seconds."""
    known = load(path)
    learner = known.of(who)
    changed = replace(learner, best_numbers=max(right, learner.best_numbers), latest_numbers=right)
    return _written(known, who, changed, path)


def _written(known: Practised, who: str, learner: Learner, path: Path | None) -> Learner:
    whole = replace(known, learners={**known.learners, who: learner})
    write_atomically(path or place(), msgspec.json.format(msgspec.json.encode(whole), indent=1) + b"\n", make_folder=True)
    return learner
