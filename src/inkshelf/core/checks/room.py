"""Findings about room: is it enough, in one piece, in the right place."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.aims.base import primary
from inkshelf.core.aims.shares import comfortable, least
from inkshelf.core.checks.registry import ChangeAim, Finding, Show, check
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import givers, possible, reserve_size
from inkshelf.core.machine.state import Volume
from inkshelf.core.plan.job import Job, changed_aim, found_by
from inkshelf.core.plan.reading import Reading
from inkshelf.core.plan.wanted import wanted
from inkshelf.core.size import MIB, apart, binary
from inkshelf.core.steps.kinds import Create, Prepare, Shrink
from inkshelf.core.value import replace


@check
def cannot_be_planned(reading: Reading) -> Iterator[Finding]:
    """The aim has no plan on this machine, or a step refuses."""
    job = reading.job
    if job.plan_fault:
        yield Finding(
            "room.no-plan",
            "stop",
            "This cannot be planned",
            job.plan_fault,
            (),
            (*_ways_out(reading), Show("aim", "Change the aim")),
            final=True,
        )
    if reading.plan.fault:
        number, error = reading.plan.fault
        yield Finding(
            "room.fault", "stop", f"Step {number} cannot be done", str(error), (), (Show("aim", "Change the aim"),), final=True
        )


@check
def idle_intents(reading: Reading) -> Iterator[Finding]:
    """Something asked for by hand that the plan as it is now has no place for."""
    asked = {one.id: one for one in reading.job.by_hand}
    for one in reading.job.idle:
        intent = asked[one.intent]
        said = " ".join(value for _, value in intent.words)
        yield Finding(
            f"plan.idle.{one.intent}",
            "warn",
            f"“{intent.verb} {intent.call}{f' {said}' if said else ''}” does not apply now",
            f"{one.why} It was asked for by hand, is left out, and applies again when it can.",
            (),
            (Show("shelf", "Look at the shelf"),),
        )


def _largest(reading: Reading) -> tuple[ChangeAim, ...]:
    """Return the change to the most room there is, where that is enough for every floor, and less than what was asked for."""
    job = reading.job
    if job.aim is None:
        return ()
    found = found_by(job, job.aim.id)
    try:
        here, needs = found.disk(job.aim.disk), job.aim.needs(found)
    except (KeyError, PlanError):
        return ()  # no size helps a system that cannot be laid out so
    most, floors = possible(here, primary=primary(needs)) // MIB * MIB, least(needs)
    asked = job.aim.size_bytes or sum(step.size for step in job.planned if isinstance(step, Create))
    enough = most > floors and most < asked
    return (ChangeAim("size_bytes", most, f"Take {apart(most, asked)[0]}"),) if enough else ()


def _ways_out(reading: Reading) -> tuple[ChangeAim, ...]:
    """Return the changes of one part of the aim that lead to a plan; what would fail again is not offered."""
    job, aim = reading.job, reading.job.aim
    if aim is None:
        return ()
    ways = list(_largest(reading) if aim.size_bytes else ())
    ways += [ChangeAim("esp", "own", "Its own EFI system partition")] if aim.esp == "shared" else []
    ways += [ChangeAim("disk", one.id, f"Use disk {one.id}") for one in job.found.disks if one.id != aim.disk]
    return tuple(one for one in ways if not changed_aim(job, replace(aim, **{one.field: one.value})).plan_fault)


def _shrinks(reading: Reading) -> Iterator[tuple[int, Shrink, Volume]]:
    """The last shrink of every volume that shrinks: one that does so twice is judged by what it comes to."""
    last = {step.call: (number, step) for number, step in enumerate(reading.job.steps, 1) if isinstance(step, Shrink)}
    for call, (number, step) in last.items():
        found = reading.plan.found.find(call)
        if found:
            yield number, step, found[1]


@check
def beyond_movable(reading: Reading) -> Iterator[Finding]:
    """A shrink goes past what the volume's own system can move, or nobody knows how far it can go."""
    for number, step, volume in _shrinks(reading):
        system = volume.filesystem
        if system is None:
            continue
        if system.smallest_bytes is None:
            yield Finding(
                f"room.unmeasured.{step.call}",
                "warn",
                f"How far {step.call} can shrink is not known",
                f"Before step {number}, see that its own box offers at least the number on the sheet; an image would tell.",
                (step.call,),
                (Show("sheet", f"Show step {number}", number), Show("intake", "Add an image")),
            )
        elif step.to_bytes < system.smallest_bytes:
            stops, asks = apart(system.smallest_bytes, step.to_bytes)
            yield Finding(
                f"room.movable.{step.call}",
                "stop",
                f"{step.call} cannot be shrunk that far",
                f"Its own system stops at {stops}: {system.smallest_why}. Step {number} asks for {asks}.",
                (step.call,),
                (*_largest(reading), Show("shelf", "Drag the edge back")),
            )


