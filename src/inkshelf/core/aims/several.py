"""The aim "several": three or more systems on one to four disks, each where it fits best; nothing that is there is given up."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, ClassVar, Literal

from inkshelf.core.aims.base import Answer, Need, Picture, Question
from inkshelf.core.aims.building import Site, Work, built
from inkshelf.core.aims.owning import new_table
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
from inkshelf.core.aims.sequence import Sequence, ordered, put_right, sequence_question
from inkshelf.core.aims.systems import Layout, layout_on, needs_of, system_question
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit
from inkshelf.core.machine.profiles import Profile, profile
from inkshelf.core.machine.state import Machine
from inkshelf.core.size import MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, Prove, Shrink, Step
from inkshelf.core.texts import Key
from inkshelf.core.value import replace

if TYPE_CHECKING:
    from inkshelf.core.fit.question import Answer as Fitted
    from inkshelf.core.fit.question import Problem, Refusal

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
            others_question(),
        )

    def _ordered(self) -> tuple[Profile, ...]:
        return ordered(self.systems, self.order)

    def _layouts(self, found: Machine) -> tuple[Layout, ...]:
        plain = next((layout_on(one, found) for one in found.disks if one.table.kind == "gpt"), Layout(ram=found.ram_bytes))
        sector = max((one.sector for one in found.disks), default=512)
        return self.side_by_side(replace(self.schooled(plain), own_esp=True, sector=sector), self._ordered())

    def _by_system(self, found: Machine) -> tuple[tuple[Need, ...], ...]:
        return tuple(needs_of(kind, layout) for kind, layout in zip(self._ordered(), self._layouts(found), strict=True))

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the volumes of every system, in the order in which they are made."""
        return tuple(need for group in self._by_system(found) for need in group)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` that names the limits which contradict each other where nothing fits."""
        if not 1 <= len(self.systems) <= MOST:
            raise PlanError(f"{len(self.systems)} systems are named.", f"Name one to {MOST}, with commas between.")
        if found.firmware.mode == "legacy":
            raise PlanError(
                "Several systems at once are planned for UEFI.", "Use the aim clean, or one beside after the other."
            )
        groups = self._by_system(found)
        # a disk with nothing on it, not even a table, gets one where something goes there: nobody loses anything by that
        bare = {one.id: new_table(one, "gpt", seed) for one in found.disks if one.table.kind == "none" and not one.volumes}
        tabled = fold(found, tuple(step for made in bare.values() for step in made)).planned
        fitted = self._fitted(tabled, groups)
        used = {one.disk for one in fitted.put}
        touched = [one for _, one in found.volumes() if one.call in fitted.shrunk or one.call in fitted.moved]
        steps: list[Step] = [*self.chosen(assured(found)), *suspended(found), *self.off_before(found), *woken(found, touched)]
        steps += _rearranged(found, fitted)
        hide, show = guarded(found, self.others, "")
        steps += [*hide, *(step for letter, made in bare.items() if letter in used for step in made)]
        given = [*taken, *found.calls()]
        works: list[tuple[Profile, Work]] = []
        for number, (kind, layout, group) in enumerate(zip(self._ordered(), self._layouts(found), groups, strict=True)):
            now = fold(found, tuple(steps)).planned
            put = {one.key: one for one in fitted.put}
            first, sizes = put[group[0].part], {need.part: put[need.part].size * MIB for need in group}
            place = Fit(first.start * MIB, sum(sizes.values()))
            site = Site(now, first.disk, place, f"{seed}/{number}" if number else seed, tuple(given))
            work = built(site, kind, layout, group, sizes, fallback=True)
            given += [one.call for one in work.new.create]
            steps += [*work.making, Confirm("summary"), work.install, *work.entering]
            works.append((kind, work))
        steps += put_right(fold(found, tuple(steps)).planned, tuple(works), self.menu)
        steps += show
        now = fold(found, tuple(steps)).planned
        steps += self.on_again(found)
        steps += [Prove(one.call, "new") for _, one in now.volumes() if one.holds and one.planned]
        steps += [*proved(found), *resumed(found), *([Confirm("clock")] if clocks_differ(now) else [])]
        return identified((*steps, Confirm("tidy")), self.id)

    def proven(self, found: Machine, seed: str) -> bool:
        """Tell whether the placement was proved to be the best: else there was no time to find out."""
        bare = {one.id: new_table(one, "gpt", seed) for one in found.disks if one.table.kind == "none" and not one.volumes}
        tabled = fold(found, tuple(step for made in bare.values() for step in made)).planned
        return self._fitted(tabled, self._by_system(found)).proven

    def _fitted(self, found: Machine, groups: tuple[tuple[Need, ...], ...]) -> Fitted:
        from inkshelf.core.fit.problem import problem_of  # late: no other aim needs the solver, which takes long to load
        from inkshelf.core.fit.question import Ask, Piece, Refusal

        pieces = tuple(
            Piece(
                f"{kind.title}{layout.mark}",
                tuple(
                    Ask(need.part, _mib(need.floor), _mib(max(need.comfort, need.floor)), _mib(need.fixed), need.grows)
                    for need in group
                ),
            )
            for kind, layout, group in zip(self._ordered(), self._layouts(found), groups, strict=True)
        )
        problem = problem_of(found, pieces, moves=self.moves == "yes")
        if not problem.shelves:
            raise PlanError("No disk here has a GPT that systems could be put on.", "Make a table first: the aim clean.")
        fitted = _solved(problem)
        if isinstance(fitted, Refusal):
            said = "; ".join(fitted.because) or "the disks are smaller than what stands on them"
            more = "let what is in the way move, " if self.moves == "no" else ""
            left_out = ", ".join(one.id for one in found.disks if one.table.kind != "gpt")
            said += f"; disk {left_out} is left out: it has no GPT" if left_out else ""
            raise PlanError(
                f"These limits contradict each other: {said}.",
                f"Give one of them up: {more}take fewer or lighter systems, or another disk.",
            )
        return fitted


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
