"""Files that are disks or discs themselves: on NTFS those that a system lives in, on FAT32 and exFAT the images in their roots."""

from __future__ import annotations

import struct

from inkshelf.core.disk import fat, ntfs
from inkshelf.core.disk.source import ByteSource, Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import DiskFile, HeldImage, SystemRoot, TableKind, Volume
from inkshelf.core.texts import shown
from inkshelf.core.value import replace
from inkshelf.data import exact

MOST = 16  # files of one volume that are looked into


def with_images(source: ByteSource, volumes: tuple[Volume, ...]) -> tuple[Volume, ...]:
    """Return the volumes of a disk, those of FAT32, exFAT and NTFS with the images that lie in their roots."""
    kinds = {"fat32": _in_fat, "exfat": _in_exfat, "ntfs": _in_ntfs}
    found = []
    for one in volumes:
        work = kinds.get(one.filesystem.kind) if one.filesystem else None
        try:
            listed = work(Slice(source, one.start, one.size)) if work else ()
        except (FormatError, struct.error, ValueError, IndexError, OverflowError):
            listed = ()  # the probe of the volume says what is wrong with it
        endings = tuple(exact("media", "image_endings").split())
        images = (
            HeldImage(f"/{name}", size) for name, size in listed if name.lower().endswith(endings) and shown(name) == name
        )
        found.append(replace(one, images=tuple(images)) if work else one)
    return tuple(found)


def with_clashes(source: ByteSource, volumes: tuple[Volume, ...]) -> tuple[Volume, ...]:
    """Return the volumes of a disk; those of NTFS that hold no system, with the names in them that differ by capitals only."""
    return tuple(
        replace(one, filesystem=replace(one.filesystem, clashes=_clashes(Slice(source, one.start, one.size))))
        if one.filesystem and one.filesystem.kind == "ntfs" and one.holds is None
        else one
        for one in volumes
    )


def _clashes(source: Slice) -> tuple[str, ...]:
    from inkshelf.core.disk import ntfs_names  # late: most volumes of this kind hold a system

    try:
        volume = ntfs.open_ntfs(source)
        return ntfs_names.clashes(volume)[0] if volume else ()
    except (FormatError, struct.error, ValueError, IndexError, OverflowError):
        return ()  # the probe of the volume says what is wrong with it


def _in_fat(source: Slice) -> tuple[tuple[str, int], ...]:
    table = fat.layout(source)
    return tuple((one.path.strip("\\"), one.size) for one in fat.root(source, table) if not one.folder) if table else ()


def _in_exfat(source: Slice) -> tuple[tuple[str, int], ...]:
    from inkshelf.core.disk import exfat, exfat_files

    table = exfat.layout(source)
    raw = exfat_files.root(source, table) if table else b""
    return tuple((one.name, one.size) for one in exfat_files.nodes(raw) if not one.folder)


def _in_ntfs(source: Slice) -> tuple[tuple[str, int], ...]:
    """In the order of their records, which are given away in the order in which files come."""
    volume = ntfs.open_ntfs(source)
    if volume is None:
        return ()
    endings = tuple(exact("media", "image_endings").split())
    records = sorted({at for name, at in ntfs.root_names(volume).items() if name.endswith(endings)})[:MOST]
    found = ((ntfs.long_name(volume, at), ntfs.data_size(volume, at)) for at in records)
    return tuple((name, size) for name, size in found if name)


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
