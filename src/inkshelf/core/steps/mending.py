"""Steps that mend a start: an entry switched on, a start meant for once forgotten, settings, a kernel put again, a mount that may be missing.

Those that are typed inside a system that does not start come between ``EnterSystem`` and ``LeaveSystem``, which a live system does.
"""

from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from inkshelf.core.disk.kinds import kind_of
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import BootEntry, Machine, SystemRoot, Volume
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.texts import Call, Count, FilePath, Identity, Key, Line
from inkshelf.core.value import replace
from inkshelf.data import exact

Setting = Literal["fast_boot", "external_start"]


class SwitchEntry(StepBase, frozen=True, tag="switch-entry"):
    """A boot entry is switched on or off (the attribute LOAD_OPTION_ACTIVE, UEFI specification 2.10, 3.1.3)."""

    actor: ClassVar[Actor] = "firmware"
    writes: ClassVar[Writes] = "variables"

    number: Count
    active: bool = True

    def apply(self, machine: Machine) -> Machine:
        """Return the firmware with the entry so; it must be there, and be otherwise."""
        entry = _entry(machine, self.number)
        if entry.active == self.active:
            raise StepError(f"{entry.variable} is so already.", "Leave the step out.")
        return _with_entry(machine, replace(entry, active=self.active))


class RenameEntry(StepBase, frozen=True, tag="rename-entry"):
    """A boot entry gets another title; what it starts stays."""

    actor: ClassVar[Actor] = "firmware"
    writes: ClassVar[Writes] = "variables"

    number: Count
    title: Line

    def apply(self, machine: Machine) -> Machine:
        """Return the firmware with the entry so called; it must be there, and be called otherwise."""
        entry = _entry(machine, self.number)
        if entry.title == self.title or not self.title.strip():
            raise StepError(f"{entry.variable} is called so already, or it gets no name.", "Say another title.")
        return _with_entry(machine, replace(entry, title=self.title))


def _entry(machine: Machine, number: int) -> BootEntry:
    found = machine.firmware.entry(number)
    if found is None:
        raise StepError(f"Boot{number:04X} is not there.", "Make the entry first.")
    return found


def _with_entry(machine: Machine, entry: BootEntry) -> Machine:
    entries = tuple(entry if one.number == entry.number else one for one in machine.firmware.entries)
    return replace(machine, firmware=replace(machine.firmware, entries=entries))


class SetTimeout(StepBase, frozen=True, tag="firmware-timeout"):
    """The firmware's own menu waits so many seconds (the variable Timeout, UEFI specification 2.10, 3.3)."""

    actor: ClassVar[Actor] = "firmware"
    writes: ClassVar[Writes] = "variables"

    seconds: Annotated[int, Meta(ge=0, le=0xFFFF)]

    def apply(self, machine: Machine) -> Machine:
        """Return the firmware with that limit; it must be another one."""
        if machine.firmware.mode != "uefi":
            raise StepError("Only UEFI has such a variable.", "Leave the step out.")
        if machine.firmware.timeout == self.seconds:
            raise StepError("The firmware waits so long already.", "Leave the step out.")
        return replace(machine, firmware=replace(machine.firmware, timeout=self.seconds))


class ForgetNext(StepBase, frozen=True, tag="forget-next"):
    """What is named for the next start only (the variable BootNext) is forgotten."""

    actor: ClassVar[Actor] = "firmware"
    writes: ClassVar[Writes] = "variables"

    def apply(self, machine: Machine) -> Machine:
        """Return the firmware without it."""
        if machine.firmware.next is None:
            raise StepError("Nothing is named for the next start only.", "Leave the step out.")
        return replace(machine, firmware=replace(machine.firmware, next=None))


class SetSetting(StepBase, frozen=True, tag="firmware-setting"):
    """A switch of the firmware, beside its mode and Secure Boot, is changed."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "variables"

    setting: Setting
    to: bool

    def apply(self, machine: Machine) -> Machine:
        """Return the machine with what is known of the switch."""
        if getattr(machine.conditions, self.setting) == self.to:
            raise StepError("That switch of the firmware is so already.", "Leave the step out.")
        return replace(machine, conditions=replace(machine.conditions, **{self.setting: self.to}))


class EnterSystem(StepBase, frozen=True, tag="enter-system"):
    """A live system opens a Linux-family system that does not start, so that its own tools can be called. ``mounts``: (UUID, place) pairs; ``unlocks``: containers."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

    call: Call
    mounts: tuple[tuple[Line, Line], ...]
    unlocks: tuple[tuple[Key, Identity], ...] = ()

    def apply(self, machine: Machine) -> Machine:
        """Nothing changes; the system must be there."""
        _linux(machine, self.call)
        return machine


class LeaveSystem(StepBase, frozen=True, tag="leave-system"):
    """What ``EnterSystem`` opened is closed again."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

    call: Call
    unlocks: tuple[tuple[Key, Identity], ...] = ()

    def apply(self, machine: Machine) -> Machine:
        """Nothing changes."""
        _linux(machine, self.call)
        return machine


class PutKernel(StepBase, frozen=True, tag="put-kernel"):
    """The Linux-family system on ``call`` gets its kernel again, from its own archive; a live system calls its tools."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call

    def stands_in(self) -> tuple[str, ...]:
        """The bench puts only what starting reads."""
        return (self.call,)

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """What lies in its boot folder is written over."""
        return ((self.call, exact("linux", "boot_folder")),)

    def apply(self, machine: Machine) -> Machine:
        """Return the system with a kernel that is signed; one that has some is refused."""
        system = _linux(machine, self.call)
        if system.kernels:
            raise StepError(f"{self.call} has a kernel already.", "Leave the step out.")
        return _with_system(machine, self.call, replace(system, kernels=1, kernel_signed=True))


class LetMissing(StepBase, frozen=True, tag="may-be-missing"):
    """A line of the mount table of the system on ``call`` says from now on that what it mounts in ``folder`` may be missing."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    folder: FilePath

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """The table is written anew."""
        return ((self.call, exact("linux", "mount_table")),)

    def apply(self, machine: Machine) -> Machine:
        """Return the system, whose start no longer waits for that folder."""
        system = _linux(machine, self.call)
        if self.folder not in system.waits:
            raise StepError(f"The start of {self.call} does not wait for {self.folder}.", "Leave the step out.")
        waits = tuple(one for one in system.waits if one != self.folder)
        return _with_system(machine, self.call, replace(system, waits=waits))


def _linux(machine: Machine, call: str) -> SystemRoot:
    _, volume = volume_of(machine, call)
    if volume.holds is None or volume.holds.family != "linux":
        raise StepError(f"{call} holds no Linux-family system.", "Choose the volume of one.")
    return volume.holds


def _with_system(machine: Machine, call: str, system: SystemRoot) -> Machine:
    return machine.with_volume(call, lambda one: replace(one, holds=system))


def is_open(volume: Volume) -> bool:
    """Tell whether the inside of a volume can be written to without a key."""
    return volume.filesystem is not None and not kind_of(volume.filesystem.kind).encrypted
