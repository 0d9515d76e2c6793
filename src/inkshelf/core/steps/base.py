"""What every step has, and how a step finds the volume it speaks of."""

from __future__ import annotations

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.value import Value


class StepBase(Value, frozen=True, tag_field="kind"):
    """What every step has: the word for its kind, which also stands in the job file."""

    @property
    def kind(self) -> str:
        """The word for the kind, for example ``"shrink"``."""
        return str(self.__struct_config__.tag)


def volume_of(machine: Machine, call: str) -> tuple[Disk, Volume]:
    """Return the disk and volume of a call number; raises ``StepError`` where there is none."""
    found = machine.find(call)
    if found is None:
        raise StepError(f"There is no volume {call}.", "Plan again from the disk as it is.")
    return found
