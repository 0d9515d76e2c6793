"""The kinds of aim, one value each; a job holds a list of them."""

from __future__ import annotations

from inkshelf.core.aims.base import AimBase, Answer, Need, Question
from inkshelf.core.aims.beside import Beside

AIMS: tuple[type[AimBase], ...] = (Beside,)
Aim = Beside

__all__ = ["AIMS", "Aim", "AimBase", "Answer", "Beside", "Need", "Question"]
