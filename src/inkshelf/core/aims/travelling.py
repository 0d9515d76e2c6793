"""The aim "travelling": a complete system on an external disk that starts on any machine; nothing is left on the internal one."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import Need, Picture, Question, held
from inkshelf.core.aims.building import Site, built, share_need
from inkshelf.core.aims.owning import Share, new_table, spread, the_disk
from inkshelf.core.aims.safety import Others, assured, forgotten, guarded, others_question, proved, resumed, suspended, woken
from inkshelf.core.aims.schools import Schools
from inkshelf.core.aims.shares import Swap
from inkshelf.core.aims.systems import (
    Layout,
    disk_question,
    known_system,
    layout_on,
    needs_of,
    share_question,
    size_question,
    system_question,
    there_question,
)
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, Prove, Step
from inkshelf.core.texts import Count, Key, Letter
from inkshelf.core.value import replace


class Travelling(Schools, frozen=True, tag="travelling"):
    """A system that travels on ``disk``: its own EFI system partition with the fallback file, no entry in any machine's firmware."""

    medium: ClassVar[Literal["", "installer", "live"]] = "installer"
    title: ClassVar[str] = "A system that travels on an external disk"
    about: ClassVar[str] = "It starts on any machine by its fallback file; the machine that it is made on keeps nothing of it."
    short: ClassVar[str] = "one that travels"
    picture: ClassVar[Picture] = (((0, 0.62, "ink"),), ((0, 0.62, "ink"), (0.76, 1, "pencil")))

    system: Key = "linux-desktop"
    disk: Letter = "B"
    what_is_there: Literal["keep", "erase"] = "keep"
    size_bytes: Count | None = None
    swap: Swap = "none"
    share: Share = "none"
    others: Others = "hide"

    def sentence(self, found: Machine) -> str:
        """Name the system and the disk that it travels on."""
        return f"A {profile(self.system).title} that travels on disk {self.disk}"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; the external disk is the removable one."""
        outside = [one for one in found.disks if one.removable or one.transport == "usb"]
        outside.sort(key=lambda one: not one.stick)  # a stick may be what others start from
        usual = (outside or found.disks)[-1].id if found.disks else "B"
        return (
            system_question("linux-desktop", "drivers for most machines", ("linux",)),
            disk_question(found, usual, "it is external" if outside else "the last one; none is known to be external"),
            there_question(found, self.disk),
            size_question("Room for the system"),
            *self.school_questions(found, (self.system,), portable=True),
            share_question("Files that other machines read"),
            others_question(),
        )

    def _layout(self, found: Machine) -> Layout:
        disk = next((one for one in found.disks if one.id == self.disk), Disk("B", 0))
        fresh = self.what_is_there == "erase" or disk.table.kind == "none"
        plain = layout_on(disk, found)
        table: Literal["gpt", "mbr"] = "gpt" if fresh else plain.table
        return replace(self.schooled(plain), own_esp=True, mode="uefi", table=table)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the system's volumes, and the shared one."""
        return (
            *needs_of(known_system(self.system, ("linux",)), self._layout(found)),
            *held(share_need(self.share), self.sizes),
        )

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` for a system that does not start from a portable disk, or a disk that is no other one."""
        kind = known_system(self.system, ("linux",))
        if not kind.portable:
            raise PlanError(f"{kind.title} does not start from a portable disk.", "Choose linux-desktop.")
        if found.firmware.mode == "legacy":
            raise PlanError(
                "This machine starts the legacy way; a disk that starts on others is made for UEFI, and its installer has to be started so.",
                "Make it on a machine that starts by UEFI, or set the firmware's mode first.",
            )
        disk = the_disk(found, self.disk)
        if any(one.holds for one in disk.volumes):
            raise PlanError(f"A system is on disk {disk.id} already.", "Choose the external disk.")
        fresh = disk.table.kind == "none" or self.what_is_there == "erase"
        tabled = new_table(disk, "gpt", seed) if fresh else []
        after = fold(found, tuple(tabled)).planned
        needs = self.needs(found)
        sizes, place = spread(after.disk(disk.id), needs, self.size_bytes)
        lost = frozenset(one.call for one in disk.volumes) if tabled else frozenset[str]()
        hide, show = guarded(found, self.others, disk.id)
        site = Site(after, disk.id, place, seed, (*taken, *found.calls()))
        work = built(site, kind, self._layout(found), needs, sizes, fallback=True)
        steps: list[Step] = [*self.chosen(assured(found)), Confirm("ports"), *suspended(found), *self.off_before(found)]
        steps += [*woken(found, [], lost), *hide, *tabled]
        steps += [*work.making, Confirm("summary"), work.install, *show, Confirm("target_in"), *work.inside]
        steps += [*self.on_again(found), Prove(work.install.call, "new")]
        steps += [Confirm("disk_out"), *forgotten(found, lost), *proved(found, lost), *resumed(found, lost), Confirm("tidy")]
        return identified(tuple(steps), self.id)
