"""Causes: one small function each, registered with what it looks like and what tells it apart; it yields the cases that a machine allows."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from inkshelf.core.mending.sights import BY_KEY, LOOK
from inkshelf.core.mending.view import View
from inkshelf.core.steps.kinds import Step
from inkshelf.core.value import Value


class Case(Value, frozen=True):
    """A cause on this machine. ``shown``: what was captured shows it, else it cannot be ruled out by that.

    ``subject``: the volume, entry or disk that it is about; ``why``: what shows it, or what was not captured; ``steps``: the smallest
    repair (empty: none that a plan could hold; ``by_hand`` says what is done).
    """

    shown: bool
    subject: str
    why: str
    steps: tuple[Step, ...] = ()
    by_hand: str = ""


class Cause(Value, frozen=True):
    """One thing that can be wrong: ``sights`` that it shows itself by, ``tells``: what a look finds where this is it (a look that is not named says nothing).

    ``often``: how often it is met beside the others, 1 to 9. ``seldom``: sights, of the same, that mostly come of something else.
    """

    key: str
    title: str
    sights: tuple[str, ...]
    tells: dict[str, tuple[str, ...]]
    often: int
    seldom: tuple[str, ...] = ()


Finder = Callable[[View], Iterator[Case]]
CAUSES: dict[str, tuple[Cause, Finder]] = {}


def cause(key: str, title: str, sights: str, often: int, **tells: str) -> Callable[[Finder], Finder]:
    """Register a function as what finds a cause; ``sights`` and answers are words with blanks between, a look's key has underscores.

    A sight with a question mark behind it mostly comes of something else.
    """
    told = {look.replace("_", "-"): tuple(answers.split()) for look, answers in tells.items()}
    seldom = tuple(one.rstrip("?") for one in sights.split() if one.endswith("?"))
    made = Cause(key, title, tuple(one.rstrip("?") for one in sights.split()), told, often, seldom)
    _checked(made)

    def register(finder: Finder) -> Finder:
        CAUSES[key] = (made, finder)
        return finder

    return register


def _checked(made: Cause) -> None:
    """A word that no list has would rule the cause out for ever, in silence."""
    wrong = [one for one in made.sights if one not in BY_KEY]
    for look, answers in made.tells.items():
        known = {one.key for one in LOOK[look].answers} if look in LOOK else set()
        wrong += [f"{look} {one}" for one in answers if one not in known]
    if wrong or made.key in CAUSES:
        raise TypeError(f"The cause {made.key} speaks of {', '.join(wrong) or 'a key that is taken'}.")
