"""Several aims in one job, carried out in one go: what was made sure of once is not asked for again, what is put away is put away last."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import to_builtins

from inkshelf.core.aims.base import AimBase
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Confirm, Install, Prepare, Step
from inkshelf.core.value import replace

ONCE = {
    *("consent", "backup", "recovery_key", "mains", "firmware_values", "material", "medium", "live_stick", "ports"),
    *("host_fit", "material_newest"),
}
"""What a person makes sure of for the whole job."""
BROUGHT = {"material", "material_newest", "medium", "live_stick"}
"""What a stick that the same job makes before brings along, with its image."""
ASKING = {"medium", "live_stick"}
"""What has to be there before the machine starts from it."""
LAST = {"clock", "clock_back", "tidy"}
"""What is done when everything else is."""
STAYS = {"fast_startup_off", "suspend_encryption"}
"""What was switched off in a system stays off for the whole job."""
BACK = {"resume_encryption"}
"""What is switched on again when everything else is done."""


def seen_by(aims: tuple[AimBase, ...], aim: AimBase, state: Machine) -> Machine:
    """Return the machine as an aim plans on it: the sticks of the job are no part of the machine, unless the aim itself names one.

    What is started from a stick must not hide or enter anything of it.
    """
    if aim.makes_first():
        return state
    sticks = {letter for one in aims for letter in one.makes_first()} | {one.id for one in state.disks if one.stick}
    said = set(_strings(to_builtins(aim)))
    away = {one.id for one in state.disks if one.id in sticks and not said & {one.id, *(two.call for two in one.volumes)}}
    return replace(state, disks=tuple(one for one in state.disks if one.id not in away)) if away else state


def _strings(value: object) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    for one in value.values() if isinstance(value, dict) else value if isinstance(value, list | tuple) else ():
        yield from _strings(one)


def medium_asked(steps: tuple[Step, ...]) -> tuple[int, str] | None:
    """Return the step that asks for a medium which no stick of the job is, counted from 1, and what is installed from it; else ``None``."""
    at = next((number for number, step in enumerate(steps, 1) if isinstance(step, Confirm) and step.subject in ASKING), 0)
    titles = dict.fromkeys(step.title for step in steps if isinstance(step, Install))
    return (at, " and ".join(titles)) if at else None


class First:
    """The steps that come before all others: a stick is made before what is started from it, wherever its aim was added."""

    def __init__(self, found: Machine) -> None:
        self.steps: tuple[Step, ...] = ()
        self._state = found

    def takes(self, before: Machine, letters: tuple[str, ...], own: tuple[Step, ...]) -> bool:
        """Take an aim's steps where no other aim before it changed its sticks; tell whether it was so."""
        if any(_disk(before, letter) != _disk(self._state, letter) for letter in letters):
            return False
        done = fold(self._state, own)
        if done.fault:
            return False
        self.steps, self._state = self.steps + own, done.planned
        return True


def _disk(machine: Machine, letter: str) -> Disk | None:
    return next((one for one in machine.disks if one.id == letter), None)


def merged(steps: Iterable[Step]) -> tuple[Step, ...]:
    """Return the steps of several aims without what is said twice: the first time of what is made sure of, the last of what is tidied."""
    kept: list[Step] = []
    seen: set[tuple[str, str]] = set()
    made = False
    for step in steps:
        made = made or step.puts_image
        if made and isinstance(step, Confirm) and step.subject in BROUGHT:
            continue
        if isinstance(step, Confirm) and step.subject in ONCE:
            key: tuple[str, str] = ("confirm", step.subject)
        elif isinstance(step, Prepare) and step.what in STAYS:
            key = (step.what, step.call)
        else:
            kept.append(step)
            continue
        if key not in seen:
            kept.append(step)
        seen.add(key)
    last = {_late(step): number for number, step in enumerate(kept) if _late(step)}
    return tuple(step for number, step in enumerate(kept) if not _late(step) or last[_late(step)] == number)


def _late(step: Step) -> tuple[str, str] | None:
    """What a step is the last of, where only the last of its sort is done."""
    if isinstance(step, Confirm) and step.subject in LAST:
        return "confirm", step.subject
    return (step.what, step.call) if isinstance(step, Prepare) and step.what in BACK else None
