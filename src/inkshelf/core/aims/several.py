"""The aim "several": three or more systems on one to four disks, each where it fits best; nothing that is there is given up.

With UEFI they go to disks with a GPT. The legacy way they go to those with an MBR, and only where there is none to those with a GPT: how many
volumes a system needs depends on the table, and is the same for all of them.
"""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, ClassVar, Literal

from inkshelf.core.aims.base import Answer, Need, Picture, Question, held
from inkshelf.core.aims.building import Site, Work, built, mounted_everywhere, share_need
from inkshelf.core.aims.menus import code_again
from inkshelf.core.aims.owning import Share, new_table
from inkshelf.core.aims.safety import (
    Others,
    assured,
    clocks_differ,
    guarded,
    others_question,
    proved,
    resumed,
    suspended,
    woken,
)
from inkshelf.core.aims.schools import Schools
from inkshelf.core.aims.sequence import Sequence, ordered, put_right, refuse_covered, sequence_question
from inkshelf.core.aims.systems import Layout, layout_on, needs_of, share_question, system_question
from inkshelf.core.aims.volumes import make
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit
from inkshelf.core.machine.profiles import Profile, profile
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.size import MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, Enclose, Prove, Shrink, Step
from inkshelf.core.steps.tables import PRIMARIES
from inkshelf.core.texts import Key
from inkshelf.core.value import replace

if TYPE_CHECKING:
    from inkshelf.core.fit.question import Answer as Fitted
    from inkshelf.core.fit.question import Problem, Put, Refusal

MOST = 8
MOVE_ANSWERS = (
    Answer("nothing moves", "no", "Only gaps are used, and room that volumes give from their ends."),
    Answer(
        "what is in the way may move",
        "yes",
        "As few volumes as can be, and the fewest bytes; a cut in a move costs the most time.",
    ),
)


