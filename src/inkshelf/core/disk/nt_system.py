"""An NTFS volume, and the NT-family system that may be on it."""

from __future__ import annotations

from inkshelf.core.disk import hive, ntfs, ntfs_files
from inkshelf.core.disk.contents import BootFile, SystemRoot
from inkshelf.core.disk.nt_boot_data import boot_data_file
from inkshelf.core.disk.ntfs_probe import probe
from inkshelf.core.disk.probe import Contents
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import FormatError
from inkshelf.data import exact

BOOT_FOLDER = "boot"


def contents(source: ByteSource) -> Contents | None:
    """Return what an NTFS volume holds, or ``None`` where it is not one. A page file alone makes no system: it may lie on any volume."""
    found = probe(source)
    if found is None:
        return None
    facts, names = found
    telling = {exact("nt", key).lower() for key in ("hibernation_file", "system_folder")}
    return Contents(
        facts,
        _boot_data(source) if BOOT_FOLDER in names else (),
        SystemRoot("nt", "NT family", True) if telling & names.keys() else None,
    )


def _boot_data(source: ByteSource) -> tuple[BootFile, ...]:
    """The boot data that this family's legacy start reads from its active volume; none where it cannot be read, and nothing is then said of it."""
    path = exact("paths", "nt_boot_data_legacy")
    volume = ntfs.open_ntfs(source)
    try:
        record = ntfs_files.lookup(volume, path) if volume else None
        held = ntfs_files.stream(volume, record) if volume and record is not None else None
        if held is None or held.size > hive.LARGEST:
            return ()
        found = boot_data_file(path, held.size, held.read(0, held.size))
    except FormatError:
        return ()
    return (found,) if found.targets else ()
