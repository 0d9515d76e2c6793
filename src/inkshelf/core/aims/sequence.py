"""In which order several systems are installed: the NT family takes over the start, so that it goes first, or is put right afterwards."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.aims.base import Answer, Question
from inkshelf.core.aims.building import Work
from inkshelf.core.aims.installing import finding_others
from inkshelf.core.aims.systems import known_system
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import Profile
from inkshelf.core.machine.state import Machine
from inkshelf.core.steps.kinds import AddEntry, Prepare, SetOrder, Step

Sequence = Literal["nt-first", "named"]

ANSWERS = (
    Answer("NT family first", "nt-first", "It takes the start for itself; whoever comes later puts that right by the way."),
    Answer("as they are named", "named", "Whatever is needed first is there first; the start is put right after the last one."),
)


def sequence_question() -> Question:
    """Return the question in which order they come."""
    return Question("order", "Order of the systems", ANSWERS, "nt-first", "the fewest repairs")


def ordered(systems: tuple[str, ...], order: Sequence) -> tuple[Profile, ...]:
    """Return the profiles in the order in which they are installed."""
    kinds = [known_system(one, ("linux", "nt")) for one in systems]
    return tuple(sorted(kinds, key=lambda one: one.family != "nt") if order == "nt-first" else kinds)


def refuse_covered(kinds: tuple[Profile, ...], mode: str | None) -> None:
    """Refuse an NT-family system behind another one the legacy way: its code takes the first sector, and with it every start."""
    families = [one.family for one in kinds]
    if mode == "legacy" and "nt" in families and "linux" in families[: len(families) - families[::-1].index("nt")]:
        raise PlanError(
            "The legacy way an NT-family installer writes its code over the one that starts the others.",
            "Let the NT family come first.",
        )


def put_right(now: Machine, works: tuple[tuple[Profile, Work], ...], menu: str) -> list[Step]:
    """Return what puts a menu first again that an NT-family installer took the place of, and makes it list that system too.

    Nothing where a later system of the Linux family has done so already.
    """
    families = [kind.family for kind, _ in works]
    if "nt" not in families or families[-1] == "linux" or "linux" not in families:
        return []
    work = next(work for kind, work in reversed(works) if kind.family == "linux")
    entry = next((one.entry for one in work.entering if isinstance(one, AddEntry)), None)
    if entry is None:
        return []
    order = (entry.number, *(one for one in now.firmware.order if one != entry.number))
    first: list[Step] = [SetOrder(order)] if order != now.firmware.order and menu != "old" else []
    done = {one for one in work.entering if isinstance(one, Prepare)}
    return [*first, *(one for one in finding_others(now, work.install) if one not in done)] if menu == "own" else first
