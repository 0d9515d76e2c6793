"""Steps that change a volume and keep what is in it: shrink, move, grow, label, a new identity."""

import re
from typing import ClassVar

from inkshelf.core.disk.filesystems import hidden_sectors, label_fault, resized, title
from inkshelf.core.disk.kinds import kind_of
from inkshelf.core.disk.lvm_extents import DATA_START, identifier
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Disk, Inside, Machine, Volume
from inkshelf.core.size import binary
from inkshelf.core.steps.base import Actor, StepBase, Writes, refuse_unready, volume_of
from inkshelf.core.steps.tables import checked
from inkshelf.core.texts import Call, Count, Guid, Identity, KeyOrNone, Line
from inkshelf.core.value import replace

VOLUME_NAME = r"[A-Za-z0-9_+.][A-Za-z0-9_+.\-]{0,127}"


def _refuse_occupied(disk: Disk, volume: Volume, start: int, size: int) -> None:
    """A place must lie inside the table's usable stretch and touch no other volume."""
    if start < disk.usable_start or start + size > disk.usable_end:
        raise StepError(f"{volume.call} would not fit on disk {disk.id} there.", "Choose another place or size.")
    for other in disk.volumes:
        if other.call != volume.call and start < other.end and other.start < start + size:
            raise StepError(f"{volume.call} would overlap {other.call}.", "Choose another place or size.")


def _placed(machine: Machine, disk: Disk, call: str, **change: object) -> Machine:
    """Return the machine with a volume changed, where the table of its disk can say so."""
    changed = tuple(replace(one, **change) if one.call == call else one for one in disk.volumes)
    return machine.with_disk(checked(replace(disk, volumes=changed)))


class Shrink(StepBase, frozen=True, tag="shrink"):
    """Shrink a volume from its end, file system first, then the partition. ``by``: the profile of the system whose installer does it (empty: a person)."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"

    call: Call
    to_bytes: Count
    by: KeyOrNone = ""

    def apply(self, machine: Machine) -> Machine:
        """Return the smaller volume; refuses what is dirty, asleep, unshrinkable or too full."""
        disk, volume = volume_of(machine, self.call)
        checked(disk)
        system = volume.filesystem
        if system is None:
            raise StepError(f"{self.call} holds no file system that can be shrunk.", "Choose another volume.")
        refuse_unready(volume)
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


class Move(StepBase, frozen=True, tag="move"):
    """Move a volume to another start on its disk; every used byte is read and written once."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"
    moves: ClassVar[bool] = True

    call: Call
    start: Count

    def apply(self, machine: Machine) -> Machine:
        """Return the machine with the volume at its new start; number, GUIDs and contents stay."""
        disk, volume = volume_of(machine, self.call)
        refuse_unready(volume)
        if self.start == volume.start:
            raise StepError(f"{self.call} stands there already.", "Choose another place.")
        _refuse_occupied(disk, volume, self.start, volume.size)
        system = volume.filesystem
        if system is not None and system.hidden_sectors is not None:
            system = replace(system, hidden_sectors=hidden_sectors(self.start, disk.sector))
        return _placed(machine, disk, self.call, start=self.start, filesystem=system)


class Grow(StepBase, frozen=True, tag="grow"):
    """Grow a volume at its end, partition first, then the file system."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"

    call: Call
    to_bytes: Count

    def apply(self, machine: Machine) -> Machine:
        """Return the larger volume; refuses what cannot grow and room that is not free."""
        disk, volume = volume_of(machine, self.call)
        refuse_unready(volume)
        if self.to_bytes <= volume.size:
            raise StepError(
                f"{self.call} cannot grow to {self.to_bytes} bytes from {volume.size}.", "Choose a larger size than it has."
            )
        _refuse_occupied(disk, volume, volume.start, self.to_bytes)
        system = volume.filesystem
        larger = resized(system, self.to_bytes) if system else None
        return _placed(machine, disk, self.call, size=self.to_bytes, filesystem=larger)


class Label(StepBase, frozen=True, tag="label"):
    """Give a file system another label; nothing else changes."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"

    call: Call
    label: Line

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with its new label; refuses what its file system refuses."""
        _, volume = volume_of(machine, self.call)
        system = volume.filesystem
        if system is None or kind_of(system.kind).label_lines is None:
            raise StepError(f"{self.call} holds nothing that could bear a label.", "Format it first.")
        fault = label_fault(system.kind, self.label)
        if fault:
            raise StepError(f"“{self.label}”: {fault}.", f"Choose a label that {title(system.kind)} takes.")
        if self.label == system.label:
            said = f"{self.call} is labelled “{self.label}” already." if self.label else f"{self.call} has no label."
            raise StepError(said, "There is nothing to change.")
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=replace(system, label=self.label)))


class Renew(StepBase, frozen=True, tag="renew"):
    """Give a volume a new identity, as after a raw clone: file-system UUID or serial, and on a GPT the partition's GUID."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"

    call: Call
    uuid: Identity
    guid: Guid = ""

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with its new identity; what names it by the old one does not find it any more."""
        disk, volume = volume_of(machine, self.call)
        refuse_unready(volume)
        system = volume.filesystem
        if system is not None and not kind_of(system.kind).renewable:
            raise StepError(f"The identity of {title(system.kind)} cannot be changed here.", "Do it with its own tools.")
        made = replace(system, uuid=self.uuid) if system else None
        own = self.guid if disk.table.kind == "gpt" and self.guid else volume.guid
        if own == volume.guid and (system is None or system.uuid == self.uuid):
            raise StepError(f"{self.call} bears that identity already.", "There is nothing to change.")
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=made, guid=own))


class MakeLogical(StepBase, frozen=True, tag="logical-volume"):
    """Make a logical volume in the volume group of an LVM physical volume. ``size`` in bytes, whole extents."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"

    call: Call
    name: Line
    size: Count

    def apply(self, machine: Machine) -> Machine:
        """Return the physical volume with the logical one in it."""
        _, volume = volume_of(machine, self.call)
        system = volume.filesystem
        if system is None or system.kind != "lvm" or not system.label:
            raise StepError(f"{self.call} holds no volume group.", "Format it as lvm first.")
        extent = system.cluster_bytes
        if not extent or self.size <= 0 or self.size % extent:
            raise StepError(f"{self.size} bytes are not whole extents of {binary(extent)}.", "Choose a multiple.")
        if not re.fullmatch(VOLUME_NAME, self.name) or any(one.name == self.name for one in system.inside):
            raise StepError(f"“{self.name}” cannot be the name of a logical volume there.", "Choose another name.")
        free = extent * system.clusters - sum(one.size_bytes for one in system.inside)
        if self.size > free:
            raise StepError(f"{binary(self.size)} do not fit: {binary(free)} are free in {system.label}.", "Choose less.")
        held = (*system.inside, Inside(self.name, self.size, uuid=identifier(f"{system.uuid}/{self.name}")))
        used = (system.used_bytes or 0) + self.size
        end = (system.pinned_bytes or DATA_START) + self.size  # at most: a hole in the middle may have taken it
        made = replace(system, inside=held, used_bytes=used, smallest_bytes=end, pinned_bytes=end)
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=made))
