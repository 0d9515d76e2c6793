"""Steps for a system that lives in a file of another one's volume: the file, the edition put into it, its name in the boot data."""

from typing import ClassVar, Literal

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import BootFile, DiskFile, Machine, SystemRoot, Volume
from inkshelf.core.size import MIB, align_up, binary
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.steps.making import NT_TITLE, fuller, with_files
from inkshelf.core.texts import Call, CallOrNone, Count, Guid, KeyOrNone, Line, LoaderPath
from inkshelf.core.value import replace

FRESH = 128 * MIB  # of a growing file that holds a table and an empty file system: blocks that were written


class MakeDiskFile(StepBase, frozen=True, tag="disk-file"):
    """A file that is a whole disk is made in the root of an NTFS volume, with a table and one NTFS volume in it.

    ``made``: the call number of the system that it is for; ``size``: of the disk inside, in bytes; ``identity``: of the file, as a GUID.
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"
    undone: ClassVar[bool] = True

    call: Call
    made: Call
    path: LoaderPath
    form: Literal["fixed", "growing"]
    size: Count
    table: Literal["gpt", "mbr"]
    identity: Guid
    label: Line

    def gives_calls(self) -> tuple[str, ...]:
        """The system's, which comes into it later."""
        return (self.made,)

    def stands_in(self) -> tuple[str, ...]:
        """A growing file is smaller on the bench than where a system was put into it."""
        return (self.call,) if self.form == "growing" else ()

    def apply(self, machine: Machine) -> Machine:
        """Return the host volume with the file; it must be open NTFS with room for the file's full size."""
        from inkshelf.core.disk.disk_files import LARGEST, stored_bytes  # late: most plans make no such file

        _, host = volume_of(machine, self.call)
        system = host.filesystem
        if system is None or system.kind != "ntfs":
            raise StepError(f"{self.call} is no open NTFS.", "A system in a file needs one that nobody encrypted.")
        if system.dirty or system.hibernated:
            raise StepError(f"{self.call} is marked for a check or half asleep.", "Start its system and put that right first.")
        if any(one.path.lower() == self.path.lower() for one in host.disk_files):
            raise StepError(f"{self.path} is there already.", "Choose another name.")
        if not 0 < self.size <= LARGEST or self.size % MIB:
            raise StepError(f"A disk file cannot hold {binary(self.size)}.", f"Whole MiB, at most {binary(LARGEST)}.")
        free = system.size_bytes - (system.used_bytes or 0)
        if system.used_bytes is None or stored_bytes(self.size, "fixed") > free:
            known = "not known" if system.used_bytes is None else binary(free)
            raise StepError(
                f"{binary(self.size)} must be free in {self.call}, for a growing file too: {known}.", "Choose a smaller file."
            )
        stored = align_up(stored_bytes(self.size, self.form, FRESH), system.cluster_bytes or 4096)
        file = DiskFile(
            self.made,
            self.path.lower(),
            self.form,
            self.size,
            stored_bytes(self.size, self.form, FRESH),
            self.identity.replace("-", "").lower(),
            self.table,
            planned=True,
        )
        return machine.with_volume(
            self.call, lambda one: replace(one, disk_files=(*one.disk_files, file), filesystem=fuller(one.filesystem, stored))
        )


def _hosted(machine: Machine, call: str) -> tuple[Volume, DiskFile]:
    for _, host in machine.volumes():
        for file in host.disk_files:
            if file.call == call:
                return host, file
    raise StepError(f"There is no file for {call}.", "Make the file first.")


