"""Profiles of systems and default figures: data that ships with the program and a shop may override, as values in bytes."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from inkshelf.core.disk.contents import Family
from inkshelf.core.errors import PlanError
from inkshelf.core.size import parse_size
from inkshelf.core.value import Value
from inkshelf.data import figures_in_use, shops_own, table


class Profile(Value, frozen=True):
    """What the planner knows of a kind of system; sizes in bytes. ``reasons``: why each figure is what it is, by its name."""

    key: str
    title: str
    family: Family
    folder: str
    ram: int
    cpu_bits: int
    graphics: str
    installed: int
    floor: int
    comfort: int
    root_floor: int
    root_comfort: int
    growth: int
    loaders: int
    kernels_on_esp: bool
    kernel_size: int
    kernels_a_month: int
    signed: bool
    generation: int
    menus: tuple[str, ...]
    finds_others: bool
    divides: tuple[str, ...]
    shows: str
    takes_esp: str
    typed_with: str
    restarts: int
    minutes: int
    automatic: tuple[str, ...]
    lives_on: tuple[str, ...]
    reads: tuple[str, ...]
    writes: tuple[str, ...]
    portable: bool
    reasons: dict[str, str]

    @property
    def by_entries(self) -> bool:
        """Whether its menu lists entry files, beside which its kernels lie."""
        return "entries" in self.menus


SIZES = {"ram", "installed", "floor", "comfort", "root_floor", "root_comfort", "growth", "loaders", "kernel_size"}
WORDS = ("title", "family", "folder")


def profile(key: str) -> Profile:
    """Return a profile; an unknown key is an error that lists those there are."""
    known = table("profiles")
    if key not in known:
        from inkshelf.core.machine.figures import near

        raise PlanError(f"There is no system profile “{key}”.", near(key, dict(known)))
    return _made(key, figures_in_use())


@lru_cache(maxsize=64)
def _made(key: str, _in_use: int) -> Profile:
    """Every edit asks for it several times; other figures in use make another one."""
    known = table("profiles")
    figures = {field: given for field, given in known[key].items() if field not in WORDS}
    return Profile(
        key=key,
        **{word: known[key][word] for word in WORDS},
        **{field: _typed(field, given["value"]) for field, given in figures.items()},
        reasons={field: given["reason"] for field, given in figures.items()},
    )


def profiles() -> tuple[Profile, ...]:
    """Return every profile, in the order in which they are listed."""
    return tuple(profile(key) for key in table("profiles"))


def _typed(field: str, value: Any) -> Any:
    if field in SIZES:
        return 0 if value.split()[0] == "0" else parse_size(value)
    return tuple(value) if isinstance(value, list) else value


def figure(item: str, which: str) -> int:
    """Return a default figure in bytes, for example ``figure("home", "floor")``."""
    return parse_size(table("defaults")["room"][item][which])


def reason(item: str) -> str:
    """Return the reason that stands beside a default figure; a shop's own figure is said to be one."""
    own = bool(shops_own("defaults", "room", item))
    return f"{table('defaults')['room'][item]['reason']}{FROM_SHOP if own else ''}"


FROM_SHOP = " (from your shop's figures)"


class Room(Value, frozen=True):
    """The least and the comfortable size of a volume in bytes, and why."""

    floor: int
    comfort: int
    reason: str


def room_of(system: str, *, apart: bool) -> Room:
    """Return the room that a system's own volume needs: root alone where home lies apart, else with home."""
    own = profile(system)
    field = "root_floor" if apart else "floor"
    shop = FROM_SHOP if shops_own("profiles", system) else ""
    floor, comfort = (own.root_floor, own.root_comfort) if apart else (own.floor, own.comfort)
    return Room(floor, comfort, own.reasons[field] + shop)


def home_room() -> Room:
    """Return the room that a home of its own needs."""
    return Room(figure("home", "floor"), figure("home", "comfortable"), reason("home"))
