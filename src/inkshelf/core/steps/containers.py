"""Steps that fill a container: one that nobody reads without its key, by a person where it is unlocked; a volume group."""

from typing import ClassVar

from inkshelf.core.disk.kinds import kind_of
from inkshelf.core.disk.lvm_extents import DATA_START, EXTENT
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Inside, Machine, Volume
from inkshelf.core.size import binary
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.steps.reshaping import MakeLogical
from inkshelf.core.texts import Call, KeyOrNone
from inkshelf.core.value import replace


class FillContainer(StepBase, frozen=True, tag="fill-container"):
    """Make what an encrypted container holds: one file system, or, with ``group``, a volume group with logical volumes.

    Without its key nobody looks into it, the bench neither: the proof says so. Sizes in bytes.
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    holds: tuple[Inside, ...]
    group: KeyOrNone = ""

    def stands_in(self) -> tuple[str, ...]:
        """The bench has no key: nothing is put there."""
        return (self.call,)

    def apply(self, machine: Machine) -> Machine:
        """Return the container with what is in it; it must fit."""
        _, volume = volume_of(machine, self.call)
        system = volume.filesystem
        if system is None or not kind_of(system.kind).encrypted:
            raise StepError(f"{self.call} is no encrypted container.", "Format it as one first.")
        if len(self.holds) != 1 and not self.group:
            raise StepError(f"{self.call} holds one file system, or a volume group.", "Name a group for more than one.")
        room = room_inside(system.size_bytes, grouped=bool(self.group))
        wanted = sum(one.size_bytes for one in self.holds)
        if any(one.size_bytes <= 0 for one in self.holds) or wanted > room:
            raise StepError(f"{binary(wanted)} do not fit into {self.call}: {binary(room)} are inside.", "Choose less.")
        if self.group and any(one.size_bytes % EXTENT for one in self.holds):
            raise StepError(f"A logical volume has whole extents of {binary(EXTENT)}.", "Choose a multiple.")
        held = tuple(_fresh(one) for one in self.holds)
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=replace(system, inside=held)))


class FillGroup(StepBase, frozen=True, tag="fill-group"):
    """Make logical volumes with file systems in the fresh volume group of an LVM physical volume. Sizes in bytes, whole extents."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"

    call: Call
    holds: tuple[Inside, ...]

    def apply(self, machine: Machine) -> Machine:
        """Return the physical volume with the logical ones in it, one behind the other."""
        for one in self.holds:
            machine = MakeLogical(self.call, one.name, one.size_bytes).apply(machine)
            kind = kind_of(one.kind)
            if kind.fresh is None or kind.container or one.size_bytes < kind.smallest:
                raise StepError(f"{kind.title} cannot be made in {one.name}.", "Choose ext4, or more room.")
        made = {one.name: _fresh(one) for one in self.holds}

        def filled(volume: Volume) -> Volume:
            assert volume.filesystem is not None  # noqa: S101 - the steps before looked
            inside = tuple(made.get(one.name, one) for one in volume.filesystem.inside)
            return replace(volume, filesystem=replace(volume.filesystem, inside=inside))

        return machine.with_volume(self.call, filled)


def _fresh(one: Inside) -> Inside:
    """With what a new file system of its kind has in use by itself."""
    make = kind_of(one.kind).fresh if one.kind else None
    return replace(one, used_bytes=make(one.size_bytes, one.label, one.uuid, 512).used_bytes) if make else one


def room_inside(size: int, *, grouped: bool, payload: int = kind_of("luks").payload) -> int:
    """Return the bytes that a container of ``size`` holds behind its header (``payload``; LUKS2: 16 MiB); ``grouped``: in whole extents of a group."""
    left = max(0, size - payload)
    return max(0, left - DATA_START) // EXTENT * EXTENT if grouped else left
