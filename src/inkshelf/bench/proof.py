"""Read back what was inked and hold it against the prediction and against the source: tables, volumes, files, start-up."""

from __future__ import annotations

import os
import tempfile
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

from inkshelf.bench import differences, formatting, media, outside
from inkshelf.bench.contents import kept
from inkshelf.bench.grouping import takes_files
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds import TOOLS
from inkshelf.bench.second_reader import agrees
from inkshelf.bench.sparse import copy_data, data_bytes
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.disk.contents import BootFile, waits_for
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import BenchError, FormatError
from inkshelf.core.machine.read import read_disk
from inkshelf.core.machine.roles import spelt
from inkshelf.core.machine.state import Disk, FileSystem, Firmware, Machine, Volume
from inkshelf.core.size import MIB, binary
from inkshelf.core.steps.fold import Fold
from inkshelf.core.steps.kinds import Format, Mount, Step
from inkshelf.core.steps.ledger import ledger
from inkshelf.core.value import Value, replace

GROWN = 16 * MIB  # more than that in use than when it was taken in is another content
TOLERANCE = 0.03  # of a file system's size: how far the used space may be from the prediction


class Check(Value, frozen=True):
    """One thing that was compared, whether it agreed, and what was seen."""

    what: str
    ok: bool
    detail: str


def comparable(disk: Disk) -> Disk:
    """Return what the fold predicts exactly: everything but measured use and how a disk is called."""
    volumes = tuple(
        replace(
            volume,
            planned=False,
            filesystem=_exact(volume.filesystem),
            disk_files=tuple(
                replace(one, planned=False, stored_bytes=one.stored_bytes if one.form == "fixed" else 0)
                for one in volume.disk_files
            ),
            boot_files=tuple(_readable(file) for file in volume.boot_files),
        )
        for volume in disk.volumes
    )
    table = replace(
        disk.table,
        primary_ok=True,
        backup_ok=True,
        fault="",
        backup_lba=disk.size // disk.sector - 1,
        backup_entries_lba=0,
        protective=True,
    )
    return Disk(disk.id, disk.size, disk.sector, table=table, volumes=volumes)


def _readable(file: BootFile) -> BootFile:
    """Of what is made nobody knows its sum beforehand."""
    return replace(file, digest="", targets=tuple(map(spelt, file.targets)) if file.kind == "nt-boot-data" else file.targets)


def _exact(system: FileSystem | None) -> FileSystem | None:
    if system is None:
        return None
    return replace(
        system,
        used_bytes=None,
        inside=tuple(replace(one, used_bytes=None) for one in system.inside),
        smallest_bytes=None,
        smallest_why="",
        pinned_bytes=None,
        used_map=(),
        group_bytes=0,
        group_table_bytes=0,
        group_reserved=0,
        slots=(),  # how its utility makes a key is its own to choose
    )


def same_as_taken_in(found: Disk, now: Disk, path: Path) -> None:
    """Refuse an image that is not what the plan was made from any more."""
    if comparable(found) != comparable(_as_planned(now, found)):
        raise BenchError(f"{path} has changed since it was taken in.", "Take it in again, so that the plan fits what is there.")
    for was, is_now in zip(found.volumes, _as_planned(now, found).volumes, strict=True):
        if was.used is not None and (is_now.used or 0) > was.used + GROWN:
            raise BenchError(
                f"{was.call} holds {binary(is_now.used or 0)} now, and held {binary(was.used)} when it was taken in.",
                "Take it in again, so that the plan fits what is there.",
            )


def _as_planned(now: Disk, planned: Disk) -> Disk:
    """Carry call numbers and roles over by partition GUID; by place where there is none, or where two volumes bear one."""
    counts = Counter(one.guid for one in planned.volumes)
    known = {one.guid if one.guid and counts[one.guid] == 1 else one.start: one for one in planned.volumes}
    volumes = []
    for volume in now.volumes:
        twin = known.get(volume.guid) or known.get(volume.start)
        volumes.append(_unread(_called(replace(volume, call=twin.call, role=twin.role), twin), twin) if twin else volume)
    return replace(now, id=planned.id, volumes=tuple(volumes))


def _called(now: Volume, planned: Volume) -> Volume:
    """A system in a file keeps its call number."""
    calls = {one.path.lower(): one.call for one in planned.disk_files}
    return replace(now, disk_files=tuple(replace(one, call=calls.get(one.path.lower(), "")) for one in now.disk_files))


