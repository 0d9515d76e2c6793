"""Fields of captured documents, which are hostile: a number, a word or a list, or one clear line."""

from __future__ import annotations

from typing import Any

from inkshelf.core.errors import CaptureError
from inkshelf.core.texts import shown


def number(value: object, what: str) -> int:
    """Sizes came as strings in older versions, as numbers in newer ones."""
    if isinstance(value, bool) or value is None:
        return 0
    try:
        found = int(str(value))
    except ValueError:
        raise CaptureError(
            f"“{shown(str(value))[:40]}” is not a number of bytes ({what}).", "Capture it again with --bytes."
        ) from None
    if found < 0:
        raise CaptureError(f"{what} is below zero.", "Capture it again.")
    return found


def word(node: dict[str, Any], *names: str) -> str:
    """Return the first of some fields that is a text with something in it, on one line; an empty text where none is."""
    for name in names:
        value = node.get(name)
        if isinstance(value, list | dict):
            raise CaptureError(f"“{name}” is a list where one word belongs.", "Capture it again on the machine.")
        if isinstance(value, str) and value:
            return shown(value.strip())
    return ""


def listed(node: dict[str, Any], name: str) -> list[Any]:
    """Return a list, empty where there is none."""
    value = node.get(name)
    return value if isinstance(value, list) else []
