"""How many bytes each part of inking carries on the bench, as far as can be told: what progress and time left are reckoned from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from inkshelf.core.machine.state import Volume
from inkshelf.core.size import MIB
from inkshelf.core.steps.fold import Fold
from inkshelf.core.steps.kinds import Step
from inkshelf.data import table

LEAST = 64 << 10  # a table, or what a person does: never nothing, so that every step moves the bar
FRESH = 16 * MIB  # about what of a fresh file system is written; the rest is holes


def _carried(volumes: Iterable[Volume], stored: Mapping[str, int]) -> int:
    """Used bytes, or those that an image really stores where that is less."""
    total = 0
    for one in volumes:
        used = one.size if one.used is None else one.used
        total += min(used, stored.get(one.call, FRESH if one.planned else used))
    return total


def efforts(plan: Fold, steps: tuple[Step, ...], stored: Mapping[str, int]) -> tuple[int, ...]:
    """Return the bytes of copying, of each step, and of reading back; ``stored``: bytes that are not holes, by call number."""
    found = [volume for _, volume in plan.found.volumes()]
    planned = [volume for _, volume in plan.planned.volumes()]
    each = []
    for before, after, step in zip(plan.machines, plan.machines[1:], steps, strict=False):
        emptied = set(step.gives_up(before))
        volumes = [place[1] for call in step.inside() if (place := (after if call in emptied else before).find(call))]
        each.append(LEAST + _carried(volumes, {} if emptied else stored))
    return (LEAST + _carried(found, stored), *each, LEAST + 2 * _carried(planned, stored))


def copying_minutes(count: int) -> float:
    """Return the minutes to read and write ``count`` bytes once on an internal disk."""
    return 2 * count / float(table("defaults")["rates"]["internal_ssd"]) / 60