@check
def below_reserve(reading: Reading) -> Iterator[Finding]:
    """A shrink leaves the owner's system less free than it needs, whether or not it is known how far it can go."""
    for _, step, volume in _shrinks(reading):
        system = volume.filesystem
        if system is None or system.used_bytes is None or step.to_bytes < (system.smallest_bytes or 0):
            continue
        if step.to_bytes < reserve_size(system.used_bytes):
            yield Finding(
                f"room.reserve.{step.call}",
                "warn",
                f"{step.call} would be left with {binary(step.to_bytes - system.used_bytes)}",
                "The owner's system should keep the larger of 20 GiB and 15 % of its new size for updates and work.",
                (step.call,),
                _largest(reading),
            )


@check
def asleep_or_dirty(reading: Reading) -> Iterator[Finding]:
    """What is to be shrunk is marked for a check or half asleep."""
    prepared = {(step.call, step.what): number for number, step in enumerate(reading.job.steps, 1) if isinstance(step, Prepare)}
    for _, volume in reading.plan.found.volumes():
        system = volume.filesystem
        if system is None or not (system.hibernated or system.dirty):
            continue
        if system.hibernated:
            step = prepared.get((volume.call, "fast_startup_off"), 0)
            why = "It was left half asleep; others may only read it, and nothing may resize it until a full shutdown."
            yield _state(f"room.asleep.{volume.call}", volume, "Fast start-up is on", why, step)
        if system.dirty:
            step = prepared.get((volume.call, "check_volume"), 0)
            yield _state(
                f"room.dirty.{volume.call}",
                volume,
                "Marked for a check",
                "Its own checker must run before anything resizes it.",
                step,
            )


def _state(key: str, volume: Volume, title: str, why: str, step: int) -> Finding:
    if step:
        return Finding(
            key, "warn", title, f"{why} Step {step} does it.", (volume.call,), (Show("sheet", f"Show step {step}", step),)
        )
    return Finding(key, "warn", title, why, (volume.call,), (Show("aim", "Plan something for it"),))


@check
def floors(reading: Reading) -> Iterator[Finding]:
    """New volumes below their floor or below comfort."""
    for room, step in wanted(reading.job):
        if step.role not in {"system", "data"}:
            continue
        if step.size < room.floor:
            has, floor = apart(step.size, room.floor)
            yield Finding(
                f"room.floor.{step.call}",
                "stop",
                f"{step.call} is below its floor",
                f"{has}, and {floor} is the least: {room.reason}.",
                (step.call,),
                (*_more(reading, step), Show("aim", "Change the aim")),
            )
        elif step.size < room.comfort:
            has, comfort = apart(step.size, room.comfort)
            yield Finding(
                f"room.comfort.{step.call}",
                "note",
                f"{step.call} is below comfort",
                f"{has}; {comfort} is comfortable: {room.reason}.",
                (step.call,),
                _more(reading, step),
            )


