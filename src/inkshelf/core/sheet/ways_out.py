"""Ways out of a plan that cannot be: other answers, each worked out in full, the cheapest first. Nobody loses anything in one."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from inkshelf.core.aims.asking import answer_of, answered
from inkshelf.core.aims.base import AimBase
from inkshelf.core.aims.clean import Clean
from inkshelf.core.checks import findings
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.profiles import profile
from inkshelf.core.plan.job import Job, changed_aim, found_by
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, binary

LIGHT = "linux-light"
SMALL = (25, 40, 100)  # GiB: one of them can be, where any size can
PAIRS = 60  # pairs of answers that are tried where no single one leads out
Other = tuple[str, str, Job]
"""The key of a way, its words, the job."""


def ways_out(job: Job) -> Iterator[Other]:
    """Yield jobs that can be planned, which differ from one that cannot in one answer, or in two where one is not enough."""
    free = _emptied(job)
    ones = {one[0]: one for one in _single(job, free)}
    out = [one for one in ones.values() if _leads_out(one[2], free)]
    yield from out
    if out:
        return
    for first, second in itertools.islice(itertools.permutations(ones.values(), 2), PAIRS):
        other = next((one for one in _single(first[2], free) if one[0] == second[0]), None)
        if other is not None and _leads_out(other[2], free):
            yield f"{first[0]}+{second[0]}", f"{first[1]}; {second[1]}", other[2]


def _emptied(job: Job) -> frozenset[str]:
    """What is given up anyway, as it was asked for: the volumes of disks that are to be emptied."""
    disks = {
        getattr(aim, "disk", "") for aim in job.aims if isinstance(aim, Clean) or getattr(aim, "what_is_there", "") == "erase"
    }
    return frozenset(volume.call for disk, volume in job.found.volumes() if disk.id in disks)


def _leads_out(job: Job, free: frozenset[str]) -> bool:
    """It can be planned, and gives up nothing but what was to be given up anyway."""
    return not job.plan_fault and bool(job.steps) and set(read(job).ledger.lost) <= free


def _single(job: Job, free: frozenset[str]) -> Iterator[Other]:
    for number, aim in enumerate(job.aims, 1):
        found = found_by(job, aim.id)
        for question in aim.asked(found):
            if question.key in {"files", "there"} or (aim.kind, question.key) == ("table", "to"):
                continue  # what is given up is not decided here, nor what the whole aim is about
            for value, words in _values(job, aim, question.key, free):
                if value == answer_of(aim, question):
                    continue
                try:
                    other = changed_aim(job, answered(aim, found, question.key, value))
                except InkshelfError:
                    continue
                key = f"{question.key}={value.replace(' ', '')}"
                yield (key if len(job.aims) == 1 else f"{number}:{key}"), f"{question.title}: {words}", other


def _values(job: Job, aim: AimBase, key: str, free: frozenset[str]) -> Iterator[tuple[str, str]]:
    """The answers to a question that are worth trying: every choice; the largest size that can be; lighter systems, and one fewer."""
    found = found_by(job, aim.id)
    question = next(one for one in aim.asked(found) if one.key == key)
    if question.kind in {"choice", "disk", "volume"}:
        yield from ((one.value, one.title) for one in question.answers)
    elif question.kind == "size":
        largest = _largest(job, aim, key, free)
        if largest:
            yield f"{largest}GiB", f"at most {binary(largest * GIB)}"
    elif question.kind == "system" and profile(answer_of(aim, question)).family == "linux":
        yield LIGHT, profile(LIGHT).title
    elif question.kind == "systems":
        now = answer_of(aim, question).split(",")
        for place, system in enumerate(now):
            fewer = [one for at, one in enumerate(now) if at != place]
            if fewer:
                yield ",".join(fewer), f"without the {profile(system).title}"
            if profile(system).family == "linux" and system != LIGHT:
                lighter = [LIGHT if at == place else one for at, one in enumerate(now)]
                yield ",".join(lighter), f"a {profile(LIGHT).title} in the place of the {profile(system).title}"


def _largest(job: Job, aim: AimBase, key: str, free: frozenset[str]) -> int:
    """The largest whole GiB that can be planned with no stop more than a small one has, 0 where none can; without holes in between."""
    found = found_by(job, aim.id)

    def stops(gib: int) -> int | None:
        try:
            other = changed_aim(job, answered(aim, found, key, f"{gib}GiB"))
        except InkshelfError:
            return None
        return sum(one.severity == "stop" for one in findings(read(other))) if _leads_out(other, free) else None

    low, high = 0, max((disk.size for disk in found.disks), default=0) // GIB + 1
    borne = None
    for start in SMALL:
        seen = stops(start)
        if seen is not None and (borne is None or seen <= borne):
            low, borne = start, seen
    if borne is None:
        return 0

    def can(gib: int) -> bool:
        seen = stops(gib)
        return seen is not None and seen <= borne

    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if can(middle) else (low, middle)
    return low
