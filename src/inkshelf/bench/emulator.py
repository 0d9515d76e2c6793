"""Real firmware, started in an emulator on throw-away copies of disks and variables: what it tries, and what the programs on the disks say.

The firmware writes: it adds entries, and mends damaged tables. Nothing that is handed in is opened for writing.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Literal

from inkshelf.bench.opening import open_own
from inkshelf.bench.patience import MOST, Patience, spent_by
from inkshelf.bench.screen import Screen, arguments
from inkshelf.bench.sparse import copy_data
from inkshelf.core.boot.keys import NAMES
from inkshelf.core.boot.variables import KEPT
from inkshelf.core.errors import BenchError, CancelledError
from inkshelf.core.size import binary
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

Bus = Literal["virtio", "sata", "usb", "nvme"]
COMMAND = exact("firmware", "emulator")
CODE = Path(exact("firmware", "emulator_code"))
STORE = Path(exact("firmware", "emulator_variables"))
SECURE_CODE, SECURE_STORE = Path(exact("firmware", "secure_code")), Path(exact("firmware", "secure_variables"))
"""Firmware that checks signatures, and variables in which only the package's own test key is trusted."""
PACKAGES = exact("firmware", "emulator_packages")
GLOBAL = exact("firmware", "global")  # (3.3)
LONGEST = (
    90  # seconds of a start, of processor time where it has less of that; about ten are usual without hardware acceleration
)
LONGEST_LEGACY = 8  # less than one is usual; a BIOS that finds nothing waits for good
WAITING = (b"Shell>", b"Press ESC in", b"Boot Maintenance Manager", b"Press any key")
"""What the console shows where nothing goes on by itself."""
LINE = re.compile(
    r'BdsDxe: (loading|starting|failed to load|failed to start) (Boot[0-9A-F]{4}) "(.*?)" from (.*?)(?:: ([A-Z][A-Za-z ]+))?$'
)
RESULTS = {"Not Found": "not found", "Access Denied": "refused", "Security Violation": "refused", "Unsupported": "unsupported"}
DEVICES: dict[Bus, tuple[str, ...]] = {
    "virtio": ("-drive", "file={path},format=raw,if=virtio"),
    "sata": ("-drive", "file={path},format=raw,if=none,id=d{number}", "-device", "ide-hd,drive=d{number},bus=ide.{number}"),
    "nvme": ("-drive", "file={path},format=raw,if=none,id=d{number}", "-device", "nvme,drive=d{number},serial=N{number}"),
    "usb": (
        "-drive",
        "file={path},format=raw,if=none,id=d{number}",
        "-device",
        "usb-storage,drive=d{number},bus=xhci.0,removable=on",
    ),
}


class Tried(Value, frozen=True):
    """One line of the firmware's own account: the variable, its title, the device path in words, and what came of it."""

    variable: str
    title: str
    path: str
    result: str


class Seen(Value, frozen=True):
    """A start as the console tells it: what was tried, in order, and what programs ``said``; ``console``: all of it, without its control codes.

    ``picture``: the screen at its end as PNG, where that was asked for.
    """

    tried: tuple[Tried, ...]
    said: tuple[str, ...]
    console: str
    ended: bool
    picture: bytes = b""


Prepare = Callable[[list[Path]], None]


def missing() -> str:
    """Return what has to be installed before anything can be started (empty: nothing)."""
    return "" if shutil.which(COMMAND) and CODE.exists() and STORE.exists() else PACKAGES


def no_secure_boot() -> bool:
    """Tell whether the firmware that checks signatures is not there."""
    return not (SECURE_CODE.exists() and SECURE_STORE.exists())


def watch(
    disks: Sequence[tuple[Path, Bus]],
    variables: Mapping[str, bytes],
    seconds: float = LONGEST,
    hear: Callable[[Seen], bool] = lambda _: True,
    *,
    secure: bool = False,
    prepare: Prepare = lambda _: None,
    picture: bool = False,
) -> Seen:
    """Start throw-away copies of ``disks`` with these boot variables; raises ``BenchError`` where there is nothing to start them with.

    ``hear`` is told what was seen so far, several times a second; where it answers no, the start is broken off. ``secure``: with Secure Boot
    on; ``prepare`` is handed the copies before they are started. ``picture``: the screen is kept, too.
    """
    _refuse_missing()
    code, store = (SECURE_CODE, SECURE_STORE) if secure else (CODE, STORE)
    with tempfile.TemporaryDirectory(prefix="inkshelf-start-") as name:
        folder = Path(name)
        copies = [(_copied(path, folder / f"disk-{number}"), bus) for number, (path, bus) in enumerate(disks)]
        prepare([path for path, _ in copies])
        with_variables(store, folder / "variables", variables)
        flash = ["-drive", f"if=pflash,format=raw,readonly=on,file={code}"]
        flash += ["-global", "driver=cfi.pflash01,property=secure,value=on", "-machine", "smm=on"] if secure else []
        flash += ["-drive", f"if=pflash,format=raw,file={folder / 'variables'}"]
        ended, screen = _run(copies, folder, seconds, hear, flash, picture=picture)
        return replace(told(_console(folder), ended=ended), picture=screen)


