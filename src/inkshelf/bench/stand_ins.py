"""Small stand-ins for files that real systems bring: loaders, boot data, a menu's configuration.

They carry what the reader looks at (PE header with or without a security directory, partition GUIDs, UUIDs). Loaders really run: firmware
starts them, they say who they are, and stop; nothing else is in them.
"""

from __future__ import annotations

from inkshelf.bench.programs import Acts, Side, acting, program, sector_code
from inkshelf.bench.programs import core as program_core
from inkshelf.core.disk.contents import BootFile, FileKind
from inkshelf.core.disk.entry_files import WAITS
from inkshelf.core.disk.nt_boot_data import MENU_WAITS, BootData, NtSystem, build
from inkshelf.data import exact

LOADER = 64 << 10
"""Bytes of a loader, where nobody said how large it is."""
BOOT_DATA = 32 << 10
"""Bytes of boot data, likewise."""
KERNEL = f"{exact('linux', 'kernel_prefix')}-6"
"""The kernel's file name, as an installed stand-in has it."""

INITIAL = "initrd.img"


def loader(words: str, *, signed: bool, size: int = LOADER) -> bytes:
    """Return ``size`` bytes of a program that says what it stands for and stops; ``signed``: with what looks like a signature, and is none."""
    return program(f"stand-in: {words}", size=size, certificate=_signature(words) if signed else b"")


WHO: dict[FileKind, str] = {"first-stage": "first stage", "nt-loader": "NT loader", "entry-menu": "menu of entry files"}


def startup_loader(file: BootFile) -> bytes:
    """Return the stand-in of a loader on a start-up volume: a first stage starts the menu beside it, a menu does as its configuration says."""
    words, size = WHO.get(file.kind, file.kind), file.size_bytes
    reads: dict[str, tuple[Acts, str]] = {
        "first-stage": ("starts", exact("paths", "menu_x64")),
        "menu": ("menu", exact("paths", "menu_config")),
        "nt-loader": ("boot-data", exact("paths", "nt_boot_data")),
        "entry-menu": ("entries", exact("paths", "entry_settings")),
    }
    if file.kind not in reads:
        return loader(words, signed=bool(file.signed), size=size)
    return acting(words, *reads[file.kind], size=size, certificate=_signature(words) if file.signed else b"")


def _signature(words: str) -> bytes:
    return f"stand-in signature for {words}".encode().ljust(512, b"\0")


def boot_data(*targets: str, size: int = BOOT_DATA, begins: str = "") -> bytes:
    """Return NT boot data whose menu lists the systems on volumes, by their GUIDs or by signature and first byte, and in disk files, by their paths.

    ``begins``: the target of the one that begins by itself, where that is not the first.
    """
    systems = tuple(NtSystem(f"system {number + 1}", (one,)) for number, one in enumerate(targets))
    default = targets.index(begins) if begins in targets else None if begins or not targets else 0
    return build(BootData(systems, default, MENU_WAITS), size)


def start_code(words: str, family: str, core: int = 0) -> bytes:
    """Return what stands for a loader's code in the first sector of a disk: it says so, and starts what a family's own starts.

    That is its core, at the sector ``core``, or the boot sector of the active volume. It bears what a family's own bears.
    """
    side: Side = "nt" if family == "nt" else "linux"
    mark = exact("start_code", family).encode() if family in {"nt", "linux"} else b""
    return sector_code(f"stand-in start code of {words}", side, mark, core)


def core(words: str) -> bytes:
    """Return what stands for the core that a first sector's code starts."""
    return program_core(f"stand-in core of {words}")


def menu_config(
    roots: tuple[tuple[str, str], ...],
    title: str,
    others: tuple[tuple[str, str], ...],
    size: int = 0,
    *,
    default: str = "",
    stays: bool = False,
) -> bytes:
    """Return a menu that loads kernels by file-system UUID and chains the ``others`` (title, loader path), filled up to ``size``.

    ``roots``: where the kernels lie and which root they start, by UUID; the first is the system's own, the others are listed too.
    ``default``: what its ``default`` is set to (empty: it is not set); ``stays``: it has no limit of time.
    """
    lines = [f"# start-up menu of {title}", "set timeout=-1" if stays else "set timeout=3"]
    lines += [f'set default="{default}"'] if default else []
    for number, (search, root) in enumerate(roots):
        folder = "/boot" if search == root else ""
        lines += [
            f'menuentry "{f"system on {root}" if number else title}" {{',
            f"  search --fs-uuid --set=root {search}",
            f"  linux {folder}/{KERNEL} root=UUID={root} ro",
            f"  initrd {folder}/initrd.img",
            "}",
        ]
    for name, path in others:
        place = path.replace("\\", "/")
        found = f"  search --no-floppy --file --set=root {place}"  # it may lie on another start-up volume than the menu
        lines += [f'menuentry "{name}" {{', found, f"  chainloader {place}", "}"]
    return ("\n".join(lines) + "\n").encode().ljust(size, b"\n")


def entry(title: str, file: BootFile) -> bytes:
    """Return an entry file of the Boot Loader Specification (type #1) that begins ``file.program`` for the root of its first target."""
    key, machine, version = file.sort or ("", "", "")
    program = file.program.replace("\\", "/")
    folder = program.rsplit("/", 1)[0]
    lines = [f"title {title}"]
    lines += [f"{word} {text}" for word, text in (("version", version), ("machine-id", machine), ("sort-key", key)) if text]
    lines += [f"linux {program}", f"initrd {folder}/{INITIAL}", f"options root=UUID={file.targets[0]} ro"]
    return ("\n".join(lines) + "\n").encode().ljust(file.size_bytes, b"\n")


def entry_settings(file: BootFile) -> bytes:
    """Return the settings of a menu of entry files: which one begins, and how long it waits."""
    lines = [f"timeout {WAITS if file.stays else 3}", *([f"default {file.begins}"] if file.begins else [])]
    return ("\n".join(lines) + "\n").encode().ljust(file.size_bytes, b"\n")


def mount_table(lines: tuple[str, ...]) -> bytes:
    """Return an fstab of these lines."""
    return ("\n".join(["# what  where  file system and options  dump  check", *lines]) + "\n").encode()


def release_file(title: str) -> bytes:
    """Return the file by which a Linux-family system says its name."""
    return f'PRETTY_NAME="{title}"\nID=standin\n'.encode()
