"""MBR tables: written, read back, read by an independent reader; planned by hand and inked, with logical volumes."""

from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path

import pytest
from hypothesis import assume, given

from disks import assemble, head, put_volume
from inkshelf.bench import cut
from inkshelf.bench.inker import ink, resume
from inkshelf.bench.intake import take_in
from inkshelf.bench.sparse import write_all
from inkshelf.bench.tools import find
from inkshelf.core.disk import mbr_write
from inkshelf.core.disk.gpt import GptEntry, blank
from inkshelf.core.disk.gpt import encode as encode_gpt
from inkshelf.core.disk.mbr import MbrEntry, MbrTable, read_mbr
from inkshelf.core.disk.source import Memory
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import guid
from inkshelf.core.errors import PlanError, StepError, TableError
from inkshelf.core.machine.state import Disk, Table, Volume
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import MIB
from inkshelf.core.steps.kinds import Create
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from strategies import drawn, mbr_tables
from test_cuts import ink_and_die


def image_of(table: MbrTable, sector: int, size: int) -> bytearray:
    disk = bytearray(size)
    for offset, data in mbr_write.encode(table, sector):
        disk[offset : offset + len(data)] = data
    return disk


def with_sfdisk(path: Path) -> list[tuple[int, int, int, int, bool]]:
    ran = subprocess.run([find("sfdisk"), "--json", str(path)], capture_output=True, text=True, check=True)
    rows = json.loads(ran.stdout)["partitiontable"].get("partitions", [])
    return sorted(
        (int(row["node"].removeprefix(str(path))), int(row["type"], 16), row["start"], row["size"], row.get("bootable", False))
        for row in rows
    )


def as_rows(table: MbrTable) -> list[tuple[int, int, int, int, bool]]:
    return sorted((one.number, one.type_byte, one.first, one.sectors, one.active) for one in table.entries)


@given(mbr_tables())
def test_what_is_written_is_read_back_equal(made: tuple[MbrTable, int, int]) -> None:
    table, sector, size = made
    seen = read_mbr(Memory(bytes(image_of(table, sector, size))), sector)
    assert seen is not None
    assert (seen.signature, as_rows(seen)) == (table.signature, as_rows(table))


@drawn(40)
@given(mbr_tables())
def test_an_independent_reader_sees_the_same_table(
    tmp_path_factory: pytest.TempPathFactory, made: tuple[MbrTable, int, int]
) -> None:
    table, sector, size = made
    assume(sector == 512)  # the reader knows no other
    path = tmp_path_factory.mktemp("mbr") / "disk"
    path.write_bytes(image_of(table, sector, size))
    assert with_sfdisk(path) == as_rows(table)


@pytest.mark.parametrize(
    ("entries", "says"),
    [
        ((MbrEntry(1, 0x83, 1 << 32, 8),), "beyond what an MBR can tell"),
        ((MbrEntry(1, 0x83, (1 << 32) - 8, 9),), "beyond what an MBR can tell"),
        (tuple(MbrEntry(number, 0x83, 100 * number, 50) for number in range(1, 6)), "four primary"),
        ((MbrEntry(5, 0x83, 100, 50, logical=True),), "need an extended partition"),
        ((MbrEntry(1, 0x0F, 100, 900), MbrEntry(5, 0x83, 100, 50, logical=True)), "no free sector"),
        (
            (MbrEntry(1, 0x0F, 100, 900), MbrEntry(5, 0x83, 101, 50, logical=True), MbrEntry(6, 0x83, 151, 50, logical=True)),
            "no free sector",
        ),
    ],
)
def test_what_an_mbr_cannot_hold_is_refused(entries: tuple[MbrEntry, ...], says: str) -> None:
    with pytest.raises(TableError, match=says):
        mbr_write.encode(MbrTable("12345678", entries), 512)


