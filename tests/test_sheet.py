"""The words on the sheet, the reckoner's figures, the minutes."""

from __future__ import annotations

import pytest
from hypothesis import given

from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import findings
from inkshelf.core.machine.calls import next_call, number_volumes
from inkshelf.core.machine.state import BootEntry, Disk, FileSystem, Machine, Table, Volume
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.reckon import reckon
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.sheet import sheet, with_margin
from inkshelf.core.sheet.telling import words
from inkshelf.core.sheet.telling.people import CONFIRM
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import AddEntry, Confirm, Create, Delete, Format, Prepare, SetSecureBoot, Shrink
from inkshelf.core.value import replace
from inkshelf.exchange.render import html, markdown
from strategies import aims


@given(aims)
def test_every_step_of_every_plan_has_words_minutes_and_values(found_job: Job, aim: Beside) -> None:
    reading = read(with_aim(found_job, aim))
    for row in sheet(reading).rows:
        assert row.words.title
        assert row.words.stage in {
            "Safety",
            "Firmware",
            "Material",
            "Medium",
            "Room",
            "Partitions",
            "Install",
            "Entries",
            "Proof",
            "Tidy",
        }
        assert row.minutes > 0
        assert all(what and value for what, value in row.words.values)


@given(aims)
def test_the_sheet_never_tells_another_number_than_the_plan(found_job: Job, aim: Beside) -> None:
    reading = read(with_aim(found_job, aim))
    for row, step in zip(sheet(reading).rows, reading.job.steps, strict=True):
        values = dict(row.words.values)
        if isinstance(step, Shrink):
            before = found_job.found.find(step.call)[1].size
            assert int(values["type into the shrink box"]) * MIB == before - step.to_bytes
        if isinstance(step, Create):
            assert int(values["size, MiB box"]) * MIB == step.size
            assert values["GUID"] == step.guid
        if isinstance(step, Format):
            assert values["UUID"] == step.uuid
        if isinstance(step, AddEntry):
            assert step.entry.partition_guid in values["partition"]


@given(aims)
def test_the_point_of_no_return_is_the_first_step_that_changes_bytes(found_job: Job, aim: Beside) -> None:
    reading = read(with_aim(found_job, aim))
    if not reading.job.steps:
        assert reading.no_return is None
        return
    line = reading.no_return
    assert all(
        isinstance(step, Confirm | Prepare | Create) or step.kind in {"retype", "prove"}
        for step in reading.job.steps[: line - 1]
    )
    assert reading.job.steps[line - 1].kind in {"shrink", "format", "install"}


def scene(job: Job) -> Scene:
    return Scene(job.found, job.found, job.found)


@pytest.mark.parametrize("subject", CONFIRM)
def test_every_confirmation_has_words(subject: str, found_job: Job) -> None:
    assert words(Confirm(subject), scene(found_job)).title


@pytest.mark.parametrize("what", ["check_volume", "fast_startup_off", "suspend_encryption", "resume_encryption"])
def test_every_preparation_names_its_command(what: str, found_job: Job) -> None:
    said = words(Prepare("S1", what), scene(found_job))
    assert said.values
    assert said.look


def test_erasing_is_said_in_red_and_found_and_wanted_stand_side_by_side(found_job: Job) -> None:
    assert "given up" in words(Delete("R1"), scene(found_job)).caution
    assert "given up" in words(Format("R1", "ext4", "x", "u"), scene(found_job)).caution
    assert words(Format("N1", "ext4", "x", "u"), scene(found_job)).caution == ""
    switch = words(SetSecureBoot("off"), scene(found_job)).values
    assert dict(switch[:2]) == {"found": "on", "wanted": "off"}
    assert [what for what, _ in switch[2:]] == list(dict.fromkeys(what for what, _ in switch[2:])), "each sign once"
    assert dict(switch)["if it is not there"].startswith("CSM off")
    assert "if “on” is refused" not in dict(switch)
    assert "if “on” is refused" in dict(words(SetSecureBoot("on"), scene(found_job)).values)


def test_a_step_without_words_is_a_fault_of_ours(found_job: Job) -> None:
    with pytest.raises(TypeError):
        words(object(), scene(found_job))


def test_a_lost_entry_can_be_made_again_from_the_sheet(job: Job) -> None:
    row = next(one for one in sheet(read(job)).rows if "Boot entry" in one.words.title)
    command = dict(row.words.values)["if it is ever lost, as root"]
    assert command.startswith("efibootmgr --create --disk /dev/nvme0n1 --part 5 ")
    assert "'\\EFI\\linux\\shimx64.efi'" in command


def test_moving_data_takes_time_and_people_take_more(job: Job) -> None:
    quick, slow = (read(with_aim(job, replace(job.aim, size_bytes=size))) for size in (100 * GIB, 230 * GIB))
    long, short = (next(row.minutes for row in sheet(one).rows if "Shrink" in row.words.title) for one in (slow, quick))
    assert long > short
    assert with_margin(100) == 125


