"""A system that is typed in, line by line: every line is a shell's, and what they do, carried out on a folder with stand-ins for utilities."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from inkshelf.bench.recipes import wanting
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import Row, sheet
from inkshelf.core.sheet.telling.mounts import mount_lines
from inkshelf.core.steps.kinds import Install, Prepare, Prove, Regenerate, TypeIn

UTILITIES = {
    "mount": 'last=""; for last in "$@"; do :; done; test -d "$last" || { echo "no folder $last"; exit 1; }',
    "debootstrap": 'mkdir -p "$3"/etc/default "$3"/etc/initramfs-tools/conf.d "$3"/boot "$3"/dev "$3"/proc "$3"/sys "$3"/run; : > "$3"/etc/hosts',
    "chroot": r"""root=$1; shift
case "$1 $2" in
  "env "*) case "$*" in *network-manager*) touch "$root/nmcli";; esac; case "$*" in *linux-image*) touch "$root/boot/vmlinuz-6";; esac ;;
  "useradd "*) for last in "$@"; do :; done; echo "$last" > "$root/people" ;;
  "passwd -S") if test -e "$root/key"; then echo "$3 P 2026"; else echo "$3 L 2026"; fi ;;
  "passwd -l") : ;;
  "passwd "*) touch "$root/key" ;;
  "getent passwd") grep -qs "^$3$" "$root/people" ;;
  "sh -c") test -e "$root/nmcli" ;;
  "grub-install "*) for one in "$@"; do case $one in --bootloader-id=*) mkdir -p "$root/boot/efi/EFI/${one#*=}"; echo x > "$root/boot/efi/EFI/${one#*=}/shimx64.efi";; esac; done ;;
