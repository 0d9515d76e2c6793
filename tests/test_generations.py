"""What a loader says of itself is read from its own section, as a base utility put it there; a list of revoked ones is held against it."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench.programs import program
from inkshelf.core.boot.firmware import start
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import outcome
from inkshelf.core.disk.generations import section, told
from inkshelf.core.disk.menus import menu_file
from inkshelf.core.disk.startup_files import Seen, boot_files
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.state import BootFile, Machine
from inkshelf.core.mending.narrowing import fitting
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.data import exact
from scenes import UEFI, firmware

STAGE, MENU = exact("firmware", "first_stage_component"), exact("firmware", "menu_component")


@pytest.fixture
def planned(job: Job) -> Machine:
    return firmware(read(job).plan.planned, entries_known=True)


def saying(folder: Path, *lines: str) -> bytes:
    """A program into which a base utility put a table of generations."""
    plain, table, made = (folder / name for name in ("plain.efi", "table", "made.efi"))
    plain.write_bytes(program("says who it is"))
    table.write_text("sbat,1,SBAT Version,sbat,1,https://example.invalid\n" + "".join(f"{one}\n" for one in lines))
    added = ["--add-section", f".sbat={table}", "--set-section-flags", ".sbat=contents,alloc,load,readonly,data"]
    subprocess.run(
        ["objcopy", *added, "--change-section-address", ".sbat+0x10000", plain, made], check=True, capture_output=True
    )
    return made.read_bytes()


def test_a_first_stage_is_known_by_what_it_says_and_not_by_its_name(tmp_path: Path) -> None:
    stage = saying(tmp_path, f"{STAGE},4,the first stage,{STAGE},1,https://example.invalid", f"{STAGE}.other,1,somebody")
    menu = saying(tmp_path, f"{MENU},3,a menu,{MENU},2,https://example.invalid")
    assert section(stage, b".sbat").startswith(b"sbat,1")
    assert told(stage) == ("first-stage", 4)
    assert told(menu) == ("menu", 3)
    paths = {"\\EFI\\other\\boot.efi": stage, exact("paths", "fallback_x64"): stage, "\\EFI\\other\\second.efi": menu}
    found = {one.path: one for one in boot_files([Seen(path, len(raw), lambda raw=raw: raw) for path, raw in paths.items()])}  # type: ignore[misc]
    assert [(one.kind, one.generation) for one in found.values()] == [("first-stage", 4), ("first-stage", 4), ("menu", 3)]
    (alone,) = boot_files([Seen(exact("paths", "fallback_x64"), len(stage), lambda: stage)])
    assert (alone.kind, alone.generation) == ("first-stage", 4), "nothing else is there to know it by"


def test_a_loader_that_says_nothing_keeps_what_its_name_says(tmp_path: Path) -> None:
    raw = program("nothing is said")
    found = boot_files([Seen("\\EFI\\a\\shimx64.efi", len(raw), lambda: raw), Seen("\\EFI\\a\\b.efi", len(raw), lambda: raw)])
    assert [(one.kind, one.generation) for one in found] == [("loader", None), ("first-stage", None)]
    for odd in ("none", "\u0663", "1234567", "-1", ""):
        assert told(saying(tmp_path, f"{STAGE},{odd},x", "other,7,x")) == (None, None), odd


@given(st.binary(max_size=600), st.integers(0, 600), st.binary(max_size=60))
def test_spoilt_programs_say_nothing_or_something_small(tail: bytes, at: int, junk: bytes) -> None:
    raw = bytearray(program("spoilt") + tail)
    raw[at : at + len(junk)] = junk
    kind, generation = told(bytes(raw))
    assert (kind is None) == (generation is None)


def test_a_revoked_first_stage_is_refused_with_secure_boot_only(planned: Machine) -> None:
    old = UEFI["revoked"][2](planned)
    tried = next(one for one in start(old).tried if one.variable == "Boot0001")
    assert tried.result == "refused"
    assert "generation 2" in tried.why
    assert start(firmware(old, secure_boot="off")).started[1] == "B2"  # type: ignore[index]
    assert start(replace(old, conditions=replace(old.conditions, least_generation=2))).started[1] == "B2"  # type: ignore[index]


def with_entry_menu(machine: Machine, *, entries: int = 1, nt: bool = False) -> Machine:
    """The Linux-family system starts by a menu of entry files, which lie on its start-up volume."""
    root = machine.find("S2")[1].filesystem.uuid
    loader = BootFile("\\EFI\\plain\\boot.efi", "entry-menu", 100_000, True)
    files = [
        loader,
        *(
            menu_file(f"\\loader\\entries\\{one}.conf", "entry", f"title a\noptions root=UUID={root}\n".encode())
            for one in range(entries)
        ),
    ]
    data = machine.find("B1")[1].boot_file(exact("paths", "nt_boot_data"))
    files += [BootFile(exact("paths", "nt_loader"), "nt-loader", 1, True), data] if nt else []
    changed = machine.with_volume("B2", lambda one: replace(one, boot_files=tuple(files)))
    changed = changed.with_volume("S2", lambda one: replace(one, holds=replace(one.holds, kernels=0)))
    moved = tuple(replace(one, path=loader.path) if one.number == 1 else one for one in changed.firmware.entries)
    return firmware(changed, entries=moved)


def test_a_menu_of_entry_files_starts_what_they_name_with_kernels_beside_them(planned: Machine) -> None:
    assert outcome(with_entry_menu(planned), "S2", STANDING[0]).verdict == "starts"
    assert outcome(with_entry_menu(planned), "S1", STANDING[0]).verdict == "starts by hand", "it sees its own volume only"
    both = with_entry_menu(planned, nt=True)
    assert outcome(both, "S1", STANDING[0]).why == "chosen in the menu"
    empty = outcome(with_entry_menu(planned, entries=0), "S2", STANDING[0])
    assert (empty.starts, empty.sure) == (False, False)
    alone = with_entry_menu(planned, entries=0, nt=True)
    assert outcome(alone, "S1", STANDING[0]).starts
    apart = with_entry_menu(planned, entries=0)
    entry = menu_file(
        "\\loader\\entries\\a.conf", "entry", f"options root=UUID={planned.find('S2')[1].filesystem.uuid}".encode()
    )
    extended = gpt_type("linux_extended_boot")
    other = apart.with_volume("D1", lambda one: replace(one, type_id=extended, boot_files=(entry,)))
    assert outcome(other, "S2", STANDING[0]).verdict == "starts", "an extended boot partition of the same disk"


def test_the_start_of_an_entry_menu_is_mended_like_any_other(planned: Machine) -> None:
    broken = firmware(with_entry_menu(planned), order=(0,))
    assert next(one.cause.key for one in fitting(broken, "S2", "other") if one.case.shown) == "not-in-order"
