"""What a table allows, and the steps that change the table itself: a new one, an extended partition."""

from typing import ClassVar, Literal

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Disk, Extended, Machine, Table, Volume
from inkshelf.core.steps.base import Actor, StepBase, Writes
from inkshelf.core.texts import Call, Count, Guid, Identity, Letter, TypeId
from inkshelf.core.value import replace

PRIMARIES = 4


def checked(disk: Disk) -> Disk:
    """Return the disk with its volumes in order, where its table can hold them; raises ``StepError`` otherwise."""
    disk = replace(disk, volumes=tuple(sorted(disk.volumes, key=lambda one: one.start)))
    if disk.table.kind == "none":
        raise StepError(f"Disk {disk.id} has no partition table.", "Make a table first.")
    if disk.table.kind == "gpt":
        beyond = next((one for one in disk.volumes if not 1 <= one.number <= disk.table.entry_count), None)
        if beyond:
            raise StepError(
                f"The table of disk {disk.id} has {disk.table.entry_count} entries; {beyond.call} would be one more.",
                "Remove a volume first.",
            )
        return disk
    _check_primaries(disk)
    _check_logicals(disk)
    return disk


def _check_primaries(disk: Disk) -> None:
    inside = disk.table.extended
    numbers = [one.number for one in disk.volumes if not one.logical] + ([inside.number] if inside else [])
    if len(numbers) > PRIMARIES or len(set(numbers)) != len(numbers) or any(not 1 <= number <= PRIMARIES for number in numbers):
        raise StepError(
            "An MBR holds four primary volumes, an extended partition counted.", "Make it a logical volume, or remove one."
        )
    if disk.table.fault:
        raise StepError(f"Disk {disk.id}: {disk.table.fault}.", "Its table is read, and not changed here.")
    for volume in disk.volumes:
        if volume.end > disk.usable_end and volume.planned:
            raise StepError(f"{volume.call} lies beyond what an MBR can tell.", "Use a GPT on this disk.")


def _check_logicals(disk: Disk) -> None:
    inside = disk.table.extended
    logicals = [one for one in disk.volumes if one.logical]
    if inside is None:
        if logicals:
            raise StepError("Logical volumes need an extended partition.", "Make an extended partition first.")
        return
    for volume in disk.volumes:
        if not volume.logical and volume.start < inside.end and inside.start < volume.end:
            raise StepError(f"{volume.call} would overlap the extended partition.", "Choose another place.")
    at = inside.start
    for volume in logicals:
        if volume.start < at + disk.sector or volume.end > inside.end:
            raise StepError(
                f"{volume.call} does not fit into the extended partition there.",
                "Leave 1 MiB before each logical volume for its record.",
            )
        at = volume.end


def renumbered(disk: Disk, gone: Volume) -> Disk:
    """Return the disk after ``gone`` left it: later logical volumes count down by one, and an empty container goes too."""
    if not gone.logical:
        return disk
    volumes = tuple(
        replace(one, number=one.number - 1) if one.logical and one.number > gone.number else one for one in disk.volumes
    )
    left = any(one.logical for one in volumes)
    return replace(disk, volumes=volumes, table=disk.table if left else replace(disk.table, extended=None))


