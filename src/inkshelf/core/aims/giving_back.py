"""The aim "give-back": a staging volume, or a gap, goes to a neighbour."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import AimBase, Answer, Need, Picture, Question
from inkshelf.core.aims.safety import assured, proved, resumed, suspended, woken
from inkshelf.core.errors import PlanError
from inkshelf.core.fit import growing
from inkshelf.core.fit.room import stretches
from inkshelf.core.machine.state import Disk, Gap, Machine, Volume
from inkshelf.core.size import GIB, binary
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, Delete, Step
from inkshelf.core.texts import CallOrNone, LetterOrNone

LEAST = GIB


class GiveBack(AimBase, frozen=True, tag="give-back"):
    """Room goes to a neighbour: that of ``volume``, which is given up, or a gap that is there (``volume`` empty)."""

    medium: ClassVar[Literal["", "installer", "live"]] = "live"
    title: ClassVar[str] = "Give room back to a neighbour"
    about: ClassVar[str] = "A staging volume or a gap that nobody needs any more; what stands between is moved."
    short: ClassVar[str] = "give room back"
    picture: ClassVar[Picture] = (
        ((0, 0.52, "ink"), (0.54, 0.8, "ink"), (0.82, 1, "gap")),
        ((0, 0.52, "ink"), (0.54, 1, "ink")),
    )

    volume: CallOrNone = ""
    to: CallOrNone = ""
    disk: LetterOrNone = ""

    def sentence(self, found: Machine) -> str:
        """Name what is given, and to whom."""
        return f"{self.volume or 'The free room'} goes to {self.to or 'its neighbour'}"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return what is given, and to which volume."""
        room = [
            Answer(one.call, one.call, f"{_words(one)}: what is in it is given up")
            for _, one in found.volumes()
            if one.holds is None and one.role in {"data", "medium", "unknown"}
        ]
        gap = [Answer("the gap", "GAP", f"{binary(one.size)} free on disk {disk.id}") for disk, one in _gaps(found)[:1]]
        usual = "GAP" if gap else room[-1].value if room else ""
        disk = self._disk(found)
        to = [
            Answer(one.call, one.call, _words(one)) for one in (growing.takers(disk) if disk else ()) if one.call != self.volume
        ]
        return (
            Question("volume", "What is given", (*gap, *room), usual, "nobody uses it", "volume"),
            Question("to", "To which volume", tuple(to), to[0].value if to else "", "the system first: it grows", "volume"),
        )

    def _disk(self, found: Machine) -> Disk | None:
        place = found.find(self.volume)
        if place:
            return place[0]
        gaps = _gaps(found)
        return gaps[0][0] if gaps else next(iter(found.disks), None)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """No volume is made."""
        return ()

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where there is no room, nobody to take it, or something in its way."""
        disk = self._disk(found)
        if disk is None:
            raise PlanError("There is no disk in this job.", "Take a disk in first.")
        given = found.find(self.volume) if self.volume else None
        if self.volume and given is None:
            raise PlanError(f"There is no volume {self.volume}.", "Choose what is given under Aim.")
        if given and given[1].holds:
            raise PlanError(f"A system is on {self.volume}.", "Remove it with the aim remove, which keeps the others starting.")
        first: list[Step] = [Delete(self.volume)] if given else []
        left = fold(found, tuple(first)).planned.disk(disk.id)
        gap = growing.gap_near(left, given[1].start if given else -1)
        taker = next((one for one in growing.takers(left) if one.call == self.to or not self.to), None)
        if taker is None:
            raise PlanError(f"No volume of disk {disk.id} can take the room.", "Keep it for later.")
        more = growing.grown(left, taker.call, gap)
        touched = [one for one in left.volumes if any(getattr(step, "call", "") == one.call for step in more)]
        steps = [*assured(found, "live"), *suspended(found), *woken(found, touched), *first, *more]
        return identified((*steps, *proved(found), *resumed(found), Confirm("tidy")), self.id)


def _gaps(found: Machine) -> list[tuple[Disk, Gap]]:
    free = [(disk, one) for disk in found.disks if disk.table.kind != "none" for one in stretches(disk) if one.size >= LEAST]
    return sorted(free, key=lambda pair: -pair[1].size)


def _words(volume: Volume) -> str:
    label = volume.filesystem.label if volume.filesystem and volume.filesystem.label else volume.name or "no label"
    return f"{label}, {binary(volume.size)}"
