"""A system in a file: the file is really made in its host, readers that are not ours read it, and what cannot be is refused."""

from __future__ import annotations

import io
import subprocess
from pathlib import Path

import pytest
from dissect.hypervisor.disk.vhd import VHD
from dissect.volume.disk import Disk as Independent
from hypothesis import given
from hypothesis import strategies as st

from disks import answered, make_volume
from inkshelf.bench.disk_files import put_disk_file
from inkshelf.bench.image import ImageFile
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import wanting
from inkshelf.core.aims import kind_of_aim
from inkshelf.core.boot.rehearse import rehearse, systems
from inkshelf.core.checks import findings
from inkshelf.core.disk import disk_files, ntfs, ntfs_files
from inkshelf.core.disk.contents import FileSystem, SystemRoot
from inkshelf.core.disk.disk_files import BLOCK, LARGEST, SECTOR
from inkshelf.core.disk.source import Memory, Slice
from inkshelf.core.errors import FormatError, StepError
from inkshelf.core.machine.files import with_disk_files
from inkshelf.core.machine.state import DiskFile, Machine, Volume
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import ApplyEdition, Format, MakeDiskFile, NameInBootData, RemoveDiskFile
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.exchange.render import markdown

IDENTITY = "00112233445566778899aabbccddeeff"
FORMS = ["fixed", "growing"]
NT = SystemRoot("nt", "NT family", True)


def a_file(form: str, size: int, table: str = "gpt", holds: SystemRoot | None = NT) -> DiskFile:
    return DiskFile("S2", "\\second.vhd", form, size, 0, IDENTITY, table, holds)


def host(tmp_path: Path, size: int = 300 * MIB) -> Path:
    return make_volume(tmp_path / "host", size, "mkfs.ntfs", "-F", "-Q", "-q", "-c", "4096")


