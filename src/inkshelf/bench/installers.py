"""Stand-in for an installer: puts the files that starting depends on where the plan says, and nothing that runs."""

from __future__ import annotations

import tempfile
from pathlib import Path

from inkshelf.bench import stand_ins, tools
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
    with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
        lines = [f"mkdir {folder}" for folder in sorted({str(Path(name).parent) for name in files})]
        for index, (name, data) in enumerate(files.items()):
            (Path(scratch) / str(index)).write_bytes(data)
            lines.append(f"write {index} {name}")  # its language parts words at spaces, which a folder's name may hold
        (Path(scratch) / "script").write_text("\n".join(lines) + "\n")
        tools.run("debugfs", "-w", "-f", "script", path.resolve(), folder=Path(scratch))


def put_startup(path: Path, step: Install) -> None:
    """Write the start-up files into the FAT volume that ``path`` holds; folders are made."""
    _put(path, {file.path: _content(file, step.title) for file in step.files})


def put_menu(path: Path, step: Regenerate, title: str) -> None:
    """Write the menu's configuration anew into the FAT volume that ``path`` holds."""
    _put(path, {file.path: _content(file, title) for file in step.files})


def _put(path: Path, files: dict[str, bytes]) -> None:
    folders: list[str] = []
    for name in files:
        parts = name.strip("\\").split("\\")[:-1]
        folders += ["/".join(parts[: index + 1]) for index in range(len(parts))]
    for folder in dict.fromkeys(folders):
        tools.run("mmd", "-D", "s", "-i", path, f"::/{folder}", accept=(0, 1))
    with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
        for name, data in files.items():
            local = Path(scratch) / "file"
            local.write_bytes(data)
            tools.run("mcopy", "-o", "-i", path, local, "::" + name.replace("\\", "/"))


def _content(file: BootFile, title: str) -> bytes:
    if file.kind == "menu-config":
        root = next(one for one in file.targets if not one.startswith("\\"))
        others = tuple(("NT family", one) for one in file.targets if one.startswith("\\"))
        return stand_ins.menu_config(root, title, others, file.size_bytes)
    return stand_ins.loader(file.kind, signed=bool(file.signed), size=file.size_bytes)
