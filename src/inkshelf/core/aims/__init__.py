"""The kinds of aim, one value each in a module of its own; a job holds a list of them.

A kind's module is loaded when the kind is first asked for: most jobs hold one, and the window is ready sooner.
"""

from __future__ import annotations

from functools import cache
from importlib import import_module

from inkshelf.core.aims.base import AimBase, Answer, Need, Question
from inkshelf.core.errors import PlanError

KINDS = {
    "try": "trying.TryOnly",
    "beside": "beside.Beside",
    "own-disk": "owning.OwnDisk",
    "no-stick": "stickless.NoStick",
    "travelling": "travelling.Travelling",
    "clean": "clean.Clean",
    "in-file": "in_file.InFile",
    "several": "several.Several",
    "remove": "removing.Remove",
    "give-back": "giving_back.GiveBack",
    "table": "tabling.ChangeTable",
    "mend": "mending.Mend",
    "stick": "stick.Stick",
    "many": "many.ManyImages",
    "keep": "keeping.Keep",
    "two-part": "two_part.TwoPart",
    "installer-set": "installer_set.InstallerSet",
}
"""Each kind's word with its module and class, in the order in which they are offered."""


def kind_of_aim(word: str) -> type[AimBase]:
    """Return the kind of aim that a word names; raises ``PlanError`` with the near match."""
    kind = word.lower()
    if kind not in KINDS:
        from inkshelf.core.machine.figures import near

        raise PlanError(f"There is no aim “{word}”.", near(kind, KINDS))
    return _loaded(kind)


@cache
def _loaded(kind: str) -> type[AimBase]:
    module, _, name = KINDS[kind].partition(".")
    found: type[AimBase] = getattr(import_module(f"{__name__}.{module}"), name)
    return found


def every_aim() -> tuple[type[AimBase], ...]:
    """Return all kinds, in the order in which they are offered."""
    return tuple(_loaded(kind) for kind in KINDS)


__all__ = ["KINDS", "AimBase", "Answer", "Need", "Question", "every_aim", "kind_of_aim"]
