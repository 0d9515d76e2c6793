"""Stand-in for an installer: puts the files that starting depends on where the plan says, and nothing that runs."""

from __future__ import annotations

from pathlib import Path

from inkshelf.bench import stand_ins
from inkshelf.bench.kinds import ext, fat
from inkshelf.core.machine.state import BootFile
from inkshelf.core.sheet.telling.installing import mount_lines
from inkshelf.core.steps.kinds import Install, Regenerate
from inkshelf.data import exact


def put_root(path: Path, step: Install) -> None:
    """Write the system's own files into the ext4 volume that ``path`` holds."""
    files = {
        exact("linux", "release_file"): stand_ins.release_file(step.title),
        exact("linux", "mount_table"): stand_ins.mount_table(mount_lines(step.mounts)),
        f"{exact('linux', 'boot_folder')}/{exact('linux', 'kernel_prefix')}-6": stand_ins.loader(
            "kernel", signed=step.kernel_signed, size=256 << 10
        ),
    }
    ext.put(path, files)


def put_startup(path: Path, step: Install) -> None:
    """Write the start-up files into the FAT volume that ``path`` holds; folders are made."""
    fat.put(path, {file.path.replace("\\", "/"): _content(file, step.title) for file in step.files})


def put_menu(path: Path, step: Regenerate, title: str) -> None:
    """Write the menu's configuration anew into the FAT volume that ``path`` holds."""
    fat.put(path, {file.path.replace("\\", "/"): _content(file, title) for file in step.files})


def _content(file: BootFile, title: str) -> bytes:
    if file.kind == "menu-config":
        root = next(one for one in file.targets if not one.startswith("\\"))
        others = tuple(("NT family", one) for one in file.targets if one.startswith("\\"))
        return stand_ins.menu_config(root, title, others, file.size_bytes)
    return stand_ins.loader(file.kind, signed=bool(file.signed), size=file.size_bytes)
