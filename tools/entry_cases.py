"""Menus of entry files: what begins by itself, as it is read, as the real menu of that kind does it, and as the bench's stand-in does."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import uuid
from pathlib import Path

from inkshelf.bench import emulator, real_menu, stand_ins
from inkshelf.bench.emulator import Seen
from inkshelf.bench.intake import take_in
from inkshelf.bench.kinds import fat
from inkshelf.bench.programs import program
from inkshelf.core.boot.entries import entry_to, variables_of
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.entry_files import beginning
from inkshelf.core.disk.menus import ELSEWHERE
from inkshelf.core.machine.state import Machine
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

MIB = 1 << 20
PATIENCE = 12  # seconds of processor time, where a menu waits for good
OUT = Path("docs/entry-agreement.md")
HEAD = """# Which entry file begins, as it is read and as it does

Each line is a start-up volume that was built, read, and started under real firmware in an emulator, by `make firmware`: with a real menu of
that kind (package `systemd-boot-efi`), and with the stand-in that the bench puts in its place, which sorts the same files by its own code.
Every entry begins a program of its own that says its name.

| the entry files | predicted | the menu began | its stand-in began | agree |
|---|---|---|---|---|
"""


class Entries(Value, frozen=True):
    """Entry files by name, each with lines beside its title and kernel; the settings; ``lacking``: entries whose kernel is not there."""

    title: str
    files: dict[str, str]
    settings: str = "timeout 1"
    lacking: tuple[str, ...] = ()


PLAIN = {"alder": "", "heron": "", "merlin": ""}
CASES = (
    Entries("nothing said: the last name", PLAIN),
    Entries("numbers in names count as numbers", {"k-6.2": "", "k-6.10": "", "k-6.9": ""}),
    Entries("a tilde comes before", {"k-6.2": "", "k-6.2~rc1": ""}),
    Entries("a caret and a dot", {"k-6.2^1": "", "k-6.2.1": "", "k-6.2-1": ""}),
    Entries("letters behind numbers", {"k6a": "", "k6": "", "k6b": ""}),
    Entries("zeros in front", {"k-007": "", "k-7": "", "k-0070": ""}),
    Entries("a sort key comes first", {"alder": "", "heron": "sort-key z", "merlin": ""}),
    Entries("sort keys in their order", {"alder": "sort-key b", "heron": "sort-key a", "merlin": "sort-key c"}),
    Entries("within one key the later version", {"alder": "sort-key a\nversion 6.2", "heron": "sort-key a\nversion 6.10"}),
    Entries("within one key machines in order", {"alder": "sort-key a\nmachine-id 22", "heron": "sort-key a\nmachine-id 11"}),
    Entries("a version without a key counts for nothing", {"zeta": "version 1", "alder": "version 9"}),
    Entries("a default by its whole name", PLAIN, "timeout 1\ndefault alder.conf"),
    Entries("a default without its ending", PLAIN, "timeout 1\ndefault alder"),
    Entries("a default by pattern", PLAIN, "timeout 1\ndefault al*"),
    Entries("a default that nothing matches", PLAIN, "timeout 1\ndefault zzz*"),
    Entries("a pattern that two match", {"k-1": "", "k-2": "", "m": ""}, "timeout 1\ndefault k-?.conf"),
    Entries("said in a comment", PLAIN, "timeout 1\n# default alder.conf"),
    Entries("no limit", PLAIN, "timeout menu-force"),
    Entries("no settings", PLAIN, ""),
    Entries("a kernel that is not there", PLAIN, lacking=("merlin",)),
    Entries("a default whose kernel is not there", PLAIN, "timeout 1\ndefault alder.conf", ("alder",)),
    Entries("no kernel is there", {"alder": ""}, lacking=("alder",)),
    Entries("capitals in names", {"ALDER": "", "heron": ""}),
    Entries("capitals in the pattern", {"alder": "", "heron": ""}, "timeout 1\ndefault ALDER.conf"),
)  # fmt: skip


def _files(case: Entries) -> dict[str, bytes]:
    """The files of a case, by path."""
    found = {exact("paths", "entry_settings"): f"{case.settings}\n".encode()} if case.settings else {}
    for name, more in case.files.items():
        kernel = f"\\{name}\\vmlinuz-6"
        lines = (
            f"title {name}",
            *more.splitlines(),
            f"linux {kernel.replace(chr(92), '/')}",
            f"options root=UUID={uuid.uuid5(uuid.NAMESPACE_DNS, name)} quiet",
        )
        found[f"{exact('paths', 'entry_folder')}{name}{exact('linux', 'entry_ending')}"] = ("\n".join(lines) + "\n").encode()
        if name not in case.lacking:
            found[kernel] = program(f"stand-in: kernel of {name}")
    return found


def made(case: Entries, path: Path, *, real: bool) -> Machine:
    """Make the disk of a case, with a real menu or its stand-in, and read the machine back from it."""
    with path.open("wb") as out:
        out.truncate(80 * MIB)
    table = "label: gpt\nsize=131072,type=uefi"
    subprocess.run(["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path], input=table, text=True, check=True)
    command = ["mkfs.fat", "-F", "32", "-s", "1", "--offset", "2048", path, str(64 << 10)]
    subprocess.run(command, check=True, capture_output=True)
    menu = f"{exact('paths', 'entry_menu_folder')}\\{exact('paths', 'entry_menu_x64')}"
    stand_in = stand_ins.startup_loader(BootFile(menu, "entry-menu", stand_ins.LOADER))
    files = {**_files(case), menu: real_menu.entry_menu() if real else stand_in}
    fat.put(path, {name.replace("\\", "/"): raw for name, raw in files.items()}, MIB)
    found = take_in([path], mode="uefi", secure_boot="off", seed="entries").found
    disk = found.disks[0]
    entry = entry_to(found, disk, disk.volumes[0], menu, "menu")
    return replace(found, firmware=replace(found.firmware, entries=(entry,), order=(entry.number,), entries_known=True))


def predicted(machine: Machine) -> str:
    """Return the name of the entry that begins by itself, as its files are read (``waits``: a person must choose; empty: none can)."""
    files = machine.disks[0].volumes[0].boot_files
    settings = next((one for one in files if one.kind == "entry-config"), None)
    listed = beginning(tuple(one for one in files if one.kind == "entry"), settings)
    if not listed:
        return ""
    first = listed[0]
    if first.stays or first.begins == ELSEWHERE:
        return "waits"
    begun = next((one for one in listed if first.begins in one.targets), first)
    return begun.program.split("\\")[1].lower()


def judged(case: Entries, folder: Path, *, real: bool) -> tuple[str, str, Seen]:
    """Return what was predicted, what was seen in the same words, and all of it."""
    path = folder / "entries.img"
    machine = made(case, path, real=real)
    watched = emulator.watch([(path, "virtio")], variables_of(machine.firmware), PATIENCE)
    path.unlink()
    spoke = next(iter(re.findall(r"stand-in: kernel of (\S+)", watched.console)), "")
    wanted = predicted(machine)
    return wanted, spoke.lower() or ("waits" if wanted == "waits" else ""), watched


def main() -> int:
    """Compare every case, and write the table; status 1 where any differs."""
    if emulator.missing() or real_menu.entry_menu_missing():
        print(f"install {emulator.missing()} {real_menu.entry_menu_missing()}", file=sys.stderr)
        return 2
    lines, differing = [], 0
    with tempfile.TemporaryDirectory(prefix="inkshelf-entries-") as name:
        for case in CASES:
            wanted, real, _ = judged(case, Path(name), real=True)
            _, stood, _ = judged(case, Path(name), real=False)
            agree = wanted == real == stood
            differing += not agree
            print(f"{'agree  ' if agree else 'DIFFERS'} {case.title}: predicted {wanted}, seen {real}, {stood}", flush=True)
            words = (f"`{one or 'nothing'}`" for one in (wanted, real, stood))
            lines.append(f"| {case.title} | {' | '.join(words)} | {'yes' if agree else 'NO'} |")
    OUT.write_text(HEAD + "\n".join(lines) + "\n", encoding="utf-8")
    return int(differing > 0)


if __name__ == "__main__":
    sys.exit(main())