def test_cylinders_as_found_stay_where_the_record_says_the_same() -> None:
    new = mbr_write.encode(MbrTable("1", (MbrEntry(1, 7, 63, 100), MbrEntry(2, 7, 200, 100))), 512)[-1][1]
    found = bytearray(new)
    found[1:4] = b"\x01\x01\x00"
    found[17:20], found[24] = b"\x07\x07\x07", found[24] ^ 1
    kept = mbr_write.keep_cylinders(new, bytes(found))
    assert kept[:16] == bytes(found[:16])
    assert kept[16:] == new[16:]


@pytest.fixture
def legacy(tmp_path: Path) -> Job:
    """A legacy machine: an active NTFS volume, an extended partition with two logical ones, boot code in front."""
    path, inside = tmp_path / "legacy.img", MbrEntry(3, 0x0F, 700 * 2048, 1000 * 2048)
    volumes = [
        (MbrEntry(1, 0x07, 2048, 500 * 2048, active=True), ("mkfs.ntfs", "-F", "-Q", "-q", "-L", "OFFICE")),
        (MbrEntry(5, 0x83, 701 * 2048, 300 * 2048, logical=True), ("mkfs.ext4", "-F", "-q", "-L", "letters")),
        (MbrEntry(6, 0x82, 1002 * 2048, 100 * 2048, logical=True), ("mkswap",)),
        (MbrEntry(7, 0x83, 1103 * 2048, 200 * 2048, logical=True), ("mkfs.ext4", "-F", "-q", "-L", "plates")),
    ]
    with path.open("w+b") as out:
        out.truncate(2048 * MIB)
        write_all(out.fileno(), b"\xeb" * 440, 0)
        for offset, data in mbr_write.encode(MbrTable("0badcafe", (*(one for one, _ in volumes), inside)), 512):
            write_all(out.fileno(), data, offset)
        for entry, command in volumes:
            put_volume(out.fileno(), tmp_path, entry.first * 512, entry.sectors * 512, command)
    return take_in([path], mode="legacy", seed="legacy")


WORK = (
    ("delete", "W1", {}),
    ("move", "D3", {"after": "D2"}),
    ("resize", "D3", {"size": "350MiB"}),
    ("create", "A", {"size": "100MiB", "after": "D3", "type": "linux_swap"}),
    ("resize", "A:EXTENDED", {"size": "1100MiB"}),
    ("resize", "D1", {"size": "300MiB"}),
    ("create", "A", {"size": "rest", "after": "D1", "type": "basic_data"}),
    ("format", "D4", {"fs": "fat32", "label": "LOOSE"}),
    ("format", "W2", {"fs": "swap", "label": "spare"}),
    ("flag", "D4", {"flag": "active", "state": "on"}),
    ("type", "D2", {"type": "0x8e"}),
)


@pytest.fixture
def reworked(legacy: Job) -> Job:
    job = legacy
    for verb, call, words in WORK:
        job = change(job, verb, call, **words)
    return job


def test_a_logical_volume_that_goes_renumbers_those_behind_it(legacy: Job) -> None:
    planned = read(change(legacy, "delete", "W1")).plan.planned
    assert [(one.call, one.number) for one in planned.disks[0].volumes] == [("D1", 1), ("D2", 5), ("D3", 6)]
    left = change(change(change(legacy, "delete", "W1"), "delete", "D2"), "delete", "D3")
    assert read(left).plan.planned.disks[0].table.extended is None


