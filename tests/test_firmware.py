"""What the firmware does at a start: by its rules in the simulation, and by itself in an emulator, with the same result."""

from __future__ import annotations

import json
import struct
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from virt.firmware.efi import bootentry
from virt.firmware.varstore import edk2

from inkshelf.bench import emulator
from inkshelf.bench import screen as screens
from inkshelf.bench.emulator import Seen, Tried, told, with_variables
from inkshelf.bench.intake import take_in
from inkshelf.bench.programs import ARM64, program, sector_code
from inkshelf.bench.watching import differs, watch
from inkshelf.cli import run
from inkshelf.core.boot import variables
from inkshelf.core.boot.entries import entry_of, firmware_of, option_of, variables_of
from inkshelf.core.boot.firmware import start
from inkshelf.core.boot.paths import words_of
from inkshelf.core.disk.probe import pe_signed, pe_unfit
from inkshelf.core.errors import BenchError, FormatError
from inkshelf.core.machine.state import BootEntry, Firmware, Machine
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.steps.kinds import Install
from inkshelf.core.value import replace
from inkshelf.exchange.bootvars import read_efibootmgr
from inkshelf.store import jobfile

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
from firmware import predicted_words
from firmware_cases import judged, made
from firmware_suite import CASES, IN_CI

GUIDS = st.uuids().map(lambda one: str(one).upper())
ENTRIES = st.builds(
    BootEntry,
    st.integers(0, 0xFFFF),
    st.text("abc XYZ-12", max_size=12),
    partition_number=st.integers(1, 128),
    partition_guid=GUIDS,
    start_lba=st.integers(0, 1 << 40),
    size_lba=st.integers(0, 1 << 40),
    path=st.sampled_from(["", "\\EFI\\a\\b.efi", "EFI\\a.efi"]),
    active=st.booleans(),
    hidden=st.booleans(),
    application=st.booleans(),
)


@pytest.fixture
def planned(job: Job) -> Machine:
    machine = read(job).plan.planned
    return replace(machine, firmware=replace(machine.firmware, secure_boot="off"))


def with_entry(machine: Machine, **facts: object) -> Machine:
    """The machine with one more entry, number 9, in front of the order."""
    entry = BootEntry(9, "one more", **facts)  # type: ignore[arg-type]
    own = machine.firmware
    return replace(machine, firmware=replace(own, entries=(*own.entries, entry), order=(9, *own.order)))


# -- variables, both ways --------------------------------------------------------------------------------------------
@given(ENTRIES)
def test_an_entry_comes_back_from_its_variable_and_another_reader_reads_it_alike(entry: BootEntry) -> None:
    raw = variables.build_option(option_of(entry))
    back = entry_of(entry.number, variables.parse_option(raw))
    assert replace(back, device="") == entry
    other = bootentry.BootEntry(data=raw)
    assert str(other.title) == entry.title
    assert str(other.devicepath[0].get_partuuid()).upper() == entry.partition_guid
    assert bytes(other) == raw


@given(st.lists(ENTRIES, max_size=4, unique_by=lambda one: one.number), st.data())
def test_a_store_of_the_emulator_holds_the_variables_that_were_given(
    tmp_path_factory: pytest.TempPathFactory, entries: list[BootEntry], data: st.DataObject
) -> None:
    numbers = [one.number for one in entries]
    following = data.draw(st.sampled_from([None, *numbers]))
    firmware = Firmware("uefi", None, tuple(sorted(entries, key=lambda one: one.variable)), tuple(numbers), following, True)
    named = variables_of(firmware)
    target = tmp_path_factory.mktemp("store") / "variables"
    with_variables(emulator.STORE, target, named)
    kept = edk2.Edk2VarStore(str(target)).get_varlist()
    assert {key: kept[key].data for key in named} == named
    back = firmware_of(named)
    assert [replace(one, device="") for one in back.entries] == list(firmware.entries)
    assert (back.order, back.next) == (firmware.order, firmware.next)


def test_variables_that_the_emulator_has_no_room_for_are_refused(tmp_path: Path) -> None:
    target = tmp_path / "variables"
    with pytest.raises(BenchError, match="no room"):
        with_variables(emulator.STORE, target, {f"Boot{number:04X}": bytes(4096) for number in range(200)})
    assert not target.exists()


@pytest.mark.parametrize("template", [emulator.STORE, emulator.SECURE_STORE])
def test_a_store_is_written_as_the_library_writes_it(tmp_path: Path, template: Path) -> None:
    with_variables(template, tmp_path / "ours", {"Boot0001": bytes(99), "BootOrder": b"\1\0"})
    store = edk2.Edk2VarStore(str(tmp_path / "ours"))
    store.write_varstore(str(tmp_path / "theirs"), store.get_varlist())
    assert (tmp_path / "ours").read_bytes() == (tmp_path / "theirs").read_bytes()
    assert (tmp_path / "ours").stat().st_size == template.stat().st_size