def watch_legacy(
    disks: Sequence[tuple[Path, Bus]],
    seconds: float = LONGEST_LEGACY,
    hear: Callable[[Seen], bool] = lambda _: True,
    *,
    picture: bool = False,
) -> Seen:
    """Start throw-away copies of ``disks`` the legacy way, in their order; the emulator's own BIOS says nothing of what it tries."""
    _refuse_missing()
    with tempfile.TemporaryDirectory(prefix="inkshelf-start-") as name:
        folder = Path(name)
        copies = [(_copied(path, folder / f"disk-{number}"), bus) for number, (path, bus) in enumerate(disks)]
        ended, screen = _run(copies, folder, seconds, hear, [], picture=picture)
        return replace(told(_console(folder), ended=ended), picture=screen)


def _refuse_missing() -> None:
    lacks = missing()
    if lacks:
        raise BenchError("There is no emulator with firmware on this machine.", f"Install {lacks}.")


def _console(folder: Path) -> bytes:
    return (folder / "console").read_bytes() if (folder / "console").exists() else b""


def _copied(source: Path, target: Path) -> Path:
    fd = os.open(source, os.O_RDONLY | os.O_CLOEXEC)
    size = os.fstat(fd).st_size
    out = open_own(target.parent, target.name, fresh=True)
    try:
        os.ftruncate(out, size)
        copy_data(fd, out, 0, size, 0)
    finally:
        os.close(fd)
        os.close(out)
    return target


def with_variables(template: Path, target: Path, variables: Mapping[str, bytes]) -> None:
    """Write an emulator's variable store: the template's own without its boot entries, and these; lists of keys only where it has such.

    Raises ``BenchError`` where they are more than it holds.
    """
    from virt.firmware.efi import efivar
    from virt.firmware.varstore import edk2

    store = edk2.Edk2VarStore(str(template))
    known = store.get_varlist()
    for key in [one for one in known if re.fullmatch(r"Boot([0-9A-F]{4}|Order|Next)", one)]:
        del known[key]
    for key, data in variables.items():
        if key in NAMES:
            known[key].data = data  # of its own vendor and kind, as the template has it
            continue
        made = efivar.EfiVar(key, guid=GLOBAL, attr=KEPT, data=data)
        known[key] = made
    room = store.end - store.start
    if sum(len(store.bytes_var(one)) for one in known.values()) > room:  # the library would end the program
        raise BenchError(
            "The emulator's firmware has no room for so many variables.", f"It keeps {binary(room)}. Leave some entries out."
        )
    filled = bytes(store.bytes_varlist(known)).ljust(room, b"\xff")  # the library fills byte by byte: a second for each start
    target.write_bytes(store.filedata[: store.start] + filled + store.filedata[store.end :])


def _run(
    disks: list[tuple[Path, Bus]],
    folder: Path,
    seconds: float,
    hear: Callable[[Seen], bool],
    flash: list[str],
    *,
    picture: bool,
) -> tuple[bool, bytes]:
    """Run until the machine switches itself off, or waits for a person; tell whether it did the first, and what its screen shows then."""
    limit = ["timeout", "--kill-after=2", f"{(seconds + 10) * MOST:.0f}"]  # it ends even where this program is killed meanwhile
    command = [*limit, COMMAND, "-machine", "q35", "-m", "256", "-nodefaults", "-display", "none", "-net", "none", "-no-reboot"]
    command += [*flash, "-serial", f"file:{folder / 'console'}", "-monitor", "none"]
    command += arguments(folder) if picture else []
    command += ["-device", "qemu-xhci,id=xhci"] if any(bus == "usb" for _, bus in disks) else []
    for number, (path, bus) in enumerate(disks):
        command += [one.format(path=path, number=number) for one in DEVICES[bus]]
    screen = Screen(folder) if picture else None
    with subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as going:
        try:
            ended = _until(going, folder, Patience(seconds, partial(spent_by, going.pid)), hear, screen)
            return ended, screen.take() if screen else b""
        finally:
            if screen is not None:
                screen.close()
            if going.poll() is None:
                going.terminate()  # handed on to the emulator


def _until(
    going: subprocess.Popen[bytes], folder: Path, patience: Patience, hear: Callable[[Seen], bool], screen: Screen | None
) -> bool:
    """Wait for the end; tell whether the machine switched itself off."""
    while going.poll() is None:
        raw = _console(folder)
        if screen is not None and screen.off():
            return True
        if patience.over() or any(mark in raw for mark in WAITING):
            return False
        if not hear(told(raw, ended=False)):
            raise CancelledError("The start was broken off.", "Nothing was changed by it.")
        time.sleep(0.2)
    return True


def told(raw: bytes, *, ended: bool) -> Seen:
    """Return what a console says."""
    text = re.sub(r"\x1b\[[0-9;=]*[A-Za-z]|[\x00-\x08\x0b-\x1f]", "", raw.decode("utf-8", "replace").replace("\r", ""))
    tried: dict[str, Tried] = {}
    said: list[str] = []
    for line in text.splitlines():
        match = LINE.match(line.strip())
        if match:
            what, variable, title, path, status = match.groups()
            result = "started" if what in {"loading", "starting"} else RESULTS.get(status or "", "returned")
            result = "returned" if what == "failed to start" else result
            tried[variable] = Tried(variable, title, path, result)
        elif line.strip():
            said.append(line.strip())
    return Seen(tuple(tried.values()), tuple(said), text, ended)
