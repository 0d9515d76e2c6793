"""The kinds of aim, one value each; a job holds a list of them."""

from __future__ import annotations

import typing

from inkshelf.core.aims.base import AimBase, Answer, Need, Question
from inkshelf.core.aims.beside import Beside
from inkshelf.core.aims.clean import Clean
from inkshelf.core.aims.giving_back import GiveBack
from inkshelf.core.aims.in_file import InFile
from inkshelf.core.aims.owning import OwnDisk
from inkshelf.core.aims.removing import Remove
from inkshelf.core.aims.several import Several
from inkshelf.core.aims.stickless import NoStick
from inkshelf.core.aims.tabling import ChangeTable
from inkshelf.core.aims.travelling import Travelling
from inkshelf.core.aims.trying import TryOnly

AIMS: tuple[type[AimBase], ...] = (
    TryOnly,
    Beside,
    OwnDisk,
    NoStick,
    Travelling,
    Clean,
    InFile,
    Several,
    Remove,
    GiveBack,
    ChangeTable,
)
if typing.TYPE_CHECKING:
    Aim = AimBase
else:
    Aim = typing.Union[AIMS]  # noqa: UP007 - made of the list

__all__ = ["AIMS", "Aim", "AimBase", "Answer", "Beside", "Need", "Question"]
