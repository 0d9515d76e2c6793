"""Stand-ins for loaders that do as the rehearsal takes loaders to do: they are run by real firmware, and start each other."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

from disks import answered
from inkshelf.bench import emulator
from inkshelf.bench.folder import Bench
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.patience import Patience, spent_by
from inkshelf.bench.recipes import blank, wanting
from inkshelf.bench.signing import signed
from inkshelf.bench.stand_in_code import SOURCE
from inkshelf.bench.stand_ins import startup_loader
from inkshelf.bench.watching import watch
from inkshelf.core.boot import legacy
from inkshelf.core.boot.entries import variables_of
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.data import exact

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
import menu_cases


def test_the_stand_in_is_made_of_the_source_that_is_here() -> None:
    tools = Path(__file__).parent.parent / "tools"
    sources = (tools / "stand_in.c").read_bytes() + (tools / "start_code.s").read_bytes()
    assert hashlib.sha256(sources).hexdigest() == SOURCE, "make it anew: python tools/stand_in.py"


@pytest.mark.parametrize("title", ["a menu in the menu, by its number", "a root that is not there"])
def test_the_stand_in_of_a_menu_reads_the_same_text_and_does_as_predicted(title: str, tmp_path: Path) -> None:
    menu = next(one for one in menu_cases.MENUS if one.title == title)
    differs, wanted, watched = menu_cases.judged(menu, tmp_path, real=False)
    assert differs == "", (wanted, watched.said)
    assert watched.said[0] == "stand-in: menu"
    assert wanted in {"two", "waits"}


@pytest.mark.parametrize(
    ("systems", "table", "second"),
    [
        ("linux-legacy", "mbr", "stand-in core of Linux for old machines"),
        ("linux-legacy", "gpt", "stand-in core of Linux for old machines"),
        ("nt-old", "mbr", "stand-in boot sector of Old NT desktop"),
    ],
)
def test_a_first_sector_starts_its_core_or_the_active_volume(systems: str, table: str, second: str, tmp_path: Path) -> None:
    """A real BIOS runs the code: it finds its core in the gap or in the BIOS boot partition, the other family's the boot sector that is active."""
    bare = take_in([blank(tmp_path / "disk.img", 100 * 10**9)], mode="legacy", secure_boot="off", ram_bytes=8 * GIB, seed="x")
    job = answered(wanting(bare, ("clean", {"systems": systems, "table": table})))
    assert ink(job, tmp_path / "bench").verified
    watched = watch(job, tmp_path / "bench")
    assert watched.differs == ""
    assert watched.seen.said[1] == second
    with Bench(tmp_path / "bench").image("A").open("r+b") as image:  # what the first sector looks for goes
        volume = read(job).plan.planned.disks[0].volumes[0]
        core = read(job).plan.planned.disks[0].table.core_lba
        image.seek((core * 512) if core else volume.start)
        image.write(bytes(1024))
    lost = watch(job, tmp_path / "bench")
    assert lost.differs.startswith("predicted that S1 can start, seen")


def test_a_core_whose_place_is_taken_starts_nothing(tmp_path: Path) -> None:
    """The code in the first sector names a sector: where a volume lies there now, nothing of that family starts."""
    bare = take_in([blank(tmp_path / "disk.img", 100 * 10**9)], mode="legacy", secure_boot="off", ram_bytes=8 * GIB, seed="x")
    job = wanting(bare, ("clean", {"systems": "linux-legacy", "table": "gpt"}))
    planned = read(job).plan.planned
    (disk,) = planned.disks
    place = next(one for one in disk.volumes if one.role != "system")
    assert disk.table.core_lba == place.start // 512
    assert legacy.starts(planned, disk, disk.volumes[1])[0]
    in_gap = replace(disk, table=replace(disk.table, core_lba=1))
    assert not legacy.starts(planned.with_disk(in_gap), in_gap, disk.volumes[1])[0], "a GPT has its own header there"
    other = replace(place, type_id=gpt_type("linux_root_x64"))
    moved = replace(disk, volumes=(other, *disk.volumes[1:], replace(place, call="Z9", number=9, start=disk.volumes[1].end)))
    told = legacy.starts(planned.with_disk(moved), moved, moved.volumes[1])
    assert told == (False, False, f"the code in sector 0 of disk A looks for its core where {place.call} is now")


def test_with_secure_boot_on_stand_ins_chain_each_other_to_the_system(job: Job, tmp_path: Path) -> None:
    """First stage, menu, the other family's loader: each says what it does, and the last one is the system that was predicted."""
    assert job.found.firmware.secure_boot == "on"
    made = answered(change(job, "menu", "S2", what="begins", value="S1"))
    assert ink(made, tmp_path / "bench").verified
    watched = watch(made, tmp_path / "bench")
    assert watched.differs == ""
    assert watched.predicted.system == "S1"
    words = [one.removeprefix("stand-in: ") for one in watched.seen.said]
    assert words == ["first stage", "menu", "begins 'NT family'", "NT loader", "its boot data is there"]


def test_a_first_stage_refuses_a_menu_without_a_signature_and_a_menu_waits_without_its_configuration(tmp_path: Path) -> None:
    stage = startup_loader(BootFile("", "first-stage", 64 << 10, signed=True))
    plain = startup_loader(BootFile("", "menu", 64 << 10, signed=False))
    folder = "/EFI/one"
    for menu, secure, heard in ((plain, True, []), (plain, False, WITHOUT)):
        path = tmp_path / "disk.img"
        files = {f"{folder}/{exact('paths', 'menu_x64')}": menu, f"{folder}/{exact('paths', 'first_stage_x64')}": signed(stage)}
        machine = menu_cases.with_files(path, files)
        seen = emulator.watch([(path, "virtio")], variables_of(machine.firmware), 40, secure=secure)
        assert [one for one in seen.said if one.startswith("stand-in")] == ["stand-in: first stage", *heard]
        assert seen.tried[0].result == ("started" if heard else "returned")


WITHOUT = ["stand-in: menu", "stand-in: it has no configuration; it waits"]


@pytest.mark.parametrize(("share", "lasts"), [(0.0, 10), (0.1, 100), (0.5, 20), (1.0, 10), (1.9, 10), (0.001, 10)])
def test_what_gets_little_of_a_processor_is_waited_for_longer_and_what_does_nothing_is_not(share: float, lasts: float) -> None:
    clock = [0.0]
    patience = Patience(10, lambda: clock[0] * share, lambda: clock[0])
    while not patience.over():
        clock[0] += 0.2
    assert clock[0] == pytest.approx(lasts, abs=3)


def test_the_time_that_children_had_is_counted() -> None:
    with subprocess.Popen([sys.executable, "-c", "while True: pass"]) as busy:
        until = time.monotonic() + 60
        while spent_by(os.getpid()) < 0.3 and time.monotonic() < until:
            time.sleep(0.05)
        busy.kill()
    assert time.monotonic() < until
