"""The aim "beside": one more system on a disk where another one is, as a list of steps in the order of the work."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import Need, Picture, Question, primary
from inkshelf.core.aims.dividing import by_itself, dividing_question
from inkshelf.core.aims.safety import of_nt
from inkshelf.core.aims.schools import Schools
from inkshelf.core.aims.sealing import refuse_sealed
from inkshelf.core.aims.shares import comfortable, least
from inkshelf.core.aims.systems import (
    ESP_QUESTION,
    Esp,
    Layout,
    built_in,
    disk_question,
    known_system,
    layout_on,
    needs_of,
    size_question,
    system_question,
)
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import possible, stretches
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.roles import startup_on
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.size import MIB, binary
from inkshelf.core.steps.kinds import Step
from inkshelf.core.steps.making import Divides
from inkshelf.core.texts import Count, Key, Letter
from inkshelf.core.value import replace


class Beside(Schools, frozen=True, tag="beside"):
    """One more system beside the one that is there.

    ``size_bytes`` is all of its volumes together (``None``: comfortable); ``root_bytes`` the root volume where home is apart
    (``None``: by the default shares).
    """

    medium: ClassVar[Literal["", "installer", "live"]] = "installer"
    title: ClassVar[str] = "One more system beside the one that is there"
    about: ClassVar[str] = "The old system gives room from its end, or a gap that is there is used; both start from then on."
    short: ClassVar[str] = "one more beside"
    picture: ClassVar[Picture] = (((0, 0.8, "ink"), (0.82, 1, "gap")), ((0, 0.52, "ink"), (0.54, 1, "pencil")))

    system: Key = "linux-desktop"
    size_bytes: Count | None = None
    esp: Esp = "shared"
    disk: Letter = "A"
    root_bytes: Count | None = None
    divides: Divides = "hand"

    def sentence(self, found: Machine) -> str:
        """Name the system, what it stands beside, and the disk."""
        owner = next((one.call for disk, one in found.volumes() if one.holds and disk.id == self.disk), "what is there")
        return f"A {profile(self.system).title} beside {owner} on disk {self.disk}"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the schools; the usual answer follows from this machine."""
        return (
            system_question("linux-desktop", "what customers ask for most"),
            size_question("Room for it"),
            dividing_question(profile(self.system)),
            *((ESP_QUESTION,) if self.divides == "hand" else ()),
            *self.school_questions(found, (self.system,), by_itself=self.divides != "hand"),
            disk_question(found, *self._usual_disk(found)),
        )

    def _usual_disk(self, found: Machine) -> tuple[str, str]:
        """A gap that is there is used first, on another disk too: nothing has to shrink then."""
        need = max(self.size_bytes or 0, profile(self.system).floor)
        inside = [one for one in found.disks if one.table.kind != "none" and not one.removable]
        gaps = {one.id: max((gap.size for gap in stretches(one)), default=0) for one in inside}
        first = built_in(found)[0].id if found.disks else "A"
        other = next((letter for letter, size in gaps.items() if size >= need), first)
        if other == first or gaps.get(first, 0) >= need:
            return first, "the first disk"
        return other, f"{binary(gaps[other])} are free there: nothing has to shrink"

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the new volumes with their floors and comforts."""
        kind = known_system(self.system, ("linux", "nt"))
        refuse_sealed(kind, self.encryption)
        return needs_of(kind, self.layout(found))

    def layout(self, found: Machine) -> Layout:
        """Return how its volumes are laid out."""
        disk = next((one for one in found.disks if one.id == self.disk), Disk("A", 0))
        plain = replace(self.schooled(layout_on(disk, found)), own_esp=self.esp == "own", root_bytes=self.root_bytes or 0)
        return by_itself(profile(self.system), replace(plain, divides=self.divides), disk)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` with what to do where this machine has no room or no way for it."""
        from inkshelf.core.aims.beside_steps import (
            beside_steps,  # late: who looks at a plan makes none, and the window is ready sooner
        )

        known_system(self.system, ("linux", "nt"))
        disk = _suitable(found, self)
        return beside_steps(self, found, disk, self.size_bytes or comfortable_size(found, self), seed, taken)


def comfortable_size(found: Machine, aim: Beside) -> int:
    """Return the room for "as much as is comfortable": every volume comfortable, or what is possible, whole MiB."""
    disk, needs = found.disk(aim.disk), aim.needs(found)
    most, wanted = possible(disk, primary=primary(needs)), comfortable(needs)
    return max(min(wanted, most), min(least(needs), wanted)) // MIB * MIB


def _suitable(found: Machine, aim: Beside) -> Disk:
    try:
        disk = found.disk(aim.disk)
    except KeyError:
        raise PlanError(f"There is no disk {aim.disk} in this job.", "Take a disk in first.") from None
    if disk.table.kind == "none":
        raise PlanError(
            f"Disk {disk.id} has no partition table that a system could be put beside another one in.",
            "Choose another disk, or plan a system on a disk of its own.",
        )
    if found.firmware.mode == "legacy" and disk.table.kind == "gpt" and any(of_nt(one) for one in disk.volumes):
        raise PlanError(
            "The firmware starts the legacy way, and the disk is GPT.",
            "Set the firmware mode to UEFI under Intake, if that is what it is.",
        )
    if aim.divides == "hand" and aim.esp == "shared" and found.firmware.mode != "legacy" and startup_on(disk) is None:
        raise PlanError(f"Disk {disk.id} has no EFI system partition to share.", "Choose an EFI system partition of its own.")
    return disk
