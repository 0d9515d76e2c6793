"""The step kinds. A step is a value with a pure ``apply(Machine) -> Machine``; a plan is a list of them.

A step that meets a state it cannot change raises ``StepError``. Sizes and places are bytes.
"""

from typing import Literal

from inkshelf.core.disk.filesystems import label_fault, resized, title
from inkshelf.core.disk.fresh import fresh
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import BootEntry, BootFile, FileSystem, Machine, Role, SystemRoot, Volume
from inkshelf.core.steps.base import StepBase, volume_of
from inkshelf.core.steps.reshaping import Grow as Grow
from inkshelf.core.steps.reshaping import Label as Label
from inkshelf.core.steps.reshaping import MakeLogical as MakeLogical
from inkshelf.core.steps.reshaping import Move as Move
from inkshelf.core.steps.reshaping import Renew as Renew
from inkshelf.core.steps.tables import Enclose as Enclose
from inkshelf.core.steps.tables import NewTable as NewTable
from inkshelf.core.steps.tables import RepairTable as RepairTable
from inkshelf.core.steps.tables import checked, renumbered
from inkshelf.core.value import replace

Subject = Literal["backup", "consent", "recovery_key", "mains", "medium", "firmware_values", "summary", "tidy", "clock"]
Preparation = Literal["fast_startup_off", "check_volume", "suspend_encryption", "resume_encryption"]


class Confirm(StepBase, frozen=True, tag="confirm"):
    """A person makes sure of something and says so."""

    subject: Subject

    def apply(self, machine: Machine) -> Machine:
        """Record what the person confirmed, where the state has a place for it."""
        known: dict[str, dict[str, object]] = {
            "backup": {"backup": "read back"},
            "consent": {"consent": True},
            "recovery_key": {"recovery_key": True},
            "mains": {"mains": True},
        }
        change = known.get(self.subject)
        return replace(machine, conditions=replace(machine.conditions, **change)) if change else machine


class Prepare(StepBase, frozen=True, tag="prepare"):
    """Something done inside the system that owns a volume, before anything resizes it."""

    call: str
    what: Preparation

    def apply(self, machine: Machine) -> Machine:
        """Wake a sleeping volume or clear its check mark."""
        volume_of(machine, self.call)

        def change(volume: Volume) -> Volume:
            if volume.filesystem is None:
                return volume
            asleep = volume.filesystem.hibernated and self.what != "fast_startup_off"
            dirty = volume.filesystem.dirty and self.what != "check_volume"
            return replace(volume, filesystem=replace(volume.filesystem, hibernated=asleep, dirty=dirty))

        return machine.with_volume(self.call, change)


class SetSecureBoot(StepBase, frozen=True, tag="secure-boot"):
    """Switch Secure Boot in the firmware."""

    state: Literal["off", "on"]

    def apply(self, machine: Machine) -> Machine:
        """Change the switch; a machine that has none refuses."""
        if machine.firmware.secure_boot == "absent":
            raise StepError("This firmware has no Secure Boot.", "Leave the step out.")
        return replace(machine, firmware=replace(machine.firmware, secure_boot=self.state))


class Shrink(StepBase, frozen=True, tag="shrink"):
    """Shrink a volume from its end, file system first, then the partition."""

    call: str
    to_bytes: int

    def apply(self, machine: Machine) -> Machine:
        """Return the smaller volume; refuses what is dirty, asleep, unshrinkable or too full."""
        disk, volume = volume_of(machine, self.call)
        checked(disk)
        system = volume.filesystem
        if system is None:
            raise StepError(f"{self.call} holds no file system that can be shrunk.", "Choose another volume.")
        if system.dirty or system.hibernated:
            state = "marked for a check" if system.dirty else "half asleep"
            raise StepError(f"{self.call} is {state}; nothing may resize it.", "Start its own system and put that right first.")
        if not 0 < self.to_bytes < volume.size:
            raise StepError(
                f"{self.call} cannot be shrunk to {self.to_bytes} bytes from {volume.size}.",
                "Choose a smaller size than it has.",
            )
        if system.kind == "lvm" and self.to_bytes < (system.smallest_bytes or 0):
            raise StepError(
                f"{self.call} cannot be shrunk that far: {system.smallest_why}.", "Move its extents with its own tools first."
            )
        if system.used_bytes is not None and self.to_bytes < system.used_bytes:
            raise StepError(
                f"{self.call} holds more than {self.to_bytes} bytes.", "Leave it at least as large as what is in it."
            )
        return machine.with_volume(
            self.call, lambda one: replace(one, size=self.to_bytes, filesystem=resized(system, self.to_bytes))
        )