def test_volumes_go_where_an_mbr_allows_them(legacy: Job) -> None:
    inside = change(legacy, "create", "A", after="D3", size="rest").steps[-1]
    assert (inside.logical, inside.number) == (True, 8)
    assert inside.start % MIB == 0
    assert inside.start - MIB == legacy.found.find("D3")[1].end
    outside = change(legacy, "create", "A", after="D1", size="100MiB").steps[-1]
    assert (outside.logical, outside.number) == (False, 2)
    full = change(change(legacy, "create", "A", after="D1", size="50MiB"), "create", "A", at="1800MiB", size="50MiB")
    assert full.steps[-1].number == 4
    assert change(full, "create", "A", size="10MiB").steps[-1].logical  # no primary number is left
    with pytest.raises(PlanError, match="no free room"):
        change(full, "create", "A", at="1900MiB", size="10MiB")
    with pytest.raises(StepError, match="cannot be active"):
        change(legacy, "flag", "D2", flag="active")
    with pytest.raises(PlanError, match="flag of GPT"):
        change(legacy, "flag", "D1", flag="hidden")
    with pytest.raises(PlanError, match="has an extended partition"):
        change(legacy, "create", "A", type="extended")
    with pytest.raises(StepError, match="does not fit into the extended"):
        change(legacy, "resize", "A:EXTENDED", size="500MiB")


