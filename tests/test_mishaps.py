"""What may happen to a machine later: each part, what it leaves, and a person's own."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given

from inkshelf.cli import run
from inkshelf.core.boot.firmware import start
from inkshelf.core.boot.mishaps import (
    PARTS,
    DiedDisk,
    Mishap,
    PluggedInCopy,
    SwappedDisks,
    SwitchedMode,
    UpdatedLinux,
    WentElsewhere,
    mishaps,
)
from inkshelf.core.boot.own_mishaps import WORDS, own_mishap, part_of
from inkshelf.core.boot.rehearse import Outcome, outcome, rehearse, systems
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk, Machine, Table
from inkshelf.core.plan.job import Job, with_mishap, without_mishap
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from scenes import behind, legacy, travelling
from strategies import machines


@pytest.fixture
def planned(job: Job) -> Machine:
    return read(job).plan.planned


def after(machine: Machine, call: str, *parts: object) -> Outcome:
    return outcome(machine, call, Mishap("one", "one", tuple(parts)))  # type: ignore[arg-type]


@given(machines())
def test_the_table_says_of_each_mishap_what_it_comes_to_alone(machine: Machine) -> None:
    alone = tuple(outcome(machine, one.call, mishap) for one in systems(machine) for mishap in mishaps(machine))
    assert rehearse(machine) == alone


def test_a_disk_that_is_dead_is_still_met_and_one_that_is_out_is_not() -> None:
    machine = behind(legacy())
    first = machine.disks[0].id
    assert start(Mishap("x", "x", (DiedDisk(first),)).befall(machine)).started is None, "a BIOS does not go on to the next disk"
    out = next(one for one in mishaps(machine) if one.key == f"disk-{first.lower()}-out").befall(machine)
    assert start(out).started == ("A", "", ""), "the next one is the first then"
    assert "can be read" in after(machine, "S1", DiedDisk("A")).why


def test_swapped_disks_change_which_one_a_bios_takes(planned: Machine) -> None:
    machine = behind(legacy())
    assert start(machine).started == ("B", "", "")
    swapped = SwappedDisks().befall(machine)
    assert start(swapped).started == ("A", "", "")
    assert SwappedDisks().befall(swapped) == machine
    stick = replace(machine.disks[0], id="U", removable=True)
    three = replace(machine, disks=(*machine.disks, stick))
    assert [one.id for one in SwappedDisks().befall(three).disks] == ["A", "B", "U"], (
        "what can be taken out has no port of its own"
    )


def test_the_compatibility_module_hides_secure_boot_and_starts_the_legacy_way(planned: Machine) -> None:
    on = SwitchedMode("legacy").befall(planned)
    assert (on.firmware.mode, on.firmware.secure_boot) == ("legacy", "hidden")
    assert not after(planned, "S1", SwitchedMode("legacy")).starts
    assert "csm-on" in {one.key for one in mishaps(planned)}
    assert "csm-off" in {one.key for one in mishaps(legacy())}


@pytest.mark.parametrize(
    ("mode", "secure", "starts"), [("uefi", "off", True), ("uefi", "on", True), ("legacy", "absent", False)]
)
def test_a_disk_that_travels_starts_elsewhere_by_its_fallback_file(
    planned: Machine, mode: str, secure: str, starts: bool
) -> None:
    machine = travelling(planned)
    disk = machine.disks[0].id
    assert not after(machine, "S2", WentElsewhere(disk, mode, secure)).starts, "it has no fallback file"  # type: ignore[arg-type]
    whole = replace(
        planned,
        disks=(
            replace(planned.disks[0], removable=True, volumes=tuple(v for v in planned.disks[0].volumes if v.call != "B1")),
        ),
    )
    assert after(whole, "S2", WentElsewhere(disk, mode, secure)).starts is starts  # type: ignore[arg-type]


def test_a_copy_that_is_plugged_in_takes_the_start_of_its_original(planned: Machine) -> None:
    both = PluggedInCopy("A").befall(planned)
    calls = [one.call for _, one in both.volumes()]
    assert len(calls) == len(set(calls)) == 2 * len(list(planned.volumes()))
    assert start(planned).started[0] == "A"  # type: ignore[index]
    assert start(both).started[0] == both.disks[0].id, "the firmware meets it first, and both bear one GUID"  # type: ignore[index]
    assert after(planned, "S1", PluggedInCopy("A")).by_hand, "its copy starts in its place, unless its own disk is chosen"
    assert after(planned, "S2", PluggedInCopy("A")).verdict in {"does not start", "starts by hand"}
    assert PluggedInCopy("Q").befall(planned) == planned


def test_an_update_needs_room_for_its_kernel(planned: Machine) -> None:
    assert after(planned, "S2", UpdatedLinux()).starts
    system = planned.find("S2")[1].filesystem
    full = planned.with_volume(
        "S2", lambda one: replace(one, filesystem=replace(system, used_bytes=system.size_bytes - 200 * 2**20))
    )
    assert not after(full, "S2", UpdatedLinux()).starts
    second = replace(planned, firmware=replace(planned.firmware, order=(0, 1)))
    assert UpdatedLinux().befall(second).firmware.order == (1, 0), "its entry comes first again"


def test_every_part_can_be_said_and_every_word_is_a_part(planned: Machine) -> None:
    two = replace(planned, disks=(*planned.disks, Disk("B", 64 * GIB, table=Table("gpt"))))
    made = {type(part_of(two, f"{one.word}:B" if one.of_disk else one.word)) for one in WORDS}
    assert made == set(PARTS)
    for wrong in ("out", "out:Q", "reset", "firmware-reset:A", ""):
        with pytest.raises(PlanError):
            part_of(two, wrong)


def test_an_own_mishap_is_kept_rehearsed_and_printed(job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "job.json"
    jobfile.save(job, file)
    assert run(["mishap", str(file), "Battery changed", "--part", "firmware-reset", "--part", "secure-boot-off"]) == 0
    again = jobfile.load(file)
    assert [one.key for one in again.mishaps] == ["battery-changed"]
    reading = read(again)
    assert {one.system for one in reading.after if one.mishap == "battery-changed"} == {"S1", "S2"}
    assert "battery-changed" in sheet(reading).mishaps
    assert "battery-changed" in {one.mishap for one in sheet(reading).outcomes}
    capsys.readouterr()
    assert run(["rehearse", str(file), "--mishap", "battery-changed"]) == 0
    assert "battery-changed" in capsys.readouterr().out
    assert run(["mishap", str(file), "Battery changed"]) == 2
    assert run(["mishap", str(file), "Battery changed", "--part", "firmware-rest"]) == 2
    assert "firmware-reset" in capsys.readouterr().err
    assert run(["mishap", str(file), "--drop", "battery-changed"]) == 0
    assert jobfile.load(file).mishaps == ()
    with pytest.raises(PlanError):
        without_mishap(job, "battery-changed")
    with pytest.raises(PlanError, match="anyway"):
        with_mishap(job, own_mishap(read(job).plan.planned, "NT updated", ("nt-updated",)))


def test_paper_holds_of_single_disks_what_changes_something(job: Job) -> None:
    reading = read(job)
    told = {one.mishap for one in sheet(reading).outcomes}
    assert {"none", "firmware-reset", "csm-on", "linux-updated"} <= told
    plain = {one.system: one.verdict for one in reading.after if one.mishap == "none"}
    assert all(one.verdict != plain[one.system] for one in sheet(reading).outcomes if one.mishap.startswith("disk"))


def said(machine: Machine, **facts: bool) -> Machine:
    return replace(machine, conditions=replace(machine.conditions, **facts))


def test_a_board_that_starts_two_paths_only_passes_other_entries_over(planned: Machine) -> None:
    board = said(planned, known_paths_only=True)
    first = next(one for one in start(board).tried if one.variable == "Boot0001")
    assert (first.result, "two" in first.why or "only" in first.why) == ("skipped", True)
    assert not after(board, "S2").starts or after(board, "S2").by_hand
    assert after(board, "S1").starts


def test_a_board_without_a_fallback_on_built_in_disks_starts_nothing_after_a_reset(planned: Machine) -> None:
    reset = next(one for one in mishaps(planned) if one.key == "firmware-reset")
    assert start(reset.befall(planned)).started is not None
    assert start(reset.befall(said(planned, no_fixed_fallback=True))).started is None


def test_a_board_that_re_sorts_puts_the_nt_family_first(planned: Machine) -> None:
    assert start(planned).started[1] == "B2"  # type: ignore[index]
    assert start(said(planned, nt_first_again=True)).started[1] == "B1"  # type: ignore[index]


def test_a_board_that_insists_on_the_type_reads_no_other_volume(planned: Machine) -> None:
    hidden = planned.with_volume("B2", lambda one: replace(one, type_id="EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"))
    assert start(hidden).started[1] == "B2"  # type: ignore[index]
    assert start(said(hidden, type_insisted=True)).started[1] == "B1"  # type: ignore[index]


def test_what_is_said_of_a_board_is_asked_and_kept(job: Job, tmp_path: Path) -> None:
    file = tmp_path / "job.json"
    jobfile.save(job, file)
    assert run(["know", str(file), "nt-first-again", "yes"]) == 0
    again = jobfile.load(file)
    assert again.found.conditions.nt_first_again is True
    assert start(read(again).plan.planned).started[1] == "B1"  # type: ignore[index]
