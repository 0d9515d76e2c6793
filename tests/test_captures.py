"""Captured text of every kind, from old and new versions, told apart by what it says."""

from __future__ import annotations

import json
import re
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench import demo, tools
from inkshelf.bench.intake import take_in
from inkshelf.cli import run
from inkshelf.core.aims.beside import Beside
from inkshelf.core.boot.uefi import routes
from inkshelf.core.errors import CaptureError, InkshelfError
from inkshelf.core.machine.joining import join_variables as with_boot_variables
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, with_aim, with_found
from inkshelf.core.plan.reading import read
from inkshelf.core.steps.kinds import AddEntry, SetOrder
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.exchange.anytext import gather, kind_of
from inkshelf.exchange.bootvars import read_efibootmgr
from inkshelf.exchange.captures import read_sfdisk
from inkshelf.exchange.plaintext import read_blkid, read_dump
from inkshelf.store import jobfile

B1 = demo.GUIDS["B1"].lower()
LOADER = exact("paths", "nt_loader")
OLD = f"""BootCurrent: 0002
Timeout: 1 seconds
BootOrder: 0002,0000,0007
Boot0000* NT loader\tHD(1,GPT,{B1},0x800,0x96000)/File({LOADER})WINDOWS.........x...B.C.D.
Boot0002* Marrow\tHD(5,GPT,11111111-2222-4333-8444-555555555555,0x2793c000,0x96000)/File(\\EFI\\marrow\\shimx64.efi)
Boot0007  Stick\tHD(1,MBR,0x1a2b3c4d,0x800,0x1dcf000)
Boot0009* Network\tPciRoot(0x0)/Pci(0x1c,0x0)/MAC(001122334455,0)/IPv4(0.0.0.00.0.0.0,0,0)
"""
NEW = f"""BootCurrent: 0000
BootOrder: 0000
BootNext: 0002
Boot0000* NT loader\tHD(1,GPT,{B1},0x800,0x96000)/{LOADER}
      dp: 04 01 2a 00 / 7f ff 04 00
    data: 57 49 4e 44
Boot0002* Marrow Linux  HD(5,GPT,11111111-2222-4333-8444-555555555555,0x2793c000,0x96000)/\\EFI\\marrow\\shimx64.efi
Boot0003* UEFI: built-in shell FvVol(7cb8bdc9)/FvFile(7c04a583)
"""


def test_boot_variables_of_an_old_version() -> None:
    seen = read_efibootmgr(OLD)
    assert (seen.order, seen.next, seen.entries_known) == ((2, 0, 7), None, True)
    entries = {one.number: one for one in seen.entries}
    assert entries.keys() == {0, 2, 7, 9}
    assert (
        entries[0].title,
        entries[0].partition_number,
        entries[0].partition_guid,
        entries[0].start_lba,
        entries[0].size_lba,
    ) == ("NT loader", 1, B1.upper(), 0x800, 0x96000)
    assert entries[0].path == LOADER
    assert (entries[7].active, entries[7].path, entries[7].partition_guid) == (False, "", "")
    assert entries[9].path == ""


def test_boot_variables_of_a_new_version() -> None:
    seen = read_efibootmgr(NEW)
    assert (seen.order, seen.next) == ((0,), 2)
    assert [(one.number, one.title, one.path) for one in seen.entries] == [
        (0, "NT loader", LOADER),
        (2, "Marrow Linux", "\\EFI\\marrow\\shimx64.efi"),
        (3, "UEFI: built-in shell", ""),
    ]


def test_captured_entries_take_the_place_of_assumed_ones(found_job: Job) -> None:
    job = with_found(found_job, with_boot_variables(found_job.found, read_efibootmgr(OLD)))
    planned = with_aim(job, Beside(size_bytes=100 << 30))
    added = next(step for step in planned.steps if isinstance(step, AddEntry))
    order = next(step for step in planned.steps if isinstance(step, SetOrder))
    assert added.entry.number == 1, "the lowest number that is free"
    assert order.order == (1, 2, 0, 7), "what was in the order stays in it"
    first = routes(job.found)
    assert first[0].broken == "the partition that it names is not there"
    assert first[1].systems == ("S1",)
    assert next(one for one in job.found.firmware.entries if one.number == 0).disk == "A"


@pytest.mark.parametrize("text", ["", "nonsense", "BootOrder: 12", "BootOrder: zz,00"])
def test_what_is_no_list_of_entries_is_refused(text: str) -> None:
    with pytest.raises(CaptureError):
        read_efibootmgr(text)


@given(st.text(alphabet="Boot0123ABCDEF* \t\n:()/\\,HGPTx.efi-", max_size=200))
def test_any_text_gives_entries_or_the_documented_error(text: str) -> None:
    try:
        assert read_efibootmgr("BootOrder: 0001\n" + text).entries_known
    except CaptureError as error:
        assert error.remedy