def _unread(now: Volume, planned: Volume) -> Volume:
    """Nobody looks into an encrypted container without its key: what is planned inside is carried over, and a line of the proof says so."""
    was, system = planned.filesystem, now.filesystem
    if was is None or system is None or was.uuid != system.uuid or not KINDS[system.kind].encrypted:
        return now
    return replace(now, holds=planned.holds, filesystem=replace(system, inside=was.inside))


def prove(
    plan: Fold,
    steps: tuple[Step, ...],
    sources: dict[str, Path],
    images: dict[str, Path],
    firmware: Firmware,
    beat: Callable[[int], None],
) -> tuple[Machine, list[Check]]:
    """Return the machine as read back from the bench, and every comparison; ``beat`` is told bytes read. What the steps give up is not compared with its source."""
    lost = set(ledger(plan, steps).lost)
    mounts = (step for step in steps if isinstance(step, Mount))
    unwritten = tuple(one for one in mounts if (at := plan.planned.find(one.call)) and not takes_files(at[1]))
    checks: list[Check] = []
    disks = []
    for planned in plan.planned.disks:
        with ImageFile(images[planned.id]) as image, ImageFile(sources[planned.id]) as source:
            read = _with_lines(_as_planned(read_disk(image, planned.id, planned.sector), planned), planned, unwritten)
            disks.append(_named_as(read, planned))
            checks += _table_checks(planned, read)
            whole, seen = outside.compare(plan, steps, planned.id, source, image)
            checks.append(Check(f"disk {planned.id}: outside volumes and tables", whole, seen))
            ok, said = agrees(images[planned.id], planned)
            checks.append(Check(f"disk {planned.id}: table, by another reader", ok, said))
            for volume in planned.volumes:
                found = () if volume.call in lost else _states(plan, volume.call)
                left = _left(plan, steps, volume.call)
                touched = frozenset(left) | {
                    path for step in steps for call, path in step.changes_files() if call == volume.call
                }
                stand_in = any(volume.call in step.stands_in() for step in steps)
                checks += _volume_checks(volume, read, image, Kept(found, source, left, touched, stand_in))
                beat(2 * data_bytes(image.fileno(), volume.start, volume.end))
    checks += [Check(*one) for one in media.checks(steps, plan.planned.find, images)]
    checks += [_later(step) for step in steps if isinstance(step, Format) and step.subvolumes]
    checks += [_unwritten(step) for step in unwritten]
    machine = replace(plan.planned, disks=tuple(disks), firmware=firmware)
    checks.append(_equal("boot variables", plan.planned.firmware, firmware))
    checks.append(_equal("what starts", rehearse(plan.planned), rehearse(machine)))
    return machine, checks


def _named_as(read: Disk, planned: Disk) -> Disk:
    """What an image cannot tell of its disk is taken from the plan."""
    return replace(
        read,
        model=planned.model,
        serial=planned.serial,
        transport=planned.transport,
        device=planned.device,
        removable=planned.removable,
        physical_sector=planned.physical_sector,
        failing=planned.failing,
        stick=planned.stick,
    )


def _states(plan: Fold, call: str) -> tuple[Volume, ...]:
    """The volume as found and after every step; nothing where it was not there at first."""
    places = [machine.find(call) for machine in plan.machines]
    return tuple(one[1] for one in places if one) if places[0] else ()


def _left(plan: Fold, steps: tuple[Step, ...], call: str) -> dict[str, bytes]:
    """The files that the steps promise in a volume, as the last of them leaves them."""
    left: dict[str, bytes] = {}
    for before, step in zip(plan.machines, steps, strict=False):
        if call in step.gives_up(before):
            left = {}
        left |= {path: data for at, path, data in step.leaves() if at == call}
    return left


def _there(volume: Volume, image: ImageFile, path: str, data: bytes) -> Check:
    """Read a file that a step promised, by our own reader, which did not write it."""
    own = TOOLS.get(volume.filesystem.kind) if volume.filesystem else None
    what = f"{volume.call}: {path}"
    if own is None or own.read is None:
        return Check(what, False, "there is no way to read it back")
    try:
        seen = own.read(Slice(image, volume.start, volume.size), path)
    except FormatError as error:
        return Check(what, False, f"could not be read back: {error.what}")
    if seen is None:
        return Check(what, False, "not there")
    return Check(what, seen == data, "reads back as planned" if seen == data else "holds something else than was planned")


def _equal(what: str, expected: object, seen: object) -> Check:
    return Check(what, expected == seen, differences.words(expected, seen) or "as predicted")


