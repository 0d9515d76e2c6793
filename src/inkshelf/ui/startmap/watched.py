"""A start as it was seen, line by line beside what was predicted: what the screen shows, without a widget."""

from __future__ import annotations

from typing import Literal

from inkshelf.bench.emulator import Seen, Tried
from inkshelf.bench.watching import Watched
from inkshelf.core.value import Value

Verdict = Literal["", "as predicted", "not predicted"]
WORD = "stand-in: "


class Line(Value, frozen=True):
    """One line: what tried or spoke, what it was, and how that stands to the prediction."""

    who: str
    what: str
    verdict: Verdict = ""


def going(seen: Seen) -> tuple[Line, ...]:
    """Return the lines of a start that goes on."""
    return (*(_tried(one, "") for one in seen.tried), *_said(seen))


def lines(watched: Watched) -> tuple[Line, ...]:
    """Return the lines of a start that is over."""
    predicted = {one.variable: one.result for one in watched.predicted.tried if one.variable}
    by_itself = [one.result for one in watched.predicted.tried if not one.variable]
    found = []
    for one in watched.seen.tried:
        wanted = predicted.get(one.variable, by_itself.pop(0) if by_itself and one.variable not in predicted else "")
        found.append(_tried(one, ("as predicted" if wanted == one.result else "not predicted") if wanted else ""))
    ends = Line("ends", _end(watched.seen), "not predicted" if watched.differs else "as predicted")
    return (*found, *_said(watched.seen), ends)


def _tried(one: Tried, verdict: Verdict) -> Line:
    where = one.path.rpartition("/")[2] if "/\\" in one.path else one.title
    what = f"“{one.title}”: {where}" if where != one.title else f"“{one.title}”"
    return Line(f"{one.variable} {one.result}", what, verdict)


def _said(seen: Seen) -> tuple[Line, ...]:
    """What stand-ins say of themselves; the firmware's own screens are many lines, of which none is for this table."""
    return tuple(Line("a stand-in", one.removeprefix(WORD)) for one in seen.said if one.startswith("stand-in"))


def _end(seen: Seen) -> str:
    if seen.ended:
        return "the stand-in has run, and switched the machine off"
    return "the firmware waits for a person: in its shell, or in its own menu"


def summary(watched: Watched) -> tuple[str, bool]:
    """Return how it stands in one line, and whether that is good."""
    if watched.differs:
        return f"Not as predicted: {watched.differs}", False
    count = sum(one.verdict == "as predicted" for one in lines(watched))
    return f"{count} of {count} as predicted", True
