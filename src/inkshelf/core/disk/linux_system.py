"""An installed Linux-family system on an ext volume: its name, kernels, mount table, its menu's configuration and entry files."""

from __future__ import annotations

import re
from collections.abc import Iterator

from inkshelf.core.disk import ext
from inkshelf.core.disk.contents import BootFile, FileKind, SystemRoot
from inkshelf.core.disk.menus import menu_file
from inkshelf.core.disk.probe import Contents, pe_signed
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.texts import shown
from inkshelf.data import exact


def contents(source: ByteSource) -> Contents | None:
    """Return what an ext volume holds, or ``None`` where it is not one."""
    found = ext.probe(source)
    return Contents(found, tuple(_linux_files(source)), _linux_root(source)) if found else None


def _linux_root(source: ByteSource) -> SystemRoot | None:
    volume = ext.open_ext(source)
    release = ext.lookup(volume, exact("linux", "release_file")) if volume else None
    if volume is None or release is None:
        return None
    text = ext.read_inode(volume, release, 65536).decode("utf-8", "replace")
    title = re.search(r'^PRETTY_NAME="?([^"\n]*)"?', text, re.MULTILINE)
    boot = ext.lookup(volume, exact("linux", "boot_folder"))
    kernels = (
        []
        if boot is None
        else [n for name, n in ext.folder(volume, boot).items() if name.startswith(exact("linux", "kernel_prefix"))]
    )
    signed = any(pe_signed(ext.read_inode(volume, number, 4096)) for number in kernels) if kernels else None
    return SystemRoot(
        "linux", shown(title.group(1)) if title else "Linux family", signed, _mounts(volume), kernels=len(kernels)
    )


def _linux_files(source: ByteSource) -> Iterator[BootFile]:
    """The menu's configuration and the entry files on an ext volume: a root, or a boot loader's own partition."""
    volume = ext.open_ext(source)
    if volume is None:
        return
    paths: list[tuple[str, FileKind]] = [(exact("linux", key), "menu-config") for key in ("menu_config", "menu_config_apart")]
    for base in exact("linux", "entry_folders").split():
        number = ext.lookup(volume, base)
        names = ext.folder(volume, number) if number else {}
        paths += [(f"{base}/{name}", "entry") for name in sorted(names) if name.endswith(exact("linux", "entry_ending"))]
    for path, kind in paths:
        number = ext.lookup(volume, path)
        if number is not None and shown(path) == path:
            content = ext.read_inode(volume, number, 1 << 18)
            yield menu_file(path, kind, content)


def _mounts(volume: ext.Ext) -> tuple[tuple[str, str], ...]:
    node = ext.lookup(volume, exact("linux", "mount_table"))
    if node is None:
        return ()
    lines = ext.read_inode(volume, node, 65536).decode("utf-8", "replace").splitlines()
    fields = [line.split() for line in lines if line.strip() and not line.lstrip().startswith("#")]
    return tuple((shown(one[0]), shown(one[1])) for one in fields if len(one) >= 2)
