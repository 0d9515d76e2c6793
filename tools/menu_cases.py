"""Configurations of a menu: what it starts by itself, as it is read, and as the real menu loader does it."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from functools import cache
from pathlib import Path
from string import Template

from inkshelf.bench import emulator, installers, real_menu, stand_ins
from inkshelf.bench.emulator import Seen
from inkshelf.bench.intake import take_in
from inkshelf.bench.kinds import fat, ntfs
from inkshelf.bench.programs import begun, program
from inkshelf.bench.sparse import copy_data
from inkshelf.core.boot.entries import entry_to, variables_of
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.machine.state import Machine
from inkshelf.core.steps.kinds import Install
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

MIB = 1 << 20
FOLDER = "\\EFI\\one"
ONE, TWO = "771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e", "0b1a7d3e-5b0f-4f9f-9c7a-3f2f4a1f8c11"
PATIENCE = 45  # seconds, where a menu waits for good
ENTRY = """menuentry '$name' --class os $menuentry_id_option '$id' {
  insmod ext2
  search --no-floppy --fs-uuid --set=root $uuid
  linux /boot/vmlinuz-6 root=UUID=$uuid ro
}
"""


OUT = Path("docs/menu-agreement.md")
HEAD = """# What a menu starts by itself, as it is read and as it does

Each line is a configuration on a disk that was built, read, and started under real firmware in an emulator, by `make firmware`: with a real
menu loader (package `grub-efi-amd64-bin`), and with the stand-in that the bench puts in its place, which reads the same text. Three systems:
“one” whose menu it is, “two”, and one of the NT family that is chained.

