"""A volume as planned and as read: where it lies, what it is, what is in it."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.built.line import Line, Matters, same
from inkshelf.core.disk.filesystems import title
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.disk.types import type_name
from inkshelf.core.machine.entries import means
from inkshelf.core.machine.state import Disk, FileSystem, Machine, Volume
from inkshelf.core.size import MIB, binary, grouped
from inkshelf.core.steps.fold import Fold
from inkshelf.core.value import replace

NEAR = 0.01
"""An installer that rounds a size by less than so much of it did what was asked."""


def volume_lines(plan: Fold, disk: Disk, planned: Volume, now: Volume, *, text: bool) -> Iterator[Line]:
    """Yield every line of a volume; ``text``: only captured text tells of it, which does not say everything."""
    call = planned.call
    yield _place(disk, planned, now)
    yield _length(disk, planned, now)
    yield _type(plan, planned, now)
    if disk.table.kind == "gpt":
        unknown = text and not now.attributes and planned.attributes
        yield same(
            "attributes",
            call,
            "attribute bits",
            f"{planned.attributes:#x}",
            None if unknown else f"{now.attributes:#x}",
            "note",
        )
        yield same("name", call, "name in the table", planned.name, now.name or (None if text and planned.name else ""), "note")
        why = "a boot entry names the volume by it" if _named(plan.planned, disk, planned) else "its record takes the new one"
        yield same(
            "guid",
            call,
            "partition GUID",
            planned.guid.upper(),
            now.guid.upper() or None,
            "warn" if "entry" in why else "note",
            why,
        )
    else:
        yield same(
            "active",
            call,
            "active",
            _yes(planned.active),
            None if text else _yes(now.active),
            "stop",
            "the NT family's code starts the active volume",
        )
    yield _number_line(plan, disk, planned, now)
    files = (", ".join(sorted(f"{one.path} {grouped(one.size_bytes)} B" for one in two.disk_files)) for two in (planned, now))
    if planned.disk_files or now.disk_files:
        yield same(
            "disk-files", call, "disks in files", next(files), None if text else next(files), "warn", "a system lies in one"
        )
    yield from _inside(plan.planned, planned, now, text=text)


def _numbered(volume: Volume) -> str:
    return f"{volume.number}{', logical' if volume.logical else ''}"


def _yes(value: bool) -> str:  # noqa: FBT001
    return "yes" if value else "no"


def _place(disk: Disk, planned: Volume, now: Volume) -> Line:
    moved = abs(planned.start - now.start)
    made = planned.planned and moved < max(64 * MIB, NEAR * planned.size)
    why = (
        "about there: its maker rounds"
        if made
        else "a kept volume lies elsewhere"
        if not planned.planned
        else "it lies elsewhere"
    )
    was, is_now = (f"sector {grouped(one.start // disk.sector)}" for one in (planned, now))
    return same("start", planned.call, "begins at", was, is_now, "note" if made else "warn" if planned.planned else "stop", why)


def _length(disk: Disk, planned: Volume, now: Volume) -> Line:
    near = abs(planned.size - now.size) < max(MIB, NEAR * planned.size)
    inside = planned.filesystem.used_bytes if planned.filesystem else None
    cut = inside is not None and now.size < inside
    matters: Matters = "stop" if cut else "note" if near else "warn"
    why = (
        "smaller than what it holds"
        if cut
        else "about so large"
        if near
        else f"{binary(abs(planned.size - now.size))} {'less' if now.size < planned.size else 'more'}"
    )
    was, is_now = (f"{grouped(one.size // disk.sector)} sectors, {binary(one.size)}" for one in (planned, now))
    return same("size", planned.call, "size", was, is_now, matters, why)


def _type(plan: Fold, planned: Volume, now: Volume) -> Line:
    found = plan.found.find(planned.call)
    hidden = (
        found is not None
        and found[1].type_id == planned.type_id
        and any(place[1].type_id == now.type_id for machine in plan.machines if (place := machine.find(planned.call)))
    )
    was, is_now = (f"{type_name(one.type_id)}  {one.type_id.upper()}" for one in (planned, now))
    start = planned.role == "startup"
    why = (
        "it was changed for the work only"
        if hidden
        else "firmware may not look into it"
        if start
        else "a system may not know it"
    )
    line = same("type", planned.call, "type", was, is_now, "stop" if start else "warn", why)
    return replace(line, left=hidden and line.stands == "differs")


def _number_line(plan: Fold, disk: Disk, planned: Volume, now: Volume) -> Line:
    """An entry names a partition of an MBR by its number; on a GPT firmware goes by the GUID."""
    entered = disk.table.kind == "mbr" and _named(plan.planned, disk, planned)
    why = "a boot entry names the volume by it" if entered else "commands name it by its number"
    matters: Matters = "warn" if entered else "note"
    return same("number", planned.call, "partition number", _numbered(planned), _numbered(now), matters, why)


def _named(machine: Machine, disk: Disk, volume: Volume) -> bool:
    return any(means(one, disk, volume) for one in machine.firmware.entries)


def _inside(machine: Machine, planned: Volume, now: Volume, *, text: bool) -> Iterator[Line]:
    was, held, call = planned.filesystem, now.filesystem, planned.call
    first, second = (title(one.kind) if one else "none" for one in (was, held))
    unread = text and was is not None and (held is None or held.kind == "unknown")
    yield same(
        "filesystem", call, "file system", first, None if unread else second, "stop", "it does not hold what was planned"
    )
    if was is None or held is None or was.kind != held.kind:
        return
    yield same("label", call, "label", was.label, held.label if held.label or not text else None, "note")
    yield same("uuid", call, "UUID", was.uuid.lower(), held.uuid.lower() or None, *_of_uuid(machine, was))
    if held.dirty:
        yield Line(
            f"{call}.state", call, "state", "clean", "marked for a check", "differs", "warn", "let its own system check it"
        )
    if was.inside:
        locked = KINDS[was.kind].encrypted and not held.inside
        yield same(
            "inside",
            call,
            "what is inside",
            _held(was),
            None if locked or text else _held(held),
            "stop",
            "a system inside is not found",
        )
    if planned.holds and planned.holds.family == "linux":
        told = None if now.holds is None or (text and not now.holds.mounts) else _mounts(now)
        yield same(
            "mounts", call, "mount lines", _mounts(planned), told, "warn", "what a line names and is not there stops the start"
        )
    if planned.boot_files:
        first, second = (", ".join(sorted(file.path for file in one.boot_files)) for one in (planned, now))
        unread = text and not now.boot_files
        yield same("files", call, "start-up files", first, None if unread else second, "warn", "what is missing may not start")


def _held(system: FileSystem) -> str:
    return "; ".join(
        f"{one.name} {one.kind or 'not known'} {grouped(one.size_bytes)} B {one.uuid}".strip() for one in system.inside
    )


def _of_uuid(machine: Machine, system: FileSystem) -> tuple[Matters, str]:
    for _, volume in machine.volumes():
        lines = volume.holds.mounts if volume.holds else ()
        if any(system.uuid and system.uuid.lower() in what.lower() for what, _ in lines):
            return "stop", f"{volume.call} mounts it by this UUID"
    return "note", "nothing names it"


def _mounts(volume: Volume) -> str:
    return (
        "; ".join(f"{where} {what.removeprefix('UUID=').lower()}" for what, where in sorted(volume.holds.mounts))
        if volume.holds
        else ""
    )
