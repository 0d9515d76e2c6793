"""Partition tables: round trips, damage, independent reading, and any bytes at all."""

from __future__ import annotations

import json
import os
import struct
import subprocess
import zlib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench.handover import Written
from inkshelf.bench.image import ImageFile
from inkshelf.bench.tablewriter import write_table
from inkshelf.bench.tools import find
from inkshelf.core.disk.gpt import GptEntry, GptTable, blank, encode, read_gpt
from inkshelf.core.disk.mbr import read_mbr
from inkshelf.core.disk.source import Memory
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import TableError
from inkshelf.core.machine.read import read_disk
from inkshelf.core.machine.state import Volume
from inkshelf.core.size import MIB
from inkshelf.core.value import replace
from strategies import drawn, gpt_tables


def image_of(table: GptTable) -> bytearray:
    disk = bytearray(table.sector * table.disk_sectors)
    for offset, data in encode(table):
        disk[offset : offset + len(data)] = data
    return disk


@given(gpt_tables())
def test_what_is_written_is_read_back_equal(table: GptTable) -> None:
    assert read_gpt(Memory(bytes(image_of(table))), table.sector) == table


@given(gpt_tables(), st.data())
def test_one_damaged_copy_is_said_and_the_other_is_used(table: GptTable, data: st.DataObject) -> None:
    disk = image_of(table)
    which, at = data.draw(
        st.sampled_from(
            [("primary", table.sector), ("primary", 2 * table.sector), ("backup", (table.disk_sectors - 1) * table.sector)]
        )
    )
    place = at + data.draw(st.integers(0, 91))
    disk[place] ^= data.draw(st.integers(1, 255))
    seen = read_gpt(Memory(bytes(disk)), table.sector)
    if table.entries or at != 2 * table.sector:
        assert seen is not None
        assert (seen.primary_ok, seen.backup_ok) == (which != "primary", which != "backup")
        assert which in seen.fault
        assert seen.entries == table.entries


@given(gpt_tables(), st.lists(st.tuples(st.integers(0, 1 << 16), st.integers(0, 255)), max_size=30))
def test_random_damage_gives_a_table_or_the_documented_error(table: GptTable, damage: list[tuple[int, int]]) -> None:
    disk = image_of(table)
    for place, value in damage:
        disk[place % len(disk)] = value
    try:
        read_disk(Memory(bytes(disk)))
    except TableError as error:
        assert error.what


def test_both_copies_damaged_is_an_error_that_names_both() -> None:
    disk = image_of(blank(8 * MIB, 512, "0" * 8 + "-0000-4000-8000-" + "0" * 12))
    disk[520] ^= 1
    disk[-500] ^= 1
    with pytest.raises(TableError, match=r"primary copy.*backup copy"):
        read_gpt(Memory(bytes(disk)), 512)


def test_a_shortened_image_says_that_it_is_not_whole() -> None:
    disk = image_of(blank(8 * MIB, 512, "0" * 8 + "-0000-4000-8000-" + "0" * 12))
    with pytest.raises(TableError, match="not whole"):
        read_gpt(Memory(bytes(disk[: 4 * MIB])), 512)


def test_a_grown_image_keeps_its_backup_where_it_was() -> None:
    table = blank(8 * MIB, 512, "0" * 8 + "-0000-4000-8000-" + "0" * 12)
    seen = read_gpt(Memory(bytes(image_of(table)) + bytes(MIB)), 512)
    assert seen is not None
    assert (seen.backup_lba, seen.backup_ok) == (table.backup_lba, True)


@drawn(25)
@given(gpt_tables())
def test_an_independent_reader_sees_the_same_table(tmp_path_factory: pytest.TempPathFactory, table: GptTable) -> None:
    plain = tuple(
        replace(one, name=f"volume {one.number}", attributes=one.attributes & 5, type_guid=gpt_type("linux_data"))
        for one in table.entries
    )
    table = replace(table, entries=plain)
    path = tmp_path_factory.mktemp("table") / "disk.img"
    path.write_bytes(image_of(table))
    expected = {one.number: (one.first, one.last - one.first + 1, one.guid) for one in table.entries}
    assert (with_sfdisk(path, table) if table.sector == 512 else with_partx(path)) == expected


