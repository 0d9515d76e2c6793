"""What the bench can do with each kind: every module of this folder that holds ``TOOLS``. There is no other list."""

from __future__ import annotations

import pkgutil
from importlib import import_module

from inkshelf.bench.kinds.base import Tools
from inkshelf.core.errors import BenchError


def _found() -> dict[str, Tools]:
    found: dict[str, Tools] = {}
    for module in pkgutil.iter_modules(__path__):
        if module.name != "base":
            tools: Tools = import_module(f"{__name__}.{module.name}").TOOLS
            found.update(dict.fromkeys(tools.keys, tools))
    return found


TOOLS = _found()


def tools_of(key: str) -> Tools:
    """Return what can be done with a kind; raises ``BenchError`` where nothing can."""
    if key not in TOOLS:
        raise BenchError(f"{key or 'This volume'} cannot be changed on the bench.", "Do it from its own system.")
    return TOOLS[key]


__all__ = ["TOOLS", "Tools", "tools_of"]