| the configuration | predicted | the menu began | its stand-in began | agree |
|---|---|---|---|---|
"""
WORDS = {"waits": "a person must choose", "?": "not known"}
SAID = {"?": "nothing is claimed"}


class Menu(Value, frozen=True):
    """One configuration; ``text`` with $one, $two (entries of two systems), $nt (one that chains) and $NT (its loader's path)."""

    title: str
    text: str


def _entry(name: str, identity: str, uuid: str) -> str:
    return Template(ENTRY).safe_substitute(name=name, id=identity, uuid=uuid)


WHOLE = "$one$two$nt"
HEADER = """if [ -s $prefix/grubenv ]; then
  load_env
fi
if [ "${next_entry}" ] ; then
   set default="${next_entry}"
   set next_entry=
else
   set default="1"
fi
function savedefault {
  if [ -z "${boot_once}" ]; then
    saved_entry="${chosen}"
  fi
}
if [ x"${feature_menuentry_id}" = xy ]; then
  menuentry_id_option="--id"
fi
set timeout_style=menu
set timeout=1
"""
MORE = f'menuentry "two with words" --class a --unrestricted {{\n  linux /boot/vmlinuz-6 root=UUID={TWO}\n}}\n'
MENUS = (
    Menu("no default is said", f"set timeout=1\n{WHOLE}"),
    Menu("the first one", f"set default=0\nset timeout=1\n{WHOLE}"),
    Menu("the second one by its number", f"set default=1\nset timeout=1\n{WHOLE}"),
    Menu("the third one, in quotation marks", f'set default="2"\nset timeout=1\n{WHOLE}'),
    Menu("by its identity", f"menuentry_id_option=--id\nset default=two-id\nset timeout=1\n{WHOLE}"),
    Menu("by its title", f"set default='two desktop'\nset timeout=1\n{WHOLE}"),
    Menu("by a title that nothing bears", f"set default='three'\nset timeout=1\n{WHOLE}"),
    Menu("without the word set", f"default=1\ntimeout=1\n{WHOLE}"),
    Menu("said twice", f"set default=2\nset timeout=1\nset default=1\n{WHOLE}"),
    Menu("said in a comment, too", f"set default=1\nset timeout=1\n# set default=2\n{WHOLE}"),
    Menu("said behind the entries", "set timeout=1\n$one$two${nt}set default=1\n"),
    Menu("the NT family listed first", "set timeout=1\n$nt$one$two"),
    Menu("a menu in the menu, by its number", "set default='1>0'\nset timeout=1\n${one}submenu 'older of two' {\n${two}}\n$nt"),
    Menu("behind a menu in the menu", "set default=2\nset timeout=1\n${one}submenu 'older of two' {\n${two}}\n$nt"),
    Menu("as a system writes it", HEADER + WHOLE),
    Menu("no limit", f"set default=1\nset timeout=-1\n{WHOLE}"),
    Menu("no limit is said", f"set default=1\n{WHOLE}"),
    Menu("at once", f"set default=1\nset timeout=0\n{WHOLE}"),
    Menu("hidden", f"set default=1\nset timeout=1\nset timeout_style=hidden\n{WHOLE}"),
    Menu("a root that is not there", f"set default=0\nset timeout=1\n${{gone}}{WHOLE}"),
    Menu("a tool that starts no system", f"set default=0\nset timeout=1\nmenuentry 'tool' {{\n  echo here\n  sleep 30\n}}\n{WHOLE}"),
    Menu("an entry in a condition that is true", "set default=2\nset timeout=1\n${one}if true; then\n${two}fi\n$nt"),
    Menu("an entry in a condition that is false", "set default=1\nset timeout=1\n${one}if [ a = b ]; then\n${two}fi\n$nt"),
    Menu("an entry with more words", "set default=1\nset timeout=1\n${one}" + MORE + "$nt"),
)  # fmt: skip


def text_of(menu: Menu) -> str:
    """Return a configuration as it lies on the volume."""
    loader = exact("paths", "nt_loader").replace("\\", "/")
    chained = (
        f"menuentry 'nt family' --id nt-id {{\n  search --no-floppy --file --set=root {loader}\n  chainloader {loader}\n}}\n"
    )
    return Template(menu.text).safe_substitute(
        one=_entry("one desktop", "one-id", ONE),
        two=_entry("two desktop", "two-id", TWO),
        gone=_entry("gone desktop", "gone-id", "99999999-d4d4-4dba-b9a4-7d8c3cb72e0e"),
        nt=chained,
    )


@cache
def _base(folder: Path, real: bool) -> Path:  # noqa: FBT001
    """One disk with three systems, and a place for the configuration of a menu, a real one or its stand-in; made once."""
    path = folder / f"base-{real}.img"
    with path.open("wb") as out:
        out.truncate(400 * MIB)
    places = ((1, "uefi"), (66, exact("gpt_types", "basic_data")), (131, "linux"), (196, "linux"))
    lines = ["label: gpt", *(f"start={at * 2048},size={64 * 2048},type={kind}" for at, kind in places)]
    subprocess.run(
        ["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path], input="\n".join(lines), text=True, check=True
    )
    subprocess.run(
        ["mkfs.fat", "-F", "32", "-s", "1", "--offset", "2048", path, str(64 << 10)], check=True, capture_output=True
    )
    told = subprocess.run(["sfdisk", "--dump", path], capture_output=True, text=True, check=True).stdout
    guids = [one.split("uuid=")[1].split(",")[0].strip() for one in told.splitlines() if "uuid=" in one]
    _volume(path, 66, folder, "ntfs", "", "")
    _volume(path, 131, folder, "ext4", ONE, "One")
    _volume(path, 196, folder, "ext4", TWO, "Two")
    stand_in = stand_ins.startup_loader(BootFile("", "menu", stand_ins.LOADER))
    files = {
        exact("paths", "nt_loader"): program("stand-in: NT loader", "stops"),
        exact("paths", "nt_boot_data"): stand_ins.boot_data(guids[1]),
        f"{FOLDER}\\{exact('paths', 'menu_x64')}": real_menu.program(FOLDER) if real else stand_in,
    }
    fat.put(path, {name.replace("\\", "/"): data for name, data in files.items()}, MIB)
    return path


def _volume(path: Path, at: int, folder: Path, kind: str, uuid: str, title: str) -> None:
    local = folder / "volume"
    with local.open("wb") as out:
        out.truncate(64 * MIB)
    if kind == "ntfs":
        subprocess.run(["mkntfs", "-q", "-F", local], check=True, capture_output=True)
        ntfs.put_in_root(local, {exact("nt", "system_folder"): b"stand-in\n"})
    else:
        subprocess.run(["mkfs.ext4", "-q", "-F", "-U", uuid, local], check=True)
        installers.put_root(local, Install("S1", "B1", title, "linux", 0, (), ((f"UUID={uuid}", "/"),)))
    with local.open("rb") as made, path.open("r+b") as out:
        copy_data(made.fileno(), out.fileno(), 0, 64 * MIB, at * MIB)
    local.unlink()


def made(menu: Menu, folder: Path, *, real: bool = True) -> tuple[Path, Machine]:
    """Make the disk of a configuration, and read the machine back from it."""
    path = folder / "disk.img"
    with _base(folder, real).open("rb") as source, path.open("wb") as out:
        out.truncate(400 * MIB)
        copy_data(source.fileno(), out.fileno(), 0, 400 * MIB, 0)
    config = f"{FOLDER}\\{exact('paths', 'menu_config')}".replace("\\", "/")
    fat.put(path, {config: text_of(menu).encode()}, MIB)
    found = take_in([path], mode="uefi", secure_boot="off", seed="menus").found
    disk = found.disks[0]
    entry = entry_to(found, disk, disk.volumes[0], f"{FOLDER}\\{exact('paths', 'menu_x64')}", "menu")
    firmware = replace(found.firmware, entries=(entry,), order=(entry.number,), entries_known=True)
    return path, replace(found, firmware=firmware)


def with_files(path: Path, files: dict[str, bytes]) -> Machine:
    """Make a disk with a start-up volume of these files (with ``/``), and read it back; its first entry starts the first stage among them."""
    with path.open("wb") as out:
        out.truncate(80 * MIB)
    subprocess.run(
        ["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path],
        input="label: gpt\nsize=131072,type=uefi",
        text=True,
        check=True,
    )
    command = ["mkfs.fat", "-F", "32", "-s", "1", "--offset", "2048", path, str(64 << 10)]
    subprocess.run(command, check=True, capture_output=True)
    fat.put(path, files, MIB)
    found = take_in([path], mode="uefi", secure_boot="off", seed="files").found
    disk = found.disks[0]
    first = next(one.path for one in disk.volumes[0].boot_files if one.kind == "first-stage")
    entry = entry_to(found, disk, disk.volumes[0], first, "first")
    return replace(found, firmware=replace(found.firmware, entries=(entry,), order=(entry.number,), entries_known=True))


def predicted(machine: Machine) -> str:
    """Return the word for what starts by itself (one, two, nt), ``waits`` where a person must choose, ``?`` where nobody can tell."""
    words = {"One": "one", "Two": "two"}
    for one in rehearse(machine):
        if one.mishap == "none" and one.why == "starts by itself":
            place = machine.find(one.system)
            return words.get(place[1].holds.title if place and place[1].holds else "", "nt")
        if one.mishap == "none" and "was not read from it" in one.why:
            return "?"
    return "waits"


def began(watched: Seen) -> str:
    """Return the title of what a menu began, a real one or its stand-in (empty: nothing)."""
    return begun(watched.said) or real_menu.begun(watched.console)


def seen(path: Path, machine: Machine) -> tuple[str, Seen]:
    """Start it; return the word for what the menu began, and all that was seen."""

    watched = emulator.watch([(path, "virtio")], variables_of(machine.firmware), PATIENCE)
    word = began(watched).split(" ")[0]
    word = "waits" if any("which firmware does not see" in one for one in watched.said) else word
    return word if word in {"one", "two", "nt"} else "waits", watched


def judged(menu: Menu, folder: Path, *, real: bool = True) -> tuple[str, str, Seen]:
    """Return where the two differ (empty: nowhere), what was predicted, and what was seen; of a ``real`` menu, or of its stand-in."""
    path, machine = made(menu, folder, real=real)
    wanted = predicted(machine)
    got, watched = seen(path, machine)
    if got == "nt" and not any(line.startswith("stand-in") for line in watched.said):
        got = "nt, which does not run"
    path.unlink()
    return "" if wanted in {"?", got} else f"predicted {wanted}, seen {got}", wanted, watched


def main() -> int:
    """Compare every configuration, and write the table; status 1 where any differs."""
    if emulator.missing() or real_menu.missing():
        print(f"install {emulator.missing()} {real_menu.missing()}", file=sys.stderr)
        return 2
    lines, differing = [], 0
    with tempfile.TemporaryDirectory(prefix="inkshelf-menus-") as name:
        for menu in MENUS:
            differs, wanted, watched = judged(menu, Path(name))
            parts, _, stood = judged(menu, Path(name), real=False)
            differs = "; ".join(filter(None, (differs, parts and f"stand-in: {parts}")))
            differing += bool(differs)
            print(f"{'DIFFERS' if differs else 'agree  '} {menu.title}: {differs or wanted}", flush=True)
            did = [f"`{began(one) or 'nothing: it waits'}`" for one in (watched, stood)]
            said = differs or SAID.get(wanted, "yes")
            lines.append(f"| {menu.title} | {WORDS.get(wanted, wanted)} | {' | '.join(did)} | {said} |")
    OUT.write_text(HEAD + "\n".join(lines) + "\n", encoding="utf-8")
    return int(differing > 0)


if __name__ == "__main__":
    sys.exit(main())
