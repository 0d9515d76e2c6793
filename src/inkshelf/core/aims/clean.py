"""The aim "clean": one to eight systems on an empty or emptied disk, in one go."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import Answer, Need, Picture, Question, held, primary
from inkshelf.core.aims.building import Site, Work, built, mounted_everywhere, share_need
from inkshelf.core.aims.owning import Share, new_table, the_disk
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
from inkshelf.core.aims.sequence import Sequence, ordered, put_right, refuse_covered, sequence_question
from inkshelf.core.aims.shares import divide
from inkshelf.core.aims.systems import (
    Layout,
    built_in,
    disk_question,
    layout_on,
    needs_of,
    share_question,
    size_question,
    system_question,
)
from inkshelf.core.aims.typing import By, by_question, refuse_untyped, typed
from inkshelf.core.aims.volumes import logicals
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit, stretches
from inkshelf.core.machine.profiles import Profile, profile
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.size import MIB, align_down, align_up, binary
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, Enclose, Prepare, Prove, Regenerate, Step
from inkshelf.core.texts import Count, Key, Letter
from inkshelf.core.value import replace

MOST = 8
TABLE_ANSWERS = (
    Answer("GPT", "gpt", "For UEFI, and for disks of any size; both copies of it are kept."),
    Answer("MBR", "mbr", "For machines that start the legacy way only; four primary volumes, 2 TiB at most."),
)


class Clean(Schools, frozen=True, tag="clean"):
    """One to eight systems on a disk that is emptied first; ``size_bytes``: all of them together (``None``: the whole disk)."""

    medium: ClassVar[Literal["", "installer", "live"]] = "installer"
    title: ClassVar[str] = "One or more systems on an emptied disk"
    about: ClassVar[str] = (
        "A new table, then every volume and every system in the order that needs the fewest repairs: NT family first."
    )
    short: ClassVar[str] = "from nothing"
    picture: ClassVar[Picture] = (((0, 1, "gap"),), ((0, 0.12, "pencil"), (0.14, 0.58, "pencil"), (0.6, 1, "pencil")))

    systems: tuple[Key, ...] = ("linux-desktop",)
    disk: Letter = "A"
    table: Literal["gpt", "mbr"] = "gpt"
    share: Share = "none"
    size_bytes: Count | None = None
    order: Sequence = "nt-first"
    by: By = "installer"
    others: Others = "hide"

    def sentence(self, found: Machine) -> str:
        """Name the systems and the disk."""
        return f"{', '.join(profile(one).title for one in self.systems) or 'Nothing'} on disk {self.disk}, which is emptied"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; the table follows from the firmware's mode."""
        legacy = found.firmware.mode == "legacy"
        there = sorted(built_in(found), key=lambda one: one.removable)
        empty = [one.id for one in there if not one.volumes]
        systems = system_question("linux-desktop", "one is enough to begin with; eight at most, with commas between")
        return (
            replace(systems, key="systems", title="Systems", kind="systems"),
            disk_question(
                found, (empty or [one.id for one in there] or ["A"])[0], "nothing is on it" if empty else "the first disk"
            ),
            Question(
                "table",
                "Table",
                TABLE_ANSWERS,
                "mbr" if legacy else "gpt",
                "the firmware starts the legacy way" if legacy else "the firmware is UEFI, or is not known yet",
            ),
            size_question("Room for all of them", "the whole disk"),
            sequence_question(),
            *self.school_questions(found, self.systems),
            by_question(),
            share_question("Files that all systems share"),
            others_question(),
        )

    def _ordered(self) -> tuple[Profile, ...]:
        return ordered(self.systems, self.order)

    def _layouts(self, found: Machine) -> tuple[Layout, ...]:
        disk = next((one for one in found.disks if one.id == self.disk), Disk("A", 0))
        plain = replace(self.schooled(layout_on(disk, found)), table=self.table)
        each = self.side_by_side(plain, self._ordered())
        after_nt = {number for number, kind in enumerate(self._ordered()) if kind.family == "nt"}
        return tuple(
            replace(one, own_esp=number == 0, active=bool(after_nt and min(after_nt) < number))
            for number, one in enumerate(each)
        )

    def _by_system(self, found: Machine) -> tuple[tuple[Need, ...], ...]:
        """Only the first NT-family system has reserved and recovery volumes, and only one set of core or EFI system partition is made."""
        groups, seen = [], set()
        for kind, layout in zip(self._ordered(), self._layouts(found), strict=True):
            own = [
                need
                for need in needs_of(kind, layout)
                if need.type_key not in seen or need.type_key not in {"nt_reserved", "nt_recovery", "bios_boot"}
            ]
            seen |= {need.type_key for need in own}
            groups.append(tuple(own))
        if groups and self.share != "none":
            groups[-1] = (*groups[-1], *held(share_need(self.share), self.sizes))
        return tuple(groups)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the volumes of every system, in the order in which they are made."""
        return tuple(need for group in self._by_system(found) for need in group)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where there are none or too many systems, or no room for their floors."""
        if not 1 <= len(self.systems) <= MOST:
            raise PlanError(f"{len(self.systems)} systems are named.", f"Name one to {MOST}, with commas between.")
        disk = the_disk(found, self.disk)
        lost = frozenset(one.call for one in disk.volumes)
        hide, show = guarded(found, self.others, disk.id)
        steps: list[Step] = [*self.chosen(assured(found)), *suspended(found), *self.off_before(found)]
        steps += [*woken(found, [], lost), *hide, *new_table(disk, self.table, seed)]
        now = fold(found, tuple(steps)).planned
        sizes, places, enclosed = self._spread(now.disk(disk.id), found, seed)
        steps += enclosed
        kinds, layouts, groups = self._ordered(), self._layouts(found), _parted(now.disk(disk.id), self._by_system(found))
        refuse_covered(kinds, found.firmware.mode)
        given = [*taken, *found.calls()]
        works: list[tuple[Profile, Work]] = []
        later: list[Step] = []
        for number, (kind, layout, group) in enumerate(zip(kinds, layouts, groups, strict=True)):
            now = fold(found, tuple(steps)).planned
            work = built(
                Site(now, disk.id, places[number], f"{seed}/{number}" if number else seed, tuple(given)),
                kind,
                layout,
                group,
                sizes,
                fallback=number == 0,
            )
            given += [one.call for one in work.new.create]
            waits = [one for one in work.entering if self.by == "typed" and isinstance(one, Prepare | Regenerate)]
            steps += [*work.making, *self._installing(kind, work, first=not number)]
            steps += [one for one in work.entering if one not in waits]
            later += waits  # what is done in a new system itself waits until all of them are typed: one start less for each
            works.append((kind, work))
        steps += later
        steps += put_right(fold(found, tuple(steps)).planned, tuple(works), self.menu)
        steps += [*show, *forgotten(found, lost)]
        steps += mounted_everywhere(fold(found, tuple(steps)).planned, works[-1][1].new)
        now = fold(found, tuple(steps)).planned
        new = [one.call for one in now.disk(disk.id).volumes if one.holds]
        return identified((*steps, *self._looked_at(found, now, new, lost)), self.id)

    def _looked_at(self, found: Machine, now: Machine, new: list[str], lost: frozenset[str]) -> list[Step]:
        """Every system is started, and what was changed for the work is put back."""
        steps: list[Step] = [
            *self.on_again(found),
            *(Prove(one, "new") for one in new),
            *proved(found, lost),
            *resumed(found, lost),
        ]
        return [*steps, *([Confirm("clock")] if clocks_differ(now) else []), Confirm("tidy")]

    def _installing(self, kind: Profile, work: Work, *, first: bool) -> list[Step]:
        """Who puts a system there: its installer, or a person, line by line."""
        if self.by == "installer" or kind.family != "linux":
            return [*([Confirm("summary")] if first else []), work.install]
        refuse_untyped(kind)
        before, install, after = typed(work.install, work.group)
        return [*before, install, *after]

    def _spread(self, disk: Disk, found: Machine, seed: str) -> tuple[dict[str, int], list[Fit], list[Step]]:
        """The size of every volume, where each system's stretch begins, and the extended partition where an MBR needs one."""
        needs, groups = self.needs(found), _parted(disk, self._by_system(found))
        free = max(stretches(disk), key=lambda one: one.size, default=None)
        if free is None:
            raise PlanError(f"Disk {disk.id} is too small for a table and a volume.", "Choose another disk.")
        inside = _inside(disk, groups)
        ahead = groups[0][-1].slot == "inside"  # but for its first volume
        room = align_down(min(free.size, self.size_bytes or free.size), MIB) - MIB * (sum(map(len, groups[inside:])) - ahead)
        floors = sum(max(one.floor, one.fixed) for one in needs)
        if floors > room:
            raise PlanError(
                f"The floors of these systems come to {binary(floors)}, and disk {disk.id} has {binary(room)}.",
                "Take fewer systems, lighter ones, or a larger disk.",
            )
        sizes, at, places = divide(needs, room), free.start, []
        for number, group in enumerate(groups):
            logical = number >= inside
            length = sum(align_up(sizes[need.part], MIB) + MIB * logical for need in group) - MIB * (ahead and not number)
            places.append(Fit(at, length, logical=logical and not (ahead and not number)))
            at += length
        if ahead:  # the extended partition is made behind that volume, up to the end of all of them
            return sizes, [replace(places[0], size=at - places[0].start), *places[1:]], []
        if inside == len(groups):
            return sizes, places, []
        first, number = places[inside].start, 1 + sum(map(len, groups[:inside]))
        return sizes, places, [Enclose(disk.id, number, first, at - first)]


def _parted(disk: Disk, groups: tuple[tuple[Need, ...], ...]) -> tuple[tuple[Need, ...], ...]:
    """Where all lies inside an extended partition but what had better not: that comes first and stays outside, where boot entries reach it."""
    if not groups or groups[0][0].slot != "better" or _inside(disk, groups):
        return groups
    return ((groups[0][0], *(replace(one, slot="inside") for one in groups[0][1:])), *groups[1:])


def _inside(disk: Disk, groups: tuple[tuple[Need, ...], ...]) -> int:
    """The first system whose volumes lie inside an extended partition, where the table has not slots enough for all; else how many there are.

    Raises ``PlanError`` where more have to be primary volumes than there are slots.
    """
    if not any(logicals(disk, tuple(need for group in groups for need in group), logical=False)):
        return len(groups)
    inside = 1 + max((number for number, group in enumerate(groups) if primary(group)), default=-1)
    outside = tuple(replace(need, slot="primary") for group in groups[:inside] for need in group)
    logicals(disk, (*outside, *(need for group in groups[inside:] for need in group)), logical=False)
    return inside