def test_the_dump_says_the_same_as_the_json_listing(demo_files: tuple[Path, Path]) -> None:
    plain = tools.run("sfdisk", "--dump", demo_files[0]).output
    structured = tools.run("sfdisk", "--json", demo_files[0]).output
    assert read_dump(plain) == read_sfdisk(structured)
    old_mbr = "label: dos\nlabel-id: 0x1a2b3c4d\ndevice: /dev/sda\nunit: sectors\n\n"
    old_mbr += "/dev/sda1 : start=        2048, size=     1000, type=7, bootable\n/dev/sda5 : start= 5000, size= 99, type=83\n"
    disk = read_dump(old_mbr)
    assert (disk.table.kind, disk.table.signature) == ("mbr", "1a2b3c4d")
    assert [(one.number, one.type_id, one.active) for one in disk.volumes] == [(1, "0x07", True), (5, "0x83", False)]
    with pytest.raises(CaptureError):
        read_dump("label: gpt\n")


BLKID = f"""DEVNAME=/dev/nvme0n1p3
LABEL=Old\\ system
UUID=7A3C91D2E8B40561
BLOCK_SIZE=512
TYPE=ntfs
PARTLABEL=Basic\\ data\\ partition
PARTUUID={demo.GUIDS["S1"].lower()}

DEVNAME=/dev/nvme0n1p1
LABEL_FATBOOT=SYSTEM
LABEL=SYSTEM
UUID=3A91-C07E
TYPE=vfat
PARTUUID={B1}

DEVNAME=/dev/zram0
TYPE=swap
"""


def test_blkid_fills_in_what_a_table_listing_cannot_say(demo_files: tuple[Path, Path]) -> None:
    assert {one.kind for one in read_blkid(BLKID).values()} == {"ntfs", "fat32"}
    table = tools.run("sfdisk", "--json", demo_files[0]).output
    told = gather([table, BLKID])
    volumes = {one.number: one for one in told.disks[0].volumes}
    assert (volumes[3].filesystem.kind, volumes[3].filesystem.label, volumes[3].filesystem.size_bytes) == (
        "ntfs",
        "Old system",
        volumes[3].size,
    )
    assert volumes[3].holds.assumed
    assert volumes[1].boot_files
    assert volumes[4].filesystem.kind == "unknown"
    with pytest.raises(CaptureError):
        read_blkid("x=y")


def test_texts_are_told_apart_by_what_they_say(demo_files: tuple[Path, Path]) -> None:
    kinds = {
        "lsblk": demo_files[1].read_text(),
        "sfdisk": '{"partitiontable": {}}',
        "sfdisk-dump": "label: gpt\nlabel-id: X\nunit: sectors\n",
        "blkid": BLKID,
        "efibootmgr": OLD,
    }
    for kind, text in kinds.items():
        assert kind_of(text) == kind
    for text in ("", "{}", "[]", "hello", "\0\1"):
        with pytest.raises(CaptureError):
            kind_of(text)


@given(st.text(max_size=60))
def test_any_text_is_told_apart_or_refused(text: str) -> None:
    try:
        assert kind_of(text)
    except CaptureError as error:
        assert error.remedy


