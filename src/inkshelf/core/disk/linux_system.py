"""An installed Linux-family system on a volume: its name, kernels, mount table, its menu's configuration and entry files."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Protocol

from inkshelf.core.disk import ext
from inkshelf.core.disk.contents import BootFile, FileKind, FileSystem, SystemRoot, waits_for
from inkshelf.core.disk.entry_files import menu_part
from inkshelf.core.disk.probe import Contents, pe_signed
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.texts import shown
from inkshelf.core.value import Value
from inkshelf.data import exact

NAMED = re.compile(r'^PRETTY_NAME="?([^"\n]*)"?', re.MULTILINE)
TEXT, MENU, HEAD = 1 << 16, 1 << 18, 4096  # bytes that are read of a small text, of a menu, of a program


Mounts = tuple[tuple[str, str], ...]
"""What is mounted, and where."""


class Files(Protocol):
    """How files are found in a file system: by absolute paths with ``/``."""

    def names(self, path: str) -> Mapping[str, int]:
        """Return the names in a folder; nothing where there is none."""

    def read(self, path: str, limit: int) -> bytes | None:
        """Return the first ``limit`` bytes of a file, or ``None``."""


class OnExt(Value, frozen=True):
    """The files of an ext volume."""

    volume: ext.Ext

    def names(self, path: str) -> dict[str, int]:
        """Return the names in a folder."""
        number = ext.lookup(self.volume, path)
        return ext.folder(self.volume, number) if number else {}

    def read(self, path: str, limit: int) -> bytes | None:
        """Return the first bytes of a file."""
        number = ext.lookup(self.volume, path)
        return None if number is None else ext.read_inode(self.volume, number, limit)


def on_ext(source: ByteSource) -> Contents | None:
    """Return what an ext volume holds, or ``None`` where it is not one."""
    found = ext.probe(source)
    volume = ext.open_ext(source) if found else None
    return with_system(found, OnExt(volume)) if found and volume else None


def on_btrfs(source: ByteSource) -> Contents | None:
    """Return what a Btrfs volume holds, or ``None`` where it is not one. One that its own utility must look at first is still a Btrfs."""
    from inkshelf.core.disk import btrfs, btrfs_files
    from inkshelf.core.errors import FormatError

    found = btrfs.probe(source)
    if found is None:
        return None
    try:
        for tree in btrfs_files.subvolumes(source):
            seen = with_system(found, tree)
            if seen.holds:
                return seen
    except FormatError as error:
        return Contents(found, fault=f"{error.what} {error.remedy}".strip())
    return Contents(found)


def with_system(found: FileSystem, files: Files) -> Contents:
    """Return a file system with the system and the menus that are in it."""
    return Contents(found, tuple(_menus(files)), _root(files))


def _root(files: Files) -> SystemRoot | None:
    release = files.read(exact("linux", "release_file"), TEXT)
    if release is None:
        return None
    apart = files.read(exact("linux", "release_file_apart"), TEXT) or b""  # where the first one is but a link to it
    title = release_title(release.decode("utf-8", "replace")) or release_title(apart.decode("utf-8", "replace"))
    folder = exact("linux", "boot_folder")
    kernels = [one for one in files.names(folder) if one.startswith(exact("linux", "kernel_prefix"))]
    signed = any(pe_signed(files.read(f"{folder}/{one}", HEAD) or b"") for one in kernels) if kernels else None
    mounts, waits = _mounts(files)
    return SystemRoot("linux", title or "Linux family", signed, mounts, kernels=len(kernels), waits=waits)


def _menus(files: Files) -> Iterator[BootFile]:
    """The menu's configuration and the entry files: of a root, or of a boot loader's own partition."""
    paths: list[tuple[str, FileKind]] = [(exact("linux", key), "menu-config") for key in ("menu_config", "menu_config_apart")]
    for base in exact("linux", "entry_folders").split():
        paths += [
            (f"{base}/{name}", "entry") for name in sorted(files.names(base)) if name.endswith(exact("linux", "entry_ending"))
        ]
    for path, kind in paths:
        content = files.read(path, MENU) if shown(path) == path else None
        if content is not None:
            yield menu_part(path, kind, content)


def _mounts(files: Files) -> tuple[Mounts, tuple[str, ...]]:
    return mount_table((files.read(exact("linux", "mount_table"), TEXT) or b"").decode("utf-8", "replace"))


def mount_table(text: str) -> tuple[Mounts, tuple[str, ...]]:
    """Return what a mount table mounts, and where, of each line that is no comment; and the places that a start waits for (``man 5 fstab``)."""
    fields = [line.split() for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    lines = [[shown(one) for one in two] for two in fields if len(two) >= 2]
    waits = (one[1] for one in lines if waits_for(one[1], one[3] if len(one) > 3 else "defaults"))
    return tuple((one[0], one[1]) for one in lines), tuple(waits)


def release_title(text: str) -> str:
    """Return the name that a release file gives its system, empty where it gives none."""
    found = NAMED.search(text)
    return shown(found.group(1)).strip() if found else ""