def _table_checks(planned: Disk, read: Disk) -> Iterator[Check]:
    good = read.table.primary_ok and read.table.backup_ok
    if read.table.kind == "gpt":
        yield Check(
            f"disk {planned.id}: both copies of the table", good, "checksums match in both" if good else read.table.fault
        )
    yield _equal(f"disk {planned.id}: table", comparable(planned).table, comparable(read).table)
    extra = {one.call or str(one.number) for one in read.volumes} ^ {one.call for one in planned.volumes}
    yield Check(
        f"disk {planned.id}: volumes",
        not extra,
        f"{len(read.volumes)} there, {len(planned.volumes)} planned"
        + (f"; differ: {', '.join(sorted(extra))}" if extra else ""),
    )


def _with_lines(read: Disk, planned: Disk, unwritten: tuple[Mount, ...]) -> Disk:
    """Add the mount lines that nobody can put there from outside, each one as planned; all others must be there."""
    for step in unwritten:
        twin = next((one for one in planned.volumes if one.call == step.call), None)
        volumes = tuple(_with_line(one, twin, step) if one.call == step.call else one for one in read.volumes)
        read = replace(read, volumes=volumes)
    return read


def _with_line(now: Volume, planned: Volume | None, step: Mount) -> Volume:
    line = next((one for one in (planned.holds.mounts if planned and planned.holds else ()) if one[1] == step.folder), None)
    if line is None or now.holds is None or line in now.holds.mounts:
        return now
    waits = (*now.holds.waits, *((step.folder,) if waits_for(step.folder, step.options) else ()))
    return replace(now, holds=replace(now.holds, mounts=(*now.holds.mounts, line), waits=waits))


def _unwritten(step: Mount) -> Check:
    words = f"the line for {step.folder} is on the sheet, not on the bench: nothing is put into {step.call} from outside"
    return Check(f"{step.call}: mount table", ok=True, detail=words)


def _later(step: Format) -> Check:
    words = f"{', '.join(step.subvolumes)}: planned and on the sheet, not on the bench, where nothing is mounted"
    return Check(f"{step.call}: subvolumes", ok=True, detail=words)


class Kept(NamedTuple):
    """What a volume is held against: itself as found and after every step, its source, and what the steps write in it."""

    found: tuple[Volume, ...]
    source: ImageFile
    left: dict[str, bytes]
    touched: frozenset[str]
    stand_in: bool


def _volume_checks(planned: Volume, read: Disk, image: ImageFile, against: Kept) -> Iterator[Check]:
    now = next((one for one in read.volumes if one.call == planned.call), None)
    if now is None:
        yield Check(f"{planned.call}: there", False, "not in the table that was read back")
        return
    only = Disk("", 0, volumes=(planned,)), Disk("", 0, volumes=(now,))
    yield _equal(f"{planned.call}: as predicted", comparable(only[0]).volumes[0], comparable(only[1]).volumes[0])
    if now.filesystem:
        yield _used(planned, now, stand_in=against.stand_in)
        if now.filesystem.inside and KINDS[now.filesystem.kind].encrypted:
            yield Check(
                f"{planned.call}: what is inside", ok=True, detail="planned and on the sheet; not read, its key is not here"
            )
        fault = _own_checker(image, now)
        if fault is not None:
            yield Check(f"{planned.call}: its own checker", not fault, fault or "clean")
    if against.found:
        ok, said, what = kept(against.found, now, against.source, image, against.touched)
        yield Check(f"{planned.call}: {what}", ok, said)
    for path, data in against.left.items():
        yield _there(now, image, path, data)


def _used(planned: Volume, now: Volume, *, stand_in: bool) -> Check:
    assert now.filesystem is not None  # noqa: S101 - the caller looked
    used, wanted = now.used or 0, planned.used
    if wanted is None or stand_in:
        why = "not compared, a stand-in was put there" if stand_in else "was not known"
        return Check(f"{planned.call}: used space", True, f"{binary(used)}; {why}")
    close = abs(used - wanted) <= max(16 * MIB, int(now.filesystem.size_bytes * TOLERANCE))
    return Check(f"{planned.call}: used space", close, f"{binary(used)}, predicted {binary(wanted)}")


def _own_checker(image: ImageFile, volume: Volume) -> str | None:
    """Hand the volume to its checker as a sparse file of its own."""
    with tempfile.TemporaryDirectory(prefix="check-", dir=image.path.parent) as scratch:
        path = Path(scratch) / "volume"
        fd = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            os.ftruncate(fd, volume.size)
            copy_data(image.fileno(), fd, volume.start, volume.size, 0)
        finally:
            os.close(fd)
        return formatting.check(path, volume.filesystem.kind if volume.filesystem else "")
