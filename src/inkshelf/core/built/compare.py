"""Hold a machine against its plan, line by line: as planned, or not, or not known; and whether a difference matters, and why."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.built.aligned import aligned
from inkshelf.core.built.firmware import firmware_lines, start_lines
from inkshelf.core.built.line import NOBODY, Line, same
from inkshelf.core.built.volumes import volume_lines
from inkshelf.core.machine.state import Disk, Extended, Machine, Table, Volume
from inkshelf.core.size import both, grouped
from inkshelf.core.steps.fold import Fold


def compared(plan: Fold, built: Machine) -> tuple[Line, ...]:
    """Return every line, disk by disk, then the firmware, then what starts. ``built``: a fresh reading, with letters of its own."""
    planned, now = plan.planned, aligned(plan.planned, built)
    lines = [line for disk in planned.disks if not disk.stick for line in _disk(plan, disk, now)]
    for disk in now.disks:
        if disk.id not in {one.id for one in planned.disks}:
            lines.append(  # noqa: PERF401 - a line of its own
                Line(
                    f"{disk.id}.there",
                    disk.id,
                    "the disk",
                    "none",
                    disk.identity(),
                    "differs",
                    "note",
                    "the plan does not know this disk",
                )
            )
    return (*lines, *firmware_lines(plan, now), *start_lines(planned, now))


def left_over(lines: tuple[Line, ...]) -> tuple[Line, ...]:
    """Return what was to be put back, or taken away, and is not."""
    return tuple(one for one in lines if one.left)


def _disk(plan: Fold, disk: Disk, now: Machine) -> Iterator[Line]:
    twin = next((one for one in now.disks if one.id == disk.id), None)
    if twin is None:
        yield Line(f"{disk.id}.there", disk.id, "the disk", disk.identity(), NOBODY, "unknown")
        return
    yield same("table", disk.id, "table", disk.table.kind, twin.table.kind, "stop", "another table holds other volumes")
    yield from _table(plan, disk, twin)
    if twin.table.fault:
        yield Line(
            f"{disk.id}.fault",
            disk.id,
            "table",
            "without a fault",
            twin.table.fault,
            "differs",
            "stop",
            "a table is repaired first",
        )
    there = {one.call: one for one in twin.volumes}
    for volume in disk.volumes:
        if volume.call in there:
            yield from volume_lines(plan, disk, volume, there[volume.call], text=_from_text(twin))
        else:
            why = "it holds what was kept" if not volume.planned else "it was to be made"
            yield Line(f"{volume.call}.there", volume.call, "the volume", _size(volume), "not there", "differs", "stop", why)
    known = {one.call for one in disk.volumes}
    yield from (_extra(plan, volume) for volume in twin.volumes if volume.call not in known)


def _table(plan: Fold, disk: Disk, twin: Disk) -> Iterator[Line]:
    """What a table has beside its volumes: identity, extended partition, whose code a BIOS runs."""
    was, now, text = disk.table, twin.table, _from_text(twin)
    if was.kind == "gpt":
        yield same("identity", disk.id, "disk GUID", was.guid.upper(), now.guid.upper() or None, "note", "nothing starts by it")
    elif was.kind == "mbr":
        why = "boot entries and the NT family's boot data name it"
        yield same("identity", disk.id, "disk signature", was.signature.lower(), now.signature.lower() or None, "warn", why)
        places = (_stretch(one, disk.sector) for one in (was.extended, now.extended))
        yield same(
            "extended", disk.id, "extended partition", next(places), None if text and not now.extended else next(places), "warn"
        )
    if plan.planned.firmware.mode == "legacy":
        code = (_code(one) for one in (was, now))
        first = next(code)
        yield same("code", disk.id, "start code", first, None if text else next(code), "stop", "a BIOS runs it, whatever it is")


def _stretch(one: Extended | None, sector: int) -> str:
    return f"sectors {grouped(one.start // sector)} to {grouped((one.start + one.size) // sector)}" if one else "none"


def _code(table: Table) -> str:
    if not table.boot_code:
        return "none"
    core = f", its core at sector {table.core_lba}" if table.core_lba else ""
    return f"{table.code_of or 'not known whose'}{core}"


def _from_text(disk: Disk) -> bool:
    """Whether only text of a disk was captured, which does not say everything."""
    return disk.table.boot_code is None


def _size(volume: Volume) -> str:
    return f"{both(volume.size)}, partition {volume.number}"


def _extra(plan: Fold, volume: Volume) -> Line:
    """A volume that the plan does not leave: one of a step in between was to be given back."""
    between = [one for machine in plan.machines for _, one in machine.volumes()]
    staged = any(
        (volume.guid and one.guid.upper() == volume.guid.upper()) or (one.start, one.size) == (volume.start, volume.size)
        for one in between
    )
    why = "it was for the work only" if staged else "the plan does not have it: an installer may have made it"
    return Line(f"{volume.call}.there", volume.call, "the volume", "none", _size(volume), "differs", "warn", why, left=staged)
