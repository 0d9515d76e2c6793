"""The aim "beside": one more system on a disk where another one is, as a list of steps in the order of the work."""

from typing import ClassVar

from inkshelf.core.aims.base import AimBase, Need, Picture, Question
from inkshelf.core.aims.installing import Startup, active, entered, finding_others, install, required_startup, startup_on
from inkshelf.core.aims.menus import menus_anew
from inkshelf.core.aims.safety import assured, clocks_differ, hidden, of_nt, proved, resumed, suspended, woken
from inkshelf.core.aims.shares import Swap, comfortable, divide, least
from inkshelf.core.aims.systems import (
    ESP_ANSWERS,
    Esp,
    Home,
    disk_question,
    home_question,
    known_system,
    layout_on,
    needs_of,
    size_question,
    swap_question,
    system_question,
)
from inkshelf.core.aims.volumes import lead, make
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import fit, possible
from inkshelf.core.machine.profiles import Profile, profile
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.size import MIB
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, Prove, SetOrder, Shrink, Step
from inkshelf.core.texts import Count, Key, Letter
from inkshelf.core.value import replace


class Beside(AimBase, frozen=True, tag="beside"):
    """One more system beside the one that is there.

    ``size_bytes`` is all of its volumes together (``None``: comfortable); ``root_bytes`` the root volume where home is apart
    (``None``: by the default shares).
    """

    title: ClassVar[str] = "One more system beside the one that is there"
    about: ClassVar[str] = "The old system gives room from its end, or a gap that is there is used; both start from then on."
    short: ClassVar[str] = "one more beside"
    picture: ClassVar[Picture] = (((0, 0.8, "ink"), (0.82, 1, "gap")), ((0, 0.52, "ink"), (0.54, 1, "pencil")))

    system: Key = "linux-desktop"
    size_bytes: Count | None = None
    esp: Esp = "shared"
    swap: Swap = "sqrt"
    home: Home = "together"
    disk: Letter = "A"
    root_bytes: Count | None = None

    def sentence(self, found: Machine) -> str:
        """Name the system, what it stands beside, and the disk."""
        owner = next((one.call for disk, one in found.volumes() if one.holds and disk.id == self.disk), "what is there")
        return f"A {profile(self.system).title} beside {owner} on disk {self.disk}"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the schools; the usual answer follows from this machine."""
        return (
            system_question("linux-desktop", "what customers ask for most"),
            size_question("Room for it"),
            Question(
                "esp", "EFI system partition", ESP_ANSWERS, "own", "the other system's repairs and updates leave it alone"
            ),
            home_question(),
            swap_question(found),
            disk_question(found, "A", "the first disk"),
        )

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the new volumes with their floors and comforts."""
        kind = known_system(self.system, ("linux", "nt"))
        disk = next((one for one in found.disks if one.id == self.disk), Disk("A", 0))
        return needs_of(
            kind,
            replace(
                layout_on(disk, found),
                own_esp=self.esp == "own",
                swap=self.swap,
                home=self.home,
                root_bytes=self.root_bytes or 0,
                sizes=self.sizes,
            ),
        )

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` with what to do where this machine has no room or no way for it."""
        kind = known_system(self.system, ("linux", "nt"))
        disk = _suitable(found, self)
        needs = self.needs(found)
        place = fit(disk, self.size_bytes or comfortable_size(found, self))
        room = place.size - lead(disk, len(needs), logical=place.logical)
        sizes = divide(needs, room)
        given = (*taken, *found.calls())
        new = make(disk, place, tuple((need, sizes[need.part]) for need in needs), seed, given)
        startup = required_startup(disk, new, layout_on(disk, found).mode)
        done = install(kind, disk, new, startup, fallback=self.esp == "own")
        hide, show = hidden(found) if self.esp == "own" and startup else ([], [])
        steps: list[Step] = [*assured(found), *suspended(found), *woken(found, [place.giver] if place.giver else [])]
        if place.giver is not None:
            steps.append(Shrink(place.giver.call, place.giver_bytes))
            steps += [Prove(place.giver.call, "after shrinking")] if place.giver.holds else []
        steps += hide
        steps += [*new.steps, *active(kind, disk, done), Confirm("summary"), done]
        steps += show
        steps += [*finding_others(found, done), *_entries(found, disk, kind, startup)]
        steps += [Prove(done.call, "new"), *proved(found), *resumed(found)]
        steps += [Confirm("clock")] if clocks_differ(found, (kind.family,)) else []
        return identified((*steps, Confirm("tidy")), self.id)


def _entries(found: Machine, disk: Disk, kind: Profile, startup: Startup | None) -> list[Step]:
    """The new entry; an NT-family installer takes the first place for its own, and the menu that was there gets it back."""
    made = entered(found, disk, kind, startup)
    order = found.firmware.order
    if kind.family != "nt" or not made:
        return made
    number = made[0].entry.number  # type: ignore[attr-defined]
    back = [SetOrder((*order, number))] if order else []
    return [*made, *back, *menus_anew(found, disk)]


def comfortable_size(found: Machine, aim: Beside) -> int:
    """Return the room for "as much as is comfortable": every volume comfortable, or what is possible, whole MiB."""
    disk, needs = found.disk(aim.disk), aim.needs(found)
    most, wanted = possible(disk), comfortable(needs)
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
    if aim.esp == "shared" and found.firmware.mode != "legacy" and startup_on(disk) is None:
        raise PlanError(f"Disk {disk.id} has no EFI system partition to share.", "Choose an EFI system partition of its own.")
    return disk