def taken_out(path: Path, name: str = "second.vhd") -> bytes:
    """The file as another reader of NTFS brings it out."""
    return subprocess.run(["ntfscat", str(path), name], capture_output=True, check=True).stdout


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("table", ["gpt", "mbr"])
def test_others_read_the_file_its_table_and_the_system_in_it(form: str, table: str, tmp_path: Path) -> None:
    path, size = host(tmp_path), 96 * MIB
    put_disk_file(path, a_file(form, size, table), "SECOND")
    raw = taken_out(path)
    assert (len(raw) == size + SECTOR) if form == "fixed" else (len(raw) < size), "a growing one holds what was written"
    disk = VHD(io.BytesIO(raw))
    assert disk.size == size
    (volume,) = Independent(disk).partitions
    assert (volume.offset, -(-volume.size // MIB)) == (MIB, size // MIB - (2 if table == "gpt" else 1))
    inner = tmp_path / "inner"
    disk.seek(volume.offset)
    inner.write_bytes(disk.read(volume.size))
    listed = subprocess.run(["ntfsls", str(inner)], capture_output=True, text=True, check=True).stdout.split()
    assert exact("nt", "system_folder") in listed
    assert subprocess.run(["ntfsfix", "--no-action", str(path)], capture_output=True, check=False).returncode == 0


@pytest.mark.parametrize("form", FORMS)
def test_a_file_is_made_anew_and_keeps_what_lies_beside_it(form: str, tmp_path: Path) -> None:
    path = host(tmp_path)
    (tmp_path / "letter").write_bytes(bytes(range(256)) * 40000)
    subprocess.run(["ntfscp", "-q", str(path), str(tmp_path / "letter"), "letter"], check=True)
    put_disk_file(path, a_file(form, 64 * MIB, holds=None), "SECOND")
    with ImageFile(path) as source:
        empty = with_disk_files(source, (replace(volume_of(path), holds=None),))[0].disk_files
    put_disk_file(path, a_file(form, 64 * MIB), "SECOND")
    with ImageFile(path) as source:
        full = with_disk_files(source, (volume_of(path),))[0].disk_files
    assert [one.holds for one in (*empty, *full)] == [None, NT]
    assert {(one.path, one.form, one.size_bytes, one.table, one.identity) for one in (*empty, *full)} == {
        ("\\second.vhd", form, 64 * MIB, "gpt", IDENTITY)
    }
    assert taken_out(path, "letter") == (tmp_path / "letter").read_bytes()


def volume_of(path: Path) -> Volume:
    size = path.stat().st_size
    return Volume("S1", 1, 0, size, "", "system", filesystem=FileSystem("ntfs", size))


def test_a_fixed_file_shows_nothing_of_what_lay_there_before(tmp_path: Path) -> None:
    """Clusters of files that were deleted are given to it: nobody reads their old contents in it."""
    path = host(tmp_path)
    with path.open("r+b") as volume:
        for at in range(0, 300 * MIB, 4096):
            volume.seek(at)
            if not any(volume.read(4096)):
                volume.seek(at)
                volume.write(b"secret--" * 512)
    put_disk_file(path, a_file("fixed", 128 * MIB), "SECOND")
    assert b"secret--" not in taken_out(path)


@given(st.integers(1, 900), st.sampled_from(FORMS), st.data())
def test_footers_and_tables_say_what_was_put_in(mib: int, form: str, data: st.DataObject) -> None:
    size = mib * MIB
    if form == "fixed":
        raw = bytes(size % (4 * MIB) or MIB)
        source = Memory(raw + disk_files.footer(len(raw), "fixed", bytes.fromhex(IDENTITY)))
        opened = disk_files.open_disk_file(source)
        assert (opened.size, opened.form, opened.identity) == (len(raw), "fixed", IDENTITY)
        return
    count = -(-size // BLOCK)
    blocks = data.draw(st.sets(st.integers(0, count - 1), max_size=3))
    head, places = disk_files.growing_head(size, bytes.fromhex(IDENTITY), blocks)
    whole = bytearray(head)
    for number in sorted(blocks):
        whole += b"\xff" * (places[number] - len(whole)) + bytes([number % 251 + 1]) * BLOCK
    whole += disk_files.footer(size, "growing", bytes.fromhex(IDENTITY))
    assert len(whole) == disk_files.stored_bytes(size, "growing", len(blocks) * BLOCK)
    opened = disk_files.open_disk_file(Memory(bytes(whole)))
    independent = VHD(io.BytesIO(bytes(whole)))
    assert opened.size == independent.size == size
    for number in data.draw(st.lists(st.integers(0, count - 1), max_size=4)):
        at, length = number * BLOCK + 511, min(3000, size - number * BLOCK - 511)
        independent.seek(at)
        assert opened.read(at, length) == independent.read(length)
    assert {low // BLOCK for low, _ in opened.data_ranges(0, size)} == blocks


@given(st.binary(min_size=512, max_size=700), st.integers(0, 511), st.integers(0, 255))
def test_a_damaged_file_is_refused_or_read_and_never_ends_in_a_traceback(tail: bytes, at: int, value: int) -> None:
    head, _ = disk_files.growing_head(8 * MIB, bytes(16), {1})
    whole = bytearray(head + bytes(512) + bytes(BLOCK) + disk_files.footer(8 * MIB, "growing", bytes(16)))
    whole[-512 + at] = value
    for raw in (bytes(whole), bytes(whole[: len(whole) // 2]) + tail, tail, bytes(whole[:-1024])):
        try:
            opened = disk_files.open_disk_file(Memory(raw))
            if opened is not None:
                opened.read(0, 4096)
        except FormatError as error:
            assert error.what


def test_a_fixed_file_that_was_cut_short_is_refused() -> None:
    end = disk_files.footer(MIB, "fixed", bytes(16))
    assert disk_files.open_disk_file(Memory(bytes(MIB) + end)) is not None
    with pytest.raises(FormatError, match="shorter"):
        disk_files.open_disk_file(Memory(bytes(MIB - SECTOR) + end))


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("table", ["gpt", "mbr"])
def test_the_aim_inks_and_both_systems_start(one: Job, form: str, table: str, tmp_path: Path) -> None:
    job = wanting(one, ("in-file", {"size": "44GiB", "form": form, "table": table}))
    report = ink(answered(job), tmp_path / "bench")
    assert [check for check in report.checks if not check.ok] == []
    planned = read(job).plan.planned
    assert [(volume.call, volume.holds.title) for volume in systems(planned)] == [("S1", "NT family"), ("S2", "NT family")]
    assert {(out.system, out.starts) for out in read(job).after if out.mishap == "none"} == {("S1", True), ("S2", True)}
    before = one.found.disk("A").volumes
    assert [(two.start, two.size) for two in planned.disk("A").volumes] == [(two.start, two.size) for two in before]
    grew = planned.find("S1")[1].used - one.found.find("S1")[1].used
    assert (grew >= 44 * GIB) == (form == "fixed")
    with ImageFile(Path(report.images[0])) as image:
        root = planned.find("S1")[1]
        opened = ntfs.open_ntfs(Slice(image, root.start, root.size))
        stream = ntfs_files.stream(opened, ntfs_files.lookup(opened, "\\SECOND.vhd"))
        assert stream.initialised == stream.size
        assert (stream.size == 44 * GIB + SECTOR) if form == "fixed" else (stream.size < GIB)


def test_the_full_size_must_stay_free_beside_page_file_and_reserve(one: Job) -> None:
    volume = one.found.find("S1")[1]
    free = volume.filesystem.size_bytes - volume.used
    assert "do not fit" in wanting(one, ("in-file", {"size": f"{free // GIB}GiB"})).plan_fault
    for form in FORMS:
        most = max(
            size
            for size in range(40, free // GIB)
            if not wanting(one, ("in-file", {"size": f"{size}GiB", "form": form})).plan_fault
        )
        left = free - most * GIB
        assert left >= 16 * GIB + 20 * GIB, "16 GiB of memory may go to the page file, 20 GiB stay the owner's"
        assert left - GIB < 16 * GIB + max(20 * GIB, 0.2 * volume.used), "and not much more is kept"


def test_without_its_name_in_the_boot_data_it_does_not_start(one: Job) -> None:
    planned = read(wanting(one, ("in-file", {}))).plan.planned
    host_volume = planned.find("B1")[1]
    plain = tuple(
        replace(file, targets=tuple(two for two in file.targets if not two.startswith("\\"))) for file in host_volume.boot_files
    )
    forgotten = planned.with_volume("B1", lambda two: replace(two, boot_files=plain))
    assert {(out.system, out.starts) for out in rehearse(forgotten) if out.mishap == "none"} == {("S1", True), ("S2", False)}
    gone = planned.with_volume("S1", lambda two: replace(two, disk_files=()))
    assert [volume.call for volume in systems(gone)] == ["S1"]


def made(**fields: object) -> MakeDiskFile:
    usual = {
        "call": "S1",
        "made": "S2",
        "path": "\\second.vhd",
        "form": "fixed",
        "size": 40 * GIB,
        "table": "gpt",
        "identity": "00112233-4455-6677-8899-AABBCCDDEEFF",
        "label": "SECOND",
    }
    return MakeDiskFile(**{**usual, **fields})


def awake(one: Job) -> Machine:
    return one.found.with_volume("S1", lambda two: replace(two, filesystem=replace(two.filesystem, hibernated=False)))


def test_what_cannot_be_is_refused(one: Job) -> None:
    with pytest.raises(StepError, match="half asleep"):
        made().apply(one.found)
    with pytest.raises(StepError, match="no open NTFS"):
        made(call="B1").apply(awake(one))
    with pytest.raises(StepError, match="must be free"):
        made(size=900 * GIB, form="growing").apply(awake(one))
    with pytest.raises(StepError, match="cannot hold"):
        made(size=LARGEST + MIB).apply(awake(one))
    there = made().apply(awake(one))
    with pytest.raises(StepError, match="there already"):
        made(made="S3").apply(there)
    with pytest.raises(StepError, match="no file"):
        ApplyEdition("S3", "S1", 1, "", GIB).apply(there)
    with pytest.raises(StepError, match="No system"):
        NameInBootData("S2", "B1", (), "two").apply(there)
    formatted = Format("S1", "ntfs", "", "0123456789ABCDEF").apply(there)
    assert formatted.find("S1")[1].disk_files == (), "a volume that is formatted holds no file any more"


def test_two_in_one_job_have_names_and_numbers_of_their_own(one: Job, tmp_path: Path) -> None:
    job = wanting(one, ("in-file", {"size": "40GiB"}), ("in-file", {"size": "40GiB", "form": "growing"}))
    assert [(two.call, two.path) for two in read(job).plan.planned.find("S1")[1].disk_files] == [
        ("S2", "\\second.vhd"),
        ("S3", "\\third.vhd"),
    ]
    report = ink(answered(job), tmp_path / "bench")
    assert [check for check in report.checks if not check.ok] == []


def test_the_sheet_has_the_number_for_the_box_and_every_line(one: Job) -> None:
    text = markdown(read(wanting(one, ("in-file", {"size": "60GiB"}))))
    assert 'create vdisk file="C:\\second.vhd" maximum=61440 type=fixed' in text
    for line in ("select vdisk", "attach vdisk", "convert gpt", "create partition primary", "assign letter=V", "bcdboot V:"):
        assert line in text
    assert "/Index:N " in text, "no number is made up before the image was read"


def test_all_of_it_can_be_taken_back_each_file_from_a_copy_of_its_own(one: Job) -> None:
    """The boot data was rewritten with a way back that left the image's start files and default there."""
    reading = read(wanting(one, ("in-file", {"size": "40GiB"}), ("in-file", {"size": "40GiB", "form": "growing"})))
    assert reading.no_return is None
    text = markdown(reading)
    for call in ("S2", "S3"):
        kept, back = (text.index(f"bcdedit /{verb} C:\\boot-data-before-{call}") for verb in ("export", "import"))
        assert kept < text.index("`bcdboot V:", kept) < text.index("`bcdboot C:", kept) < back


@pytest.mark.parametrize("form", FORMS)
def test_a_system_in_a_file_is_taken_away_again_and_the_first_one_starts(one: Job, form: str, tmp_path: Path) -> None:
    """From a disk on which it was found: its name in the boot data first, then the file, and nothing else."""
    made = ink(answered(wanting(one, ("in-file", {"size": "44GiB", "form": form}))), tmp_path / "made")
    assert made.verified
    found = take_in([tmp_path / "made" / "disk-A.img"], mode="uefi", secure_boot="on", seed="again")
    (file,) = found.found.find("S1")[1].disk_files
    aim = kind_of_aim("remove").usual_on(found.found, {"system": file.call})
    assert "goes; its room stays with S1" in aim.sentence(found.found)
    job = with_aim(found, aim)
    kinds = [step.kind for step in job.steps]
    assert kinds.index("forget-boot-data") < kinds.index("remove-disk-file")
    reading = read(job)
    assert reading.plan.fault is None
    assert reading.ledger.lost == (file.call,)
    assert reading.ledger.erased_bytes == file.stored_bytes
    assert reading.no_return == kinds.index("remove-disk-file") + 1
    assert any(one.key == f"people.lost.{file.call}" and one.severity == "stop" for one in findings(reading))
    printed = markdown(reading)
    assert 'del "C:\\second.vhd"' in printed
    assert 'bcdedit /delete "{ID}"' in printed
    report = ink(answered(job), tmp_path / "bench")
    assert report.verified, [one for one in report.checks if not one.ok]
    planned = reading.plan.planned
    assert [one.system for one in rehearse(planned) if one.mishap == "none" and one.starts] == ["S1"]
    with ImageFile(tmp_path / "bench" / "disk-A.img") as source:
        volume = planned.find("S1")[1]
        opened = ntfs.open_ntfs(Slice(source, volume.start, volume.size))
        assert opened is not None
        assert file.path.strip("\\") not in ntfs.root_names(opened)


def test_a_file_that_boot_data_names_still_is_not_deleted(one: Job) -> None:
    planned = read(wanting(one, ("in-file", {"size": "44GiB"}))).plan.planned
    (file,) = planned.find("S1")[1].disk_files
    with pytest.raises(StepError, match="names"):
        RemoveDiskFile(file.call, "S1", file.path).apply(planned)
    with pytest.raises(StepError, match="S1"):
        RemoveDiskFile(file.call, "R1", file.path).apply(planned)
