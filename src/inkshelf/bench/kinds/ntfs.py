"""NTFS on the bench."""

from __future__ import annotations

import hashlib
import os
import struct
import tempfile
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.filling import ntfs as filling
from inkshelf.bench.filling import reading
from inkshelf.bench.hashing import feed
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds.base import UNREADABLE, Digests, Tools
from inkshelf.bench.sparse import write_all
from inkshelf.core.disk import ntfs, ntfs_files
from inkshelf.core.disk.filesystems import hidden_sectors
from inkshelf.core.disk.source import ByteSource, Slice
from inkshelf.core.errors import BenchError, FormatError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format
from inkshelf.data import exact

PACKAGE = "ntfs-3g"


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    geometry = f"-s {disk.sector} -c 4096 -p {hidden_sectors(volume.start, disk.sector)} -H 255 -S 63".split()
    tools.run("mkfs.ntfs", "-F", "-Q", "-q", *geometry, "-L", step.label, path)
    renew(path, step.uuid)


def resize(path: Path, volume: Volume, to_bytes: int) -> None:
    """The utility moves what lies behind the new end, and asks for a check, which was just made."""
    tools.run("ntfsresize", "--force", "--force", "--no-progress-bar", "--size", str(to_bytes), path, feed="y\n")
    _clear_check_mark(path)


def label(path: Path, text: str) -> None:
    tools.run("ntfslabel", "--force", path, text)


def renew(path: Path, uuid: str) -> None:
    tools.run("ntfslabel", "--force", f"--new-serial={uuid}", path)


def put_in_root(path: Path, files: Mapping[str, bytes]) -> None:
    """Write small files into the root folder of the volume that ``path`` holds."""
    with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
        for name, data in files.items():
            local = Path(scratch) / "file"
            local.write_bytes(data)
            tools.run("ntfscp", "-q", path, local, name)


def _clear_check_mark(path: Path) -> None:
    """The utility asks for a check at the next start. On the bench the check was just made: take the mark off, as the owner's system would."""
    tools.run("ntfsresize", "--check", "--force", "--force", path)
    edit_record(path, ntfs.VOLUME, _without_check_mark)


def _without_check_mark(raw: bytearray) -> None:
    at = ntfs.find_attribute(raw, ntfs.VOLUME_INFO)
    value = at + ntfs.RESIDENT.of(raw, at).value_at
    flags = ntfs.VOLUME_FLAGS.of(raw, value).flags
    struct.pack_into("<H", raw, value + ntfs.VOLUME_FLAGS.place("flags"), flags & ~ntfs.DIRTY)


def edit_record(path: Path, number: int, change: Callable[[bytearray], None]) -> None:
    """Change a record of the file table of the volume that ``path`` holds, and its copy where it has one."""
    with ImageFile(path) as source:
        volume = ntfs.open_ntfs(source)
        if volume is None:
            raise BenchError("The volume is not NTFS any more.", "Throw the bench copy away and ink again.")
        raw = bytearray(ntfs.record_bytes(volume, number))
        copies = [volume.mft_runs[0][0] * volume.cluster + number * volume.record]
        mirror = next((one.runs for one in ntfs.attributes(volume, ntfs.MIRROR) if one.kind == ntfs.DATA), ())
        copies += [mirror[0][0] * volume.cluster + number * volume.record] if mirror and number < 4 else []
    change(raw)
    data = ntfs.protected(raw)
    fd = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    try:
        for at in copies:
            write_all(fd, data, at)
    finally:
        os.close(fd)


def hibernation_header(source: ByteSource) -> int | None:
    """Return where the hibernation file of an NTFS volume begins, from the volume's start, or ``None`` where there is none."""
    volume = ntfs.open_ntfs(source)
    number = ntfs.root_names(volume).get(exact("nt", "hibernation_file")) if volume else None
    if volume is None or number is None:
        return None
    runs = next((one.runs for one in ntfs.attributes(volume, number) if one.kind == ntfs.DATA and one.runs), ())
    return runs[0][0] * volume.cluster if runs and runs[0][0] >= 0 else None


def digests(source: Slice) -> Digests:
    """Return the hash of every stream of every file of an NTFS volume, with its names and folders, by its record; of folders their names."""
    volume = ntfs.open_ntfs(source)
    if volume is None:
        raise FormatError(UNREADABLE)
    names = ntfs.root_names(volume)
    scratch = {names.get(exact("nt", key)) for key in ("hibernation_file", "page_file", "swap_file")}
    found: Digests = {}
    for file in ntfs_files.files(volume):
        if file.record not in scratch:
            total = hashlib.sha256(file.names + file.size.to_bytes(8, "little") + file.value)
            feed(total, source, _placed(file.runs))
            found[file.record, file.stream] = total.hexdigest()
    return found


def keys_of(source: Slice, paths: frozenset[str]) -> frozenset[object]:
    """Return the records and streams of files at paths; one that is not there has none."""
    volume = ntfs.open_ntfs(source)
    records = {ntfs_files.lookup(volume, path.replace("/", "\\")) for path in paths} if volume else set()
    return frozenset(
        (record, one.name)
        for record in records
        if volume and record is not None
        for one in ntfs.attributes(volume, record)
        if one.kind == ntfs.DATA
    )


def _placed(runs: Iterable[tuple[int, int]]) -> list[tuple[int, int, int]]:
    at, placed = 0, []
    for first, length in runs:
        if first >= 0:
            placed.append((at, first, length))
        at += length
    return placed


def boot_copies(source: Slice) -> tuple[int, ...]:
    """The copy of the boot sector stands behind the last cluster."""
    volume = ntfs.open_ntfs(source)
    if volume is None:
        return ()
    at = volume.sectors * volume.sector
    copy = source.read(at, ntfs.BOOT.size)
    return (at,) if len(copy) == ntfs.BOOT.size and ntfs.BOOT.of(copy).mark == ntfs.BOOT_MARK else ()


TOOLS = Tools(
    ("ntfs",),
    make=make,
    resize=resize,
    label=label,
    renew=renew,
    check=("ntfsresize", "--check", "--force", "--force"),
    digests=digests,
    things="files and folders",
    left_out="; its page and hibernation files hold nothing of anybody's and are left out",
    boot_copies=boot_copies,
    put=filling.put,
    put_files=filling.put_files,
    remove_file=filling.remove_file,
    keys_of=keys_of,
    files=reading.in_ntfs,
    makes_with=dict.fromkeys(("mkfs.ntfs", "ntfslabel"), PACKAGE),
    changes_with=dict.fromkeys(("ntfsresize", "ntfslabel", "ntfscp", "ntfsfallocate"), PACKAGE),
)