def with_sfdisk(path: Path, table: GptTable) -> dict[int, tuple[int, int, str]]:
    seen = subprocess.run([find("sfdisk"), "--json", str(path)], capture_output=True, text=True, check=True)
    other = json.loads(seen.stdout)["partitiontable"]
    assert (other["id"], other["firstlba"], other["lastlba"]) == (table.guid, table.first_usable, table.last_usable)
    assert {one["name"] for one in other.get("partitions", [])} == {one.name for one in table.entries}
    return {
        int(one["node"].removeprefix(str(path))): (one["start"], one["size"], one["uuid"])
        for one in other.get("partitions", [])
    }


def with_partx(path: Path) -> dict[int, tuple[int, int, str]]:
    """The other reader takes a sector size, and counts in 512 bytes whatever it is."""
    seen = subprocess.run(
        [find("partx"), "--raw", "--noheadings", "--sector-size", "4096", "--output", "NR,START,SECTORS,UUID", str(path)],
        capture_output=True,
        text=True,
        check=False,
    )
    rows = [line.split() for line in seen.stdout.splitlines()]
    return {int(number): (int(start) // 8, int(count) // 8, guid.upper()) for number, start, count, guid in rows}


@pytest.mark.parametrize(
    ("entry", "says"),
    [
        (
            GptEntry(129, "0" * 8 + "-0000-4000-8000-" + "0" * 12, "0" * 8 + "-0000-4000-8000-" + "1" * 12, 40, 50),
            "does not exist",
        ),
        (
            GptEntry(1, "0" * 8 + "-0000-4000-8000-" + "0" * 12, "0" * 8 + "-0000-4000-8000-" + "1" * 12, 40, 50, 0, "x" * 37),
            "longer than 36",
        ),
    ],
)
def test_entries_that_cannot_be_written_are_refused(entry: GptEntry, says: str) -> None:
    with pytest.raises(TableError, match=says):
        encode(replace(blank(8 * MIB, 512, "0" * 8 + "-0000-4000-8000-" + "0" * 12), entries=(entry,)))


def record(kind: int, first: int, count: int) -> bytes:
    return struct.pack("<B3sB3sII", 0, bytes(3), kind, bytes(3), first, count)


def mbr_disk(*records: bytes) -> bytearray:
    disk = bytearray(4 * MIB)
    disk[446:510] = b"".join(records).ljust(64, b"\0")
    disk[510:512] = b"\x55\xaa"
    return disk


def test_logical_partitions_are_numbered_from_five() -> None:
    disk = mbr_disk(record(0x07, 63, 100), record(0x05, 1000, 3000))
    for base, here, following in ((1000, record(0x83, 2, 90), record(0x05, 1000, 500)), (2000, record(0x82, 2, 70), bytes(16))):
        disk[base * 512 + 446 : base * 512 + 478] = here + following
        disk[base * 512 + 510 : base * 512 + 512] = b"\x55\xaa"
    seen = read_mbr(Memory(bytes(disk)), 512)
    assert seen is not None
    assert [(one.number, one.first, one.sectors, one.logical) for one in seen.entries] == [
        (1, 63, 100, False),
        (2, 1000, 3000, False),
        (5, 1002, 90, True),
        (6, 2002, 70, True),
    ]
    assert [one.number for one in read_disk(Memory(bytes(disk))).volumes] == [1, 5, 6]


def test_a_chain_that_runs_in_a_circle_is_an_error_and_not_a_hang() -> None:
    disk = mbr_disk(record(0x05, 1000, 3000))
    disk[1000 * 512 + 446 : 1000 * 512 + 478] = record(0x83, 2, 90) + record(0x05, 0, 500)
    disk[1000 * 512 + 510 : 1000 * 512 + 512] = b"\x55\xaa"
    with pytest.raises(TableError, match="circle"):
        read_mbr(Memory(bytes(disk)), 512)


def test_the_protective_record_is_capped_beyond_two_tib() -> None:
    pieces = encode(blank(8 << 40, 512, "0" * 8 + "-0000-4000-8000-" + "0" * 12))
    assert struct.unpack_from("<I", pieces[0][1], 12)[0] == 0xFFFFFFFF


def test_the_demo_disk_reads_the_same_for_an_independent_reader(demo_files: tuple[Path, Path]) -> None:
    seen = subprocess.run([find("sfdisk"), "--json", str(demo_files[0])], capture_output=True, text=True, check=True)
    rows = json.loads(seen.stdout)["partitiontable"]["partitions"]
    assert len(rows) == 4


@pytest.mark.parametrize(
    ("size", "sector", "first", "last", "backup"),
    [
        (8 * MIB, 512, 34, 16384 - 34, 16383),
        (8 * MIB, 4096, 6, 2048 - 6, 2047),
        (500_107_862_016, 512, 34, 976_773_134, 976_773_167),
    ],
)
def test_a_fresh_table_has_the_bounds_of_the_specification(size: int, sector: int, first: int, last: int, backup: int) -> None:
    """UEFI specification 2.10, 5.3.1: two headers, two copies of 16 KiB of entries, and nothing else."""
    made = blank(size, sector, "0" * 8 + "-0000-4000-8000-" + "0" * 12)
    assert (made.first_usable, made.last_usable, made.backup_lba) == (first, last, backup)


@given(gpt_tables())
def test_the_entries_checksum_is_that_of_the_entries_alone(table: GptTable) -> None:
    """UEFI specification 2.10, table 5.5: over NumberOfPartitionEntries times SizeOfPartitionEntry bytes, at PartitionEntryLBA."""
    disk = bytes(image_of(table))
    for lba in (1, table.disk_sectors - 1):
        head = disk[lba * table.sector :][:92]
        own, other = struct.unpack_from("<QQ", head, 24)
        entries_lba, count, each, crc = struct.unpack_from("<QIII", head, 72)
        assert (own, other) == (lba, table.disk_sectors - 1 if lba == 1 else 1)
        assert (count, each) == (table.entry_count, table.entry_bytes)
        assert zlib.crc32(disk[entries_lba * table.sector :][: count * each]) == crc
        assert entries_lba == (2 if lba == 1 else table.disk_sectors - 1 - -(-count * each // table.sector))


@given(gpt_tables(), st.integers(0, 1 << 40))
def test_a_header_that_stands_elsewhere_than_it_says_is_not_used(table: GptTable, lba: int) -> None:
    disk = image_of(table)
    head = bytearray(disk[table.sector : table.sector + 92])
    struct.pack_into("<Q", head, 24, lba)
    struct.pack_into("<I", head, 16, 0)
    struct.pack_into("<I", head, 16, zlib.crc32(bytes(head)))
    disk[table.sector : table.sector + 92] = head
    seen = read_gpt(Memory(bytes(disk)), table.sector)
    assert seen is not None
    assert seen.primary_ok == (lba == 1)
    assert ("stands at 1" in seen.fault) == (lba != 1)


def test_entries_of_the_backup_stay_where_their_header_said() -> None:
    table = blank(32 * MIB, 512, "0" * 8 + "-0000-4000-8000-" + "0" * 12)
    elsewhere = replace(table, last_usable=table.last_usable - 100, backup_entries_lba=table.last_usable - 50)
    pieces = dict(encode(elsewhere))
    assert (table.last_usable - 50) * 512 in pieces
    assert read_gpt(Memory(bytes(image_of(elsewhere))), 512) == elsewhere
    grown = replace(elsewhere, backup_lba=table.backup_lba - 8)
    assert (table.disk_sectors - 33) * 512 in dict(encode(grown)), "a backup that is not the last sector moves to the end whole"


def test_the_backup_is_whole_before_the_primary_is_touched(tmp_path: Path) -> None:
    old = blank(8 * MIB, 512, "0" * 8 + "-0000-4000-8000-" + "0" * 12)
    path = tmp_path / "disk.img"
    path.write_bytes(bytes(image_of(old)))
    with ImageFile(path) as image:
        before = read_disk(image, "A")
    volume = Volume("D1", 1, MIB, MIB, gpt_type("linux_data"), guid="1" * 8 + "-0000-4000-8000-" + "0" * 12)
    places = []

    class Noted(Written):
        def put(self, fd: int, data: bytes, at: int) -> None:
            if os.pread(fd, len(data), at) != data:
                places.append(at // 512)
            super().put(fd, data, at)

    with path.open("r+b") as out:
        write_table(out.fileno(), before, replace(before, volumes=(volume,)), Noted())
    end = 8 * MIB // 512
    assert places == [end - 33, end - 1, 2, 1], "entries before the header that speaks of them, the backup before the primary"
