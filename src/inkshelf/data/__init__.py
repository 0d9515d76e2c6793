"""Constants that ship as data: exact strings, default figures, profiles, fonts, templates.

Read once, from the installed package only; nothing here touches a user's files.
"""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path
from typing import Any

FOLDER = Path(__file__).parent


@cache
def table(name: str) -> dict[str, Any]:
    """Return the data file ``name`` (without its ending) as a dictionary."""
    return tomllib.loads((FOLDER / f"{name}.toml").read_text(encoding="utf-8"))


@cache
def exact(section: str, key: str) -> str:
    """Return one exact string that other software requires; ``KeyError`` names what is missing."""
    return str(table("exact_strings")[section][key])


def text(name: str) -> str:
    """Return a text file that ships with the program, such as a template."""
    return (FOLDER / name).read_text(encoding="utf-8")
