"""What is in use: entries of FAT tables, checkpoints of F2FS."""

from __future__ import annotations

import os
import struct
import zlib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import held, make_volume
from inkshelf.bench import tools
from inkshelf.bench.image import ImageFile
from inkshelf.core.disk import fat
from inkshelf.core.disk.counting import bits_set, entries_in_use
from inkshelf.core.disk.filesystems import fresh, resized
from inkshelf.core.disk.kinds import f2fs
from inkshelf.core.size import MIB


def test_an_f2fs_is_read_from_the_newer_checkpoint_whose_sum_is_right(tmp_path: Path) -> None:
    files = tmp_path / "files"
    files.mkdir()
    (files / "letter").write_bytes(bytes(range(256)) * 40960)
    path = make_volume(tmp_path / "volume", 200 * MIB, "mkfs.f2fs", "-q", "-f")
    empty = held(path)
    tools.run("sload.f2fs", "-f", files, path)  # writes the other checkpoint
    full = held(path)
    assert 10 * MIB <= full.used_bytes - empty.used_bytes < 11 * MIB
    assert not full.dirty
    place = f2fs.SUPER.of(path.read_bytes()[1024:8192]).checkpoints * 4096
    version = int.from_bytes(path.read_bytes()[place : place + 8], "little")
    for other, valid in ((version + 1, 3), (version - 1, None)):
        body = struct.pack("<QQQ", other, 31232, 3) + path.read_bytes()[place + 24 : place + 4092]
        with path.open("r+b") as volume:
            volume.seek(place + 512 * 4096)
            volume.write(body + (~zlib.crc32(body, ~0xF2F52010 & 0xFFFFFFFF) & 0xFFFFFFFF).to_bytes(4, "little"))
        assert held(path).used_bytes == (empty.used_bytes + (valid - 2) * 4096 if valid else full.used_bytes)
    with path.open("r+b") as volume:
        for at in (0, 512 * 4096):
            volume.seek(place + at + 16)
            volume.write(b"\x77")  # valid blocks: the sum does not agree any more
    assert held(path).used_bytes is None, "what cannot be known is not told"
    with path.open("r+b") as volume:
        volume.seek(1024)
        volume.write(bytes(4))
    assert held(path).kind == "f2fs", "the second super block is as good"


@given(
    st.sampled_from([(12, 0xFFF), (16, 0xFFFF), (32, 0x0FFFFFFF)]),
    st.lists(st.integers(0, 0xFFFFFFFF), max_size=40),
    st.binary(max_size=1),
)
def test_entries_in_use_are_counted_as_one_by_one(kind: tuple[int, int], values: list[int], tail: bytes) -> None:
    width, mask = kind
    if width == 12:
        tail = b""  # a byte more would be two thirds of another entry
        values = values[: len(values) // 2 * 2]
    row = sum((value & (1 << width) - 1) << place * width for place, value in enumerate(values))
    data = row.to_bytes(len(values) * width // 8, "little") + tail
    assert entries_in_use(data, width, mask) == sum(bool(value & mask & (1 << width) - 1) for value in values)


def test_the_four_highest_bits_of_a_fat32_entry_mean_nothing(tmp_path: Path) -> None:
    path = make_volume(tmp_path / "fat", 300 * MIB, "mkfs.fat", "-F", "32")
    before = held(path)
    with ImageFile(path) as source:
        layout = fat.layout(source)
    assert layout is not None
    with path.open("r+b") as volume:
        volume.seek(layout.fat_start + 4 * 1000)
        volume.write((0xF0000000).to_bytes(4, "little"))
    assert held(path).used_bytes == before.used_bytes


@given(st.lists(st.tuples(st.sampled_from([b"\0", b"\xff", b"\x80", b"\x5a"]), st.integers(1, 60_000)), max_size=6))
def test_bits_are_counted_whatever_stretches_of_ones_and_zeros_there_are(stretches: list[tuple[bytes, int]]) -> None:
    data = b"".join(one * count for one, count in stretches)
    assert bits_set(data) == sum(one[0].bit_count() * count for one, count in stretches)


@pytest.mark.parametrize("mib", [257, 514, 640, 1026, 1156, 3203, 3460, 6276, 30_721, 30_722, 30_723])
def test_a_last_group_with_hardly_room_for_its_tables_is_left_out_as_the_utility_does(tmp_path: Path, mib: int) -> None:
    size = mib * MIB
    path = make_volume(
        tmp_path / "volume", size, *["mkfs.ext4", "-F", "-q", "-b", "4096", "-E", "lazy_itable_init=1,lazy_journal_init=1"]
    )
    made = held(path)
    told = fresh("ext4", MIB, size, "x", made.uuid, 512)
    assert (told.size_bytes, told.clusters) == (made.size_bytes, made.clusters)
    assert (told.group_table_bytes, told.group_reserved) == (made.group_table_bytes, made.group_reserved)
    for to in (1155, 30_722, 517):
        os.truncate(path, max(path.stat().st_size, to * MIB))
        tools.run("e2fsck", "-f", "-y", path, accept=(0, 1))
        tools.run("resize2fs", path, f"{to * 1024}K")
        before, made = made, held(path)
        assert resized(before, to * MIB).size_bytes == made.size_bytes