def test_a_variable_that_cannot_be_read_is_named() -> None:
    with pytest.raises(FormatError, match="Boot0003"):
        firmware_of({"Boot0003": b"\1\0\0\0\xff\xffA\0\0\0"})
    with pytest.raises(FormatError, match="not held whole"):
        option_of(BootEntry(1, "network", leads="network"))


@pytest.mark.parametrize(
    ("line", "leads", "path", "application"),
    [
        (
            "Boot0000* Tern\tHD(1,GPT,5c1f4b7e-2d07-4c8a-9f11-8a7a33b0c0de,0x800,0x32000)/File(EFI\\a.efi)",
            "partition",
            "EFI\\a.efi",
            False,
        ),
        ("Boot0001* old\tHD(2,MBR,0x1d00ecac,0x800,0xc000)/File(\\EFI/b.efi)", "partition", "\\EFI/b.efi", False),
        ("Boot0002* net\tPciRoot(0x0)/Pci(0x3,0x0)/MAC(525400123456,1)/IPv4(0.0.0.00.0.0.0,0,0)", "network", "", False),
        ("Boot0003* CD\tBBS(CDROM,,0x0)", "legacy", "", False),
        (
            "Boot0004* Setup\tFvVol(7cb8bdc9-f8eb-4f34-aaea-3ee4af6516a1)/FvFile(462caa21-7614-4503-836e-8ab6f4662331)",
            "firmware",
            "",
            True,
        ),
        (
            "Boot0005* Shell\tFv(7cb8bdc9-f8eb-4f34-aaea-3ee4af6516a1)/FvFile(7c04a583-9e3e-4f1c-ad65-e05268d0b4d1)",
            "firmware",
            "",
            False,
        ),
        ("Boot0006* disk\tPciRoot(0x0)/Pci(0x1f,0x2)/Sata(0,65535,0)", "device", "", False),
        ("Boot0007* bare", "unknown", "", False),
    ],
)
def test_what_an_entry_names_is_kept_as_it_was_captured(line: str, leads: str, path: str, application: bool) -> None:
    (entry,) = read_efibootmgr(f"BootOrder: 0000\n{line}\n").entries
    assert (entry.leads, entry.path, entry.application) == (leads, path, application)
    assert entry.device == line.partition("\t")[2]
    assert entry.signature == ("1D00ECAC" if "MBR" in line else "")


# -- the rules -------------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("facts", "result"),
    [
        ({"leads": "network"}, "not found"),
        ({"leads": "legacy"}, "unsupported"),
        ({"leads": "usb"}, "not found"),
        ({"leads": "file", "path": "\\EFI\\nobody.efi"}, "not found"),
        ({"application": True}, "skipped"),
        ({"active": False}, "skipped"),
        ({"partition_guid": "0" * 8 + "-0000" * 3 + "-" + "0" * 12}, "not found"),
    ],
)
def test_what_an_entry_in_front_comes_to_and_that_the_next_one_starts(
    planned: Machine, facts: dict[str, object], result: str
) -> None:
    before = start(planned)
    after = start(with_entry(planned, **facts))
    assert [one.result for one in after.tried if one.variable == "Boot0009"] == [result]
    assert (after.started, after.ends) == (before.started, before.ends)
    assert after.tried[0].why


def test_a_file_alone_is_found_and_the_shell_is_an_end(planned: Machine) -> None:
    loader = next(one for one in planned.firmware.entries if one.variable == before_variable(planned))
    after = start(with_entry(planned, leads="file", path=loader.path))
    assert after.tried[0].result == "started"
    assert after.started == start(planned).started
    shell = start(with_entry(planned, leads="firmware"))
    assert (shell.started, shell.ends) == (None, "shell")


def before_variable(machine: Machine) -> str:
    return start(machine).tried[-1].variable


def test_a_first_stage_without_its_menu_gives_an_error_back(planned: Machine) -> None:
    _, call, path = start(planned).started or ("", "", "")
    beside = path.rsplit("\\", 1)[0].lower()
    bare = planned.with_volume(
        call,
        lambda one: replace(
            one,
            boot_files=tuple(file for file in one.boot_files if file.path == path or not file.path.lower().startswith(beside)),
        ),
    )
    after = start(bare)
    assert after.tried[0].result == "returned"
    assert after.tried[1].result == "started"


