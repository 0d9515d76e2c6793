"""A real menu loader in the place of its stand-in, where its package is installed: it reads the configuration on its volume by its own rules."""

from __future__ import annotations

import re
import shutil
import subprocess
import tempfile
from functools import cache
from pathlib import Path

from inkshelf.bench.kinds import fat
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Machine
from inkshelf.core.mending.view import folder_of
from inkshelf.data import exact

MAKER = exact("firmware", "menu_maker")
MODULES = tuple(exact("firmware", "menu_modules").split())
FOLDER = Path(exact("firmware", "menu_folder"))
KERNEL = re.compile(r"stand-in: kernel of (?![0-9a-f]{8}-)([^\r\n]+)")
BEGAN = re.compile(r"Booting `(.*?)'")


def missing() -> str:
    """Return what has to be installed before a real menu can be made (empty: nothing)."""
    return "" if shutil.which(MAKER) and FOLDER.is_dir() else exact("firmware", "menu_packages")


def entry_menu_missing() -> str:
    """Return what has to be installed before a real menu of entry files is there (empty: nothing)."""
    return "" if Path(exact("firmware", "entry_menu")).is_file() else exact("firmware", "entry_menu_package")


def entry_menu() -> bytes:
    """Return a real menu of entry files; raises ``BenchError`` where its package is not installed."""
    if entry_menu_missing():
        raise BenchError("There is no real menu of entry files on this machine.", f"Install {entry_menu_missing()}.")
    return Path(exact("firmware", "entry_menu")).read_bytes()


@cache
def program(folder: str) -> bytes:
    """Return a menu loader that looks for its configuration in ``folder`` of its own volume (with ``\\\\``); raises ``BenchError`` where none can be made."""
    if missing():
        raise BenchError("There is no real menu loader on this machine.", f"Install {missing()}.")
    with tempfile.TemporaryDirectory(prefix="inkshelf-menu-") as name:
        made = Path(name) / "menu.efi"
        place = folder.replace("\\", "/")
        command = [MAKER, "-O", "x86_64-efi", "-o", str(made), "-p", place, *MODULES]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        if done.returncode or not made.exists():
            raise BenchError("A real menu loader could not be made.", done.stderr.strip()[:200] or "Install its packages anew.")
        return made.read_bytes()


def put_on_copies(machine: Machine, copies: dict[str, Path]) -> None:
    """Put a real menu, on throw-away copies of the disks by their letters, in the place of menus' stand-ins and of first stages beside them."""
    for disk, volume in machine.volumes():
        menus = {folder_of(one).lower() for one in volume.boot_files if one.kind == "menu"}
        configs = {folder_of(one).lower() for one in volume.boot_files if one.kind == "menu-config"}
        wanted = {
            one.path.replace("\\", "/"): program(folder_of(one))
            for one in volume.boot_files
            if one.kind in {"menu", "first-stage"} and not one.unfit and folder_of(one).lower() in menus & configs
        }
        if not entry_menu_missing():
            wanted |= {
                one.path.replace("\\", "/"): entry_menu()
                for one in volume.boot_files
                if one.kind == "entry-menu" and not one.unfit
            }
        if wanted:
            fat.put(copies[disk.id], wanted, volume.start)


def begun(console: str) -> str:
    """Return the title of what a menu said that it starts, the innermost of a menu in a menu, or whose kernel spoke (empty: nothing)."""
    found = BEGAN.findall(console)
    if found:
        return str(found[-1]).rsplit(">", 1)[-1]
    spoke = KERNEL.search(console)  # a menu of entry files says nothing when it begins one
    return spoke.group(1).strip() if spoke else ""
