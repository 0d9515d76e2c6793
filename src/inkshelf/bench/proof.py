"""Read back what was inked and hold it against the prediction and against the source: tables, volumes, files, start-up."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from inkshelf.bench import formatting
from inkshelf.bench.image import ImageFile
from inkshelf.bench.sparse import copy_data
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.disk import fat, ntfs, ntfs_files
from inkshelf.core.disk.read import read_disk
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk, FileSystem, Firmware, Machine, Volume
from inkshelf.core.size import MIB, binary
from inkshelf.core.steps.fold import Fold
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

TOLERANCE = 0.03  # of a file system's size: how far the used space may be from the prediction
PIECE = 4 << 20


class Check(Value, frozen=True):
    """One thing that was compared, whether it agreed, and what was seen."""

    what: str
    ok: bool
    detail: str


def comparable(disk: Disk) -> Disk:
    """Return what the fold predicts exactly: everything but measured use and how a disk is called."""
    volumes = tuple(replace(volume, planned=False, filesystem=_exact(volume.filesystem)) for volume in disk.volumes)
    table = replace(disk.table, primary_ok=True, backup_ok=True, fault="", backup_lba=disk.size // disk.sector - 1)
    return Disk(disk.id, disk.size, disk.sector, table=table, volumes=volumes)


def _exact(system: FileSystem | None) -> FileSystem | None:
    if system is None:
        return None
    return replace(system, used_bytes=None, smallest_bytes=None, smallest_why="", pinned_bytes=None, used_map=())


def same_as_taken_in(found: Disk, now: Disk, path: Path) -> None:
    """Refuse an image that is not what the plan was made from any more."""
    if comparable(found) != comparable(_as_planned(now, found)):
        raise BenchError(f"{path} has changed since it was taken in.", "Take it in again, so that the plan fits what is there.")


def _as_planned(now: Disk, planned: Disk) -> Disk:
    """Carry call numbers and roles over by partition GUID (by place where there is none)."""
    known = {(one.guid or str(one.start)): one for one in planned.volumes}
    volumes = []
    for volume in now.volumes:
        twin = known.get(volume.guid or str(volume.start))
        volumes.append(replace(volume, call=twin.call, role=twin.role) if twin else volume)
    return replace(now, id=planned.id, volumes=tuple(volumes))


def prove(
    plan: Fold, sources: dict[str, Path], images: dict[str, Path], firmware: Firmware, beat: Callable[[], None]
) -> tuple[Machine, list[Check]]:
    """Return the machine as read back from the bench, and every comparison."""
    checks: list[Check] = []
    disks = []
    for planned in plan.planned.disks:
        with ImageFile(images[planned.id]) as image, ImageFile(sources[planned.id]) as source:
            read = _as_planned(read_disk(image, planned.id, planned.sector), planned)
            disks.append(
                replace(
                    read,
                    model=planned.model,
                    serial=planned.serial,
                    transport=planned.transport,
                    device=planned.device,
                    removable=planned.removable,
                    physical_sector=planned.physical_sector,
                )
            )
            checks += _table_checks(planned, read)
            for volume in planned.volumes:
                beat()
                checks += _volume_checks(volume, read, image, plan.found, source)
    machine = replace(plan.planned, disks=tuple(disks), firmware=firmware)
    checks.append(_equal("boot variables", plan.planned.firmware, firmware))
    checks.append(_equal("what starts", rehearse(plan.planned), rehearse(machine)))
    return machine, checks


def _equal(what: str, expected: object, seen: object) -> Check:
    return Check(
        what, expected == seen, "as predicted" if expected == seen else f"predicted {expected!r:.300}, read {seen!r:.300}"
    )


def _table_checks(planned: Disk, read: Disk) -> Iterator[Check]:
    good = read.table.primary_ok and read.table.backup_ok
    yield Check(f"disk {planned.id}: both copies of the table", good, "checksums match in both" if good else read.table.fault)
    yield _equal(f"disk {planned.id}: table", comparable(planned).table, comparable(read).table)
    extra = {one.call or str(one.number) for one in read.volumes} ^ {one.call for one in planned.volumes}
    yield Check(
        f"disk {planned.id}: volumes",
        not extra,
        f"{len(read.volumes)} there, {len(planned.volumes)} planned"
        + (f"; differ: {', '.join(sorted(extra))}" if extra else ""),
    )


def _volume_checks(planned: Volume, read: Disk, image: ImageFile, found: Machine, source: ImageFile) -> Iterator[Check]:
    now = next((one for one in read.volumes if one.call == planned.call), None)
    if now is None:
        yield Check(f"{planned.call}: there", False, "not in the table that was read back")
        return
    only = Disk("", 0, volumes=(planned,)), Disk("", 0, volumes=(now,))
    yield _equal(f"{planned.call}: as predicted", comparable(only[0]).volumes[0], comparable(only[1]).volumes[0])
    if now.filesystem:
        yield _used(planned, now)
        fault = _own_checker(image, now)
        yield Check(f"{planned.call}: its own checker", not fault, fault or "clean")
    origin = found.find(planned.call)
    if origin:
        yield _kept(origin[1], now, source, image)


def _used(planned: Volume, now: Volume) -> Check:
    assert now.filesystem is not None  # noqa: S101 - the caller looked
    used, wanted = now.used or 0, planned.used
    if wanted is None or (planned.holds and planned.planned):
        return Check(
            f"{planned.call}: used space",
            True,
            f"{binary(used)}; not compared, a stand-in was installed" if planned.holds else f"{binary(used)}; was not known",
        )
    close = abs(used - wanted) <= max(16 * MIB, int(now.filesystem.size_bytes * TOLERANCE))
    return Check(f"{planned.call}: used space", close, f"{binary(used)}, predicted {binary(wanted)}")


def _own_checker(image: ImageFile, volume: Volume) -> str:
    """Hand the volume to its checker as a sparse file of its own."""
    with tempfile.TemporaryDirectory(prefix="check-", dir=image.path.parent) as scratch:
        path = Path(scratch) / volume.call
        fd = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            os.ftruncate(fd, volume.size)
            copy_data(image.fileno(), fd, volume.start, volume.size, 0)
        finally:
            os.close(fd)
        return formatting.check(path, volume.filesystem.kind if volume.filesystem else "")


def _kept(before: Volume, after: Volume, source: ImageFile, image: ImageFile) -> Check:
    """Compare what was kept: whole volumes byte for byte, a shrunk NTFS file by file."""
    old, new = Slice(source, before.start, before.size), Slice(image, after.start, after.size)
    if before.size == after.size and before.boot_files == after.boot_files and _inside(before) == _inside(after):
        same, count = _digest(old, 0, before.size), _digest(new, 0, after.size)
        return Check(
            f"{before.call}: contents", same == count, "byte for byte the same" if same == count else "its bytes have changed"
        )
    if before.filesystem and before.filesystem.kind == "ntfs":
        was, now = _file_digests(old), _file_digests(new)
        lost = {key for key, value in was.items() if now.get(key) != value}
        said = "files the same; its page and hibernation files hold nothing of anybody's and are left out"
        return Check(
            f"{before.call}: files", not lost, f"{len(was)} {said}" if not lost else f"{len(lost)} of {len(was)} files differ"
        )
    if before.filesystem and before.filesystem.kind.startswith("fat"):
        was_fat, now_fat = _fat_digests(old), _fat_digests(new)
        lost_fat = {path for path, value in was_fat.items() if now_fat.get(path) != value}
        said = f"{len(was_fat)} files the same" if not lost_fat else f"{', '.join(sorted(lost_fat))} differ"
        return Check(f"{before.call}: files", not lost_fat, said)
    return Check(f"{before.call}: contents", True, "checked by its own checker; files were not compared one by one")


def _inside(volume: Volume) -> tuple[str, bool]:
    """What a step may change inside a volume that it keeps: its label, and that its system sleeps."""
    system = volume.filesystem
    return (system.label, bool(system.hibernated)) if system else ("", False)


def _fat_digests(source: Slice) -> dict[str, str]:
    table = fat.layout(source)
    if table is None:
        return {}
    nodes = [node for node in fat.listing(source, table) if not node.folder]
    return {node.path: hashlib.sha256(fat.read_file(source, table, node, node.size)).hexdigest() for node in nodes}


def _digest(source: Slice, start: int, end: int) -> str:
    """Hash a stretch by its places and bytes that are not zero: a hole and written zeros are the same."""
    total = hashlib.sha256()
    for low, high in source.data_ranges(start, end):
        for at in range(low, high, PIECE):
            _feed(total, at - start, source.read(at, min(PIECE, high - at)))
    return total.hexdigest()


def _feed(total: hashlib._Hash, place: int, data: bytes) -> None:
    """Feed blocks on a fixed grid of the stretch, so that the cut of the ranges does not matter."""
    grid = 4096
    lead = -place % grid
    for at in [0, *range(lead, len(data), grid)] if lead else range(0, len(data), grid):
        block = data[at : at + (lead if lead and at == 0 else grid)]
        if block.strip(b"\0"):
            total.update((place + at).to_bytes(8, "little") + block)


def _file_digests(source: Slice) -> dict[tuple[int, str], str]:
    volume = ntfs.open_ntfs(source)
    if volume is None:
        return {}
    found = {}
    names = ntfs.root_names(volume)
    scratch = {names.get(exact("nt", key)) for key in ("hibernation_file", "page_file", "swap_file")}
    for file in ntfs_files.files(volume):
        if file.record in scratch:
            continue
        total = hashlib.sha256(file.size.to_bytes(8, "little") + file.value)
        at = 0
        for first, length in file.runs:
            for low, high in source.data_ranges(first, first + length) if first >= 0 else ():
                for place in range(low, high, PIECE):
                    _feed(total, at + place - first, source.read(place, min(PIECE, high - place)))
            at += length
        found[file.record, file.stream] = total.hexdigest()
    return found
