"""Stand-in for an installer: puts the files that starting depends on where the plan says, and nothing that runs."""

from __future__ import annotations

import tempfile
from pathlib import Path

from inkshelf.bench import stand_ins, tools
from inkshelf.core.machine.state import BootFile
from inkshelf.core.steps.kinds import Install
from inkshelf.data import exact

MOUNT_OPTIONS = {"/": "ext4 defaults", "/home": "ext4 defaults", "/boot/efi": "vfat umask=0077", "none": "swap sw"}


def put_root(path: Path, step: Install) -> None:
    """Write the system's own files into the ext4 volume that ``path`` holds."""
    files = {
        exact("linux", "release_file"): stand_ins.release_file(step.title),
        exact("linux", "mount_table"): stand_ins.mount_table(step.mounts, MOUNT_OPTIONS),
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
    folders: list[str] = []
    for file in step.files:
        parts = file.path.strip("\\").split("\\")[:-1]
        folders += ["/".join(parts[: index + 1]) for index in range(len(parts))]
    for folder in dict.fromkeys(folders):
        tools.run("mmd", "-D", "s", "-i", path, f"::/{folder}", accept=(0, 1))
    with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
        for file in step.files:
            local = Path(scratch) / "file"
            local.write_bytes(_content(file, step))
            tools.run("mcopy", "-o", "-i", path, local, "::" + file.path.replace("\\", "/"))


def _content(file: BootFile, step: Install) -> bytes:
    if file.kind == "menu-config":
        root = next(one for one in file.targets if not one.startswith("\\"))
        others = tuple(("NT family", one) for one in file.targets if one.startswith("\\"))
        return stand_ins.menu_config(root, step.title, others, file.size_bytes)
    return stand_ins.loader(file.kind, signed=bool(file.signed), size=file.size_bytes)
