"""Steps that change the firmware: its switches and its boot variables."""

from typing import ClassVar, Literal

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import BootEntry, Machine
from inkshelf.core.steps.base import Actor, StepBase, Writes
from inkshelf.core.texts import Count
from inkshelf.core.value import replace


class SetSecureBoot(StepBase, frozen=True, tag="secure-boot"):
    """Switch Secure Boot in the firmware."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "variables"

    state: Literal["off", "on"]

    def apply(self, machine: Machine) -> Machine:
        """Change the switch; a machine that has none refuses."""
        if machine.firmware.secure_boot == "absent":
            raise StepError("This firmware has no Secure Boot.", "Leave the step out.")
        if machine.firmware.secure_boot == self.state:
            raise StepError(f"Secure Boot is {self.state} already.", "Leave the step out.")
        return replace(machine, firmware=replace(machine.firmware, secure_boot=self.state))


class AddEntry(StepBase, frozen=True, tag="add-entry"):
    """A boot entry is added to the firmware's variables; ``by``: who makes it, an installer by itself or a person."""

    actor: ClassVar[Actor] = "firmware"
    writes: ClassVar[Writes] = "variables"

    entry: BootEntry
    by: Literal["installer", "person"] = "installer"

    def apply(self, machine: Machine) -> Machine:
        """Add the entry at the end of the order; its number must be free."""
        firmware = machine.firmware
        if firmware.entry(self.entry.number):
            raise StepError(f"{self.entry.variable} is there already.", "Choose a free number.")
        return replace(
            machine,
            firmware=replace(firmware, entries=(*firmware.entries, self.entry), order=(*firmware.order, self.entry.number)),
        )


class SetOrder(StepBase, frozen=True, tag="set-order"):
    """The boot order is set, all of it; ``by``: an installer does it by itself, or a person."""

    actor: ClassVar[Actor] = "firmware"
    writes: ClassVar[Writes] = "variables"

    order: tuple[Count, ...]
    by: Literal["installer", "person"] = "person"

    def apply(self, machine: Machine) -> Machine:
        """Return the firmware with the order; every number must have its entry."""
        for number in self.order:
            if machine.firmware.entry(number) is None:
                raise StepError(f"Boot{number:04X} is in the order but not there.", "Leave it out.")
        if self.order == machine.firmware.order:
            raise StepError("The boot order is so already.", "Leave the step out.")
        return replace(machine, firmware=replace(machine.firmware, order=self.order))
