"""Other machines than the demo's, from intake to proof: 4096-byte sectors, a Linux-family owner, crooked volumes, several disks."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from disks import make_gpt_disk, put_file_on_ntfs, put_linux, put_nt_loader
from inkshelf.bench.image import ImageFile, inspect
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.sparse import write_all
from inkshelf.cli import run
from inkshelf.core.aims.beside import Beside
from inkshelf.core.boot.rehearse import systems
from inkshelf.core.checks import findings
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.state import Conditions
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.data import exact

ROOT = "11111111-2222-4333-8444-555555555555"
KNOWN = Conditions(True, "read back", True, False, None)


def nt_disk(path: Path, sector: int = 512, crooked: int = 0) -> None:
    """An NT-family machine of 160 GiB; ``crooked`` bytes are missing at the system volume's end."""
    fat = ("mkfs.fat", "-F", "32", "-s", "1", "-S", str(sector))
    ntfs = (
        "mkfs.ntfs",
        "-F",
        "-Q",
        "-q",
        "-L",
        "SYSTEM",
        "-s",
        str(sector),
        "-c",
        "4096",
        "-p",
        "2048",
        "-H",
        "255",
        "-S",
        "63",
    )
    places = make_gpt_disk(
        path,
        160 * GIB,
        sector,
        [("efi_system", 300 * MIB, fat), ("nt_reserved", 16 * MIB, ()), ("basic_data", 150 * GIB - crooked, ntfs)],
    )
    put_nt_loader(path, places[0][0], 3)
    put_file_on_ntfs(path, places[2], exact("nt", "system_folder"), b"stands for the system's folder", path.parent)
    put_file_on_ntfs(path, places[2], "letter.txt", b"Dear Ms Osprey, " * 2000, path.parent)


def linux_disk(path: Path) -> None:
    """A Linux-family machine of 120 GiB with one root volume."""
    fat = ("mkfs.fat", "-F", "32", "-s", "1", "-n", "BOOT")
    ext = ("mkfs.ext4", "-F", "-q", "-U", ROOT, "-L", "quill", "-E", "lazy_itable_init=1,lazy_journal_init=1")
    places = make_gpt_disk(path, 120 * GIB, 512, [("efi_system", 512 * MIB, fat), ("linux_root_x64", 110 * GIB, ext)])
    put_linux(path, places[0][0], places[1], ROOT, path.parent)


def job_of(*paths: Path) -> Job:
    return take_in(list(paths), mode="uefi", secure_boot="on", ram_bytes=8 * GIB, conditions=KNOWN, seed="machines")


