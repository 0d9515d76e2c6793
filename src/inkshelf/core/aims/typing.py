"""A Linux-family system that is put there by commands: the parts that a person types before its loader, and after it."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.aims.base import Answer, Question
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import Profile
from inkshelf.core.steps.kinds import Install
from inkshelf.core.steps.typed import AFTER, BEFORE, TypeIn
from inkshelf.core.value import replace

By = Literal["installer", "typed"]
ANSWERS = (
    Answer(
        "its installer",
        "installer",
        "It asks its questions and sets what people expect; how it divides the disk is not its affair here.",
    ),
    Answer(
        "typed, line by line",
        "typed",
        "Nothing is there that nobody chose, and no installer's restart; what is forgotten is missing.",
    ),
)


def by_question() -> Question:
    """Return the question who puts a Linux-family system there."""
    return Question("by", "Put there by", ANSWERS, "installer", "the least to type, and the least to forget")


def refuse_untyped(kind: Profile) -> None:
    """Refuse a Linux-family system whose packages no commands are known for."""
    if kind.family == "linux" and kind.typed_with == "none":
        raise PlanError(
            f"{kind.title} cannot be typed in: {kind.reasons['typed_with']}.",
            "Let its installer do it, or choose linux-desktop.",
        )


def typed(done: Install, group: str) -> tuple[tuple[TypeIn, ...], Install, tuple[TypeIn, ...]]:
    """Return what is typed before the loader, the installation with its loader, and what is typed after it. ``group``: the system's volume group."""

    def part(one: str) -> TypeIn:
        return TypeIn(done.call, one, done.profile, done.mounts, done.unlocks, group)  # type: ignore[arg-type]

    return tuple(map(part, BEFORE)), replace(done, typed=True), tuple(map(part, AFTER))