# -- the reckoner ------------------------------------------------------------------------------------------------------
def test_the_reckoner_shows_the_shrink_first(job: Job) -> None:
    now = reckon(read(job), "")
    assert now.subject == "S1"
    assert now.typed[0].text == "143360"
    assert dict(now.after)["and a gap (binary, called GB) of"] == "140.00 GB"
    assert now.exact.replace("\u202f", "") == "339570851840 B"
    assert now.sectors.replace("\u202f", "") == str(339570851840 // 512)


@pytest.mark.parametrize("call", ["B1", "N1", "S1", "R1", "B2", "S2", "W1", "D1"])
def test_every_volume_can_be_reckoned(job: Job, call: str) -> None:
    reading = read(job)
    now = reckon(reading, call)
    volume = reading.plan.planned.find(call)[1]
    assert now.exact.replace("\u202f", "") == f"{volume.size} B"
    assert "size box" in now.typed[0].box if volume.planned else now.typed[0].text
    assert len(now.typed) == 7


def test_there_is_nothing_to_reckon_without_a_disk() -> None:
    assert reckon(read(Job()), "") is None
    assert reckon(read(Job()), "S1") is None


# -- call numbers ------------------------------------------------------------------------------------------------------
def test_call_numbers_never_change_once_given(found_job: Job) -> None:
    numbered = number_volumes(found_job.found)
    assert numbered == found_job.found
    more = number_volumes(
        replace(
            found_job.found,
            disks=(
                *found_job.found.disks,
                Disk("B", 10 * GIB, volumes=(Volume("", 1, MIB, GIB, "", filesystem=FileSystem("ntfs", GIB)),)),
            ),
        )
    )
    assert [volume.call for _, volume in more.volumes()] == ["B1", "N1", "S1", "R1", "D1"]


def test_the_lowest_free_number_is_given() -> None:
    assert next_call("system", ["S1", "S3"]) == "S2"
    assert next_call("data", ["S1"]) == "D1"


@pytest.mark.parametrize(
    ("type_id", "kind", "role"),
    [
        ("C12A7328-F81F-11D2-BA4B-00A0C93EC93B", "fat32", "startup"),
        ("E3C9E316-0B5C-4DB8-817D-F92DF00215AE", "", "reserved"),
        ("DE94BBA4-06D1-4D40-A16A-BFD50179D6AC", "ntfs", "recovery"),
        ("EBD0A0A2-B9E5-4433-87C0-68B6B72699C7", "exfat", "data"),
        ("0FC63DAF-8483-4772-8E79-3D69D8477DE4", "luks", "container"),
        ("0FC63DAF-8483-4772-8E79-3D69D8477DE4", "swap", "swap"),
        ("4F68BCE3-E8CD-4DB1-96E7-FBCAF984B709", "ext4", "system"),
        ("933AC7E1-2EB4-4F13-B844-0E14E2AEF915", "ext4", "data"),
        ("0657FD6D-A4AB-43C4-84E5-0933C84B4F4F", "swap", "swap"),
        ("0xEF", "fat16", "startup"),
        ("0x27", "ntfs", "recovery"),
        ("0x07", "ntfs", "data"),
        ("11111111-1111-4111-8111-111111111111", "", "unknown"),
    ],
)
def test_the_role_follows_from_type_and_contents(type_id: str, kind: str, role: str) -> None:
    volume = Volume("", 1, MIB, GIB, type_id, filesystem=FileSystem(kind, GIB) if kind else None)
    machine = number_volumes(Machine(disks=(Disk("A", 4 * GIB, volumes=(volume,)),)))
    assert machine.disks[0].volumes[0].role == role


def test_gaps_and_identity_of_a_disk(found_job: Job) -> None:
    disk = found_job.found.disks[0]
    assert [gap.start for gap in disk.gaps()] == [found_job.found.find("R1")[1].end]
    assert disk.gaps()[0].end <= disk.usable_end
    assert disk.identity() == "512.1 GB · Wren NV-512 · serial WN08-8831-C"
    assert "not known" in Disk("B", GIB).identity()
    assert BootEntry(0x1F, "x").variable == "Boot001F"


def test_findings_are_sorted_with_stops_first(job: Job) -> None:
    changed = with_aim(
        replace(job, found=replace(job.found, conditions=replace(job.found.conditions, backup="none"))),
        replace(job.aim, size_bytes=22 * GIB),
    )
    severities = [one.severity for one in findings(read(changed))]
    assert severities == sorted(severities, key=["stop", "warn", "note"].index)
    assert severities[0] == "stop"


def test_a_sheet_says_what_a_cut_does_and_that_nothing_starts_where_no_system_is() -> None:
    """A disk of data only: no empty cells, and everything that writes to a volume stands behind the line."""
    volume = Volume("D1", 1, 8 * MIB, 300 * MIB, "", "data", filesystem=FileSystem("btrfs", 300 * MIB, used_bytes=MIB))
    disk = Disk("A", GIB, table=Table("gpt", "", "", 34, GIB // 512 - 34), volumes=(volume,))
    job = Job(found=Machine(disks=(disk,)))
    for verb, said in (("renew", {}), ("move", {"at": "400MiB"}), ("resize", {"size": "rest"})):
        job = change(job, verb, "D1", **said)
    reading = read(job)
    assert [row.no_return for row in sheet(reading).rows] == [True, False, False]
    for text in (html(reading), markdown(reading)):
        assert text.lower().count("no system is on these disks") == 2
        assert "cut in the middle: D1 is whole in neither place and needs the back-up" in text
        assert "cut in the middle: have D1 checked" in text
