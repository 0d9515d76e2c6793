"""Steps that take away what starts a system: its loader's folder, its boot entry."""

from typing import ClassVar

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import BootFile, Machine, Volume
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.texts import Call, Count, LoaderPath
from inkshelf.core.value import replace


class RemoveFiles(StepBase, frozen=True, tag="remove-files"):
    """Folders and files of a loader are taken off a start-up volume; ``paths`` as firmware writes them, a folder with all in it."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    paths: tuple[LoaderPath, ...]

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """What is taken away is not there to compare."""
        return tuple((self.call, path) for path in self.paths)

    def goes(self, file: BootFile) -> bool:
        """Tell whether a file is one of them, or lies below one of them; capitals and small letters mean the same."""
        low = file.path.lower()
        return any(low == path.lower() or low.startswith(f"{path.lower()}\\") for path in self.paths)

    def apply(self, machine: Machine) -> Machine:
        """Return the volume without those files; at least one of them must be there."""
        _, volume = volume_of(machine, self.call)
        gone = [one for one in volume.boot_files if self.goes(one)]
        if not gone:
            raise StepError(f"{self.call} has none of these files.", "Leave the step out.")
        freed = sum(one.size_bytes for one in gone)

        def change(one: Volume) -> Volume:
            system = one.filesystem
            if system is not None and system.used_bytes is not None:
                system = replace(system, used_bytes=max(0, system.used_bytes - freed))
            return replace(one, filesystem=system, boot_files=tuple(file for file in one.boot_files if not self.goes(file)))

        return machine.with_volume(self.call, change)


class RemoveEntry(StepBase, frozen=True, tag="remove-entry"):
    """A boot entry is taken out of the firmware's variables, and out of the order."""

    actor: ClassVar[Actor] = "firmware"
    writes: ClassVar[Writes] = "variables"

    number: Count

    def apply(self, machine: Machine) -> Machine:
        """Return the firmware without the entry; it must be there."""
        firmware = machine.firmware
        if firmware.entry(self.number) is None:
            raise StepError(f"Boot{self.number:04X} is not there.", "Leave the step out.")
        return replace(
            machine,
            firmware=replace(
                firmware,
                entries=tuple(one for one in firmware.entries if one.number != self.number),
                order=tuple(one for one in firmware.order if one != self.number),
                next=None if firmware.next == self.number else firmware.next,
            ),
        )
