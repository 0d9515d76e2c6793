"""Values of many kinds in one list of a document, each converted as its own kind has it: only the kinds that a job holds are set up."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from inkshelf.core.errors import InkshelfError
from inkshelf.core.value import Value


def converted(raw: object, kind_of: Callable[[str], type[Value]], what: str, place: str) -> tuple[Any, ...]:
    """Return each value of a list as the kind that it names; raises ``msgspec.ValidationError`` with its place (a path from ``$``)."""
    if not isinstance(raw, list | tuple):
        raise msgspec.ValidationError(f"Expected `array`, got `{type(raw).__name__}` - at `{place}`")
    return tuple(one_converted(one, kind_of, what, f"{place}[{at}]") for at, one in enumerate(raw))


def one_converted(raw: object, kind_of: Callable[[str], type[Value]], what: str, place: str) -> Any:
    """Return one value as the kind that it names."""
    kind = raw.get("kind") if isinstance(raw, dict) else None
    try:
        found = kind_of(kind) if isinstance(kind, str) else None
    except InkshelfError:
        found = None
    if found is None:
        raise msgspec.ValidationError(f"{kind!r} is no kind of {what} - at `{place}`")
    return at_place(raw, found, place)


def at_place(raw: object, kind: Any, place: str) -> Any:
    """Return a value as a type has it; a fault is said with its place in the whole document."""
    try:
        return msgspec.convert(raw, kind)
    except msgspec.ValidationError as error:
        what, _, where = str(error).partition(" - at `$")
        raise msgspec.ValidationError(f"{what} - at `{place}{where or '`'}") from None