class Retype(StepBase, frozen=True, tag="retype"):
    """Change a volume's partition type, attributes or active mark (``None``: as it is), and nothing inside it."""

    call: str
    type_id: str
    attributes: int = 0
    active: bool | None = None

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with its new type; its role and call number stay. One volume of a disk is active at most."""
        disk, volume = volume_of(machine, self.call)
        if self.active and (disk.table.kind != "mbr" or volume.logical):
            raise StepError(f"{self.call} cannot be active.", "Only a primary volume of an MBR can.")
        if self.active is not None:
            others = tuple(replace(one, active=False) if self.active else one for one in disk.volumes)
            machine = machine.with_disk(replace(disk, volumes=others))
            machine = machine.with_volume(self.call, lambda one: replace(one, active=bool(self.active)))
        return machine.with_volume(self.call, lambda one: replace(one, type_id=self.type_id, attributes=self.attributes))


class Create(StepBase, frozen=True, tag="create"):
    """Make a partition in free space. Every value is drawn by the plan, once."""

    disk: str
    call: str
    number: int
    start: int
    size: int
    type_id: str
    guid: str
    role: Role
    name: str = ""
    attributes: int = 0
    logical: bool = False

    def apply(self, machine: Machine) -> Machine:
        """Add the volume; refuses an overlap, a place outside the table, a number or call number that is taken."""
        disk = machine.disk(self.disk)
        end = self.start + self.size
        if self.start < disk.usable_start or end > disk.usable_end or self.size <= 0:
            raise StepError(f"{self.call} does not fit on disk {self.disk}.", "Make it smaller or give more room.")
        for other in disk.volumes:
            if self.start < other.end and other.start < end:
                raise StepError(f"{self.call} would overlap {other.call}.", "Make it smaller or move it.")
            if other.number == self.number:
                raise StepError(f"Partition number {self.number} is taken by {other.call}.", "Choose a free number.")
        if machine.find(self.call):
            raise StepError(f"The call number {self.call} is taken.", "Choose the next free one.")
        volume = Volume(
            self.call,
            self.number,
            self.start,
            self.size,
            self.type_id,
            self.role,
            self.name,
            self.guid,
            self.attributes,
            logical=self.logical,
            planned=True,
        )
        return machine.with_disk(checked(replace(disk, volumes=(*disk.volumes, volume))))


class Delete(StepBase, frozen=True, tag="delete"):
    """Remove a partition from the table; what was in it is given up."""

    call: str

    def apply(self, machine: Machine) -> Machine:
        """Return the machine without the volume."""
        disk, volume = volume_of(machine, self.call)
        if disk.table.kind == "none":
            raise StepError(f"{self.call} is the whole of disk {disk.id}.", "Make a table on the disk instead.")
        left = replace(disk, volumes=tuple(one for one in disk.volumes if one.call != self.call))
        return machine.with_disk(renumbered(left, volume))


class Format(StepBase, frozen=True, tag="format"):
    """Make a file system in a volume; what was in it is given up.

    ``subvolumes`` of a Btrfs are made once it is mounted: the sheet and the script say how, the bench does not make them.
    """

    call: str
    filesystem: str
    label: str
    uuid: str
    subvolumes: tuple[str, ...] = ()

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with a fresh file system and nothing else in it."""
        disk, volume = volume_of(machine, self.call)
        if self.subvolumes and self.filesystem != "btrfs":
            raise StepError("Only a Btrfs has subvolumes.", "Leave them out, or choose btrfs.")
        fault = label_fault(self.filesystem, self.label)
        if fault:
            raise StepError(f"“{self.label}”: {fault}.", f"Choose a label that {title(self.filesystem)} takes.")
        made = fresh(self.filesystem, volume.size, self.label, self.uuid, disk.sector)
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=made, boot_files=(), holds=None))


class Install(StepBase, frozen=True, tag="install"):
    """An operating system is installed: its files on ``call``, its start-up files on ``esp``."""

    call: str
    esp: str
    title: str
    family: str
    installed_bytes: int
    files: tuple[BootFile, ...]
    mounts: tuple[tuple[str, str], ...]
    kernel_signed: bool = True

    def apply(self, machine: Machine) -> Machine:
        """Put the system on its volume and the start-up files beside what the EFI system partition has."""
        _, root = volume_of(machine, self.call)
        _, startup = volume_of(machine, self.esp)
        if root.filesystem is None or startup.filesystem is None:
            raise StepError(f"{self.call} or {self.esp} has no file system yet.", "Format them before installing.")
        holds = SystemRoot(self.family, self.title, self.kernel_signed, self.mounts)
        size = sum(file.size_bytes for file in self.files)
        new = {file.path.lower() for file in self.files}
        kept = tuple(file for file in startup.boot_files if file.path.lower() not in new)
        files = tuple(sorted((*kept, *self.files), key=lambda one: one.path.lower()))
        machine = machine.with_volume(
            self.call, lambda one: replace(one, holds=holds, filesystem=_fuller(one.filesystem, self.installed_bytes))
        )
        return machine.with_volume(
            self.esp, lambda one: replace(one, boot_files=files, filesystem=_fuller(one.filesystem, size))
        )


def _fuller(system: FileSystem | None, more: int) -> FileSystem | None:
    if system is None or system.used_bytes is None:
        return system
    return replace(system, used_bytes=min(system.size_bytes, system.used_bytes + more))


class AddEntry(StepBase, frozen=True, tag="add-entry"):
    """A boot entry is added to the firmware's variables."""

    entry: BootEntry

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
    """The boot order is set, all of it."""

    order: tuple[int, ...]

    def apply(self, machine: Machine) -> Machine:
        """Return the firmware with the order; every number must have its entry."""
        for number in self.order:
            if machine.firmware.entry(number) is None:
                raise StepError(f"Boot{number:04X} is in the order but not there.", "Leave it out.")
        return replace(machine, firmware=replace(machine.firmware, order=self.order))


class Prove(StepBase, frozen=True, tag="prove"):
    """A person starts a system and looks."""

    call: str
    when: Literal["after shrinking", "new", "every old one"]

    def apply(self, machine: Machine) -> Machine:
        """Looking changes nothing; the system must be there."""
        volume_of(machine, self.call)
        return machine


Step = (
    Confirm
    | Prepare
    | SetSecureBoot
    | Shrink
    | Grow
    | Move
    | Label
    | Renew
    | MakeLogical
    | Retype
    | NewTable
    | RepairTable
    | Enclose
    | Create
    | Delete
    | Format
    | Install
    | AddEntry
    | SetOrder
    | Prove
)
