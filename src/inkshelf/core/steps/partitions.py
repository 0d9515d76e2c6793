"""Steps that change the partitions of a table: make one, remove one, change its type or marks."""

from typing import ClassVar

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Machine, Role, Volume
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.steps.tables import checked, renumbered
from inkshelf.core.texts import Attributes, Call, Count, Guid, KeyOrNone, Letter, Line, TypeId
from inkshelf.core.value import replace

NAME_UNITS = 36  # UEFI specification 2.10, table 5.6


class Create(StepBase, frozen=True, tag="create"):
    """Make a partition in free space. Every value is drawn by the plan, once.

    ``by``: the profile of the system whose installer makes it by itself, with identities of its own (empty: a person, with these).
    """

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "table"

    disk: Letter
    call: Call
    number: Count
    start: Count
    size: Count
    type_id: TypeId
    guid: Guid
    role: Role
    name: Line = ""
    attributes: Attributes = 0
    logical: bool = False
    by: KeyOrNone = ""

    def gives_calls(self) -> tuple[str, ...]:
        """The new volume's."""
        return (self.call,)

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
        if disk.table.kind == "gpt" and len(self.name.encode("utf-16-le")) // 2 > NAME_UNITS:
            raise StepError(f"The name of {self.call} is longer than {NAME_UNITS} units of UTF-16.", "Give it a shorter one.")
        if machine.find(self.call):
            raise StepError(f"The call number {self.call} is taken.", "Choose the next free one.")
        volume = Volume(
            call=self.call,
            number=self.number,
            start=self.start,
            size=self.size,
            type_id=self.type_id,
            role=self.role,
            name=self.name,
            guid=self.guid,
            attributes=self.attributes,
            logical=self.logical,
            planned=True,
        )
        return machine.with_disk(checked(replace(disk, volumes=(*disk.volumes, volume))))


class Delete(StepBase, frozen=True, tag="delete"):
    """Remove a partition from the table; what was in it is given up."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "table"

    call: Call

    def gives_up(self, before: Machine) -> tuple[str, ...]:
        """What was in the volume is gone."""
        return (self.call,)

    def apply(self, machine: Machine) -> Machine:
        """Return the machine without the volume."""
        disk, volume = volume_of(machine, self.call)
        if disk.table.kind == "none":
            raise StepError(f"{self.call} is the whole of disk {disk.id}.", "Make a table on the disk instead.")
        left = replace(disk, volumes=tuple(one for one in disk.volumes if one.call != self.call))
        return machine.with_disk(renumbered(left, volume))


class Retype(StepBase, frozen=True, tag="retype"):
    """Change a volume's partition type, attributes or active mark (``None``: as it is), and nothing inside it."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "table"

    call: Call
    type_id: TypeId
    attributes: Attributes = 0
    active: bool | None = None

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with its new type; its role and call number stay. One volume of a disk is active at most."""
        disk, volume = volume_of(machine, self.call)
        marked = volume.active if self.active is None else self.active
        alone = not self.active or not any(one.active for one in disk.volumes if one.call != self.call)
        if alone and (self.type_id, self.attributes, marked) == (volume.type_id, volume.attributes, volume.active):
            raise StepError(f"{self.call} has that type and those marks already.", "There is nothing to change.")
        if self.active and (disk.table.kind != "mbr" or volume.logical):
            raise StepError(f"{self.call} cannot be active.", "Only a primary volume of an MBR can.")
        if self.active is not None:
            others = tuple(replace(one, active=False) if self.active else one for one in disk.volumes)
            machine = machine.with_disk(replace(disk, volumes=others))
            machine = machine.with_volume(self.call, lambda one: replace(one, active=bool(self.active)))
        return machine.with_volume(self.call, lambda one: replace(one, type_id=self.type_id, attributes=self.attributes))
