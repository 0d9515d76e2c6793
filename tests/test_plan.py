"""Plans: whatever is asked for, nothing overlaps, every byte is accounted for, and old systems keep starting."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import assemble
from inkshelf.core.aims.beside import Beside
from inkshelf.core.aims.shares import divide, swap_bytes
from inkshelf.core.checks import apply_remedy, findings
from inkshelf.core.checks.registry import ChangeAim as AimChange
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import PlanError, StepError
from inkshelf.core.fit.room import fit, givers, possible, reserve_size
from inkshelf.core.machine.state import Disk, FileSystem, Machine, SystemRoot, Table, Volume
from inkshelf.core.plan.byhand import change, exactly
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import AddEntry, Create, Delete, Format, Prepare, Retype, SetOrder, Shrink
from inkshelf.core.value import replace
from strategies import aims, drawn


def keys(reading: Reading) -> set[str]:
    return {one.key for one in findings(reading)}


def check_disk(disk: Disk) -> None:
    for one, other in zip(disk.volumes, disk.volumes[1:], strict=False):
        assert one.end <= other.start
    assert len({one.number for one in disk.volumes}) == len(disk.volumes)
    for volume in disk.volumes:
        assert disk.usable_start <= volume.start
        assert volume.end <= disk.usable_end
        if volume.planned:
            assert volume.start % MIB == 0
            assert volume.size % MIB == 0


@given(aims)
def test_every_aim_keeps_what_was_there(found_job: Job, aim: Beside) -> None:
    reading = read(with_aim(found_job, aim))
    planned, ledger = reading.plan.planned, reading.ledger
    if reading.job.plan_fault:
        said = next(one for one in findings(reading) if one.key == "room.no-plan")
        for remedy in said.remedies:
            if isinstance(remedy, AimChange):
                assert apply_remedy(reading.job, remedy).plan_fault == "", "what would fail again is not offered"
        return
    assert reading.plan.fault is None
    check_disk(planned.disks[0])
    assert ledger.lost == ()
    assert ledger.kept_bytes + ledger.moved_bytes == sum(volume.used or volume.size for _, volume in found_job.found.volumes())
    assert all({one.system: one.starts for one in row}.get("S1", True) for row in reading.stops), (
        "the old system starts at every step"
    )
    assert {one.system: one.starts for one in reading.stops[-1]} == {"S1": True, "S2": True}
    before = {volume.call: volume.type_id for _, volume in found_job.found.volumes()}
    assert before.items() <= {volume.call: volume.type_id for _, volume in planned.volumes()}.items(), (
        "what was changed for the work is put back"
    )
    if aim.size_bytes:
        assert ledger.new_bytes == aim.size_bytes


@given(aims)
def test_the_ledger_accounts_for_every_byte(found_job: Job, aim: Beside) -> None:
    reading = read(with_aim(found_job, aim))
    at = 0
    for stretch in reading.ledger.stretches:
        assert stretch.start == at
        at += stretch.size
    assert at == found_job.found.disks[0].size
    new = sum(one.size for one in reading.ledger.stretches if one.fate == "new")
    assert new == reading.ledger.new_bytes


@given(aims)
def test_the_number_typed_gives_the_size_planned(found_job: Job, aim: Beside) -> None:
    for one in read(with_aim(found_job, aim)).ledger.shrinks:
        assert one.from_bytes - one.type_mib * MIB == one.to_bytes


@given(aims, st.integers(1, 60))
def test_a_plan_is_the_same_for_the_same_seed_and_dragging_keeps_its_guids(found_job: Job, aim: Beside, more: int) -> None:
    job = with_aim(found_job, aim)
    assert with_aim(found_job, aim) == job
    moved = with_aim(job, replace(aim, size_bytes=(40 + more) * GIB))
    old = {step.call: step.guid for step in job.steps if isinstance(step, Create)}
    new = {step.call: step.guid for step in moved.steps if isinstance(step, Create)}
    assert all(old[call] == new[call] for call in old.keys() & new.keys())


@given(st.integers(30 * GIB, 900 * GIB), st.integers(0, 600 * GIB), st.integers(0, MIB - 1))
def test_a_shrink_never_leaves_its_volume_unaligned_with_the_gap(found_job: Job, size: int, used: int, crooked: int) -> None:
    disk = found_job.found.disks[0]
    volumes = tuple(
        replace(one, size=one.size - crooked // 512 * 512, filesystem=replace(one.filesystem, used_bytes=min(used, one.size)))
        if one.call == "S1"
        else one
        for one in disk.volumes
    )
    try:
        place = fit(replace(disk, volumes=volumes), size)
    except PlanError as error:
        assert error.remedy
        return
    assert place.start % MIB == 0
    if place.giver:
        assert 0 <= place.start - (place.giver.start + place.giver_bytes) < MIB
        assert (place.giver.size - place.giver_bytes) % MIB == 0
        assert place.giver_bytes > min(used, place.giver.size)


def test_a_gap_that_is_there_is_used_before_anything_is_shrunk(found_job: Job) -> None:
    job = with_aim(found_job, Beside(size_bytes=15 * GIB, swap="none"))
    assert not [step for step in job.steps if isinstance(step, Shrink)]
    assert next(step for step in job.steps if isinstance(step, Create)).start >= found_job.found.find("R1")[1].end


def test_comfortable_stays_within_what_is_possible(found_job: Job) -> None:
    reading = read(with_aim(found_job, Beside(home="apart")))
    assert reading.ledger.new_bytes <= possible(found_job.found.disks[0])
    assert not keys(reading) & {"room.movable.S1", "room.reserve.S1"}


@pytest.mark.parametrize(("used", "smallest"), [(0, 20 * GIB), (100 * GIB, 120 * GIB), (200 * GIB, 235.3 * GIB)])
def test_the_reserve_is_the_larger_of_twenty_gib_and_fifteen_percent(used: int, smallest: float) -> None:
    assert abs(reserve_size(used) - smallest) < 0.05 * GIB


@pytest.mark.parametrize(
    ("ram", "school", "gib"),
    [
        (16, "none", 0),
        (16, "sqrt", 4),
        (15.6, "sqrt", 4),
        (17, "sqrt", 5),
        (100, "sqrt", 8),
        (1.9, "sqrt", 4),
        (16, "hibernate", 20),
        (None, "sqrt", 3),
        (3, "sqrt", 2),
    ],
)
def test_swap_follows_the_school(ram: float | None, school: str, gib: int) -> None:
    assert swap_bytes(school, int(ram * GIB) if ram else None) == gib * GIB


@given(aims, st.integers(10, 500), st.one_of(st.none(), st.integers(1, 64)), st.sampled_from([0, 12, 70]))
def test_shares_add_up_and_home_takes_the_rest(aim: Beside, total: int, ram: int | None, root: int) -> None:
    found = Machine(ram_bytes=ram * GIB if ram else None)
    needs = replace(aim, root_bytes=root * GIB or None).needs(found)
    try:
        sizes = divide(needs, total * GIB)
    except PlanError:
        assert total * GIB < sum(max(one.floor, one.fixed) for one in needs), "what keeps every floor is never refused"
        return
    assert sum(sizes.values()) == total * GIB
    assert ("home" in sizes) == (aim.home == "apart")
    assert all(size % MIB == 0 and size > 0 for size in sizes.values())
    if total * GIB >= sum(max(one.comfort, one.fixed) for one in needs):
        assert all(sizes[one.part] >= (one.fixed or one.comfort) for one in needs)
        assert not any(sizes[one.part] > (one.fixed or one.comfort) for one in needs if not one.grows)
    elif total * GIB >= sum(max(one.floor, one.fixed) for one in needs) + len(needs) * MIB:
        assert all(sizes[one.part] >= min(one.floor, one.fixed or one.floor) - len(needs) * MIB for one in needs)


def test_the_old_start_up_area_is_hidden_and_put_back(job: Job) -> None:
    retyped = [(number, step) for number, step in enumerate(job.steps) if isinstance(step, Retype)]
    assert [step.call for _, step in retyped] == ["B1", "B1"]
    before = job.found.find("B1")[1]
    assert retyped[1][1].type_id == before.type_id
    assert retyped[0][1].type_id != before.type_id


def test_protection_is_suspended_before_and_resumed_after(found_job: Job) -> None:
    locked = replace(
        found_job,
        found=replace(found_job.found, conditions=replace(found_job.found.conditions, encrypted=True, recovery_key=True)),
    )
    for size in (140 * GIB, 15 * GIB):
        steps = with_aim(locked, Beside(size_bytes=size, swap="none")).steps
        prepared = [(number, step.what) for number, step in enumerate(steps) if isinstance(step, Prepare)]
        suspended = next(number for number, what in prepared if what == "suspend_encryption")
        resumed = next(number for number, what in prepared if what == "resume_encryption")
        writing = [
            number
            for number, step in enumerate(steps)
            if step.kind in {"shrink", "create", "install", "add-entry", "set-order"}
        ]
        assert suspended < min(writing)
        assert max(writing) < resumed


@pytest.mark.parametrize(
    ("step", "says"),
    [
        (Shrink("S1", 300 * GIB), "half asleep"),
        (Shrink("B1", 100 * MIB), "cannot be resized"),
        (Shrink("N1", 8 * MIB), "no file system"),
        (Shrink("X9", GIB), "no volume X9"),
        (Create("A", "S2", 3, 470 * GIB, GIB, "", "", "system"), "number 3 is taken"),
        (Create("A", "S2", 9, 400 * GIB, GIB, "", "", "system"), "overlap S1"),
        (Create("A", "S1", 9, 470 * GIB, GIB, "", "", "system"), "call number S1 is taken"),
        (Create("A", "S2", 9, 470 * GIB, 90 * GIB, "", "", "system"), "does not fit"),
        (Format("N1", "zfs", "", ""), "cannot be made"),
        (Format("N1", "xfs", "", ""), "needs at least"),
        (SetOrder((7,)), "not there"),
        (Delete("Q1"), "no volume Q1"),
    ],
)
def test_a_step_refuses_a_state_that_it_cannot_change(found_job: Job, step: object, says: str) -> None:
    plan = fold(found_job.found, (step,))
    assert plan.fault is not None
    assert plan.planned == found_job.found
    assert says in plan.fault[1].what
    assert plan.fault[1].remedy


def test_a_dirty_or_overfull_volume_is_not_shrunk(found_job: Job) -> None:
    awake = Prepare("S1", "fast_startup_off").apply(found_job.found)
    with pytest.raises(StepError, match="holds more"):
        Shrink("S1", 100 * GIB).apply(awake)
    dirty = awake.with_volume("S1", lambda one: replace(one, filesystem=replace(one.filesystem, dirty=True)))
    with pytest.raises(StepError, match="marked for a check"):
        Shrink("S1", 400 * GIB).apply(dirty)
    assert Shrink("S1", 400 * GIB).apply(Prepare("S1", "check_volume").apply(dirty)).find("S1")[1].size == 400 * GIB


def test_what_is_formatted_or_removed_is_lost_and_said(found_job: Job) -> None:
    job = replace(found_job, steps=(Format("R1", "ext4", "x", "11111111-2222-4333-8444-555555555555"), Delete("B1")))
    ledger = read(job).ledger
    assert set(ledger.lost) == {"R1", "B1"}
    assert ledger.erased_bytes == found_job.found.find("R1")[1].used + found_job.found.find("B1")[1].used


def test_a_shrink_past_the_data_counts_what_its_system_must_move(found_job: Job) -> None:
    job = with_aim(found_job, Beside(size_bytes=230 * GIB))
    shrink = read(job).ledger.shrinks[0]
    assert 0 < shrink.relocates_bytes == read(job).ledger.moved_bytes


@drawn(20)
@given(aims)
def test_entries_name_partitions_that_are_there(found_job: Job, aim: Beside) -> None:
    reading = read(with_aim(found_job, aim))
    for step in reading.job.steps:
        if isinstance(step, AddEntry):
            _, holder = next(pair for pair in reading.plan.planned.volumes() if pair[1].guid == step.entry.partition_guid)
            assert (holder.number, holder.start // 512, holder.size // 512) == (
                step.entry.partition_number,
                step.entry.start_lba,
                step.entry.size_lba,
            )
            assert holder.boot_file(step.entry.path) is not None


@pytest.mark.parametrize("place", [GIB, 300 * GIB])
def test_what_goes_left_or_right_is_moved_with_every_byte_in_use(place: int) -> None:
    volume = Volume(
        "", 1, 100 * GIB, 50 * GIB, gpt_type("linux_data"), filesystem=FileSystem("ext4", 50 * GIB, used_bytes=7 * GIB)
    )
    usable = {"first_usable": 34, "last_usable": 400 * GIB // 512 - 34}
    disk = Disk("A", 400 * GIB, table=Table("gpt", "2" * 8, **usable), volumes=(volume,))
    job = change(Job(found=assemble((disk,))), "move", "D1", at=f"{place // GIB}GiB")
    ledger = read(job).ledger
    assert (ledger.moved_bytes, ledger.kept_bytes, ledger.lost) == (7 * GIB, 0, ())
    row = sheet(read(job)).rows[-1]
    copying = 2 * 50 * GIB / 400e6 / 60  # the utility reads and writes the whole volume once, at 400 MB a second
    assert copying < row.words.minutes < copying + 3


def test_a_giver_keeps_the_reserve_and_a_gap_counts_by_its_aligned_part() -> None:
    usable = {"first_usable": 34, "last_usable": 400 * GIB // 512 - 34}
    system = FileSystem("ntfs", 100 * GIB, used_bytes=30 * GIB, smallest_bytes=31 * GIB)
    volume = Volume("", 1, MIB, 100 * GIB, gpt_type("basic_data"), filesystem=system, holds=SystemRoot("nt", "NT family"))
    behind = Volume("", 2, 100 * GIB + MIB, 250 * GIB, gpt_type("linux_data"))
    disk = assemble((Disk("A", 400 * GIB, table=Table("gpt", "2" * 8, **usable), volumes=(volume, behind)),)).disks[0]
    (giver,) = givers(disk)
    assert giver.most == 50 * GIB, "30 GiB in use, and 20 GiB of them free, stay"
    crooked = replace(behind, start=110 * GIB + 4096, size=240 * GIB)
    gap = fit(replace(disk, volumes=(disk.volumes[0], crooked)), 10 * GIB - MIB)
    assert (gap.start, gap.size, gap.giver) == (100 * GIB + MIB, 10 * GIB - MIB, None)
    ahead = replace(disk.volumes[0], size=100 * GIB + 4096)
    tight = replace(disk, volumes=(ahead, replace(behind, start=110 * GIB + 8192, size=280 * GIB)))
    assert fit(tight, 10 * GIB - MIB).giver is not None, "the gap holds that many bytes, and not from one MiB to another"


def test_the_number_in_a_box_for_the_size_afterwards_is_rounded_down() -> None:
    """What is left of a MiB stays with the volume's room: a size that is typed too large would not be the one that was checked."""
    system = FileSystem("ext4", 50 * GIB, used_bytes=7 * GIB, smallest_bytes=8 * GIB, cluster_bytes=4096)
    volume = Volume("", 1, 100 * GIB, 50 * GIB, gpt_type("linux_data"), filesystem=system)
    usable = {"first_usable": 34, "last_usable": 400 * GIB // 512 - 34}
    found = assemble((Disk("A", 400 * GIB, table=Table("gpt", "2" * 8, **usable), volumes=(volume,)),))
    row = sheet(read(exactly(Job(found=found), Shrink("D1", 40 * GIB + 4096)))).rows[-1]
    assert dict(row.words.values)["size after, MiB box"] == "40960"
    blind = found.with_volume("D1", lambda one: replace(one, filesystem=replace(system, cluster_bytes=0)))
    with pytest.raises(StepError, match="not known"):
        Shrink("D1", 40 * GIB).apply(blind)
