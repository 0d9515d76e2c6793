"""Mending a start: every cause on a machine that is broken in that way is found, told apart, and mended by the plan."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.cli import run
from inkshelf.core.aims.beside import Beside
from inkshelf.core.aims.mending import Mend, field_of
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import outcome, systems
from inkshelf.core.checks import findings
from inkshelf.core.machine.state import Conditions, Firmware, Machine, SystemRoot, Volume
from inkshelf.core.mending.base import cause
from inkshelf.core.mending.narrowing import contradiction, every_cause, fitting, gain, next_looks, smallest
from inkshelf.core.mending.sights import LOOK, LOOKS, SIGHTS
from inkshelf.core.mending.view import View
from inkshelf.core.plan.job import Job, replan, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.bounds import bounds
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB
from inkshelf.core.steps.kinds import EnterSystem, PutLoader, WriteStartCode
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.store import jobfile
from scenes import BEHIND, LEGACY, UEFI, firmware, legacy


@pytest.fixture
def planned(job: Job) -> Machine:
    return firmware(read(job).plan.planned, entries_known=True)


@pytest.fixture(scope="module")
def planned_once(found_job: Job) -> Machine:
    job = with_aim(found_job, Beside(size_bytes=140 * GIB, esp="own", home="apart"))
    return firmware(read(job).plan.planned, entries_known=True)


def mending(machine: Machine, **said: str) -> Job:
    """A job that mends it; all that is shown of it can be worked out."""
    job = replan(Job(found=machine, aims=(Mend(**said),), seed="mended"))
    findings(read(job))
    bounds(read(job))
    return job


def shown(machine: Machine, call: str, seen: str) -> list[str]:
    return [one.cause.key for one in fitting(machine, call, seen) if one.case.shown]


def well(machine: Machine, call: str) -> bool:
    said = outcome(machine, call, STANDING[0])
    return said.starts and not said.by_hand


def going_back_takes_nothing_away(job: Job) -> None:
    """A loader's file that was there before is not removed by the printed way back: it is copied first, and copied back."""
    reading = read(job)
    for state, step, row in zip(reading.plan.machines, job.steps, sheet(reading).rows, strict=False):
        if isinstance(step, PutLoader):
            there = {one.path.lower() for one in state.find(step.esp)[1].boot_files}  # type: ignore[index]
            over = [one.path for one in step.files if one.path.lower() in there]
            removed = [part for part in row.words.back.split("; ") if part.startswith("remove ")]
            assert not any(one in part for one in over for part in removed)
            kept = " ".join((row.words.back, *row.words.back_lines))
            assert all(one in kept for one in over)


@pytest.mark.parametrize("cause", UEFI)
def test_a_start_that_is_broken_in_one_way_is_found_and_mended(planned: Machine, cause: str) -> None:
    call, seen, scene = UEFI[cause]
    broken = scene(planned)
    assert not well(broken, call), "the scene breaks nothing"
    assert cause in shown(broken, call, seen)
    job = mending(broken, seen=seen, system=call)
    assert not job.plan_fault
    assert well(read(job).plan.planned, call)
    alone = mending(broken, seen=seen, system=call, cause=cause)
    assert well(read(alone).plan.planned, call), "its own repair, and what is shown beside it"
    going_back_takes_nothing_away(alone)


@pytest.mark.parametrize("cause", LEGACY)
def test_a_legacy_start_that_is_broken_is_found_and_mended(cause: str) -> None:
    call, seen, scene = LEGACY[cause]
    broken = scene()
    assert not well(broken, call)
    assert cause in shown(broken, call, seen)
    job = mending(broken, seen=seen, system=call, cause=cause)
    assert not job.plan_fault
    assert well(read(job).plan.planned, call)


@pytest.mark.parametrize("cause", BEHIND)
def test_what_is_broken_behind_the_firmware_is_found_and_gone_afterwards(planned: Machine, cause: str) -> None:
    call, seen, scene = BEHIND[cause]
    broken = scene(planned)
    assert cause in shown(broken, call, seen)
    job = mending(broken, seen=seen, system=call, cause=cause)
    assert not job.plan_fault
    if cause not in {"locked", "disk-failing"}:
        assert cause not in shown(read(job).plan.planned, call, seen)