esac""",
    "swapon": 'case $1 in -U) echo "$2" >> "$SWAPS";; --show=*) cat "$SWAPS";; esac',
    **dict.fromkeys(("umount", "swapoff", "findmnt", "getent", "apt-get", "cryptsetup", "vgchange", "sync"), ":"),
}


def typed(two: Job, systems: str = "linux-desktop", **said: str) -> Job:
    return wanting(two, ("clean", {"disk": "B", "systems": systems, "by": "typed", **said}))


def rows(job: Job) -> list[Row]:
    """The rows of what is typed, in the order of the sheet."""
    return [
        row
        for row, step in zip(sheet(read(job)).rows, job.steps, strict=True)
        if isinstance(step, TypeIn) or (isinstance(step, Install) and step.typed)
    ]


def carried_out(folder: Path, lines: list[str]) -> tuple[str, Path]:
    """Type the lines in one shell; what utilities would do, stand-ins do to a folder."""
    tools, target = folder / "tools", folder / "new"
    tools.mkdir()
    for name, body in UTILITIES.items():
        (tools / name).write_text(f'#!/bin/sh\necho "{name} $*" >> "$LOG"\n{body}\n')
        (tools / name).chmod(0o755)
    (folder / "log").touch()
    (folder / "swaps").touch()
    own = [f"TARGET={target}" if line.startswith("TARGET=") else line for line in lines]
    ran = subprocess.run(
        ["bash", "-c", "\n".join(own)],
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "PATH": f"{tools}:{os.environ['PATH']}", "LOG": str(folder / "log"), "SWAPS": str(folder / "swaps")},
    )
    return ran.stdout + ran.stderr, target


CASES = [
    {"home": "apart"},
    {"home": "lvm", "encryption": "all", "swap": "hibernate"},
    {"home": "subvolumes", "encryption": "root"},
    {"home": "subvolumes", "swap": "none"},
    {"home": "lvm"},
]


@pytest.mark.parametrize("said", CASES)
def test_what_is_typed_leaves_a_system_that_lacks_nothing(two: Job, said: dict[str, str], tmp_path: Path) -> None:
    job = typed(two, **said)
    lines = [line for row in rows(job) for line in row.words.commands]
    heard, target = carried_out(tmp_path, lines)
    assert "looked through" in heard
    assert "LACKS" not in heard
    assert "no folder" not in heard, "parents are mounted before what is mounted in them"
    done = next(one for one in job.steps if isinstance(one, Install))
    assert (target / "etc/fstab").read_text().splitlines() == list(mount_lines(done.mounts))
    unlocks = [f"{name} UUID={uuid} none luks" for name, uuid in done.unlocks]
    table = target / "etc/crypttab"
    assert (table.read_text().splitlines() if table.exists() else []) == unlocks
    assert (target / "etc/hostname").read_text() == "new-machine\n"
    assert (target / "etc/default/locale").read_text() == "LANG=en_GB.UTF-8\n"
    assert (target / "etc/initramfs-tools/conf.d/resume").exists() == (said.get("swap") == "hibernate")
    log = (tmp_path / "log").read_text().splitlines()
    mounted = [
        line.split()[-1].removeprefix(str(target)) or "/" for line in log if line.startswith("mount ") and "UUID=" in line
    ]
    assert sorted(mounted) == sorted(where for _, where in done.mounts if where.startswith("/"))
    for number, one in enumerate(mounted):
        assert not [two for two in mounted[number:] if two != one and one.startswith(two.rstrip("/") + "/")], (
            "a parent mounted later hides it"
        )
    assert ("vgchange -an" in " ".join(log)) == ("lvm" in said.values() or said.get("encryption") == "all")
    assert log.index(next(one for one in log if one.startswith("sync"))) < log.index(f"umount -R {target}")


@pytest.mark.parametrize(
    ("left_out", "lacks"),
    [
        ("useradd", "a user"),
        ('passwd "$PERSON"', "a password of that user"),
        ("LANG=%s", "a locale"),
        ("/etc/fstab", "its mount table"),
        ("swapon -U", "swap that is switched on"),
        ("grub-install", "its loader"),
        ("apt-get install -y locales", "a network tool"),
        ("apt-get install -y locales", "a kernel"),
    ],
)
def test_what_is_forgotten_is_named_before_the_restart(two: Job, left_out: str, lacks: str, tmp_path: Path) -> None:
    found = rows(typed(two, home="apart"))
    lines = [
        line for row in found for line in row.words.commands if left_out not in line or "LACKS" in line or "findmnt" in line
    ]
    heard, _ = carried_out(tmp_path, lines)
    assert f"LACKS {lacks}" in heard


def test_typed_systems_need_one_start_of_the_live_stick_for_all_of_them(two: Job) -> None:
    job = typed(two, "linux-desktop,linux-light")
    made = sheet(read(job))
    starts = {number: row.session.start for number, row in enumerate(made.rows) if row.session.start}
    steps = list(job.steps)
    typing = [number for number, one in enumerate(steps) if isinstance(one, TypeIn | Install)]
    assert not [starts[number] for number in range(typing[0] + 1, typing[-1] + 1) if number in starts]
    inside = [number for number, one in enumerate(steps) if isinstance(one, Prepare | Regenerate) and one.call != "S1"]
    assert all(number > typing[-1] for number in inside if number > typing[0])
    by_installer = wanting(two, ("clean", {"disk": "B", "systems": "linux-desktop,linux-light"}))
    assert made.restarts < sheet(read(by_installer)).restarts


def test_nothing_starts_before_its_loader_is_there(two: Job) -> None:
    job = typed(two)
    reading, steps = read(job), list(job.steps)
    call = next(one.call for one in steps if isinstance(one, Install))
    loader = next(number for number, one in enumerate(steps) if isinstance(one, Install))
    for number, machine in enumerate(reading.plan.machines):
        place = machine.find(call)
        assert (place is not None and place[1].holds is not None) == (number > loader)
    assert next(number for number, one in enumerate(steps) if isinstance(one, Prove) and one.call == call) > loader


def test_a_system_that_no_commands_are_known_for_is_refused_and_an_nt_system_keeps_its_installer(two: Job) -> None:
    assert "cannot be typed in" in typed(two, "linux-rolling").plan_fault
    mixed = typed(two, "nt-desktop,linux-desktop")
    assert [(one.family, one.typed) for one in mixed.steps if isinstance(one, Install)] == [("nt", False), ("linux", True)]


def test_the_legacy_way_its_loader_goes_to_the_disk_and_not_to_a_partition(two: Job) -> None:
    from inkshelf.core.plan.job import with_found
    from inkshelf.core.value import replace

    legacy = with_found(two, replace(two.found, firmware=replace(two.found.firmware, mode="legacy")))
    job = typed(legacy, "linux-legacy", table="mbr")
    assert not job.plan_fault
    text = " ".join(line for row in rows(job) for line in row.words.commands)
    assert "grub-install --target=i386-pc /dev/THE-DISK-B " in text
    assert "--arch=i386" in text
    assert "linux-image-686 grub-pc" in text
    assert "efi" not in text.lower()
