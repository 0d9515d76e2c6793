"""Waiting that is used: what can be done while an image comes, or a stick is written, and how many minutes that saves.

Only steps that need neither the machine nor what is waited for; each is done once, in the first wait that is long enough to matter.
"""

from __future__ import annotations

from inkshelf.core.sheet.telling import Words
from inkshelf.core.steps.kinds import Confirm, Step
from inkshelf.core.value import Value, replace

WAITS = {
    "material": "while it comes",
    "material_newest": "while it comes",
    "medium": "while it is written and checked",
    "live_stick": "while it is written and checked",
}
PAPER = ("consent", "backup", "recovery_key", "mains")
MEANWHILE = {
    "material": PAPER,
    "material_newest": PAPER,
    "medium": (*PAPER, "firmware_values"),
    "live_stick": (*PAPER, "firmware_values"),
}
"""What may be done in each wait: what is on paper or on another machine; a stick is written on another machine, so this one is free."""


class Used(Value, frozen=True):
    """One wait: the number of its step, those of the steps that are done in it, and the minutes that this saves."""

    wait: int
    done: tuple[int, ...]
    minutes: float
    words: str


def used(steps: tuple[tuple[int, Step, float], ...]) -> tuple[Used, ...]:
    """Return the waits that are used. ``steps``: number, step and minutes of each row of the sheet, in order."""
    confirms = [(number, step.subject, minutes) for number, step, minutes in steps if isinstance(step, Confirm)]
    found: list[Used] = []
    taken: set[int] = set()
    for number, subject, minutes in confirms:
        if subject not in WAITS:
            continue
        mine = [(one, spent) for one, what, spent in confirms if what in MEANWHILE[subject] and one not in taken]
        if mine:
            taken |= {one for one, _ in mine}
            saved = min(minutes, sum(spent for _, spent in mine))
            found.append(Used(number, tuple(one for one, _ in mine), saved, _words(number, [one for one, _ in mine])))
    return tuple(found)


def _words(number: int, done: list[int]) -> str:
    steps = f"step{'s' * (len(done) > 1)} {', '.join(map(str, done))}"
    early = any(one < number for one in done)
    return f"{steps}{': begin with this one' if early else ''}"


def with_waits(words: Words, number: int, known: tuple[Used, ...], step: Step) -> Words:
    """Return a row's text with what is done while it is waited for."""
    own = next((one for one in known if one.wait == number), None)
    if own is None or not isinstance(step, Confirm):
        return words
    return replace(words, values=(*words.values, (WAITS[step.subject], own.words)))