class ApplyEdition(StepBase, frozen=True, tag="apply-edition"):
    """An edition of an install image is put into a disk file. ``index``: its number in the image (0: not read yet), ``edition`` its name."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"
    undone: ClassVar[bool] = True

    call: Call
    host: Call
    index: Count
    edition: Line
    installed_bytes: Count
    profile: KeyOrNone = ""

    def inside(self) -> tuple[str, ...]:
        """The volume that holds the file is written."""
        return (self.host,)

    def stands_in(self) -> tuple[str, ...]:
        """The bench puts only what reading looks for; a fixed file is as large either way."""
        return ()

    def apply(self, machine: Machine) -> Machine:
        """Return the host with a system in the file; a growing file takes what is put into it."""
        host, file = _hosted(machine, self.call)
        if host.call != self.host:
            raise StepError(f"{self.call} lies in {host.call}.", f"Name {host.call}.")
        more = self.installed_bytes if file.form == "growing" else 0
        filled = replace(file, holds=SystemRoot("nt", NT_TITLE, kernel_signed=True))
        files = tuple(filled if one.call == self.call else one for one in host.disk_files)
        return machine.with_volume(
            host.call, lambda one: replace(one, disk_files=files, filesystem=fuller(one.filesystem, more))
        )


class NameInBootData(StepBase, frozen=True, tag="boot-data"):
    """The boot data of the host's system names the system in a file too. ``files`` on ``esp``: as they are then (empty: the legacy way).

    A copy of the boot data is made first, and the host's system writes its own start files again: both are the printed way back.
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"
    undone: ClassVar[bool] = True

    call: Call
    esp: CallOrNone
    files: tuple[BootFile, ...]
    title: Line

    def inside(self) -> tuple[str, ...]:
        """The volume that the boot data lies on; the legacy way nobody here looks into it."""
        return (self.esp,) if self.esp else ()

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """The boot data is written over."""
        return tuple((self.esp, file.path) for file in self.files)

    def apply(self, machine: Machine) -> Machine:
        """Return the machine with the new boot data; the file must hold a system."""
        _, file = _hosted(machine, self.call)
        if file.holds is None:
            raise StepError(f"No system is in the file of {self.call} yet.", "Put an edition into it first.")
        return with_files(machine, self.esp, self.files) if self.esp else machine


class ForgetInBootData(StepBase, frozen=True, tag="forget-boot-data"):
    """The boot data names a system no more, in a file or on a volume. ``files`` on ``esp``: as they are then (empty: the legacy way)."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"
    undone: ClassVar[bool] = True

    call: Call
    esp: CallOrNone
    files: tuple[BootFile, ...]

    def inside(self) -> tuple[str, ...]:
        """The volume that the boot data lies on; the legacy way nobody here looks into it."""
        return (self.esp,) if self.esp else ()

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """The boot data is written over."""
        return tuple((self.esp, file.path) for file in self.files)

    def apply(self, machine: Machine) -> Machine:
        """Return the machine with the boot data so; the system must be there."""
        place = machine.find(self.call)
        if place is None or place[1].holds is None:
            _hosted(machine, self.call)
        return with_files(machine, self.esp, self.files) if self.esp else machine


class RemoveDiskFile(StepBase, frozen=True, tag="remove-disk-file"):
    """A file that is a disk is deleted from the volume that holds it, with the system in it."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    host: Call
    path: Line

    def inside(self) -> tuple[str, ...]:
        """The volume that holds the file is written."""
        return (self.host,)

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """It is not there to compare."""
        return ((self.host, self.path),)

    def gives_up(self, before: Machine) -> tuple[str, ...]:
        """What is in the file."""
        return (self.call,)

    def apply(self, machine: Machine) -> Machine:
        """Return the host without the file, and with its room; what starts from it must be named nowhere any more."""
        host, file = _hosted(machine, self.call)
        if host.call != self.host or file.path.lower() != self.path.lower():
            raise StepError(f"{self.call} is {file.path} in {host.call}.", "Plan again from the machine as it is.")
        named = any(
            file.path.lower() in {one.lower() for one in data.targets} for _, v in machine.volumes() for data in v.boot_files
        )
        if named:
            raise StepError(
                f"Boot data names {file.path} still.", "Take it out of there first: its menu would end in a blue screen."
            )
        kept = tuple(one for one in host.disk_files if one.call != self.call)
        return machine.with_volume(
            host.call, lambda one: replace(one, disk_files=kept, filesystem=fuller(one.filesystem, -file.stored_bytes))
        )
