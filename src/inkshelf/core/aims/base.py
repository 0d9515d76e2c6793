"""What every kind of aim has: the person's answers, the questions they answer, the volumes it needs, its steps."""

from __future__ import annotations

from typing import ClassVar

from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.state import Machine, Role
from inkshelf.core.steps.kinds import Step
from inkshelf.core.texts import KeyOrNone
from inkshelf.core.value import Value


class Answer(Value, frozen=True):
    """One answer to a question: the word for it, its value, and what it costs."""

    title: str
    value: str
    cost: str


class Question(Value, frozen=True):
    """One question of an aim: the field that holds the answer, its words, the answers; ``usual`` with the reason why, on this machine."""

    key: str
    title: str
    answers: tuple[Answer, ...]
    usual: str
    why: str

    @property
    def usual_title(self) -> str:
        """The usual answer in words."""
        return next(one.title for one in self.answers if one.value == self.usual)


class Need(Value, frozen=True):
    """One volume that an aim wants. Sizes in bytes; ``grows``: it takes what remains. ``type_key``: a key of the partition types."""

    part: str
    role: Role
    type_key: str
    filesystem: str
    label: str
    name: str
    floor: int
    comfort: int
    grows: bool = False

    @property
    def type_id(self) -> str:
        """The registered type."""
        return gpt_type(self.type_key)


class AimBase(Value, frozen=True, tag_field="kind", kw_only=True):
    """What every aim has. ``id``: steps are named after it, so that they keep their identity when another aim comes or goes."""

    id: KeyOrNone = "a1"

    title: ClassVar[str]

    @property
    def kind(self) -> str:
        """The word for the kind, for example ``"beside"``."""
        return str(self.__struct_config__.tag)

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return what a person is asked."""
        raise NotImplementedError(self.kind)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the volumes that are wanted, in the order in which they are made."""
        raise NotImplementedError(self.kind)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where it cannot be. ``taken``: call numbers that are given away already."""
        raise NotImplementedError(self.kind)