def test_next_once_is_tried_whatever_it_is(planned: Machine) -> None:
    own = planned.firmware
    last = own.order[-1]
    off = tuple(replace(one, active=False) if one.number == last else one for one in own.entries)
    once = start(replace(planned, firmware=replace(own, entries=off, next=last)))
    assert once.tried[0].variable == f"Boot{last:04X}"
    assert once.tried[0].result == "started"


def test_what_is_no_program_or_one_for_another_processor_is_passed_over(planned: Machine) -> None:
    disk, call, path = start(planned).started or ("", "", "")
    for unfit, result in (("aa64", "unsupported"), ("no program", "not found")):
        other = planned.with_volume(
            call,
            lambda one, unfit=unfit: replace(
                one, boot_files=tuple(replace(file, unfit=unfit) if file.path == path else file for file in one.boot_files)
            ),
        )
        after = start(other)
        assert after.tried[0].result == result
        assert after.started != (disk, call, path)


@given(st.binary(max_size=300))
def test_programs_are_told_from_what_is_none(raw: bytes) -> None:
    assert pe_unfit(program("x")) == ""
    assert pe_unfit(program("x", machine=ARM64)) == "aa64"
    assert pe_unfit(raw) == "no program" or raw[:2] == b"MZ"
    assert pe_signed(program("x", certificate=bytes(512)))
    assert not pe_signed(program("x"))