class Several(Schools, frozen=True, tag="several"):
    """Systems side by side, on whichever disks they fit best; each has an EFI system partition of its own."""

    medium: ClassVar[Literal["", "installer", "live"]] = "installer"
    title: ClassVar[str] = "Three or more systems, each where it fits best"
    about: ClassVar[str] = (
        "Sizes and places are worked out exactly over all disks: the worst-off volume as comfortable as can be."
    )
    short: ClassVar[str] = "three or more"
    slow: ClassVar[bool] = True
    picture: ClassVar[Picture] = (
        ((0, 0.46, "ink"), (0.48, 0.58, "gap"), (0.68, 0.82, "ink"), (0.84, 1, "gap")),
        ((0, 0.3, "ink"), (0.32, 0.44, "pencil"), (0.46, 0.58, "pencil"), (0.68, 0.82, "ink"), (0.84, 1, "pencil")),
    )

    systems: tuple[Key, ...] = ("linux-desktop", "linux-light")
    moves: Literal["no", "yes"] = "no"
    order: Sequence = "nt-first"
    others: Others = "hide"
    share: Share = "none"

    def sentence(self, found: Machine) -> str:
        """Name the systems."""
        return f"{', '.join(profile(one).title for one in self.systems) or 'Nothing'}, each where it fits best"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions."""
        systems = system_question("linux-desktop,linux-light", "two to begin with; eight at most, with commas between")
        return (
            replace(systems, key="systems", title="Systems", kind="systems"),
            Question("moves", "Volumes in the way", MOVE_ANSWERS, "no", "no volume moved is the safest"),
            sequence_question(),
            *self.school_questions(found, self.systems),
            share_question("Files that all systems share"),
            others_question(),
        )

    def _ordered(self) -> tuple[Profile, ...]:
        return ordered(self.systems, self.order)

    def _layouts(self, found: Machine) -> tuple[Layout, ...]:
        table = _table(found)
        plain = next((layout_on(one, found) for one in found.disks if one.table.kind == table), None)
        plain = plain or replace(layout_on(Disk("A", 0), found), table=table)
        sector = max((one.sector for one in found.disks), default=512)
        mine = replace(self.schooled(plain), own_esp=True, sector=sector, active=False)  # its disk may have no active volume
        return self.side_by_side(mine, self._ordered())

    def _by_system(self, found: Machine) -> tuple[tuple[Need, ...], ...]:
        return tuple(needs_of(kind, layout) for kind, layout in zip(self._ordered(), self._layouts(found), strict=True))

    def _shared(self) -> tuple[Need, ...]:
        """What all systems share may lie elsewhere than any of them."""
        return held(tuple(replace(one, piece="shared") for one in share_need(self.share)), self.sizes)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the volumes of every system, in the order in which they are made, and the one that they share."""
        return (*(need for group in self._by_system(found) for need in group), *self._shared())

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` that names the limits which contradict each other where nothing fits."""
        if not 1 <= len(self.systems) <= MOST:
            raise PlanError(f"{len(self.systems)} systems are named.", f"Name one to {MOST}, with commas between.")
        kinds = self._ordered()
        refuse_covered(kinds, found.firmware.mode)
        bare, tabled = _with_tables(found, seed)
        fitted = self._fitted(tabled, self._by_system(found))
        used = {one.disk for one in fitted.put}
        touched = [one for _, one in found.volumes() if one.call in fitted.shrunk or one.call in fitted.moved]
        steps: list[Step] = [*self.chosen(assured(found)), *suspended(found), *self.off_before(found), *woken(found, touched)]
        steps += _rearranged(found, fitted)
        hide, show = guarded(found, self.others, "")
        steps += [*hide, *(step for letter, made in bare.items() if letter in used for step in made)]
        steps += _enclosed(fold(found, tuple(steps)).planned, fitted)
        steps, works = self._built(found, seed, taken, steps, fitted)
        steps += put_right(fold(found, tuple(steps)).planned, tuple(works), self.menu)
        steps += _codes_again(found, works)
        steps += show
        now = fold(found, tuple(steps)).planned
        steps += self.on_again(found)
        steps += [Prove(one.call, "new") for _, one in now.volumes() if one.holds and one.planned]
        steps += [*proved(found), *resumed(found), *([Confirm("clock")] if clocks_differ(now) else [])]
        return identified((*steps, Confirm("tidy")), self.id)

    def _built(
        self, found: Machine, seed: str, taken: tuple[str, ...], steps: list[Step], fitted: Fitted
    ) -> tuple[list[Step], list[tuple[Profile, Work]]]:
        """Every system on its place, one after the other, and then what they share."""
        put = {one.key: one for one in fitted.put}
        given = [*taken, *found.calls()]
        works: list[tuple[Profile, Work]] = []
        for number, (kind, layout, group) in enumerate(
            zip(self._ordered(), self._layouts(found), self._by_system(found), strict=True)
        ):
            now = fold(found, tuple(steps)).planned
            place, sizes = _place(group, put)
            site = Site(now, put[group[0].part].disk, place, f"{seed}/{number}" if number else seed, tuple(given))
            work = built(site, kind, layout, group, sizes, fallback=True)
            given += [one.call for one in work.new.create]
            steps = [*steps, *work.making, Confirm("summary"), work.install, *work.entering]
            works.append((kind, work))
        if not self._shared():
            return steps, works
        now, (place, sizes) = fold(found, tuple(steps)).planned, _place(self._shared(), put)
        disk = now.disk(put["share"].disk)
        new = make(disk, place, tuple((one, sizes[one.part]) for one in self._shared()), f"{seed}/share", tuple(given))
        steps = [*steps, *new.steps]
        return [*steps, *mounted_everywhere(fold(found, tuple(steps)).planned, new)], works

    def proven(self, found: Machine, seed: str) -> bool:
        """Tell whether the placement was proved to be the best: else there was no time to find out."""
        return self._fitted(_with_tables(found, seed)[1], self._by_system(found)).proven

    def _fitted(self, found: Machine, groups: tuple[tuple[Need, ...], ...]) -> Fitted:
        from inkshelf.core.fit.problem import problem_of  # late: no other aim needs the solver, which takes long to load
        from inkshelf.core.fit.question import Ask, Piece, Refusal

        def asked(need: Need) -> Ask:
            comfort = _mib(max(need.comfort, need.floor))
            return Ask(need.part, _mib(need.floor), comfort, _mib(need.fixed), need.grows, need.slot == "primary")

        pieces = [
            Piece(f"{kind.title}{layout.mark}", tuple(map(asked, group)))
            for kind, layout, group in zip(self._ordered(), self._layouts(found), groups, strict=True)
        ]
        pieces += [Piece("what they share", tuple(map(asked, self._shared())))] if self._shared() else []
        table = _table(found)
        problem = problem_of(found, tuple(pieces), moves=self.moves == "yes", table=table)
        if not problem.shelves:
            raise PlanError(
                f"No disk here has {_named(table)} that systems could be put on.",
                "Change the table of one, which keeps what is on it: the aim table. Or empty one: the aim clean.",
            )
        fitted = _solved(problem)
        if isinstance(fitted, Refusal):
            said = "; ".join(fitted.because) or "the disks are smaller than what stands on them"
            more = "let what is in the way move, " if self.moves == "no" else ""
            left_out = ", ".join(one.id for one in found.disks if one.table.kind != table)
            said += f"; disk {left_out} is left out: it has not {_named(table)}" if left_out else ""
            raise PlanError(
                f"These limits contradict each other: {said}.",
                f"Give one of them up: {more}take fewer or lighter systems, or another disk.",
            )
        return fitted


def _table(found: Machine) -> Literal["gpt", "mbr"]:
    """Which kind of table systems are put on: a machine that starts the legacy way takes those with an MBR, where it has any."""
    on_mbr = any(one.table.kind == "mbr" or _bare(one) for one in found.disks)
    return "mbr" if found.firmware.mode == "legacy" and on_mbr else "gpt"


def _named(table: str) -> str:
    return "an MBR" if table == "mbr" else "a GPT"


def _bare(disk: Disk) -> bool:
    return disk.table.kind == "none" and not disk.volumes


def _with_tables(found: Machine, seed: str) -> tuple[dict[str, list[Step]], Machine]:
    """A disk with nothing on it, not even a table, gets one where something goes there: nobody loses anything by that."""
    bare = {one.id: new_table(one, _table(found), seed) for one in found.disks if _bare(one)}
    return bare, fold(found, tuple(step for made in bare.values() for step in made)).planned


def _place(group: tuple[Need, ...], put: dict[str, Put]) -> tuple[Fit, dict[str, int]]:
    """Where one system lies, records of logical volumes counted in, and the size of each of its volumes in bytes."""
    first, sizes = put[group[0].part], {need.part: put[need.part].size * MIB for need in group}
    records = MIB * first.logical
    return Fit(first.start * MIB - records, sum(sizes.values()) + records * len(group), logical=first.logical), sizes


def _enclosed(now: Machine, fitted: Fitted) -> list[Step]:
    """An extended partition on every disk where volumes lie inside one that is not there yet."""
    steps: list[Step] = []
    for disk in now.disks:
        inside = [one for one in fitted.put if one.disk == disk.id and one.logical]
        if inside and disk.table.extended is None:
            outside = sum(one.disk == disk.id and not one.logical for one in fitted.put)
            taken = {one.number for one in disk.volumes}
            number = [one for one in range(1, PRIMARIES + 1) if one not in taken][outside]
            start = min(one.start for one in inside) - 1
            steps.append(Enclose(disk.id, number, start * MIB, (max(one.start + one.size for one in inside) - start) * MIB))
    return steps


def _codes_again(found: Machine, works: list[tuple[Profile, Work]]) -> list[Step]:
    """The legacy way: on a disk whose menu an NT-family installer covered, and no later system of the Linux family wrote it anew."""
    last = {work.install.code_on: kind.family for kind, work in works}
    return [step for disk in found.disks if last.get(disk.id) == "nt" for step in code_again(found, disk)]


@lru_cache(maxsize=16)
def _solved(problem: Problem) -> Fitted | Refusal:
    """An edit that asks for nothing else plans the same problem anew: it is solved once."""
    from inkshelf.core.fit.solve import solve

    return solve(problem)


def _rearranged(found: Machine, fitted: Fitted) -> list[Step]:
    """What shrinks and what moves, disk by disk; then every system that was shrunk is looked at."""
    from inkshelf.core.fit.order import Target, order  # late: most plans move nothing

    steps: list[Step] = []
    for disk in found.disks:
        targets = tuple(
            Target(
                one.call,
                one.start + (fitted.moved.get(one.call, one.start // MIB) - one.start // MIB) * MIB,
                one.size - _given(found, one.call, fitted),
            )
            for one in disk.volumes
            if one.call in fitted.shrunk or one.call in fitted.moved
        )
        steps += order(disk, targets) if targets else ()
    looked = [Prove(one.call, "after shrinking") for one in steps if isinstance(one, Shrink) and _holds(found, one.call)]
    return [*steps, *looked]


def _mib(size: int) -> int:
    return -(-size // MIB)


def _given(found: Machine, call: str, fitted: Fitted) -> int:
    """How many bytes a volume gives from its end; its length is counted from and to whole MiB."""
    place = found.find(call)
    if place is None or call not in fitted.shrunk:
        return 0
    volume = place[1]
    held = -(-volume.end // MIB) - volume.start // MIB
    return (held - fitted.shrunk[call]) * MIB


def _holds(found: Machine, call: str) -> bool:
    place = found.find(call)
    return bool(place and place[1].holds)
