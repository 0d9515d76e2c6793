"""Constants that ship as data: exact strings, default figures, profiles, fonts, templates.

The tables are Python literals: comments stay with them, and the interpreter keeps them compiled, so that a start does not
parse them. Read once, from the installed package only; nothing here touches a user's files.
"""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pathlib import Path
from typing import Any

FOLDER = Path(__file__).parent


@cache
def table(name: str) -> dict[str, Any]:
    """Return the table of the data file ``name``; ``ModuleNotFoundError`` when there is none."""
    found: dict[str, Any] = import_module(f"{__name__}.{name}").TABLE
    return found


@cache
def exact(section: str, key: str) -> str:
    """Return one exact string that other software requires; ``KeyError`` names what is missing."""
    return str(table("exact_strings")[section][key])


def text(name: str) -> str:
    """Return a text file that ships with the program, such as a template."""
    return (FOLDER / name).read_text(encoding="utf-8")