class NewTable(StepBase, frozen=True, tag="new-table"):
    """A fresh partition table; every volume of the disk is given up. ``identity``: the GUID, or an MBR's signature."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "table"

    disk: Letter
    table: Literal["gpt", "mbr"]
    identity: Identity

    def gives_up(self, before: Machine) -> tuple[str, ...]:
        """Every volume of the disk goes."""
        return tuple(volume.call for volume in before.disk(self.disk).volumes)

    def apply(self, machine: Machine) -> Machine:
        """Return the disk with an empty table."""
        disk = machine.disk(self.disk)
        if self.table == "gpt":
            from inkshelf.core.disk.gpt import blank  # late: most plans make no table

            made = blank(disk.size, disk.sector, self.identity)
            table = Table(
                "gpt",
                made.guid,
                "0" * 8,
                made.first_usable,
                made.last_usable,
                backup_lba=disk.size // disk.sector - 1,
                boot_code=False,
            )
        else:
            table = Table("mbr", signature=self.identity, entry_count=4, entry_bytes=16, boot_code=False)
        return machine.with_disk(replace(disk, table=table, volumes=()))


class ConvertTable(StepBase, frozen=True, tag="convert-table"):
    """The table of a disk becomes one of the other kind, in place: every volume stays where it is, with all that is in it.

    ``identity``: the GUID, or an MBR's signature; ``became``: each volume's call number with its new type and GUID.
    """

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "table"

    disk: Letter
    table: Literal["gpt", "mbr"]
    identity: Identity
    became: tuple[tuple[Call, TypeId, Guid], ...]

    def apply(self, machine: Machine) -> Machine:
        """Return the disk with the other table; refuses what that table cannot say, or has no room for."""
        disk = machine.disk(self.disk)
        if disk.table.kind == self.table:
            raise StepError(f"Disk {self.disk} has that table already.", "There is nothing to change.")
        if any(one.logical for one in disk.volumes):
            raise StepError(
                f"Disk {self.disk} has logical volumes, which are not carried over.", "Copy them off, or erase the disk."
            )
        fresh = NewTable(self.disk, self.table, self.identity).apply(machine).disk(self.disk)
        known = {call: (type_id, guid) for call, type_id, guid in self.became}
        volumes = []
        for one in disk.volumes:
            if one.call not in known:
                raise StepError(f"Nothing is said of {one.call}.", "Plan again from the disk as it is.")
            if one.start < fresh.table.first_usable * disk.sector or one.end > fresh.usable_end:
                raise StepError(f"{one.call} lies where the new table goes.", "Shrink it or move it first, or erase the disk.")
            type_id, guid = known[one.call]
            volumes.append(replace(one, type_id=type_id, guid=guid, name="", attributes=0, active=False))
        if self.table == "mbr" and len(volumes) > PRIMARIES:
            raise StepError(f"An MBR holds four volumes, and disk {self.disk} has {len(volumes)}.", "Remove some first.")
        numbers = {one.call: number for number, one in enumerate(sorted(volumes, key=lambda one: one.number), 1)}
        kept = volumes if self.table == "gpt" else [replace(one, number=numbers[one.call]) for one in volumes]
        signature = (
            disk.table.signature if self.table == "gpt" else self.identity
        )  # only the records of the first sector change
        table = replace(
            fresh.table,
            boot_code=disk.table.boot_code,
            code_of=disk.table.code_of,
            core_lba=disk.table.core_lba,
            signature=signature,
        )
        return machine.with_disk(checked(replace(fresh, table=table, volumes=tuple(kept))))


class Enclose(StepBase, frozen=True, tag="extended"):
    """Make the extended partition of an MBR, or change its stretch around the logical volumes that are in it."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "table"

    disk: Letter
    number: Count
    start: Count
    size: Count

    def apply(self, machine: Machine) -> Machine:
        """Return the disk with its extended partition; refuses what would leave a logical volume outside."""
        disk = machine.disk(self.disk)
        if disk.table.kind != "mbr":
            raise StepError(f"Disk {self.disk} has no MBR.", "A GPT needs no extended partition.")
        if self.start < disk.usable_start or self.start + self.size > disk.usable_end:
            raise StepError("The extended partition would not fit on the disk there.", "Choose another place or size.")
        if any(one.number == self.number for one in disk.volumes):
            raise StepError(f"Partition number {self.number} is taken.", "Choose a free number.")
        old = disk.table.extended
        made = Extended(self.number, self.start, self.size, old.type_id if old else "0x0F")
        return machine.with_disk(checked(replace(disk, table=replace(disk.table, extended=made))))


class RepairTable(StepBase, frozen=True, tag="repair-table"):
    """Write both copies of a GPT anew from the good one, the backup at the end of the disk; no volume changes."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "table"

    disk: Letter

    def apply(self, machine: Machine) -> Machine:
        """Return the disk with two good copies; what lies behind an old backup can be used then."""
        disk = machine.disk(self.disk)
        table, last = disk.table, disk.size // disk.sector - 1
        if table.kind != "gpt":
            raise StepError(f"Disk {self.disk} has no GPT.", "Only a GPT keeps a second copy of itself.")
        if table.primary_ok and table.backup_ok and table.protective and table.backup_lba == last:
            raise StepError(f"Both copies of the table of disk {self.disk} are good.", "There is nothing to repair.")
        room = -(-table.entry_count * table.entry_bytes // disk.sector)
        made = replace(
            table, primary_ok=True, backup_ok=True, protective=True, fault="", backup_lba=last, last_usable=last - room - 1
        )
        return machine.with_disk(replace(disk, table=made))
