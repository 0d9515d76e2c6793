"""Steps that put what starts a system in its place: a loader, code in a disk's first sector, the installer's own files, the mode."""

from typing import ClassVar, Literal

from inkshelf.core.disk.contents import Family, waits_for
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import BootFile, Machine, SystemRoot
from inkshelf.core.size import binary
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.steps.making import coded, fuller, with_files
from inkshelf.core.texts import Call, Count, FilePath, Letter, Line
from inkshelf.core.value import replace


class PutLoader(StepBase, frozen=True, tag="put-loader"):
    """The start-up files of the system on ``call`` are written to an EFI system partition. ``live``: a live system, or its recovery, does it."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    esp: Call
    files: tuple[BootFile, ...]
    live: bool = False

    def inside(self) -> tuple[str, ...]:
        """Only the start-up volume is written."""
        return (self.esp,)

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """A file of that name is written over."""
        return tuple((self.esp, file.path) for file in self.files)

    def apply(self, machine: Machine) -> Machine:
        """Return the start-up volume with the files; the system must be there."""
        _, root = volume_of(machine, self.call)
        _, startup = volume_of(machine, self.esp)
        if root.holds is None or startup.filesystem is None:
            raise StepError(f"{self.call} holds no system, or {self.esp} no file system.", "Put that right first.")
        return with_files(machine, self.esp, self.files)


class WriteStartCode(StepBase, frozen=True, tag="start-code"):
    """Code of a family is written into the first sector of a disk, in the place of what is there; the records behind it stay.

    ``live``: a live system, or the family's recovery, does it.
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "table"

    disk: Letter
    family: Family
    live: bool = False

    def start_code(self) -> str:
        """The code goes there."""
        return self.disk

    def apply(self, machine: Machine) -> Machine:
        """Return the disk with code in its first sector."""
        disk = machine.disk(self.disk)
        if disk.table.kind == "none":
            raise StepError(f"Disk {self.disk} has no partition table.", "Make one first.")
        return machine.with_disk(coded(disk, self.family))


class Stage(StepBase, frozen=True, tag="stage"):
    """An installer's contents are copied to a FAT32 volume of the disk itself, which firmware then starts instead of a stick."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    contents_bytes: Count
    title: Line
    files: tuple[BootFile, ...]

    def stands_in(self) -> tuple[str, ...]:
        """The bench puts only what starting reads."""
        return (self.call,)

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with the contents in it; they must fit."""
        _, volume = volume_of(machine, self.call)
        system = volume.filesystem
        if system is None or system.kind != "fat32":
            raise StepError(f"{self.call} is no FAT32, which firmware reads.", "Format it as FAT32 first.")
        if system.used_bytes is not None and system.size_bytes - system.used_bytes < self.contents_bytes:
            raise StepError(
                f"{binary(self.contents_bytes)} do not fit into {self.call}.", "Make it larger, or take a smaller installer."
            )
        loaders = sum(one.size_bytes for one in self.files)
        filled = machine.with_volume(
            self.call, lambda one: replace(one, filesystem=fuller(one.filesystem, self.contents_bytes - loaders))
        )
        return with_files(filled, self.call, self.files)


class SetMode(StepBase, frozen=True, tag="firmware-mode"):
    """The firmware starts the other way from now on."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "variables"

    mode: Literal["uefi", "legacy"]

    def apply(self, machine: Machine) -> Machine:
        """Return the machine in that mode."""
        if machine.firmware.mode == self.mode:
            raise StepError(f"The firmware is in {self.mode} mode already.", "Leave the step out.")
        return replace(machine, firmware=replace(machine.firmware, mode=self.mode))


class Mount(StepBase, frozen=True, tag="mount"):
    """A line is added to the mount table of the Linux-family system on ``call``: a volume, by UUID, in a folder, at every start."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    of: Call
    folder: FilePath
    filesystem: Line
    options: Line

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """The table is written anew."""
        from inkshelf.data import exact

        return ((self.call, exact("linux", "mount_table")),)

    def apply(self, machine: Machine) -> Machine:
        """Return the system with one more line; the volume must have an identity to be named by."""
        _, volume = volume_of(machine, self.call)
        _, other = volume_of(machine, self.of)
        system = volume.holds
        if system is None or system.family != "linux":
            raise StepError(f"{self.call} holds no Linux-family system.", "Choose the volume of one.")
        if other.filesystem is None or not other.filesystem.uuid:
            raise StepError(f"{self.of} has no file system to be mounted.", "Format it first.")
        if any(where == self.folder for _, where in system.mounts):
            raise StepError(f"{self.call} mounts something in {self.folder} already.", "Choose another folder.")
        mounts = (*system.mounts, (f"UUID={other.filesystem.uuid}", self.folder))
        waits = (*system.waits, *((self.folder,) if waits_for(self.folder, self.options) else ()))
        holds: SystemRoot = replace(system, mounts=mounts, waits=waits)
        return machine.with_volume(self.call, lambda one: replace(one, holds=holds))
