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
from inkshelf.bench.inker import ink
from inkshelf.bench.patience import Patience, spent_by
from inkshelf.bench.signing import signed
from inkshelf.bench.stand_in_code import SOURCE
from inkshelf.bench.stand_ins import startup_loader
from inkshelf.bench.watching import watch
from inkshelf.core.boot.entries import variables_of
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.data import exact

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
import menu_cases


def test_the_stand_in_is_made_of_the_source_that_is_here() -> None:
    source = Path(__file__).parent.parent / "tools/stand_in.c"
    assert hashlib.sha256(source.read_bytes()).hexdigest() == SOURCE, "make it anew: python tools/stand_in.py"


@pytest.mark.parametrize("title", ["a menu in the menu, by its number", "a root that is not there"])
def test_the_stand_in_of_a_menu_reads_the_same_text_and_does_as_predicted(title: str, tmp_path: Path) -> None:
    menu = next(one for one in menu_cases.MENUS if one.title == title)
    differs, wanted, watched = menu_cases.judged(menu, tmp_path, real=False)
    assert differs == "", (wanted, watched.said)
    assert watched.said[0] == "stand-in: menu"
    assert wanted in {"two", "waits"}


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
