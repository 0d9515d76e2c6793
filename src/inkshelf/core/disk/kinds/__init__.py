"""All kinds of file systems and containers: every module of this folder that holds a ``KIND`` or ``KINDS``. There is no other list."""

from __future__ import annotations

import os
from importlib import import_module

from inkshelf.core.disk.kinds.base import Kind, Make
from inkshelf.core.errors import FormatError


def _found() -> dict[str, Kind]:
    found: dict[str, Kind] = {}
    for name in sorted(os.listdir(__path__[0])):  # noqa: PTH208 - nothing is quicker, and the window waits for it
        module, ending = os.path.splitext(name)  # noqa: PTH122
        if ending == ".py" and module not in {"base", "__init__"}:
            loaded = import_module(f"{__name__}.{module}")
            for kind in getattr(loaded, "KINDS", None) or (loaded.KIND,):
                found[kind.key] = kind
    return dict(sorted(found.items(), key=lambda one: one[1].rank))


KINDS = _found()
LISTED = {word: kind.key for kind in KINDS.values() for word in kind.listed}


def kind_of(key: str) -> Kind:
    """Return a kind; raises ``FormatError`` for one that is not known, so that nothing is done by halves."""
    if key not in KINDS:
        raise FormatError(f"“{key}” is not a file system that is known here.", f"Choose one of: {', '.join(makeable())}.")
    return KINDS[key]


def makeable() -> tuple[str, ...]:
    """Return the kinds that can be made."""
    return tuple(key for key, kind in KINDS.items() if kind.fresh)


__all__ = ["KINDS", "LISTED", "Kind", "Make", "kind_of", "makeable"]
