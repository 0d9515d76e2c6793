"""What a menu starts by itself: its default by number, identity and title, what is saved elsewhere, a limit of time or none."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import answered
from inkshelf.bench.emulator import Seen, Tried
from inkshelf.bench.inker import ink
from inkshelf.bench.stand_ins import menu_config
from inkshelf.bench.watching import Watched, watch
from inkshelf.cli import run
from inkshelf.core.aims.menus import without
from inkshelf.core.boot.entries import firmware_of, variables_of
from inkshelf.core.boot.rehearse import Outcome, rehearse
from inkshelf.core.boot.uefi import routes
from inkshelf.core.disk.contents import BootFile, FileSystem
from inkshelf.core.disk.menus import ELSEWHERE, menu_file
from inkshelf.core.machine.joining import join_variables
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, replan
from inkshelf.core.plan.reading import read
from inkshelf.core.steps.kinds import Regenerate
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.exchange import render
from inkshelf.exchange.bootvars import read_efibootmgr
from inkshelf.store import jobfile

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
import menu_cases

ONE, TWO = "771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e", "0b1a7d3e-5b0f-4f9f-9c7a-3f2f4a1f8c11"
NT = exact("paths", "nt_loader")
GENERATED = """\
if [ -s $prefix/grubenv ]; then
  load_env
fi
if [ "${{next_entry}}" ] ; then
   set default="${{next_entry}}"
   set next_entry=
else
   set default="{default}"
