"""Stand-in for an installer: puts the files that starting depends on where the plan says, and nothing that runs."""

from __future__ import annotations

from pathlib import Path

from inkshelf.bench import formatting, stand_ins
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds import btrfs, ext, fat, ntfs
from inkshelf.bench.programs import BOOT_CODE_AT, boot_code
from inkshelf.core.disk.menus import ELSEWHERE
from inkshelf.core.disk.source import Slice
from inkshelf.core.machine.state import BootFile, Volume
from inkshelf.core.sheet.telling.mounts import in_subvolumes, mount_lines
from inkshelf.core.steps.kinds import Install, Regenerate
from inkshelf.data import exact

OPTIONS = 4  # fields of a line of a mount table up to its options


def put_root(path: Path, step: Install) -> None:
    """Write the system's own files into the volume that ``path`` holds: ext4, or NTFS for the NT family."""
    if step.family == "nt":
        ntfs.put_in_root(path, {exact("nt", "system_folder"): b"stand-in for the folder of an NT-family system\n"})
        if step.code_on:
            with path.open("r+b") as volume:
                volume.seek(BOOT_CODE_AT)
                volume.write(boot_code(f"stand-in boot sector of {step.title}"))
        return
    files = {
        exact("linux", "release_file"): stand_ins.release_file(step.title),
        exact("linux", "mount_table"): stand_ins.mount_table(mount_lines(step.mounts, step.profile)),
    }
    put = btrfs.fill if in_subvolumes(step.mounts) else ext.put
    put(path, files if step.boot or step.by_entries() else {**files, **_kernel(step, exact("linux", "boot_folder"))})


def put_boot(path: Path, step: Install) -> None:
    """Write the kernel into the volume of its own that ``path`` holds."""
    ext.put(path, _kernel(step, ""))


def _kernel(step: Install, folder: str) -> dict[str, bytes]:
    return {f"{folder}/{stand_ins.KERNEL}": stand_ins.loader("kernel", signed=step.kernel_signed, size=256 << 10)}


def put_startup(path: Path, step: Install) -> None:
    """Write the start-up files into the FAT volume that ``path`` holds; folders are made."""
    boot = frozenset(one.removeprefix("UUID=").lower() for one, where in step.mounts if where == exact("linux", "boot_folder"))
    contents = {file.path: _content(file, step.title, boot) for file in step.files}
    for one in step.files:
        if one.kind == "entry" and one.program:
            folder = one.program.rsplit("\\", 1)[0]
            contents |= {one.program: _kernel_of(step), f"{folder}\\{stand_ins.INITIAL}": b"stand-in for an initial image\n"}
    fat.put(path, {name.replace("\\", "/"): raw for name, raw in contents.items()})


def _kernel_of(step: Install) -> bytes:
    """A kernel that firmware itself begins: it says whose it is."""
    return stand_ins.loader(f"kernel of {step.title}", signed=step.kernel_signed, size=256 << 10)


def put_loaders(path: Path, volume: Volume, files: tuple[BootFile, ...], title: str) -> None:
    """Write start-up files into the volume that ``path`` holds: FAT, or the NTFS that the NT family's legacy start reads."""
    formatting.put(path, volume, {file.path.replace("\\", "/"): _content(file, title) for file in files})


def add_mount(path: Path, line: str) -> None:
    """Add a line to the mount table of the system on the ext volume that ``path`` holds; one that is there stays alone."""
    table = exact("linux", "mount_table")
    with ImageFile(path) as source:
        had = (ext.read(Slice(source, 0, source.size), table) or b"").decode("utf-8", "surrogateescape")
    if line not in had.splitlines():
        lines = "".join(f"{one}\n" for one in (*had.splitlines(), line))
        ext.put(path, {table: lines.encode("utf-8", "surrogateescape")})


def may_be_missing(path: Path, folder: str) -> None:
    """Let the mount table of the system on the ext volume that ``path`` holds say that what it mounts in ``folder`` may be missing; twice is once."""
    table, word = exact("linux", "mount_table"), exact("linux", "late_options")
    with ImageFile(path) as source:
        had = (ext.read(Slice(source, 0, source.size), table) or b"").decode("utf-8", "surrogateescape")
    lines = []
    for line in had.splitlines():
        parts = line.split()
        if (
            len(parts) >= OPTIONS
            and not line.lstrip().startswith("#")
            and parts[1] == folder
            and word not in parts[OPTIONS - 1]
        ):
            parts[OPTIONS - 1] += f",{word}"
            line = " ".join(parts)  # noqa: PLW2901 - the line as it is written
        lines.append(f"{line}\n")
    ext.put(path, {table: "".join(lines).encode("utf-8", "surrogateescape")})


def put_kernel(path: Path) -> None:
    """Write a signed kernel into the boot folder of the system on the ext volume that ``path`` holds."""
    made = stand_ins.loader("kernel", signed=True, size=256 << 10)
    ext.put(path, {f"{exact('linux', 'boot_folder')}/{stand_ins.KERNEL}": made})


def put_menu(path: Path, step: Regenerate, title: str, volume: Volume, boot: frozenset[str]) -> None:
    """Write the menu's configuration anew into the volume that ``path`` holds: the EFI system partition, or the system's own."""
    formatting.put(path, volume, {file.path.replace("\\", "/"): _content(file, title, boot) for file in step.files})


def _content(file: BootFile, title: str, boot: frozenset[str] = frozenset()) -> bytes:
    """``boot``: file systems, by UUID, that hold the kernels of the root that is named behind them."""
    if file.kind == "menu-config":
        roots = tuple(one for one in file.targets if not one.startswith("\\"))
        chained = tuple(("NT family", one) for one in file.targets if one.startswith("\\"))
        searched = _searched(roots, boot)
        listed = [root for _, root in searched] + [one for _, one in chained]
        number = str(listed.index(file.begins)) if file.begins in listed else ""
        default = "${saved_entry}" if file.begins == ELSEWHERE else number
        return stand_ins.menu_config(searched, title, chained, file.size_bytes, default=default, stays=file.stays)
    if file.kind == "nt-boot-data":
        return stand_ins.boot_data(*file.targets, size=file.size_bytes, begins=file.begins)
    if file.kind == "entry":
        return stand_ins.entry(title, file)
    if file.kind == "entry-config":
        return stand_ins.entry_settings(file)
    return stand_ins.startup_loader(file)


def _searched(roots: tuple[str, ...], boot: frozenset[str]) -> tuple[tuple[str, str], ...]:
    """Each root with the file system that its kernels are searched on: a boot volume named before it, else itself."""
    found: list[tuple[str, str]] = []
    search = ""
    for one in roots:
        if one.lower() in boot:
            search = one
            continue
        found.append((search or one, one))
        search = ""
    return tuple(found)
