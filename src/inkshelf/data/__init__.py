"""Constants that ship as data: exact strings, default figures, profiles, fonts, templates.

The tables are Python literals, which the interpreter keeps compiled, so that a start does not parse them; those of figures are made
from TOML (tools/figures.py). Read once, from the installed package only; nothing here touches a user's files. What a shop has of its
own is handed in by who read its file.
"""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pathlib import Path
from typing import Any

FOLDER = Path(__file__).parent
GUIDE_PICTURES = FOLDER / "guide_pictures"


_shop: dict[str, dict[str, Any]] = {}
_changes: list[None] = []


@cache
def table(name: str) -> dict[str, Any]:
    """Return the table of the data file ``name`` with a shop's own figures on top; ``ModuleNotFoundError`` when there is none."""
    found: dict[str, Any] = import_module(f"{__name__}.{name}").TABLE
    return _merged(found, _shop.get(name, {}))


def use_shop(figures: dict[str, dict[str, Any]]) -> None:
    """Put a shop's own figures, by the name of their table, on top of those that ship; none at all takes them off."""
    _shop.clear()
    _shop.update(figures)
    table.cache_clear()
    _changes.append(None)


def figures_in_use() -> int:
    """Return a number that is another one whenever other figures are in use."""
    return len(_changes)


def shops_own(name: str, *place: str) -> dict[str, Any]:
    """Return what a shop has of its own at a place of a table, an empty one where it has nothing."""
    found: Any = _shop.get(name, {})
    for key in place:
        found = found.get(key, {}) if isinstance(found, dict) else {}
    return found if isinstance(found, dict) else {}


def _merged(base: dict[str, Any], own: dict[str, Any]) -> dict[str, Any]:
    if not own:
        return base
    return base | {
        key: _merged(base[key], value) if isinstance(value, dict) and isinstance(base.get(key), dict) else value
        for key, value in own.items()
    }


@cache
def exact(section: str, key: str) -> str:
    """Return one exact string that other software requires; ``KeyError`` names what is missing."""
    return str(table("exact_strings")[section][key])


def text(name: str) -> str:
    """Return a text file that ships with the program, such as a template."""
    return (FOLDER / name).read_text(encoding="utf-8")