fi
function savedefault {{
  if [ -z "${{boot_once}}" ]; then
    saved_entry="${{chosen}}"
  fi
}}
set timeout={limit}
menuentry 'Quill desktop' --class os $menuentry_id_option 'quill-simple' {{
\tsearch --no-floppy --fs-uuid --set=root {one}
\tlinux\t/boot/vmlinuz root=UUID={one} ro quiet
}}
submenu 'Older kernels of Quill' $menuentry_id_option 'quill-older' {{
\tmenuentry 'Quill 5' $menuentry_id_option 'quill-5' {{
\t\tlinux\t/boot/vmlinuz-5 root=UUID={one} ro
\t}}
}}
menuentry 'NT family (on /dev/sda1)' --class nt --id nt-boot {{
\tchainloader {nt}
}}
menuentry 'Reed server' {{
\tlinux /boot/vmlinuz root=UUID={two} ro
}}
menuentry 'Firmware settings' $menuentry_id_option 'uefi-firmware' {{
\tfwsetup
}}
"""


def config(default: str, limit: str = "5") -> BootFile:
    text = GENERATED.format(default=default, limit=limit, one=ONE, two=TWO, nt=NT.replace("\\", "/"))
    return menu_file("\\EFI\\linux\\grub.cfg", "menu-config", text.encode())


@pytest.mark.parametrize(
    ("default", "begins"),
    [
        ("0", ""),
        ("quill-simple", ""),
        ("1>0", ""),
        ("quill-older>quill-5", ""),
        ("2", NT),
        ("nt-boot", NT),
        ("NT family (on /dev/sda1)", NT),
        ("3", TWO),
        ("Reed server", TWO),
        ("4", ELSEWHERE),
        ("17", ELSEWHERE),
        ("a name that is not there", ""),
        ("${saved_entry}", ELSEWHERE),
    ],
)
def test_the_default_is_found_by_number_identity_and_title(default: str, begins: str) -> None:
    assert config(default).begins == begins
    assert config(default).targets == (ONE, TWO, NT)


@pytest.mark.parametrize(("limit", "stays"), [("5", False), ("0", False), ("-1", True)])
def test_a_menu_without_a_limit_waits(limit: str, stays: bool) -> None:
    assert config("0", limit).stays is stays


def test_a_menu_that_says_no_limit_has_none_and_one_that_lists_the_nt_family_first_starts_it() -> None:
    text = f'menuentry "nt" {{\n  chainloader {NT}\n}}\nmenuentry "own" {{\n  linux /vmlinuz root=UUID={ONE}\n}}\n'
    found = menu_file("\\x", "menu-config", text.encode())
    assert found.targets[0] == ONE, "whose menu it is is told from the file systems it names"
    assert found.begins == NT
    assert found.stays


@given(st.permutations([ONE, TWO]), st.sampled_from(["", "?", ONE, TWO, NT]), st.booleans())
def test_what_the_bench_writes_is_read_as_it_was_meant(roots: list[str], begins: str, stays: bool) -> None:
    listed = [*roots, NT]
    default = "${saved_entry}" if begins == "?" else str(listed.index(begins)) if begins else ""
    raw = menu_config(tuple((one, one) for one in roots), "Quill", (("NT family", NT),), default=default, stays=stays)
    found = menu_file("\\x", "menu-config", raw)
    assert found.begins == ("" if begins == roots[0] else begins)
    assert found.stays is stays


@given(st.text(alphabet="{}'\"$\n \\menutry01>-=submenudefault", max_size=300))
def test_any_text_gives_a_value(text: str) -> None:
    menu_file("\\x", "menu-config", f"menuentry x {{\n{text}\nset default={text}".encode())


def said_of(machine: Machine) -> dict[str, Outcome]:
    return {one.system: one for one in rehearse(machine) if one.mishap == "none"}


def changed(machine: Machine, **fields: object) -> Machine:
    def file(one: BootFile) -> BootFile:
        return replace(one, **fields) if one.kind == "menu-config" else one

    for _, volume in tuple(machine.volumes()):
        machine = machine.with_volume(volume.call, lambda v: replace(v, boot_files=tuple(file(one) for one in v.boot_files)))
    return machine


def test_what_starts_by_itself_follows_the_menus_default(job: Job) -> None:
    planned = read(job).plan.planned
    assert said_of(planned)["S2"].why == "starts by itself"
    nt_first = said_of(changed(planned, begins=NT))
    assert nt_first["S1"].why == "starts by itself"
    assert nt_first["S2"].why == "chosen in the menu"
    saved = said_of(changed(planned, begins=ELSEWHERE))
    assert saved["S2"].why == "chosen in the menu: which one the menu starts by itself was not read from it"
    assert saved["S1"].starts
    assert said_of(changed(planned, stays=True))["S2"].why.endswith("the menu waits for a person, without a limit")
    gone = said_of(changed(planned, begins=TWO))
    assert gone["S2"].why.endswith("what the menu starts by itself is not there")


def test_another_default_is_planned_told_inked_and_read_back(job: Job, tmp_path: Path) -> None:
    file = tmp_path / "job.json"
    known = replace(job.found, firmware=replace(job.found.firmware, entries_known=True))
    jobfile.save(answered(replace(job, found=known)), file)
    for said in (
        ("menu", "S2", "begins", "S1"),
        ("menu", "S2", "limit", "20"),
        ("menu", "firmware", "limit", "3"),
        ("entry", "Boot0001", "rename", "Quill's desk"),
    ):
        assert run(["change", str(file), *said]) == 0, said
    changed = jobfile.load(file)
    planned = read(changed).plan.planned
    assert said_of(planned)["S1"].why == "starts by itself"
    assert planned.firmware.timeout == 3
    assert planned.firmware.entry(1).title == "Quill's desk"  # type: ignore[union-attr]
    printed = render.markdown(read(changed))
    assert "Let the menu of S2 start the NT family by itself" in printed
    assert "Let the menu of S2 wait 20 seconds" in printed
    assert "GRUB_DEFAULT=N" in printed
    assert "N: the number of the NT family" in printed
    assert "GRUB_TIMEOUT=20" in printed
    assert "efibootmgr --timeout 3" in printed
    assert "--create --bootnum 0001" in printed
    assert "'Quill'\"'\"'s desk'" in printed
    assert "efibootmgr -o 0001,0000" in printed
    report = ink(answered(changed), tmp_path / "bench")
    assert report.verified, [one for one in report.checks if not one.ok]


@pytest.mark.parametrize(
    ("said", "answer"),
    [
        (("menu", "S2", "begins", "S2"), "already"),
        (("menu", "S2", "begins", "D1"), "does not list D1"),
        (("menu", "S2", "starts", "S1"), "nothing that a menu has"),
        (("menu", "S1", "begins", "S2"), "No menu of S1"),
        (("menu", "S2", "limit", "soon"), "no limit"),
        (("menu", "S2", "limit", "-2"), "no limit"),
        (("menu", "firmware", "limit", "none"), "no limit"),
        (("menu", "firmware", "begins", "S1"), "a limit only"),
        (("entry", "Boot0001", "rename", "Linux desktop"), "called so already"),
        (("entry", "Boot0001", "rename"), "no name"),
    ],
)
def test_what_cannot_be_is_refused_and_changes_nothing(
    job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str], said: tuple[str, ...], answer: str
) -> None:
    file = tmp_path / "job.json"
    jobfile.save(job, file)
    before = file.read_bytes()
    assert run(["change", str(file), *said]) == 2
    assert answer in capsys.readouterr().err
    assert file.read_bytes() == before


def test_a_menu_without_a_limit_by_command_and_no_limit_is_not_the_same_as_none_said(job: Job) -> None:
    waiting = read(change(job, "menu", "S2", what="limit", value="none"))
    assert said_of(waiting.plan.planned)["S2"].why.endswith("without a limit")
    step = waiting.job.steps[-1]
    assert isinstance(step, Regenerate)
    assert step.seconds == -1


def test_the_list_that_is_printed_numbers_the_menu_as_it_counts(tmp_path: Path) -> None:
    path = tmp_path / "grub.cfg"
    path.write_text(GENERATED.format(default="0", limit="5", one=ONE, two=TWO, nt=NT.replace("\\", "/")))
    command = exact("linux", "list_menu").replace(exact("linux", "menu_config"), str(path))
    said = subprocess.run(["sh", "-c", command], capture_output=True, text=True, check=True).stdout.splitlines()
    assert said == [
        "0: Quill desktop",
        "1: Older kernels of Quill",
        "2: NT family (on /dev/sda1)",
        "3: Reed server",
        "4: Firmware settings",
    ]


def test_captured_variables_tell_secure_boot_and_the_limit(job: Job, tmp_path: Path) -> None:
    found = read_efibootmgr(
        "BootCurrent: 0000\nTimeout: 7 seconds\nBootOrder: 0000\nBoot0000* a\tHD(1,GPT,7d1c5e02-93ab-4e6f-8c11-0a5f3b7de4a9,0x800,0x96000)/File(\\a.efi)\n"
    )
    assert found.timeout == 7
    assert read_efibootmgr("Timeout: 99999 seconds\nBootOrder: \n").timeout is None
    back = firmware_of(variables_of(replace(found, secure_boot=None)))
    assert back.timeout == 7
    off = replace(job.found, firmware=replace(job.found.firmware, secure_boot="off", timeout=2))
    joined = join_variables(off, replace(found, secure_boot="on")).firmware
    assert (joined.secure_boot, joined.timeout) == ("on", 7)
    kept = join_variables(off, replace(found, secure_boot=None, timeout=None)).firmware
    assert (kept.secure_boot, kept.timeout) == ("off", 2), "what a listing does not say stays known"


def test_a_menu_behind_a_lock_opens_one_kind_of_key_slot_only(job: Job) -> None:
    planned = read(job).plan.planned
    stub = changed(planned, targets=(), hands_over=("99999999-d4d4-4dba-b9a4-7d8c3cb72e0e",))

    def locked(*slots: str) -> str:
        held = FileSystem("luks", 90 << 30, slots=slots)
        machine = stub.with_volume("S2", lambda one: replace(one, filesystem=held, boot_files=()))
        return next(route.broken for route in routes(machine) if route.broken)

    assert "no key slot of S2" in locked("argon2id")
    assert "no key slot of S2" in locked("argon2id", "argon2i")
    assert "cannot be looked into" in locked("argon2id", "pbkdf2"), "it may open that"
    assert "cannot be looked into" in locked(), "nobody read its slots"


def test_a_default_that_goes_is_not_known_until_it_is_looked_at(job: Job) -> None:
    planned = changed(read(job).plan.planned, begins=NT)
    nt = next(volume for _, volume in planned.volumes() if volume.call == "S1")
    (again,) = without(planned, (nt,))
    assert isinstance(again, Regenerate)
    assert {one.begins for one in again.files} == {ELSEWHERE}
    other = changed(planned, begins="")
    (again,) = without(other, (nt,))
    assert isinstance(again, Regenerate)
    assert {one.begins for one in again.files} == {""}


# -- against a real menu -----------------------------------------------------------------------------------------------
def kept() -> str:
    return (Path(__file__).parent.parent / "docs/menu-agreement.md").read_text(encoding="utf-8")


@pytest.mark.parametrize("menu", menu_cases.MENUS, ids=lambda one: one.title)
def test_what_a_real_menu_did_is_still_what_is_predicted(menu: menu_cases.Menu, tmp_path: Path) -> None:
    """Every configuration, against the table that was written when all of them were started."""
    path, machine = menu_cases.made(menu, tmp_path)
    path.unlink()
    wanted = menu_cases.predicted(machine)
    (row,) = [one for one in kept().splitlines() if one.startswith(f"| {menu.title} | ")]
    assert row.split(" | ")[1] == menu_cases.WORDS.get(wanted, wanted)
    assert row.endswith(f"| {menu_cases.SAID.get(wanted, 'yes')} |")


@pytest.mark.parametrize("title", ["the third one, in quotation marks", "as a system writes it"])
def test_a_real_menu_does_as_predicted(title: str, tmp_path: Path) -> None:
    menu = next(one for one in menu_cases.MENUS if one.title == title)
    differs, wanted, watched = menu_cases.judged(menu, tmp_path)
    assert differs == "", (wanted, watched.console[-600:])
    assert wanted in {"nt", "two"}


@pytest.mark.parametrize("begins", ["S2", "S1"])
def test_an_inked_job_is_watched_with_a_real_menu(job: Job, tmp_path: Path, begins: str) -> None:
    """The menu on the copies is a real one: it finds the other start-up volume, and chains what lies there."""
    found = replace(job.found, firmware=replace(job.found.firmware, secure_boot="off"))
    made = replan(replace(job, found=found))
    made = answered(change(made, "menu", "S2", what="begins", value="S1") if begins == "S1" else made)
    assert ink(made, tmp_path / "bench").verified
    watched = watch(made, tmp_path / "bench")
    assert watched.predicted.system == begins
    assert watched.differs == ""
    assert any("a real menu" in one for one in watched.notes)
    assert any(one.startswith("stand-in: NT loader") for one in watched.seen.said) == (begins == "S1")


def test_a_real_menu_that_does_something_else_is_named(job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    found = replace(job.found, firmware=replace(job.found.firmware, secure_boot="off"))
    made = answered(replan(replace(job, found=found)))
    assert ink(made, tmp_path / "bench").verified
    entry = read(made).plan.planned.firmware.entry(1)
    assert entry is not None
    tried = Tried(entry.variable, entry.title, f"HD(5,GPT,{entry.partition_guid},0x1,0x2)/{entry.path}", "started")

    def seen(title: str) -> Watched:
        console = f"  Booting `{title}'\n"
        return watch(made, tmp_path / "bench", look=lambda *_: Seen((tried,), (), console, False))

    assert "predicted that the menu starts S2, seen “NT family”" in seen("NT family").differs
    assert seen("Linux desktop").differs == ""
