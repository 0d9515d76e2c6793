"""Hold a machine against its plan, line by line: as planned, or not, or not known; and whether a difference matters, and why."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import Outcome, outcome, systems
from inkshelf.core.built.aligned import aligned
from inkshelf.core.disk.filesystems import title
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.disk.types import type_name
from inkshelf.core.machine.state import BootEntry, Disk, Extended, FileSystem, Machine, Table, Volume
from inkshelf.core.size import MIB, binary, both, grouped
from inkshelf.core.steps.fold import Fold
from inkshelf.core.value import Value, replace

Stands = Literal["same", "differs", "unknown"]
Matters = Literal["", "note", "warn", "stop"]
NEAR = 0.01
"""An installer that rounds a size by less than so much of it did what was asked."""
NOBODY = "not captured"


def _words(**fields: str) -> dict[str, frozenset[str]]:
    return {kind: frozenset(names.split()) for kind, names in fields.items()}


COMPARED = _words(
    Volume="number start size type_id name guid attributes active logical filesystem boot_files holds disk_files",
    FileSystem="kind label uuid dirty inside",
    Table="kind guid signature fault extended boot_code code_of core_lba",
    Firmware="mode secure_boot entries order next entries_known",
    BootEntry="number title partition_guid path active automatic",
)
PASSED_OVER = _words(
    Volume="call role planned told as_read images",  # ours, or a stick's, which is proved when it is made
    FileSystem="size_bytes used_bytes smallest_bytes smallest_why pinned_bytes hibernated cluster_bytes clusters sector_bytes used_map "
    "hidden_sectors keeps_size group_bytes group_table_bytes group_reserved clashes slots",
    Table="first_usable last_usable entry_count entry_bytes backup_lba primary_ok backup_ok hybrid protective entries_lba "
    "backup_entries_lba",
    Firmware="listed timeout keys",
    BootEntry="disk partition_number start_lba size_lba leads signature device hidden application",
)
"""What of a state is a line here, and what is passed over on purpose: measured, ours, or said by another line. A field in neither is refused."""


class Line(Value, frozen=True):
    """One thing that was compared. ``about``: a call number, a disk's letter, or ``firmware``; ``key`` is stable, for answers in writing.

    ``stands``; ``matters``: how much a difference does (empty: nothing differs), and ``why``. ``left``: it was changed for the work only,
    and was to be put back.
    """

    key: str
    about: str
    what: str
    planned: str
    built: str
    stands: Stands
    matters: Matters = ""
    why: str = ""
    left: bool = False


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
    return (*lines, *_firmware(plan, now), *_starts(planned, now))


def left_over(lines: tuple[Line, ...]) -> tuple[Line, ...]:
    """Return what was to be put back, or taken away, and is not."""
    return tuple(one for one in lines if one.left)


def _same(key: str, about: str, what: str, planned: str, built: str | None, matters: Matters = "warn", why: str = "") -> Line:
    """A line of two texts; ``built`` is ``None`` where nobody read it."""
    if built is None:
        return Line(f"{about}.{key}", about, what, planned, NOBODY, "unknown")
    if planned == built:
        return Line(f"{about}.{key}", about, what, planned, built, "same")
    return Line(f"{about}.{key}", about, what, planned, built, "differs", matters, why)


def _disk(plan: Fold, disk: Disk, now: Machine) -> Iterator[Line]:
    twin = next((one for one in now.disks if one.id == disk.id), None)
    if twin is None:
        yield Line(f"{disk.id}.there", disk.id, "the disk", disk.identity(), NOBODY, "unknown")
        return
    yield _same("table", disk.id, "table", disk.table.kind, twin.table.kind, "stop", "another table holds other volumes")
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
            yield from _volume(plan, disk, volume, there[volume.call], text=_from_text(twin))
        else:
            why = "it holds what was kept" if not volume.planned else "it was to be made"
            yield Line(f"{volume.call}.there", volume.call, "the volume", _size(volume), "not there", "differs", "stop", why)
    known = {one.call for one in disk.volumes}
    yield from (_extra(plan, volume) for volume in twin.volumes if volume.call not in known)


def _table(plan: Fold, disk: Disk, twin: Disk) -> Iterator[Line]:
    """What a table has beside its volumes: identity, extended partition, whose code a BIOS runs."""
    was, now, text = disk.table, twin.table, _from_text(twin)
    if was.kind == "gpt":
        yield _same(
            "identity", disk.id, "disk GUID", was.guid.upper(), now.guid.upper() or None, "note", "nothing starts by it"
        )
    elif was.kind == "mbr":
        why = "the NT family's boot data names it"
        yield _same("identity", disk.id, "disk signature", was.signature.lower(), now.signature.lower() or None, "warn", why)
        places = (_stretch(one, disk.sector) for one in (was.extended, now.extended))
        yield _same(
            "extended", disk.id, "extended partition", next(places), None if text and not now.extended else next(places), "warn"
        )
    if plan.planned.firmware.mode == "legacy":
        code = (_code(one) for one in (was, now))
        first = next(code)
        yield _same(
            "code", disk.id, "start code", first, None if text else next(code), "stop", "a BIOS runs it, whatever it is"
        )


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


def _volume(plan: Fold, disk: Disk, planned: Volume, now: Volume, *, text: bool) -> Iterator[Line]:
    call = planned.call
    yield _place(disk, planned, now)
    yield _length(disk, planned, now)
    yield _type(plan, planned, now)
    if disk.table.kind == "gpt":
        unknown = text and not now.attributes and planned.attributes
        yield _same(
            "attributes",
            call,
            "attribute bits",
            f"{planned.attributes:#x}",
            None if unknown else f"{now.attributes:#x}",
            "note",
        )
        yield _same(
            "name", call, "name in the table", planned.name, now.name or (None if text and planned.name else ""), "note"
        )
        why = "a boot entry names the volume by it" if _named(plan.planned, planned) else "its record takes the new one"
        yield _same(
            "guid",
            call,
            "partition GUID",
            planned.guid.upper(),
            now.guid.upper() or None,
            "warn" if "entry" in why else "note",
            why,
        )
    else:
        yield _same(
            "active",
            call,
            "active",
            _yes(planned.active),
            None if text else _yes(now.active),
            "stop",
            "the NT family's code starts the active volume",
        )
    yield _same(
        "number", call, "partition number", _numbered(planned), _numbered(now), "note", "commands name it by its number"
    )
    files = (", ".join(sorted(f"{one.path} {grouped(one.size_bytes)} B" for one in two.disk_files)) for two in (planned, now))
    if planned.disk_files or now.disk_files:
        yield _same(
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
    return _same(
        "start", planned.call, "begins at", was, is_now, "note" if made else "warn" if planned.planned else "stop", why
    )


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
    return _same("size", planned.call, "size", was, is_now, matters, why)


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
    line = _same("type", planned.call, "type", was, is_now, "stop" if start else "warn", why)
    return replace(line, left=hidden and line.stands == "differs")


def _named(machine: Machine, volume: Volume) -> bool:
    return bool(volume.guid) and any(one.partition_guid.upper() == volume.guid.upper() for one in machine.firmware.entries)


def _inside(machine: Machine, planned: Volume, now: Volume, *, text: bool) -> Iterator[Line]:
    was, held, call = planned.filesystem, now.filesystem, planned.call
    first, second = (title(one.kind) if one else "none" for one in (was, held))
    unread = text and was is not None and (held is None or held.kind == "unknown")
    yield _same(
        "filesystem", call, "file system", first, None if unread else second, "stop", "it does not hold what was planned"
    )
    if was is None or held is None or was.kind != held.kind:
        return
    yield _same("label", call, "label", was.label, held.label if held.label or not text else None, "note")
    yield _same("uuid", call, "UUID", was.uuid.lower(), held.uuid.lower() or None, *_of_uuid(machine, was))
    if held.dirty:
        yield Line(
            f"{call}.state", call, "state", "clean", "marked for a check", "differs", "warn", "let its own system check it"
        )
    if was.inside:
        locked = KINDS[was.kind].encrypted and not held.inside
        yield _same(
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
        yield _same(
            "mounts", call, "mount lines", _mounts(planned), told, "warn", "what a line names and is not there stops the start"
        )
    if planned.boot_files:
        first, second = (", ".join(sorted(file.path for file in one.boot_files)) for one in (planned, now))
        unread = text and not now.boot_files
        yield _same("files", call, "start-up files", first, None if unread else second, "warn", "what is missing may not start")


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


# -- firmware --------------------------------------------------------------------------------------------------------
def _firmware(plan: Fold, now: Machine) -> Iterator[Line]:
    planned, built, found = plan.planned.firmware, now.firmware, plan.found.firmware
    yield _same(
        "mode",
        "firmware",
        "starts by",
        planned.mode or "not known",
        built.mode,
        "stop",
        "systems of one way do not start the other way",
    )
    worked = planned.secure_boot == found.secure_boot and built.secure_boot != planned.secure_boot
    line = _same(
        "secure",
        "firmware",
        "Secure Boot",
        planned.secure_boot or "not known",
        built.secure_boot,
        "warn",
        "it was changed for the work only" if worked else "",
    )
    yield replace(
        line, left=line.stands == "differs" and any(one.firmware.secure_boot == built.secure_boot for one in plan.machines)
    )
    if planned.mode != "uefi":
        return
    if not built.entries_known:
        yield Line("firmware.entries", "firmware", "boot entries", f"{len(planned.entries)} entries", NOBODY, "unknown")
        return
    there = {one.number: twin_of(one, built.entries) for one in planned.entries if not one.automatic}
    for entry in (one for one in planned.entries if one.number in there):
        yield _entry(entry, there[entry.number])
    known = [one for one in there.values() if one]
    for other in built.entries:
        if other not in known and not other.automatic:
            yield _other(plan, other)
    if planned.order:
        first = planned.entry(planned.order[0])
        now_first = built.entry(built.order[0]) if built.order else None
        why = "another system starts by itself"
        yield _same("order", "firmware", "first in the order", _entry_words(first), _entry_words(now_first), "warn", why)
    if built.next is not None:
        yield Line(
            "firmware.next",
            "firmware",
            "meant for once",
            "nothing",
            f"Boot{built.next:04X}",
            "differs",
            "note",
            "the next start takes it",
            left=True,
        )


def twin_of(entry: BootEntry, built: tuple[BootEntry, ...]) -> BootEntry | None:
    """Return the entry that starts the same file of the same partition, whatever its number (``None``: none does)."""
    return next(
        (
            one
            for one in built
            if (one.partition_guid.upper(), one.path.lower()) == (entry.partition_guid.upper(), entry.path.lower())
        ),
        None,
    )


def _entry_words(entry: BootEntry | None) -> str:
    return f"“{entry.title}” {entry.path}".strip() if entry else "nothing"


def _entry(planned: BootEntry, now: BootEntry | None) -> Line:
    about, what = f"firmware.{planned.variable}", f"entry “{planned.title}”"
    if now is None:
        return Line(
            about,
            "firmware",
            what,
            _entry_words(planned),
            "not there",
            "differs",
            "warn",
            "what it starts may start no other way",
        )
    if planned.active != now.active:
        return Line(
            about,
            "firmware",
            what,
            "on" if planned.active else "off",
            "on" if now.active else "off",
            "differs",
            "warn",
            "it is switched",
        )
    if planned.title != now.title:
        return Line(about, "firmware", what, planned.title, now.title, "differs", "note", "only its name")
    return Line(about, "firmware", what, _entry_words(planned), _entry_words(now), "same")


def _other(plan: Fold, entry: BootEntry) -> Line:
    """An entry that the plan does not leave: found before and taken away, made for the work, or new."""
    before = twin_of(entry, plan.found.firmware.entries) is not None
    between = any(twin_of(entry, one.firmware.entries) for one in plan.machines)
    left = before or between
    why = "it was to be taken away" if left else "the plan does not know it"
    return Line(
        f"firmware.{entry.variable}",
        "firmware",
        f"entry “{entry.title}”",
        "none",
        _entry_words(entry),
        "differs",
        "warn" if left else "note",
        why,
        left=left,
    )


# -- what starts -----------------------------------------------------------------------------------------------------
def _starts(planned: Machine, now: Machine) -> Iterator[Line]:
    for one in systems(planned):
        was = outcome(planned, one.call, STANDING[0])
        if now.system(one.call) is None:
            continue
        held = now.system(one.call)
        seen = outcome(now, one.call, STANDING[0]) if held and held[1].holds else None
        yield _start(one.call, was, seen)


def _start(call: str, was: Outcome, seen: Outcome | None) -> Line:
    if seen is None or not seen.sure:
        return Line(
            f"{call}.starts",
            call,
            "starts",
            was.verdict,
            NOBODY if seen is None else "not known",
            "unknown",
            why=seen.why if seen else "",
        )
    worse = was.starts and (not seen.starts or (seen.by_hand and not was.by_hand))
    matters: Matters = "stop" if was.starts and not seen.starts else "warn" if worse else "note"
    return _same("starts", call, "starts", was.verdict, seen.verdict, matters, seen.why)
