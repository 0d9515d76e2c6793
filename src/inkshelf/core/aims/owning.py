"""The aim "own-disk": a system gets a disk of its own; what is left of it may hold files that every system reads and writes."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import Need, Picture, Question, held, primary
from inkshelf.core.aims.building import Site, built, mounted_everywhere, share_need
from inkshelf.core.aims.safety import (
    Others,
    assured,
    clocks_differ,
    forgotten,
    guarded,
    others_question,
    proved,
    resumed,
    suspended,
    woken,
)
from inkshelf.core.aims.schools import Schools
from inkshelf.core.aims.sealing import refuse_sealed
from inkshelf.core.aims.shares import comfortable, divide
from inkshelf.core.aims.systems import (
    Layout,
    built_in,
    disk_question,
    known_system,
    layout_on,
    needs_of,
    share_question,
    size_question,
    system_question,
    there_question,
)
from inkshelf.core.aims.volumes import lead
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit, stretches
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.size import MIB, align_down, binary
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, NewTable, Prove, Step
from inkshelf.core.texts import Count, Key, Letter
from inkshelf.core.value import replace

Share = Literal["none", "ntfs", "exfat"]


class OwnDisk(Schools, frozen=True, tag="own-disk"):
    """A system on a disk of its own, its loader on the same disk. ``size_bytes``: the system's volumes together (``None``: comfortable)."""

    medium: ClassVar[Literal["", "installer", "live"]] = "installer"
    title: ClassVar[str] = "A system on a disk of its own"
    about: ClassVar[str] = (
        "Loader and system on one disk, the others hidden or out during the work; the rest may be shared by all."
    )
    short: ClassVar[str] = "a disk of its own"
    picture: ClassVar[Picture] = (((0, 0.5, "ink"), (0.6, 1, "gap")), ((0, 0.5, "ink"), (0.6, 1, "pencil")))

    system: Key = "linux-desktop"
    disk: Letter = "B"
    what_is_there: Literal["keep", "erase"] = "keep"
    size_bytes: Count | None = None
    share: Share = "none"
    others: Others = "hide"

    def sentence(self, found: Machine) -> str:
        """Name the system and the disk."""
        return f"A {profile(self.system).title} on disk {self.disk}, which is its own"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; which disk is usual follows from where systems are."""
        there = built_in(found)
        free = [one for one in there if not any(volume.holds for volume in one.volumes)]
        usual = sorted(free or there, key=lambda one: not one.removable)[-1].id if there else "B"
        return (
            system_question("linux-desktop", "what customers ask for most"),
            disk_question(found, usual, "no system is on it"),
            there_question(found, self.disk),
            size_question("Room for the system"),
            *self.school_questions(found, (self.system,)),
            share_question("Files that all systems share"),
            others_question(),
        )

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the system's volumes, and the shared one."""
        kind = known_system(self.system, ("linux", "nt"))
        refuse_sealed(kind, self.encryption)
        own = needs_of(kind, self._layout(found))
        return (*own, *held(share_need(self.share), self.sizes))

    def _layout(self, found: Machine) -> Layout:
        disk = next((one for one in found.disks if one.id == self.disk), Disk("B", 0))
        plain = layout_on(disk, found)
        fresh = self.what_is_there == "erase" or disk.table.kind == "none"
        on_mbr = plain.mode == "legacy" and profile(self.system).family == "nt"
        table = ("mbr" if on_mbr else "gpt") if fresh else plain.table
        return replace(self.schooled(plain), own_esp=True, table=table)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where the disk is not there or has no room."""
        kind = known_system(self.system, ("linux", "nt"))
        disk = the_disk(found, self.disk)
        if any(one.holds for one in disk.volumes) and not self._fresh(disk):
            raise PlanError(
                f"A system is on disk {disk.id} already.",
                "Choose another disk, erase this one, or put it beside: the aim beside.",
            )
        tabled = new_table(disk, self._layout(found).table, seed) if self._fresh(disk) else []
        after = fold(found, tuple(tabled)).planned
        needs = self.needs(found)
        sizes, place = spread(after.disk(disk.id), needs, self.size_bytes)
        lost = frozenset(one.call for one in disk.volumes) if tabled else frozenset[str]()
        hide, show = guarded(found, self.others, disk.id if tabled else "")
        site = Site(after, disk.id, place, seed, (*taken, *found.calls()))
        work = built(site, kind, self._layout(found), needs, sizes, fallback=True)
        steps: list[Step] = [*self.chosen(assured(found)), *suspended(found), *self.off_before(found)]
        steps += [*woken(found, [], lost), *hide, *tabled]
        steps += [*work.making, Confirm("summary"), work.install, *show, *work.entering]
        steps += forgotten(found, lost)
        steps += mounted_everywhere(fold(found, tuple(steps)).planned, work.new)
        steps += [*self.on_again(found), Prove(work.install.call, "new"), *proved(found, lost), *resumed(found, lost)]
        steps += [Confirm("clock")] if clocks_differ(found, (kind.family,), lost) else []
        return identified((*steps, Confirm("tidy")), self.id)

    def _fresh(self, disk: Disk) -> bool:
        return disk.table.kind == "none" or self.what_is_there == "erase"


def the_disk(found: Machine, letter: str) -> Disk:
    """Return a disk of the job; raises ``PlanError`` where there is none of that letter."""
    try:
        return found.disk(letter)
    except KeyError:
        raise PlanError(
            f"There is no disk {letter} in this job.",
            f"Choose one of: {', '.join(one.id for one in found.disks)}." if found.disks else "Take a disk in first.",
        ) from None


def new_table(disk: Disk, table: str, seed: str) -> list[Step]:
    """Return the step that makes a fresh table."""
    from inkshelf.core.draw import guid

    identity = guid(seed, f"table {disk.id}")
    return [NewTable(disk.id, "gpt", identity) if table == "gpt" else NewTable(disk.id, "mbr", identity[:8].lower())]


def spread(disk: Disk, needs: tuple[Need, ...], size: int | None) -> tuple[dict[str, int], Fit]:
    """Return sizes in the largest free stretch of a disk: ``size`` for all but the shared volume, which takes the rest."""
    free = [one for one in stretches(disk) if not (one.logical and primary(needs))]
    if not free:
        where = " outside its extended partition" if stretches(disk) else ""
        raise PlanError(f"Disk {disk.id} has no free room{where}.", "Erase it, or choose another disk.")
    gap = max(free, key=lambda one: one.size)
    shared = [one for one in needs if one.part == "share"]
    own = tuple(one for one in needs if one.part != "share")
    room = align_down(gap.size, MIB) - lead(disk, needs, logical=gap.logical)
    floor = sum(one.fixed or one.floor for one in shared)
    mine = min(size or (comfortable(own) if shared else room), room - floor)
    if size and size > room - floor:
        raise PlanError(
            f"{binary(size)} cannot be on disk {disk.id}.", f"{binary(max(0, room - floor))} are free there in one piece."
        )
    sizes = divide(own, mine // MIB * MIB)
    if shared:
        sizes["share"] = shared[0].fixed or (room - sum(sizes.values())) // MIB * MIB
    return sizes, Fit(gap.start, gap.size, logical=gap.logical)
