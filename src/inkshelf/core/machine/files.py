"""Systems that live in a file: NTFS volumes are looked through for files that are disks, in their root and where boot data names one."""

from __future__ import annotations

from inkshelf.core.disk import ntfs
from inkshelf.core.disk.source import ByteSource, Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import DiskFile, SystemRoot, TableKind, Volume
from inkshelf.core.value import replace
from inkshelf.data import exact

MOST = 16  # files of one volume that are looked into


def with_disk_files(source: ByteSource, volumes: tuple[Volume, ...]) -> tuple[Volume, ...]:
    """Return the volumes of a disk, those of NTFS with the files in them that are disks."""
    named = {
        target
        for one in volumes
        for file in one.boot_files
        if file.kind == "nt-boot-data"
        for target in file.targets
        if target.startswith("\\")
    }
    return tuple(
        replace(one, disk_files=_files(Slice(source, one.start, one.size), named))
        if one.filesystem and one.filesystem.kind == "ntfs"
        else one
        for one in volumes
    )


def _files(source: Slice, named: set[str]) -> tuple[DiskFile, ...]:
    try:
        volume = ntfs.open_ntfs(source)
        if volume is None:
            return ()
        ending = exact("disk_files", "ending")
        paths = {f"\\{name}" for name in ntfs.root_names(volume) if name.endswith(ending)} | {one.lower() for one in named}
        found = (_file(volume, path) for path in sorted(paths)[:MOST])
        return tuple(one for one in found if one is not None)
    except FormatError:
        return ()  # the probe of the volume says what is wrong with it


def _file(volume: ntfs.Ntfs, path: str) -> DiskFile | None:
    from inkshelf.core.disk import disk_files, ntfs_files  # late: most disks have no such file

    record = ntfs_files.lookup(volume, path)
    stream = ntfs_files.stream(volume, record) if record is not None else None
    if record is None:
        return None
    if stream is None:
        return DiskFile("", path, "fixed", 0, 0, fault="it is packed, encrypted or empty")
    try:
        opened = disk_files.open_disk_file(stream)
    except FormatError as error:
        return DiskFile("", path, "fixed", 0, stream.size, fault=error.what)
    if opened is None:
        return DiskFile("", path, "fixed", 0, stream.size, fault="its end does not say that it is a disk")
    table, holds = _inside(opened)
    return DiskFile("", path, opened.form, opened.size, stream.size, opened.identity, table, holds)


def _inside(opened: ByteSource) -> tuple[TableKind, SystemRoot | None]:
    """The table of the disk inside, and the first system on it; the disk inside is read like any other, but no deeper."""
    from inkshelf.core.machine.read import read_disk

    try:
        disk = read_disk(opened, sector=512)
    except FormatError:
        return "none", None
    return disk.table.kind, next((one.holds for one in disk.volumes if one.holds), None)