def test_the_command_line_takes_any_of_them(
    demo_files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "entries.txt").write_text(NEW)
    (tmp_path / "blkid.txt").write_text(BLKID)
    job = tmp_path / "job.json"
    assert (
        run(
            [
                "new",
                "-o",
                str(job),
                "--firmware",
                "uefi",
                "--disk",
                str(demo_files[0]),
                "--capture",
                str(tmp_path / "entries.txt"),
                "--capture",
                str(tmp_path / "blkid.txt"),
            ]
        )
        == 0
    )
    capsys.readouterr()
    assert run(["plan", str(job), "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert [one["number"] for one in document["found"]["firmware"]["entries"]] == [0, 2, 3]
    assert "start.assumed" not in {one["key"] for one in document["findings"]}


def test_boot_variables_of_a_legacy_machine_are_a_contradiction(
    demo_files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "entries.txt").write_text(NEW)
    arguments = [
        "new",
        "-o",
        str(tmp_path / "job.json"),
        "--firmware",
        "legacy",
        "--disk",
        str(demo_files[0]),
        "--capture",
        str(tmp_path / "entries.txt"),
    ]
    assert run(arguments) == 2
    assert "say --firmware uefi" in capsys.readouterr().err
    assert not (tmp_path / "job.json").exists()


def test_captures_made_by_the_real_utilities_are_read(demo_files: tuple[Path, Path]) -> None:
    """The listing of this very machine, whatever it is, gives disks or a clear refusal."""
    said = subprocess.run(
        [tools.find("lsblk"), "--json", "--bytes", "--output-all"], capture_output=True, text=True, check=False
    )
    if said.returncode:
        pytest.skip("lsblk cannot list devices here")
    try:
        assert all(disk.size >= 0 for disk in gather([said.stdout]).disks)
    except CaptureError as error:
        assert error.remedy


def test_the_state_found_starts_from_captured_entries(found_job: Job) -> None:
    job = with_found(found_job, with_boot_variables(found_job.found, read_efibootmgr(NEW)))
    assert {one.system: one.starts for one in read(job).before if one.mishap == "none"} == {"S1": True}


ODD = st.one_of(
    st.text(max_size=12),
    st.sampled_from(
        [
            "a\nb",
            "\ud800",
            "{0FC63DAF}",
            "C12A7328-F81F-11D2-BA4B-00A0C93EC93B\n",
            "0x",
            "-1",
            "1e9",
            "\x1b[2J",
            "$(id)",
            "x" * 5000,
        ]
    ),
    st.lists(st.text(max_size=2), max_size=2),
    st.dictionaries(st.text(max_size=2), st.integers(), max_size=2),
    st.integers(-5, 1 << 70),
    st.none(),
    st.booleans(),
)


@given(data=st.data())
def test_whatever_stands_in_a_listing_is_one_clear_line_or_a_job_that_opens_again(
    demo_files: tuple[Path, Path], tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    path = tmp_path_factory.mktemp("odd")
    for text in (demo_files[1].read_text(), tools.run("sfdisk", "--json", demo_files[0]).output):
        document = json.loads(text)
        holder = document.get("partitiontable") or document["blockdevices"][0]
        rows = holder.get("partitions") or holder["children"]
        node = data.draw(st.sampled_from([holder, *rows]))
        node[data.draw(st.sampled_from(sorted(node)))] = data.draw(ODD)
        try:
            job = take_in([], [gather([json.dumps(document)]).disks], seed="odd")
        except InkshelfError as error:
            assert "\n" not in str(error)
            assert not re.search("[\x00-\x1f\x7f]", str(error))
            continue
        jobfile.save(job, path / "job.json")
        assert jobfile.load(path / "job.json").found == job.found


@pytest.mark.parametrize(
    ("field", "value"), [("label", ["a"]), ("partuuid", "not-a-guid"), ("parttype", "0xZZ"), ("uuid", {"a": 1})]
)
def test_what_cannot_be_is_named_with_its_value(demo_files: tuple[Path, Path], field: str, value: object) -> None:
    document = json.loads(demo_files[1].read_text())
    document["blockdevices"][0]["children"][0][field] = value
    with pytest.raises(CaptureError) as raised:
        gather([json.dumps(document)])
    assert field in str(raised.value) or str(value).upper() in str(raised.value).upper()


@pytest.mark.parametrize(("said", "kept"), [("0x7", "0x07"), ("0xc", "0x0C"), ("0x83", "0x83"), ("0xEF", "0xEF")])
def test_a_type_of_an_mbr_is_read_as_the_utility_prints_it(said: str, kept: str) -> None:
    """It leaves a leading zero out: what stands on every old disk and every stick."""
    volume = {"name": "sdb1", "size": 10**9, "type": "part", "partn": 1, "start": 2048, "parttype": said, "fstype": "vfat"}
    disk = {"name": "sdb", "size": 16 * 10**9, "type": "disk", "pttype": "dos", "log-sec": 512, "children": [volume]}
    (found,) = gather([json.dumps({"blockdevices": [disk]})]).disks
    assert found.volumes[0].type_id == kept


@pytest.mark.parametrize(
    ("device", "leads", "start", "path"),
    [
        (f"HD(2,GPT,{B1},0x800,0896000)/File(\\EFI\\a.efi)", "partition", 0x800, "\\EFI\\a.efi"),
        (f"HD(2,GPT,{B1},2048,614400)/File()/File(\\EFI\\a.efi)", "partition", 2048, ""),
        ("HD(2,GPT,not-a-guid,0x800,0x96000)/File(\\EFI\\a.efi)", "unknown", 0, "\\EFI\\a.efi"),
        (f"HD(2,GPT,{B1},0x{'f' * 40},0x1)/File(\\EFI\\a.efi)", "unknown", 0, "\\EFI\\a.efi"),
        ("HD(1,MBR,0xzz,0x800,0x1)/File(\\EFI\\a.efi)", "unknown", 0, "\\EFI\\a.efi"),
        (f"HD(2,GPT,{B1},0x800,0x96000)/File(\\EFI\\a\x07.efi)", "partition", 0x800, "\\EFI\\a\ufffd.efi"),
        (f"HD(2,GPT,{B1},0x800,0x96000)/\\EFI\\my os\\a.Efi57494e44", "partition", 0x800, "\\EFI\\my os\\a.Efi"),
        (f"HD(2,GPT,{B1},0x800,0x96000)/\\EFI\\tool\\shell", "partition", 0x800, "\\EFI\\tool\\shell"),
    ],
)
def test_an_odd_entry_is_read_as_far_as_it_goes_and_can_be_saved(
    device: str, leads: str, start: int, path: str, job: Job
) -> None:
    seen = read_efibootmgr(f"BootOrder: 0001\nBoot0001* odd\t{device}\n")
    (entry,) = seen.entries
    assert (entry.leads, entry.start_lba, entry.path) == (leads, start, path)
    kept = replace(job, found=replace(job.found, firmware=seen), steps=(), aims=())
    assert document.load(document.dump(kept)).found.firmware == seen, "what is taken in can be opened again"
