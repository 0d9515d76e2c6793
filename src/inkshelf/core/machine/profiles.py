"""Profiles of systems and default figures: data that ships with the program, as values in bytes."""

from __future__ import annotations

from inkshelf.core.disk.contents import Family
from inkshelf.core.errors import PlanError
from inkshelf.core.size import parse_size
from inkshelf.core.value import Value
from inkshelf.data import table


class Profile(Value, frozen=True):
    """What the planner knows of a kind of system; sizes in bytes."""

    key: str
    title: str
    family: Family
    folder: str
    installed_bytes: int
    loaders_bytes: int
    signed: bool
    minutes: int


def profile(key: str) -> Profile:
    """Return a profile; an unknown key is an error that lists those there are."""
    known = table("profiles")
    if key not in known:
        raise PlanError(f"There is no system profile “{key}”.", f"Choose one of: {', '.join(known)}.")
    one = known[key]
    return Profile(
        key=key,
        title=one["title"],
        family=one["family"],
        folder=one["folder"],
        installed_bytes=parse_size(one["installed"]),
        loaders_bytes=parse_size(one["loaders"]),
        signed=one["signed"],
        minutes=one["minutes"],
    )


def figure(item: str, which: str) -> int:
    """Return a default figure in bytes, for example ``figure("home", "floor")``."""
    return parse_size(table("defaults")["room"][item][which])


def reason(item: str) -> str:
    """Return the reason that stands beside a default figure."""
    return str(table("defaults")["room"][item]["reason"])
