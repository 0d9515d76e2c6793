"""Every aim inked on the bench: what is read back is what was predicted, and what was kept is there, also after cuts."""

from __future__ import annotations

from pathlib import Path

import pytest

import machines
from aim_jobs import AimJobs
from disks import answered
from inkshelf.bench.image import inspect
from inkshelf.bench.inker import Report, ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import wanting
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.meant import meant
from inkshelf.core.sheet.reckon import reckon
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace
from inkshelf.data import exact

JOBS = 24


def inked(job: Job, folder: Path) -> Report:
    assert not job.plan_fault
    assert document.load(document.dump(job)) == job, "what is saved can be opened again"
    report = ink(answered(job), folder / "bench")
    assert [one for one in report.checks if not one.ok] == []
    return report


def starts(job: Job) -> dict[str, bool]:
    return {one.system: one.starts for one in read(job).after if one.mishap == "none"}


def test_trying_leaves_the_machine_as_it_was_found(one: Job) -> None:
    job = wanting(one, ("try", {}))
    reading = read(job)
    assert reading.plan.planned.disks == one.found.disks
    assert reading.plan.planned.firmware == one.found.firmware
    assert reading.no_return is None
    assert {step.writes for step in job.steps} == {"none"}
    assert any("8 GiB of storage in memory" in aim.sentence(one.found) for aim in job.aims), "half of 16 GiB"


def test_a_system_without_a_stick_gives_its_staging_volume_back(one: Job, tmp_path: Path) -> None:
    job = wanting(one, ("no-stick", {"image": "3GiB", "size": "70GiB", "home": "apart"}))
    kinds = [(step.kind, getattr(step, "call", "")) for step in job.steps]
    staged, gap = [number for number, (kind, call) in enumerate(kinds) if (kind, call) == ("shrink", "S1")]
    assert staged < kinds.index(("stage", "M1")) < gap, "staging first, the gap second"
    during = read(job).plan.machines[kinds.index(("install", "S2")) + 1]
    home, staging = during.find("D1")[1], during.find("M1")[1]
    assert home.end <= staging.start, "staging lies right of the gap"
    planned = read(job).plan.planned
    assert planned.find("M1") is None
    assert planned.find("D1")[1].size == home.size + staging.size
    assert not [entry for entry in planned.firmware.entries if "Installer" in entry.title], "its entry is gone too"
    inked(job, tmp_path)
    assert starts(job) == {"S1": True, "S2": True}


def test_two_aims_on_two_disks_share_data_and_give_the_rest_back(two: Job, tmp_path: Path) -> None:
    job = wanting(two, ("own-disk", {"share": "ntfs"}), ("give-back", {"to": "S1"}))
    assert [step.call for step in job.steps if step.kind == "retype"] == ["B1", "B1"], "start-up volumes alone are hidden"
    report = inked(job, tmp_path)
    planned = read(job).plan.planned
    shared = planned.find("D1")[1]
    assert (f"UUID={shared.filesystem.uuid}", "/srv/shared") in planned.find("S2")[1].holds.mounts
    assert planned.find("S1")[1].size > two.found.find("S1")[1].size
    image = inspect(Path(report.images[1]), "B")
    assert [one.filesystem.kind for one in image.volumes] == ["fat32", "ext4", "swap", "ntfs"]
    assert starts(job) == {"S1": True, "S2": True}


def test_a_travelling_system_leaves_nothing_on_the_internal_disk(two: Job, tmp_path: Path) -> None:
    job = wanting(two, ("travelling", {"share": "exfat"}))
    inked(job, tmp_path)
    planned = read(job).plan.planned
    for volume, now in zip(two.found.disk("A").volumes, planned.disk("A").volumes, strict=True):
        woken = replace(now, filesystem=replace(now.filesystem, hibernated=True)) if volume.call == "S1" else now
        assert woken == volume, "its system was shut down fully; nothing else has changed"
    assert planned.firmware == two.found.firmware, "no entry stays in this machine's firmware"
    alone = Machine(planned.firmware, (planned.disk("B"),), planned.ram_bytes)
    out = next(one for one in read(job).after if (one.system, one.mishap) == ("S1", "disk-b-out"))
    assert out.starts, "with the external disk out the machine starts as before"
    there = next(one for one in read(job).after if (one.system, one.mishap) == ("S2", "disk-a-out"))
    assert there.starts, "it starts where nothing but its own disk is there"
    assert all(what.startswith("UUID=") for what, _ in alone.find("S2")[1].holds.mounts)


def test_what_is_removed_strands_nobody_and_the_room_comes_back(one: Job, tmp_path: Path) -> None:
    job = wanting(one, ("beside", {"home": "apart"}), ("remove", {"system": "S2", "files": "remove"}))
    reading = read(job)
    assert all({one.system: one.starts for one in row}["S1"] for row in reading.stops), "S1 starts whenever it stops"
    assert [volume.call for _, volume in reading.plan.planned.volumes()] == ["B1", "N1", "S1", "R1"]
    files = {file.path for file in reading.plan.planned.find("B1")[1].boot_files}
    assert files == {file.path for file in one.found.find("B1")[1].boot_files}
    assert len(reading.plan.planned.firmware.entries) == len(one.found.firmware.entries)
    inked(job, tmp_path)