def test_the_command_line_has_it_for_every_mishap_and_step(
    job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "job.json"
    jobfile.save(job, path)
    assert run(["rehearse", str(path), "--json"]) == 0
    whole = json.loads(capsys.readouterr().out)
    assert {one["mishap"] for one in whole["firmware"]} == {one["mishap"] for one in whole["outcomes"]}
    first = whole["firmware"][0]
    assert first["started"].keys() == {"disk", "volume", "path"}
    assert first["ends"] == "system"
    assert all(one.keys() == {"variable", "title", "disk", "volume", "path", "result", "why"} for one in first["tried"])
    assert run(["rehearse", str(path), "--json", "--step", "0", "--mishap", "firmware-reset"]) == 0
    (found,) = json.loads(capsys.readouterr().out)["firmware"]
    assert found["mishap"] == "firmware-reset"
    assert found["tried"][-1]["variable"] is None
    assert run(["rehearse", str(path), "--mishap", "firmware-rest"]) == 2
    assert "firmware-reset" in capsys.readouterr().err
    assert run(["rehearse", str(path), "--step", "999"]) == 2
    assert run(["rehearse", str(path), "--emulator"]) == 2


# -- against real firmware -------------------------------------------------------------------------------------------
def test_what_real_firmware_did_is_still_what_is_predicted() -> None:
    """Every machine of the suite, against the table that ``make firmware`` wrote when it started all of them."""
    kept = (Path(__file__).parent.parent / "docs/firmware-agreement.md").read_text(encoding="utf-8")
    memory = "/dev/shm" if Path("/dev/shm").is_dir() else None  # noqa: S108 - small disks, and utilities that wait for each to be written
    for case in CASES:
        with tempfile.TemporaryDirectory(dir=memory) as folder:
            _, _, machine = made(case, Path(folder))
        assert f"| {case.title} | `{predicted_words(start(machine))}` | yes |" in kept


@pytest.mark.parametrize("place", IN_CI)
def test_real_firmware_does_as_predicted(place: int, tmp_path: Path) -> None:
    difference, predicted, seen = judged(CASES[place], tmp_path)
    assert difference == "", (CASES[place].title, predicted, seen.console[-800:])


def test_the_demo_that_was_inked_starts_as_predicted_and_its_disks_stay_as_they_were(inked: tuple[Job, Path]) -> None:
    job, bench = inked
    before = {path: path.stat().st_mtime_ns for path in bench.glob("*.img")}
    watched = watch(job, bench)
    assert watched.differs == ""
    assert watched.seen.said[0] == "stand-in: first stage"
    assert watched.seen.said[-1].endswith(", whose file system is there"), "its menu goes on to the kernel"
    assert any("Secure Boot" in note for note in watched.notes)
    assert {path: path.stat().st_mtime_ns for path in bench.glob("*.img")} == before


def test_a_step_in_the_middle_is_inked_and_started_and_its_screen_kept(
    job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Between making the volumes and installing, the machine still starts as it did; the picture is the emulator's own."""
    path, bench, picture = tmp_path / "job.json", tmp_path / "middle", tmp_path / "screen.png"
    jobfile.save(job, path)
    step = next(number for number, one in enumerate(job.steps, 1) if isinstance(one, Install)) - 1
    asked = [
        "rehearse",
        str(path),
        "--emulator",
        "--bench",
        str(bench),
        "--step",
        str(step),
        "--picture",
        str(picture),
        "--json",
    ]
    assert run(asked) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["differs"] == ""
    assert said["firmware"][0]["started"] == {"disk": "A", "volume": "B1", "path": said["firmware"][0]["tried"][-1]["path"]}
    assert said["seen"]["ended"]
    raw = picture.read_bytes()
    assert raw.startswith(b"\x89PNG")
    wide, high = struct.unpack(">II", raw[16:24])
    assert wide >= 640
    assert high >= 400
    for number in ("0", "999"):
        assert run([*asked[:5], "--step", number]) == 2
        assert "no step" in capsys.readouterr().err
    assert run(["rehearse", str(path), "--emulator", "--bench", str(bench)]) == 2, "the end was never inked there"


def test_an_emulator_that_does_not_answer_gives_no_picture(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(screens, "PATIENCE", 0.1)
    screen = screens.Screen(tmp_path)
    assert not screen.off()
    assert screen.take() == b""
    (tmp_path / screens.PICTURE).write_bytes(b"no picture")
    assert screen.take() == b"", "what is no picture is none"
    screen.close()


@pytest.fixture
def inked(job: Job, tmp_path: Path) -> tuple[Job, Path]:
    from disks import answered
    from inkshelf.bench.inker import ink

    made = answered(job)
    assert ink(made, tmp_path / "bench").verified
    return made, tmp_path / "bench"


@pytest.mark.parametrize(
    ("disks", "speaks"),
    [
        ((("dos", True), ("dos", True)), 0),
        ((("gpt", True),), 0),
        ((("dos", False), ("dos", True)), None),
        (((None, False), ("dos", True)), None),
        ((("dos", True), (None, False)), 0),
    ],
)
def test_a_bios_runs_the_first_disks_code_and_tries_no_other(
    tmp_path: Path, disks: tuple[tuple[str | None, bool], ...], speaks: int | None
) -> None:
    paths = []
    for number, (table, code) in enumerate(disks):
        path = tmp_path / f"{number}.img"
        path.write_bytes(bytes(16 << 20))
        if table:
            lines = f"label: {table}\nstart=2048,size=8192,type={'83' if table == 'dos' else 'linux'}\n"
            subprocess.run(["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path], input=lines, text=True, check=True)
        if code:
            with path.open("r+b") as out:
                out.write(sector_code(f"disk {number} speaks"))
        paths.append(path)
    predicted = start(take_in(paths, mode="legacy", seed="legacy").found)
    seen = emulator.watch_legacy([(path, "virtio") for path in paths], 3)
    assert seen.said == (() if speaks is None else (f"disk {speaks} speaks",))
    assert predicted.started == (None if speaks is None else ("AB"[speaks], "", ""))
    assert predicted.ends == ("nothing" if speaks is None else "loader")


def test_what_is_not_inked_or_not_there_is_said(job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with pytest.raises(BenchError, match="ink the plan first"):
        watch(job, tmp_path)
    monkeypatch.setattr(emulator, "COMMAND", "no-such-command")
    with pytest.raises(BenchError, match="no emulator"):
        emulator.watch([], {})


def test_where_firmware_does_something_else_it_is_said(planned: Machine) -> None:
    predicted = start(planned)
    variable = predicted.tried[-1].variable
    path = words_of(option_of(planned.firmware.entry(int(variable[4:], 16))).paths[0])  # type: ignore[arg-type]
    agreed = Tried(variable, "x", path.replace("File(", "").removesuffix(")"), "started")
    assert differs(predicted, Seen((agreed,), (), "", True), planned) == ""
    for tried in (
        (replace(agreed, result="not found"),),
        (replace(agreed, variable="Boot0777"),),
        (replace(agreed, path=agreed.path.replace("GPT,", "GPT,0000")),),
        (),
    ):
        assert differs(predicted, Seen(tried, (), "", True), planned)


@given(st.binary(max_size=300), st.booleans())
def test_any_console_gives_what_it_says(raw: bytes, ended: bool) -> None:
    line = b'BdsDxe: failed to load Boot0001 "a" from HD(1,GPT,0,0x1,0x2)/\\x.efi: Not Found\r\n'
    seen = told(line + raw, ended=ended)
    assert seen.tried[0] == Tried("Boot0001", "a", "HD(1,GPT,0,0x1,0x2)/\\x.efi", "not found") or b"Boot0001" in raw
    assert not any(char < " " and char not in {"\n", "\t"} for char in seen.console)