LISTED = {
    "mode-legacy",
    "menu-unsigned",
    "not-listed",
    "medium-in",
    "type-hidden",
    "table-unseen",
    "external-start",
    "fast-boot",
    "fallback-gone",
}
"""What a listing shows or rules out, or what stands for it there: the menu that is refused with its first stage, the menu that was not read."""
LOOKED_AT = {**UEFI, **LEGACY, **BEHIND}


@pytest.mark.parametrize("cause", sorted({**UEFI, **BEHIND}))
def test_looks_narrow_what_text_alone_leaves_open_and_never_lose_the_cause(planned: Machine, cause: str) -> None:
    """Nobody read a file or an entry: a technician answers the look that is offered first, as the true cause has it."""
    made = every_cause()[cause]
    call, seen, _ = LOOKED_AT[cause]
    bare = _as_listed(planned)
    looked: tuple[tuple[str, str], ...] = ()
    start = {one.cause.key for one in fitting(bare, call, seen)}
    if cause in LISTED:
        assert cause not in start, "a listing shows it"
        return
    assert cause in start
    for _ in range(len(LOOKS)):
        offered = next_looks(fitting(bare, call, seen, looked), seen, looked)
        if not offered:
            break
        best = offered[0]
        answers = made.tells.get(best.key, tuple(one.key for one in best.answers))
        looked = (*looked, (best.key, answers[0]))
        left = fitting(bare, call, seen, looked)
        assert cause in {one.cause.key for one in left}, looked
    assert len(fitting(bare, call, seen, looked)) <= max(3, len(start) // 2)


def _as_listed(machine: Machine) -> Machine:
    """The machine as captured text shows it: no file, no entry, no code was read."""
    disks = []
    for disk in machine.disks:
        volumes = tuple(_unread(one) for one in disk.volumes)
        disks.append(replace(disk, volumes=volumes, table=replace(disk.table, boot_code=None)))
    return replace(machine, disks=tuple(disks), firmware=Firmware("uefi", None), conditions=Conditions())


def _unread(volume: Volume) -> Volume:
    system = volume.filesystem
    system = replace(system, dirty=None, hibernated=None) if system else None
    holds = SystemRoot(volume.holds.family, volume.holds.title) if volume.holds else None
    return replace(volume, boot_files=(), planned=False, filesystem=system, holds=holds)


def test_every_look_tells_something_and_every_cause_can_be_told(planned: Machine) -> None:
    known = every_cause()
    assert len(known) >= 25
    assert {key for made in known.values() for key in made.tells} == set(LOOK)
    assert {sight for made in known.values() for sight in made.sights} == {one.key for one in SIGHTS}
    broken = {*UEFI, *LEGACY, *BEHIND}
    assert len(broken & set(known)) >= 25
    assert broken <= set(known)


def test_an_answer_that_contradicts_is_said_and_can_be_taken_back(planned: Machine) -> None:
    broken = UEFI["order"][2](planned)
    wrong = Mend(seen="other", system="S2", one_time="starts", disk_listed="no")
    assert wrong.fits(broken) == ()
    job = replan(Job(found=broken, aims=(wrong,), seed="mended"))
    assert "No cause fits" in job.plan_fault
    assert {one.cause.key for one in replace(wrong, disk_listed="not-yet").fits(broken)} >= {"order"}


def test_a_cause_that_speaks_of_an_unknown_look_is_refused() -> None:
    with pytest.raises(TypeError, match="speaks of"):
        cause("new-one", "A cause", "other", 1, one_time="perhaps")
    with pytest.raises(TypeError, match="speaks of"):
        cause("new-one", "A cause", "nothing-that-is-seen", 1)
    with pytest.raises(TypeError, match="speaks of"):
        cause("order", "A key that is taken", "other", 1)


def test_protection_is_not_suspended_in_a_system_that_does_not_start(planned: Machine) -> None:
    locked = replace(planned, conditions=replace(planned.conditions, encrypted=True, recovery_key=False))
    own = mending(UEFI["boot-data-gone"][2](locked), seen="system-screen", system="S1")
    other = mending(UEFI["order"][2](locked), seen="other", system="S2")
    assert "suspend_encryption" not in {getattr(one, "what", "") for one in own.steps}
    assert [getattr(one, "what", "") for one in other.steps].count("suspend_encryption") == 1
    assert [getattr(one, "what", "") for one in other.steps].count("resume_encryption") == 1
    assert any(getattr(one, "subject", "") == "recovery_key" for one in own.steps), "it will be asked for"


def test_a_capture_that_is_older_than_the_fault_says_so(planned: Machine) -> None:
    assert "older than the fault" in contradiction(planned, "S2", "no-device")
    assert contradiction(UEFI["order"][2](planned), "S2", "other") == ""


def test_the_command_lists_causes_and_plans_the_repair(
    planned: Machine, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "broken.json"
    jobfile.save(Job(found=UEFI["config-gone"][2](planned), seed="x"), file)
    assert run(["causes", str(file), "--seen", "prompt", "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["causes"][0]["key"] == "config-gone"
    assert said["causes"][0]["captured"] is True
    assert said["causes"][0]["repair"] == ["enter-system", "regenerate", "leave-system"]
    assert said["causes"][0]["mends"] is True
    assert set(said["ruled_out"]) | {one["key"] for one in said["causes"]} == set(every_cause())
    assert run(["causes", str(file), "--seen", "promt"]) == 2
    assert "prompt" in capsys.readouterr().err
    assert run(["causes", str(file), "--seen", "prompt", "--prompt-disks", "missing"]) == 0
    assert "disk-out" in capsys.readouterr().out
    assert run(["aim", str(file), "mend", "--seen", "prompt", "--system", "S2"]) in {0, 1}
    capsys.readouterr()
    assert run(["causes", str(file), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["seen"] == "prompt", "the job's own answers"
    planned_job = jobfile.load(file)
    assert [step.kind for step in planned_job.steps if step.id.startswith("a1") and step.writes == "inside"] == ["regenerate"]


def test_two_faults_at_once_are_both_mended(planned: Machine) -> None:
    both = UEFI["config-gone"][2](UEFI["no-entry"][2](planned))
    job = mending(both, seen="other", system="S2")
    assert not job.plan_fault
    assert well(read(job).plan.planned, "S2")


@given(st.data())
def test_any_faults_together_end_in_a_plan_or_in_words(planned_once: Machine, data: st.DataObject) -> None:
    """Whatever is broken, however it is answered: a plan that can be done, or a sentence; never a traceback, never a system less that starts."""
    broken = planned_once
    keys = data.draw(st.lists(st.sampled_from(sorted({**UEFI, **BEHIND})), min_size=1, max_size=3, unique=True))
    for key in keys:
        if key in {"fallback-gone", "external-start", "fast-boot"} and key != keys[0]:
            continue
        scene = {**UEFI, **BEHIND}[key][2]
        try:
            broken = scene(broken)
        except (AttributeError, StopIteration, TypeError):
            return  # two scenes that cannot be had at once
    call = data.draw(st.sampled_from([one.call for one in systems(broken)]))
    said = {field_of(one.key): data.draw(st.sampled_from(["not-yet", *(two.key for two in one.answers)])) for one in LOOKS[:3]}
    aim = Mend(seen=data.draw(st.sampled_from(["anything", *(one.key for one in SIGHTS)])), system=call, **said)
    job = replan(Job(found=broken, aims=(aim,), seed="any"))
    assert aim.asked(broken)
    assert aim.sentence(broken)
    reading = read(job)
    findings(reading)
    sheet(reading)
    if job.plan_fault:
        assert not job.steps
        return
    before = {one.call for one in systems(broken) if well(broken, one.call)}
    after = {one.call for one in systems(reading.plan.planned) if well(reading.plan.planned, one.call)}
    assert {call} & before <= after
    assert set(reading.ledger.lost) <= {"B1", "B2"}, "a start-up volume may be made anew, nothing else"


def test_start_code_is_written_from_outside_with_the_system_opened(planned: Machine) -> None:
    job = mending(LEGACY["no-start-code"][2](), seen="no-device", system="S2", cause="no-start-code")
    kinds = [step.kind for step in job.steps]
    assert kinds.index("enter-system") < kinds.index("start-code") < kinds.index("leave-system")
    row = next(one for one in sheet(read(job)).rows if "start code" in one.words.title)
    assert any("chroot" in line for line in row.words.commands)
    both = mending(legacy(code=False), seen="no-device", system="S1", cause="no-start-code")
    assert [step.family for step in both.steps if isinstance(step, WriteStartCode)] == ["linux"], "its menu lists both"
    assert "enter-system" in [step.kind for step in both.steps]
    bare = legacy(code=False)
    alone = bare.with_volume("S2", lambda one: replace(one, holds=None))
    nt = mending(alone, seen="no-device", system="S1", cause="no-start-code")
    assert [step.family for step in nt.steps if isinstance(step, WriteStartCode)] == ["nt"]
    assert "enter-system" not in [step.kind for step in nt.steps]
    assert "recovery_stick" in [getattr(step, "subject", "") for step in nt.steps]


def test_a_root_in_a_subvolume_is_opened_as_one(planned: Machine) -> None:
    system = planned.find("S2")[1]
    uuid = system.filesystem.uuid
    mounts = ((f"UUID={uuid}", "/"), (f"UUID={uuid}", "/home"))
    sub = planned.with_volume(
        "S2",
        lambda one: replace(one, filesystem=replace(one.filesystem, kind="btrfs"), holds=replace(one.holds, mounts=mounts)),
    )
    job = mending(UEFI["loader-gone"][2](sub), seen="other", system="S2")
    row = next(one for one in sheet(read(job)).rows if one.words.title.startswith("Open "))
    assert any("subvol=" in line and line.rstrip().endswith('"$TARGET"') for line in row.words.commands)


def test_an_entry_without_its_first_backslash_is_the_systems_own(planned: Machine) -> None:
    path = planned.firmware.entry(1).path.lstrip("\\")  # type: ignore[union-attr]
    bare = firmware(
        planned, entries=(planned.firmware.entries[0], replace(planned.firmware.entries[1], path=path)), order=(0, 1)
    )
    assert shown(bare, "S2", "other")[0] == "order", "it works, and comes second"
    assert [step.kind for step in mending(bare, seen="other", system="S2").steps if step.writes != "none"] == ["set-order"]


def test_a_volume_that_is_made_anew_gets_back_what_other_systems_had_on_it(planned: Machine) -> None:
    """Both systems start from one EFI system partition that firmware cannot read."""
    theirs = planned.find("B2")[1].boot_files
    shared = planned.with_volume(
        "B1", lambda one: replace(one, boot_files=(*one.boot_files, *(f for f in theirs if "linux" in f.path)))
    )
    first = planned.find("B1")[1]
    moved = replace(planned.firmware.entries[1], partition_guid=first.guid, partition_number=first.number)
    shared = firmware(
        shared.with_volume("B2", lambda one: replace(one, boot_files=())), entries=(planned.firmware.entries[0], moved)
    )
    broken = shared.with_volume("B1", lambda one: replace(one, filesystem=replace(one.filesystem, clusters=65_524)))
    assert not well(broken, "S1")
    assert not well(broken, "S2")
    job = mending(broken, seen="no-device", system="S2")
    after = read(job).plan.planned
    assert well(after, "S2")
    assert after.find("B1")[1].boot_file(exact("paths", "nt_loader")) is not None
    assert outcome(after, "S1", STANDING[0]).starts


def test_a_loader_on_a_volume_that_firmware_cannot_read_is_no_good_one(planned: Machine) -> None:
    both = UEFI["no-entry"][2](UEFI["esp-unreadable"][2](planned))
    assert "no-entry" not in shown(both, "S2", "other"), "an entry to it would lead nowhere"
    assert View(both, "S2").good == ()
    assert well(read(mending(both, seen="other", system="S2")).plan.planned, "S2")


def test_an_entry_with_an_old_number_does_not_count_where_a_loader_is_put_again(planned: Machine) -> None:
    both = UEFI["loader-gone"][2](UEFI["entry-number"][2](planned))
    job = mending(both, seen="other", system="S2")
    assert well(read(job).plan.planned, "S2")
    assert "add-entry" in [step.kind for step in job.steps]


def test_looks_come_in_the_order_of_what_they_tell_for_their_minutes(planned: Machine) -> None:
    left = fitting(_as_listed(planned), "S2", "other")
    rated = [gain(one, left) / one.minutes for one in next_looks(left, "other")]
    assert len(rated) > 2
    assert rated == sorted(rated, reverse=True)


def test_a_repair_that_helps_weighs_more_than_one_that_does_not(planned: Machine) -> None:
    one = next(one for one in fitting(UEFI["order"][2](planned), "S2", "other") if one.case.shown)
    assert one.mends
    assert one.weight > replace(one, mends=False).weight > replace(one, case=replace(one.case, shown=False)).weight


def opened(job: Job) -> dict[str, str]:
    step = next(one for one in job.steps if isinstance(one, EnterSystem))
    return {where: uuid for uuid, where in step.mounts}


def test_what_is_opened_is_there_and_the_start_up_volume_is_always_among_it(planned: Machine) -> None:
    root, esp = (planned.find(call)[1].filesystem.uuid for call in ("S2", "B2"))
    mounts = ((f"UUID={root}", "/"), ("UUID=0badcafe-0000-4000-8000-000000000000", "/var"))
    bare = planned.with_volume("S2", lambda one: replace(one, holds=replace(one.holds, mounts=mounts, waits=())))
    job = mending(UEFI["config-gone"][2](bare), seen="prompt", system="S2", cause="config-gone")
    assert opened(job) == {"/": root, "/boot/efi": esp}


def test_no_menu_is_made_to_hang_on_a_disk_that_can_be_out(planned: Machine) -> None:
    disk = planned.disks[0]
    inner = replace(disk, volumes=tuple(one for one in disk.volumes if one.call not in {"B1", "S1"}))
    outer = replace(disk, id="B", serial="other", volumes=tuple(one for one in disk.volumes if one.call in {"B1", "S1"}))
    moved = tuple(replace(one, disk="B") if one.number == 0 else one for one in planned.firmware.entries)
    two = firmware(replace(UEFI["not-listed"][2](planned), disks=()), entries=moved)
    unlisted = UEFI["not-listed"][2](replace(two, disks=(inner, outer)))
    assert outcome(unlisted, "S1", STANDING[0]).by_hand
    found = smallest(unlisted, "S1")
    assert found is not None
    assert found.cause.key == "not-listed"
    travelling = replace(unlisted, disks=tuple(replace(one, removable=one.id == "B") for one in unlisted.disks))
    assert outcome(travelling, "S1", STANDING[0]).by_hand
    assert smallest(travelling, "S1") is None


def test_a_revoked_loader_is_signed_all_the_same(planned: Machine) -> None:
    assert "loader-unsigned" not in shown(UEFI["revoked"][2](planned), "S2", "refused")


def test_without_a_free_mebibyte_a_core_is_made_room_for_by_hand() -> None:
    machine = LEGACY["no-core"][2]()
    disk = machine.disks[0]
    last = disk.volumes[-1]
    usable = disk.usable_end - disk.usable_end % (1 << 20)
    first = replace(
        disk.volumes[0], start=disk.usable_start, size=disk.volumes[0].size + disk.volumes[0].start - disk.usable_start
    )
    full = machine.with_disk(replace(disk, volumes=(first, *disk.volumes[1:-1], replace(last, size=usable - last.start))))
    case = next(one.case for one in fitting(full, "S2", "prompt") if one.cause.key == "no-core")
    assert case.steps == ()
    assert "make room first" in case.by_hand
    assert "make room first" in mending(full, seen="prompt", system="S2", cause="no-core").plan_fault


def test_a_gap_of_one_mebibyte_is_enough_for_a_core() -> None:
    machine = LEGACY["no-core"][2]()
    disk = machine.disks[0]
    last, usable = disk.volumes[-1], disk.usable_end - disk.usable_end % (1 << 20)
    first = replace(
        disk.volumes[0], start=disk.usable_start, size=disk.volumes[0].size + disk.volumes[0].start - disk.usable_start
    )
    tight = machine.with_disk(
        replace(disk, volumes=(first, *disk.volumes[1:-1], replace(last, size=usable - (1 << 20) - last.start)))
    )
    after = read(mending(tight, seen="prompt", system="S2", cause="no-core")).plan.planned
    assert well(after, "S2")
    assert after.find("B1")[1].start == usable - (1 << 20)


def test_a_menu_that_is_made_again_lists_what_came_by_itself_before(planned: Machine) -> None:
    """The NT family took the start over while the loader was away: it is listed once the menu is there again."""
    alone = UEFI["not-listed"][2](planned)
    broken = UEFI["loader-gone"][2](alone)
    assert well(broken, "S1")
    assert not outcome(alone, "S1", STANDING[0]).starts or outcome(alone, "S1", STANDING[0]).by_hand
    after = read(mending(broken, seen="other", system="S2")).plan.planned
    assert well(after, "S2")
    assert well(after, "S1")