def test_several_systems_start_the_legacy_way_from_whatever_slots_there_are(tmp_path: Path) -> None:
    images = [machines.nt_on_mbr(tmp_path), machines.blank(tmp_path / "second.img", 120 * 10**9)]
    found = take_in(images, mode="legacy", ram_bytes=4 * GIB, seed="several")
    answers = {"systems": "linux-light,linux-rolling,linux-desktop", "home": "apart", "share": "exfat"}
    job = wanting(found, ("several", answers))
    report = inked(job, tmp_path)
    disks = [inspect(Path(path), letter) for path, letter in zip(report.images, "AB", strict=True)]
    assert all(sum(not one.logical for one in disk.volumes) + bool(disk.table.extended) <= 4 for disk in disks)
    assert any(one.logical for disk in disks for one in disk.volumes)
    assert [one.active for one in disks[0].volumes[:3]] == [True, False, False]
    assert all(starts(job).values())
    assert len(starts(job)) == 4


def test_a_table_is_changed_in_place_and_the_machine_starts_from_it(tmp_path: Path) -> None:
    image = machines.nt_on_mbr(tmp_path)
    found = take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="table")
    job = wanting(found, ("table", {}), ("beside", {"size": "30GiB"}))
    reading = read(job)
    assert reading.plan.planned.find("S1")[1].start == found.found.find("S1")[1].start
    assert reading.plan.planned.firmware.mode == "uefi"
    kinds = [step.kind for step in job.steps]
    between = kinds[kinds.index("convert-table") : kinds.index("firmware-mode")]
    assert "prove" not in between, "nothing is to be started before the firmware is switched too"
    inked(job, tmp_path / "table")
    assert starts(job) == {"S1": True, "S2": True}


@pytest.mark.parametrize(
    ("systems", "said"),
    [
        ("linux-desktop,nt-desktop,linux-light,linux-rolling", {"share": "exfat", "home": "apart"}),
        ("nt-desktop,nt-old", {}),
        (",".join(["linux-light"] * 8), {"swap": "none"}),
    ],
)
def test_up_to_eight_systems_start_from_one_disk(one: Job, tmp_path: Path, systems: str, said: dict[str, str]) -> None:
    job = wanting(one, ("clean", {"systems": systems, **said}))
    inked(job, tmp_path)
    assert list(starts(job).values()) == [True] * len(systems.split(","))


def test_three_systems_on_two_disks_go_where_they_fit_best(two: Job, tmp_path: Path) -> None:
    """One disk holds a system and gives room from its end, the other is new: the worst-off volume is as comfortable as can be."""
    job = wanting(
        two,
        ("clean", {"disk": "B", "systems": "linux-light", "size": "60GiB"}),
        ("several", {"systems": "linux-desktop,linux-heavy,nt-desktop"}),
    )
    inked(job, tmp_path)
    planned = read(job).plan.planned
    homes = {volume.holds.title: disk.id for disk, volume in planned.volumes() if volume.holds and volume.planned}
    assert set(homes.values()) == {"A", "B"}
    assert all(starts(job).values())
    comfort = {need.part: need.comfort for need in job.aims[1].needs(two.found)}
    sizes = sorted(volume.size for _, volume in planned.volumes() if volume.planned and volume.role == "system")
    assert sizes[-1] >= max(comfort.values()), "there is room for everybody's comfort on these disks"


def test_a_bare_disk_gets_a_table_only_where_a_system_goes_there(two: Job, tmp_path: Path) -> None:
    job = wanting(two, ("several", {"systems": "linux-desktop,linux-heavy,linux-rolling", "home": "apart"}))
    made = [step.disk for step in job.steps if step.kind == "new-table"]
    assert made == ["B"]
    assert read(job).ledger.lost == ()
    inked(job, tmp_path)
    assert list(starts(job).values()) == [True] * 4
    little = wanting(two, ("several", {"systems": "linux-light"}))
    planned = read(little).plan.planned
    on = next(disk.id for disk, volume in planned.volumes() if volume.planned)
    assert (planned.disk("B").table.kind == "none") == (on == "A"), "a disk that nothing goes to stays as it is"


def test_more_volumes_than_an_mbr_has_slots_become_logical_ones_with_their_records(tmp_path: Path) -> None:
    bare = take_in([machines.blank(tmp_path / "bare.img", 200 * 10**9)], mode="legacy", ram_bytes=4 * GIB, seed="legacy")
    job = wanting(bare, ("clean", {"systems": "linux-legacy,linux-light", "table": "mbr", "home": "apart"}))
    disk = read(job).plan.planned.disk("A")
    assert [one.number for one in disk.volumes] == [5, 6, 7, 8, 9, 10]
    at = disk.table.extended.start
    for one in disk.volumes:
        assert one.logical
        assert one.start >= at + MIB, "the record has a MiB of its own"
        at = one.end
    inked(job, tmp_path)
    assert starts(job) == {"S1": True, "S2": True}


