"""Installing a system by commands that a person types on a live system: everything before its loader, and everything after."""

from typing import ClassVar, Literal

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Machine
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.texts import Call, Identity, Key, KeyOrNone, Line

Part = Literal["ready", "mount", "base", "settings", "people", "check", "leave"]
BEFORE: tuple[Part, ...] = ("ready", "mount", "base", "settings", "people")
AFTER: tuple[Part, ...] = ("check", "leave")


class TypeIn(StepBase, frozen=True, tag="type-in"):
    """One part of the work that an installer does elsewhere. It starts nothing yet: its loader comes with the installation itself.

    ``mounts``, ``unlocks``: as the installation has them; ``group``: the volume group that the system lies in.
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    part: Part
    profile: Key
    mounts: tuple[tuple[Line, Line], ...] = ()
    unlocks: tuple[tuple[Key, Identity], ...] = ()
    group: KeyOrNone = ""

    def stands_in(self) -> tuple[str, ...]:
        """The bench types nothing: what it puts there stands for all of it."""
        return (self.call,)

    def apply(self, machine: Machine) -> Machine:
        """Return the machine as it is: nothing of it starts before the loader is there."""
        if volume_of(machine, self.call)[1].filesystem is None:
            raise StepError(f"{self.call} has no file system yet.", "Format it before anything is put there.")
        return machine
