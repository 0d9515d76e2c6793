"""Steps that a person does and that leave no bytes on the bench: making sure, preparing, looking."""

from typing import ClassVar, Literal

from inkshelf.core.machine.state import Machine, Volume
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.steps.making import fuller_root
from inkshelf.core.texts import Call, Count
from inkshelf.core.value import replace

Subject = Literal[
    "backup",
    "consent",
    "recovery_key",
    "mains",
    "medium",
    "firmware_values",
    "summary",
    "tidy",
    "clock",
    "material",
    "live_start",
    "live_check",
    "live_end",
    "others_out",
    "others_in",
    "ports",
    "target_in",
    "disk_out",
    "from_staging",
    "live_stick",
    "clock_back",
    "key_kept",
    "host_fit",
    "file_stays",
    "material_newest",
    "disk_seated",
    "recovery_stick",
    "disk_first",
    "plain_graphics",
    "boot_files_anew",
]
Preparation = Literal[
    "fast_startup_off",
    "check_volume",
    "check_outside",
    "suspend_encryption",
    "resume_encryption",
    "finder_on",
    "swap_file",
    "swap_compressed",
    "names_apart",
]


class Confirm(StepBase, frozen=True, tag="confirm"):
    """A person makes sure of something and says so."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

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
    """Something done inside the system that owns a volume. ``size``: of a swap file, in bytes."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

    call: Call
    what: Preparation
    size: Count = 0

    def stands_in(self) -> tuple[str, ...]:
        """A swap file is made by a person, and not on the bench."""
        return (self.call,) if self.what == "swap_file" else ()

    def apply(self, machine: Machine) -> Machine:
        """Wake a sleeping volume, clear its check mark, or fill the root by a swap file."""
        _, owner = volume_of(machine, self.call)
        if self.what == "swap_file":
            mounts = owner.holds.mounts if owner.holds else ()
            return machine.with_volume(self.call, lambda one: fuller_root(one, self.size, mounts))

        def change(volume: Volume) -> Volume:
            if volume.filesystem is None:
                return volume
            asleep = volume.filesystem.hibernated and self.what != "fast_startup_off"
            dirty = volume.filesystem.dirty and self.what not in {"check_volume", "check_outside"}
            return replace(volume, filesystem=replace(volume.filesystem, hibernated=asleep, dirty=dirty))

        return machine.with_volume(self.call, change)


class Prove(StepBase, frozen=True, tag="prove"):
    """A person starts a system and looks."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

    call: Call
    when: Literal["after shrinking", "new", "every old one", "before removing", "mended"]

    def apply(self, machine: Machine) -> Machine:
        """Looking changes nothing; the system must be there."""
        if machine.system(self.call) is None:
            volume_of(machine, self.call)
        return machine