def test_a_crowded_mbr_disk_gives_a_removed_systems_room_back(tmp_path: Path) -> None:
    image = machines.crowded_mbr(tmp_path)
    found = take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="crowded")
    blocked = wanting(found, ("remove", {"system": "S2"}))
    assert blocked.aims[0].room == "keep", "a recovery volume of the NT family stands between, and may not move on an MBR"
    assert [step.kind for step in blocked.steps].index("start-code") < [step.kind for step in blocked.steps].index("delete")
    inked(blocked, tmp_path / "kept")
    asked = wanting(found, ("remove", {"system": "S2", "room": "grow"}))
    assert "R1 stands between S1 and the room" in asked.plan_fault
    other = wanting(found, ("remove", {"system": "S1", "room": "grow"}))
    assert read(other).ledger.moved_bytes > 0, "S2 moves to the front"
    inked(other, tmp_path / "moved")
    assert starts(other) == {"S2": True}


@pytest.fixture(scope="module")
def aim_jobs(tmp_path_factory: pytest.TempPathFactory) -> AimJobs:
    return AimJobs(tmp_path_factory.mktemp("aimjobs"))


@pytest.mark.parametrize("batch", range(4))
def test_generated_jobs_of_every_aim_survive_cuts(aim_jobs: AimJobs, batch: int) -> None:
    for seed in range(batch * JOBS // 4, (batch + 1) * JOBS // 4):
        done, _ = aim_jobs.run(seed)
        if done is not None:
            assert [one for one in done.report.checks if not one.ok] == [], f"seed {seed}: {done.aims}"


def test_a_volume_that_shrinks_twice_says_what_is_typed_each_time(one: Job) -> None:
    job = wanting(one, ("no-stick", {"image": "3GiB", "size": "70GiB"}))
    reading = read(job)
    first, second = reading.ledger.shrinks
    shown = reckon(reading, "S1")
    assert [(box.box, box.text) for box in shown.typed[:2]] == [
        (f"shrink box (MB), step {first.step}", str(first.type_mib)),
        (f"shrink box (MB), step {second.step}", str(second.type_mib)),
    ]
    size = reading.plan.planned.find("S1")[1].size
    assert shown.exact.replace(" ", "").replace("\N{NARROW NO-BREAK SPACE}", "") == f"{size}B"
    assert first.to_bytes == second.from_bytes
    for one_shrink in (first, second):
        _, said = meant(reading, "S1", str(one_shrink.type_mib), "mib")
        assert said[:2] == (f"at step {one_shrink.step}", "as planned")
    assert f"{second.type_mib / 1024:.2f} GB" in str(shown.after)


def test_without_a_stick_the_owners_system_does_what_a_live_system_would(one: Job) -> None:
    job = wanting(one, ("no-stick", {}))
    rows = {step.id: row.words for step, row in zip(job.steps, sheet(read(job)).rows, strict=True)}
    place = read(job).plan.planned
    before = [step.id for step in job.steps][: [step.kind for step in job.steps].index("stage") + 1]
    assert not [key for key in before if rows[key].commands and "shrink" not in key], "no live system is there yet"
    made = next(step for step in job.steps if step.kind == "create" and step.call == "M1")
    line = dict(rows[made.id].values)["then"]
    assert f"-Offset {made.start} -Size {made.size // MIB}MB" in line
    assert place.find("M1") is None
    staged = next(words for key, words in rows.items() if ".stage." in key)
    assert any("Get-FileHash" in value for _, value in staged.values)
    entry = next(words for key, words in rows.items() if "add-entry" in key and "Installer" in words.title)
    assert entry.title.startswith("Make the boot entry")
    lines = [value for _, value in entry.values]
    assert 'bcdedit /copy "{bootmgr}" /d "Installer of Linux desktop"' in lines, "braces are quoted: shells differ"
    assert f'bcdedit /set "{{ID}}" path {exact("paths", "fallback_x64")}' in lines


def test_what_is_typed_on_a_live_system_has_a_stick_to_start_one_from(one: Job, two: Job) -> None:
    """Nothing is printed for a live system that nobody has prepared; and no clock of a family that is gone is set."""
    for job in (
        wanting(one, ("give-back", {})),
        wanting(one, ("beside", {"size": "60GiB"}), ("remove", {"system": "S2"})),
        wanting(two, ("own-disk", {})),
        wanting(two, ("travelling", {})),
    ):
        ready = False
        for step, row in zip(job.steps, sheet(read(job)).rows, strict=True):
            ready = ready or getattr(step, "subject", "") in {"medium", "live_stick", "from_staging"}
            assert ready or not row.words.commands or row.words.stage == "Room", row.words.title
    gone = wanting(one, ("beside", {"size": "60GiB"}), ("remove", {"system": "S1"}))
    last = [getattr(step, "subject", "") for step in gone.steps if step.id.startswith("a2")]
    assert "clock_back" in last
    assert "clock" not in last
