"""The start-up files that a system's own tools put on an EFI system partition."""

from __future__ import annotations

import re

from inkshelf.core.disk.contents import BootFile, FileKind
from inkshelf.core.machine.roles import spelt
from inkshelf.core.value import replace
from inkshelf.data import exact

NAMED, LONGEST = r"[A-Za-z0-9]+", 24  # of a title, in the name of a folder that firmware reads
LOADER_BYTES = {
    "first-stage": 960 << 10,
    "menu": 2560 << 10,
    "menu-config": 4 << 10,
    "entry-menu": 128 << 10,
    "entry": 1 << 10,
    "entry-config": 512,
    "nt-loader": 64 << 10,
    "nt-boot-data": 32 << 10,
}


def folder_word(title: str) -> str:
    """Return a system's title as the name of its folder below ``\\EFI``."""
    return "-".join(re.findall(NAMED, title)).lower()[:LONGEST] or "linux"


def own_file(path: str, kind: FileKind, signed: bool | None, targets: tuple[str, ...] = ()) -> BootFile:  # noqa: FBT001
    """Return a start-up file of the size that such files have."""
    return BootFile(path, kind, LOADER_BYTES[kind], signed, targets)


def nt_files(targets: tuple[str, ...]) -> tuple[BootFile, ...]:
    """Return what the NT family's own tool puts there: loader, boot data that names ``targets`` (GUIDs), the copy where firmware looks without an entry."""
    return (
        own_file(exact("paths", "fallback_x64"), "nt-loader", signed=True),
        own_file(exact("paths", "nt_boot_data"), "nt-boot-data", None, targets),
        own_file(exact("paths", "nt_loader"), "nt-loader", signed=True),
    )


def more_named(data: BootFile, *targets: str) -> BootFile:
    """Return boot data that names more; it grows to what such files have."""
    return _naming(data, tuple(dict.fromkeys((*data.targets, *targets))))


def less_named(data: BootFile, target: str) -> BootFile:
    """Return boot data that names one less, in any spelling."""
    return _naming(data, tuple(one for one in data.targets if spelt(one) != spelt(target)))


def _naming(data: BootFile, targets: tuple[str, ...]) -> BootFile:
    """Boot data of these targets. What begins stays where it is still named; else the first does, which is set when it is written."""
    begins = data.begins if data.begins in targets[1:] else ""
    return replace(data, targets=targets, begins=begins, size_bytes=max(data.size_bytes, LOADER_BYTES["nt-boot-data"]))


def linux_files(folder: str, targets: tuple[str, ...], *, signed: bool, fallback: bool = False) -> tuple[BootFile, ...]:
    """Return what a Linux family's own tool puts into ``folder`` (its name below ``\\EFI``): first stage, menu, configuration.

    ``targets``: what the menu leads to, by UUID. ``fallback``: all of it again where firmware looks without an entry.
    """
    files = []
    for place in (f"\\EFI\\{folder}", *(("\\EFI\\BOOT",) if fallback else ())):
        first = exact("paths", "fallback_x64") if place == "\\EFI\\BOOT" else f"{place}\\{exact('paths', 'first_stage_x64')}"
        files += [
            own_file(first, "first-stage", signed),
            own_file(f"{place}\\{exact('paths', 'menu_x64')}", "menu", signed),
            own_file(f"{place}\\{exact('paths', 'menu_config')}", "menu-config", None, targets),
        ]
    return tuple(files)


def entry_files(folder: str, root: str, *, fallback: bool = False, settings: bool = True) -> tuple[BootFile, ...]:
    """Return what a system with a menu of entry files puts there (Boot Loader Specification, type #1): menu, its settings, its entry.

    ``folder``: its word, by which it sorts and below which its kernels lie; ``root``: its root's UUID; ``settings``: none are there yet.
    """
    name = f"{folder}{exact('linux', 'entry_ending')}"
    entry = BootFile(
        f"{exact('paths', 'entry_folder')}{name}",
        "entry",
        LOADER_BYTES["entry"],
        targets=(root,),
        sort=(folder, "", ""),
        program=f"\\{folder}\\{exact('linux', 'kernel_prefix')}-6",
    )
    said = BootFile(exact("paths", "entry_settings"), "entry-config", LOADER_BYTES["entry-config"], begins=name)
    menu = f"{exact('paths', 'entry_menu_folder')}\\{exact('paths', 'entry_menu_x64')}"
    places = (menu, *((exact("paths", "fallback_x64"),) if fallback else ()))
    loaders = tuple(own_file(one, "entry-menu", signed=False) for one in places)
    return (*loaders, *((said,) if settings else ()), entry)
