"""A paper that was filled in by hand, entered from the keyboard: one short line a step, and an empty one is "done".

| line | means |
|---|---|
| (empty) | done |
| ``12`` | done, in 12 minutes |
| ``f words`` | it failed, and what happened |
| ``l words`` | left out, and why |
| ``a words`` | done in another way, and how |
| ``n words`` | a note; the step is asked for again |
| ``=229112`` | what was found, where the step asks for it; asked for again |
| ``-`` | not done yet |
"""

from __future__ import annotations

import re

from inkshelf.core.errors import PlanError
from inkshelf.core.texts import one_line
from inkshelf.core.value import Value
from inkshelf.core.work.events import AnyEvent, How, Measured, Noted, ended

MINUTES = r"\d{1,4}(?:[.,]\d)?"
LETTERS: dict[str, How] = {"f": "failed", "l": "skipped", "a": "otherwise"}
HELP = "Enter: done · 12: done in 12 minutes · f: failed · l: left out · a: another way · n: note · =: found · -: not done"


class Entered(Value, frozen=True):
    """What a line comes to; ``on``: the next step follows."""

    events: tuple[AnyEvent, ...] = ()
    on: bool = True


def entered(line: str, step: str, mark: str, at: int, asks: tuple[str, ...] = ()) -> Entered:
    """Return the events of a line about a step that says ``mark``; ``asks``: what it asks for. Raises ``PlanError`` with what may stand there."""
    text = one_line(line.strip(), "The line")
    if not text:
        return Entered((ended(step, at, "done", mark),))
    if text == "-":
        return Entered()
    if re.fullmatch(MINUTES, text):
        return Entered((ended(step, at, "done", mark, minutes=float(text.replace(",", "."))),))
    if text.startswith("="):
        return Entered((_found(text[1:].strip(), step, at, asks),), on=False)
    letter, _, words = text.partition(" ")
    if letter.lower() == "n" and words.strip():
        return Entered((Noted(at, step, words.strip()),), on=False)
    if letter.lower() in LETTERS:
        return Entered((ended(step, at, LETTERS[letter.lower()], mark, words),))
    raise PlanError(f"“{text}” is none of what may stand there.", HELP)


def _found(text: str, step: str, at: int, asks: tuple[str, ...]) -> Measured:
    key, _, value = text.partition("=") if "=" in text else (asks[0] if len(asks) == 1 else "", "", text)
    if key.strip() not in asks:
        known = " or ".join(f"={one}=…" for one in asks)
        raise PlanError("This step asks for no value of that name.", f"Write {known}." if asks else "Write it as a note: n …")
    return Measured(at, step, key.strip(), value.strip())