@pytest.fixture(scope="module")
def machines(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("machines")
    nt_disk(folder / "plain.img")
    nt_disk(folder / "wide.img", 4096)
    nt_disk(folder / "crooked.img", crooked=700 * 1024)
    linux_disk(folder / "linux.img")
    return folder


@pytest.mark.parametrize("esp", ["own", "shared"])
def test_a_disk_of_4096_byte_sectors_from_intake_to_proof(machines: Path, tmp_path: Path, esp: str) -> None:
    job = with_aim(job_of(machines / "wide.img"), Beside(size_bytes=60 * GIB, esp=esp, home="apart"))
    disk = job.found.disks[0]
    assert disk.sector == 4096
    assert [volume.call for volume in disk.volumes] == ["B1", "N1", "S1"]
    assert disk.volumes[0].filesystem.sector_bytes == 4096
    assert [one.key for one in findings(read(job)) if one.severity == "stop"] == []
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    again = inspect(Path(report.images[0]))
    assert again.sector == 4096
    assert {
        volume.filesystem.sector_bytes for volume in again.volumes if volume.filesystem and volume.filesystem.kind == "fat32"
    } == {4096}


def test_the_sector_size_is_found_without_being_told(machines: Path) -> None:
    assert inspect(machines / "wide.img").sector == 4096
    assert inspect(machines / "plain.img").sector == 512


def test_a_crooked_volume_leaves_a_sliver_that_is_shown(machines: Path, tmp_path: Path) -> None:
    job = with_aim(job_of(machines / "crooked.img"), Beside(size_bytes=50 * GIB))
    reading = read(job)
    system, root = (reading.plan.planned.find(call)[1] for call in ("S1", "S2"))
    assert 0 < root.start - system.end < MIB
    assert root.start % MIB == 0
    free = [one for one in reading.ledger.stretches if one.fate in {"free", "released"} and one.start == system.end]
    assert free
    assert free[0].size == root.start - system.end
    narrowed = reading.ledger.shrinks[0]
    assert narrowed.from_bytes - narrowed.type_mib * MIB == narrowed.to_bytes
    assert ink(job, tmp_path / "bench").verified


def test_a_second_linux_beside_the_first(machines: Path, tmp_path: Path) -> None:
    job = with_aim(job_of(machines / "linux.img"), Beside(size_bytes=50 * GIB, esp="own"))
    assert [(volume.call, volume.holds.title) for volume in systems(job.found)] == [("S1", "Quill Linux")]
    assert {one.system: one.starts for one in read(job).before if one.mishap == "none"} == {"S1": True}
    keys = {one.key for one in findings(read(job))}
    assert "start.roots.A" in keys, "two roots of one discoverable type"
    assert "people.encrypted" not in keys, "that is asked of NT-family machines"
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    assert report.machine.find("S1")[1].filesystem.uuid == ROOT


def test_an_ext4_volume_shrinks_grows_and_keeps_its_system(machines: Path, tmp_path: Path) -> None:
    job = job_of(machines / "linux.img")
    for verb, call, words in (
        ("resize", "S1", {"size": "60GiB"}),
        ("move", "S1", {"at": "20GiB"}),
        ("resize", "S1", {"size": "80GiB"}),
        ("label", "S1", {"label": "quill-two"}),
    ):
        job = change(job, verb, call, **words)
    reading = read(job)
    assert reading.ledger.moved_bytes == job.found.find("S1")[1].used
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    assert report.machine.find("S1")[1].holds.title == "Quill Linux"


def test_several_disks_are_lettered_inked_and_told_apart(machines: Path, tmp_path: Path) -> None:
    job = with_aim(job_of(machines / "plain.img", machines / "linux.img"), Beside(size_bytes=40 * GIB, esp="own", disk="A"))
    assert [disk.id for disk in job.found.disks] == ["A", "B"]
    assert [volume.call for _, volume in job.found.volumes()] == ["B1", "N1", "S1", "B2", "S2"]
    outcomes = {(one.system, one.mishap): one for one in read(job).after}
    assert not outcomes["S3", "disk-a-out"].starts
    assert outcomes["S2", "disk-a-out"].starts
    report = ink(job, tmp_path / "bench")
    assert report.verified
    assert [Path(one).name for one in report.images] == ["disk-A.img", "disk-B.img"]


def test_a_plan_on_the_second_disk_leaves_the_first_alone(machines: Path, tmp_path: Path) -> None:
    job = with_aim(job_of(machines / "plain.img", machines / "linux.img"), Beside(size_bytes=40 * GIB, esp="own", disk="B"))
    assert {step.disk for step in job.steps if step.kind == "create"} == {"B"}
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    details = {one.what: one.detail for one in report.checks}
    assert details["B1: contents"] == "byte for byte the same"


def test_a_disk_without_a_start_up_area_can_only_get_its_own(tmp_path: Path) -> None:
    make_gpt_disk(tmp_path / "data.img", 100 * GIB, 512, [("basic_data", 40 * GIB, ("mkfs.exfat",))])
    shared = with_aim(job_of(tmp_path / "data.img"), Beside(size_bytes=40 * GIB))
    assert "no EFI system partition to share" in shared.plan_fault
    own = with_aim(job_of(tmp_path / "data.img"), Beside(size_bytes=40 * GIB, esp="own"))
    assert own.plan_fault == ""
    assert {one.system: one.starts for one in read(own).after if one.mishap == "none"} == {"S1": True}
    assert ink(own, tmp_path / "bench").verified


def test_an_empty_disk_and_a_whole_disk_file_system_are_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    empty, whole = tmp_path / "empty.img", tmp_path / "whole.img"
    for path in (empty, whole):
        with path.open("wb") as out:
            out.truncate(64 * MIB)
    from inkshelf.bench import tools

    tools.run("mkfs.ext4", "-F", "-q", "-L", "whole", whole)
    assert run(["inspect", str(empty), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["disk"]["table"] == "none"
    assert run(["inspect", str(whole), "--json"]) == 0
    disk = json.loads(capsys.readouterr().out)["disk"]
    assert [(one["filesystem"], one["label"], one["number"]) for one in disk["volumes"]] == [("ext4", "whole", 0)]
    fault = with_aim(job_of(empty), Beside(size_bytes=30 * MIB)).plan_fault
    assert "no partition table" in fault


def test_overlapping_entries_are_a_stop_and_still_shown(
    machines: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    from inkshelf.bench.sparse import copy_data
    from inkshelf.core.disk.gpt import encode, read_gpt
    from inkshelf.core.value import replace

    path = tmp_path / "overlap.img"
    with (machines / "plain.img").open("rb") as source, path.open("wb") as out:
        out.truncate(160 * GIB)
        copy_data(source.fileno(), out.fileno(), 0, 160 * GIB, 0)
        with ImageFile(machines / "plain.img") as image:
            table = read_gpt(image, 512)
        assert table is not None
        wrong = replace(
            table,
            disk_sectors=160 * GIB // 512,
            entries=(*table.entries[:2], replace(table.entries[2], first=table.entries[0].last - 100)),
        )
        for offset, data in encode(wrong):
            write_all(out.fileno(), data, offset)
    assert run(["inspect", str(path), "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert any(one["severity"] == "stop" and "overlap" in one["title"] for one in document["findings"])


def test_a_backup_that_is_gone_or_elsewhere_is_repaired_on_the_bench(machines: Path, tmp_path: Path) -> None:
    from inkshelf.bench.sparse import copy_data

    for name, size, wipe in (("gone.img", 160 * GIB, True), ("grown.img", 161 * GIB, False)):
        path = tmp_path / name
        with (machines / "plain.img").open("rb") as source, path.open("wb") as out:
            out.truncate(size)
            copy_data(source.fileno(), out.fileno(), 0, 160 * GIB, 0)
            if wipe:
                write_all(out.fileno(), bytes(512), 160 * GIB - 512)
        job = with_aim(job_of(path), Beside(size_bytes=40 * GIB))
        keys = {one.key for one in findings(read(job))}
        assert keys & {"disk.table.A", "disk.backup.A"}
        report = ink(job, tmp_path / f"bench-{name}")
        assert [one for one in report.checks if not one.ok] == []
        seen = inspect(Path(report.images[0]))
        assert (seen.table.primary_ok, seen.table.backup_ok, seen.table.backup_lba) == (True, True, size // 512 - 1)


def test_a_machine_with_too_little_room_says_the_most_there_is(machines: Path) -> None:
    job = with_aim(job_of(machines / "linux.img"), Beside(size_bytes=109 * GIB))
    assert {"room.reserve.S1"} <= {one.key for one in findings(read(job)) if one.severity == "warn"}
    assert "keeps the reserve" in with_aim(job_of(machines / "linux.img"), Beside(size_bytes=119 * GIB)).plan_fault
    with pytest.raises(InkshelfError):
        ink(with_aim(job_of(machines / "linux.img"), Beside(size_bytes=300 * GIB)), Path("never"))