def test_an_mbr_job_is_inked_as_predicted(reworked: Job, tmp_path: Path) -> None:
    report = ink(reworked, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    image = Path(report.images[0])
    planned = read(reworked).plan.planned.disks[0]
    assert head(image, 440) == b"\xeb" * 440  # code in front is nobody's to change
    places = {number: (start, size) for number, _, start, size, _ in with_sfdisk(image)}
    assert places.pop(3) == (700 * 2048, 1100 * 2048)
    assert places == {one.number: (one.start // 512, one.size // 512) for one in planned.volumes}
    assert [one.call for one in planned.volumes if one.active] == ["D4"]


@pytest.mark.parametrize("share", [0.15, 0.4, 0.6, 0.85])
def test_an_mbr_job_survives_a_cut(reworked: Job, tmp_path: Path, share: float) -> None:
    cut.arm(None)
    assert ink(reworked, tmp_path / "whole").verified
    path, bench = tmp_path / "job.json", tmp_path / "bench"
    jobfile.save(reworked, path)
    assert ink_and_die(path, bench, int(cut.writes() * share)) == cut.STATUS
    assert [one for one in resume(bench).checks if not one.ok] == []


@pytest.mark.parametrize("kind", ["gpt", "mbr"])
def test_a_fresh_table_takes_the_old_one_away(legacy: Job, tmp_path: Path, kind: str) -> None:
    job = change(legacy, "create", "A", table=kind)
    assert read(job).ledger.lost == ("D1", "D2", "W1", "D3")
    if kind == "mbr":
        job = change(job, "create", "A", type="extended", size="600MiB")
    job = change(change(job, "create", "A", size="500MiB"), "format", "D4", fs="ext4", label="new")
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    if kind == "mbr":
        assert [row[:2] for row in with_sfdisk(Path(report.images[0]))] == [(1, 0x0F), (2, 0x83)]
        back = take_in([Path(report.images[0])], seed="again")
        again = ink(change(change(back, "create", "A", table="gpt"), "create", "A", size="9MiB"), tmp_path / "again")
        assert again.verified


def test_an_empty_disk_gets_its_first_table(tmp_path: Path) -> None:
    path = tmp_path / "empty.img"
    with path.open("wb") as out:
        out.truncate(200 * MIB)
    job = take_in([path], seed="empty")
    with pytest.raises(PlanError, match="no partition table"):
        change(job, "create", "A", size="10MiB")
    job = change(change(job, "create", "A", table="mbr"), "create", "A", size="rest", type="basic_data")
    report = ink(change(job, "format", "D1", fs="fat32", label="STICK"), tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []


def test_records_of_a_hybrid_mbr_go_with_their_volumes(tmp_path: Path) -> None:
    path = tmp_path / "hybrid.img"
    entries = [
        GptEntry(at, gpt_type("linux_data"), guid("hybrid", str(at)), at * 20480, at * 20480 + 10239) for at in (1, 2, 3)
    ]
    size = 64 * MIB
    records = [MbrEntry(1, 0xEE, 1, 20479), *(MbrEntry(at + 1, 0x83, at * 20480, 10240, at == 2) for at in (1, 2, 3))]
    with path.open("w+b") as out:
        out.truncate(size)
        for offset, data in encode_gpt(replace(blank(size, 512, guid("hybrid", "disk")), entries=tuple(entries))):
            write_all(out.fileno(), data, offset)
        for offset, data in mbr_write.encode(MbrTable("11223344", tuple(records)), 512):
            write_all(out.fileno(), data, offset)
    job = take_in([path], seed="hybrid")
    calls = [one.call for one in job.found.disks[0].volumes]
    job = change(change(job, "delete", calls[0]), "move", calls[1], at="16MiB")
    report = ink(job, tmp_path / "bench")
    assert report.verified, [one for one in report.checks if not one.ok]
    fd = os.open(report.images[0], os.O_RDONLY)
    seen = read_mbr(Memory(os.pread(fd, 512, 0)), 512)
    os.close(fd)
    assert seen is not None
    assert [(one.number, one.type_byte, one.first, one.active) for one in seen.entries] == [
        (1, 0xEE, 1, False),
        (3, 0x83, 16 * 2048, True),
        (4, 0x83, 3 * 20480, False),
    ]


@pytest.mark.parametrize(
    ("lba", "packed"),
    [(63, "010100"), (2048, "202100"), (16065 * 1023 + 16064, "feffff"), (16065 * 1024, "feffff"), (16065 * 300 + 5, "00462c")],
)
def test_cylinders_are_packed_as_the_convention_has_them(lba: int, packed: str) -> None:
    """Head, then sector from 1 with the two high bits of the cylinder, then its low byte, at 255 heads and 63 sectors."""
    table = MbrTable("00c0ffee", (MbrEntry(1, 0x83, lba, 1),))
    records = dict(mbr_write.encode(table, 512))[446]
    assert records[1:4].hex() == packed == records[5:8].hex()


def test_records_of_the_chain_stand_ahead_of_their_volumes_and_are_written_from_the_last() -> None:
    inside = MbrEntry(2, 0x0F, 10_000, 90_000)
    logicals = tuple(
        MbrEntry(number, 0x83, first, 1000, logical=True) for number, first in ((5, 12_048), (6, 20_000), (7, 21_500))
    )
    pieces = mbr_write.encode(MbrTable("00c0ffee", (inside, *logicals)), 512)
    records = [(offset - 446) // 512 for offset, _ in pieces[:3]]
    assert records == [21_000, 20_000 - 2048, 10_000], "the first sector behind a neighbour, 1 MiB ahead, the container's first"
    assert [offset for offset, _ in pieces[3:]] == [440, 446]


def test_a_record_that_no_step_changes_keeps_its_cylinders(legacy: Job, tmp_path: Path) -> None:
    path = Path(legacy.sources[0].path)
    with path.open("r+b") as out:
        out.seek(447)
        out.write(b"\x01\x01\x00")  # cylinder 0, as older utilities had it
    job = change(take_in([path], mode="legacy", seed="legacy"), "create", "A", size="50MiB", at="1800MiB")
    report = ink(job, tmp_path / "bench")
    assert report.verified
    assert head(report.images[0], 16, 446) == head(path, 16, 446)


def test_a_fifth_primary_is_refused_by_the_step_itself() -> None:
    volumes = tuple(Volume("", number, number * 100 * MIB, 50 * MIB, "0x83") for number in range(1, 5))
    disk = Disk("A", 1000 * MIB, table=Table("mbr", signature="00c0ffee"), volumes=volumes)
    fifth = Create("A", "D9", 5, 600 * MIB, 10 * MIB, "0x83", "", "data")
    with pytest.raises(StepError, match="four primary"):
        fifth.apply(assemble((disk,), "legacy"))
    fourth = replace(fifth, number=4)
    assert len(fourth.apply(assemble((replace(disk, volumes=volumes[:3]),), "legacy")).disks[0].volumes) == 4