def _more(reading: Reading, step: Create) -> tuple[ChangeAim, ...]:
    """Return the changes that really give a volume more; one that would lower it, or lead to no plan, is not offered."""
    job, aim = reading.job, reading.job.aim
    if aim is None:
        return ()
    if not step.id.startswith(f"{aim.id}."):
        return ()
    found = found_by(job, aim.id)
    needs = aim.needs(found)
    most = min(comfortable(needs), possible(found.disk(aim.disk), primary=primary(needs)) // MIB * MIB)
    ways = [
        ChangeAim("size_bytes", most, f"Take {binary(most)} in all"),
        ChangeAim("size_bytes", None, "As much as is comfortable"),
        ChangeAim("root_bytes", None, "Divide it by the default shares"),
    ]
    return tuple(one for one in ways if _gives_more(job, one, step))[:1]


def _gives_more(job: Job, way: ChangeAim, step: Create) -> bool:
    if job.aim is None or getattr(job.aim, way.field) == way.value:
        return False
    changed = changed_aim(job, replace(job.aim, **{way.field: way.value}))
    made = next((one for one in changed.planned if isinstance(one, Create) and one.call == step.call), None)
    return not changed.plan_fault and made is not None and made.size > step.size


@check
def elsewhere(reading: Reading) -> Iterator[Finding]:
    """Free room that the plan could not use, on the wrong side of a neighbour: two gaps of 30 GiB are not 60."""
    aim = reading.job.aim
    for disk in reading.plan.planned.disks if aim else ():
        if aim is None or disk.id != aim.disk or not any(volume.planned for volume in disk.volumes):
            continue
        for gap in disk.gaps(1 << 30):
            before = next((one for one in disk.volumes if 0 <= gap.start - one.end < MIB), None)
            behind = next((one for one in disk.volumes if 0 <= one.start - gap.end < MIB), None)
            if before is None or before.planned or (behind and behind.planned):
                continue
            yield Finding(
                f"room.gap.{disk.id}.{gap.start}",
                "note",
                f"{binary(gap.size)} stay free behind {before.call}",
                f"They are not beside the new room: {before.call} lies between. Moving it would cost a copy of its used bytes.",
                (before.call,),
                (Show("shelf", "Look at the shelf"),),
            )


@check
def blocked_growth(reading: Reading) -> Iterator[Finding]:
    """A recovery volume right behind a system volume keeps it from growing later."""
    for disk in reading.plan.found.disks:
        for one, other in zip(disk.volumes, disk.volumes[1:], strict=False):
            if one.role == "system" and other.role == "recovery" and one.end == other.start and not reading.job.steps:
                yield Finding(
                    f"room.blocked.{one.call}",
                    "note",
                    f"{other.call} stands behind {one.call}",
                    f"{one.call} can give room from its end, but cannot grow past {other.call}.",
                    (one.call, other.call),
                )


@check
def contents_not_known(reading: Reading) -> Iterator[Finding]:
    """A table listing alone says where volumes are, not what is in them."""
    blind = tuple(
        volume.call for _, volume in reading.plan.found.volumes() if volume.filesystem and volume.filesystem.kind == "unknown"
    )
    if blind:
        why = "A table listing says where they are, not what is in them. Capture lsblk on the machine too, or take an image in."
        yield Finding(
            "room.contents", "warn", "What these volumes hold is not known", why, blind, (Show("intake", "Add a capture"),)
        )


@check
def used_not_known(reading: Reading) -> Iterator[Finding]:
    """Without the used space no shrink can be planned."""
    for disk in reading.plan.found.disks:
        blind = tuple(
            volume.call
            for volume in disk.volumes
            if volume.filesystem and volume.used is None and volume.role in {"system", "data"}
        )
        if blind and not givers(disk):
            yield Finding(
                f"room.blind.{disk.id}",
                "warn",
                "Used space not known",
                "Captured text does not say how full these volumes are; an image does.",
                blind,
                (Show("intake", "Add an image"),),
            )
