"""Volumes with any damage: contents, or a fault in words; never a hang."""

from __future__ import annotations

import struct
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import make_volume
from inkshelf.bench.demo import put_on_fat
from inkshelf.bench.stand_ins import loader
from inkshelf.core.disk import ext, ext_files
from inkshelf.core.disk.probe import pe_signed, probe
from inkshelf.core.disk.source import Memory
from inkshelf.core.errors import FormatError
from inkshelf.core.size import MIB

SEEDS = [b"\xeb\x3c\x90" + b"NTFS    ".ljust(8), bytes(56) + b"", b"LUKS\xba\xbe", b"XFSB", bytes(3) + b"EXFAT   "]


@given(st.sampled_from(SEEDS), st.binary(max_size=3000), st.binary(max_size=1500))
def test_any_bytes_behind_a_magic_number_give_contents(magic: bytes, head: bytes, super_block: bytes) -> None:
    raw = bytearray((magic + head).ljust(1024, b"\0")[:1024] + super_block.ljust(2048, b"\0") + bytes(70_000))
    raw[510:512] = b"\x55\xaa"
    raw[1024 + 56 : 1024 + 58] = b"\x53\xef"
    probe(Memory(bytes(raw)))
    raw[1024 + 56 : 1024 + 58] = b"\0\0"
    probe(Memory(bytes(raw)))


@given(st.integers(0, 60_000), st.binary(min_size=1, max_size=64))
def test_a_damaged_fat_volume_never_hangs(small_fat: bytes, place: int, damage: bytes) -> None:
    raw = bytearray(small_fat)
    raw[place : place + len(damage)] = damage
    probe(Memory(bytes(raw)))


@given(st.integers(0, 1 << 19), st.binary(min_size=1, max_size=32))
def test_a_damaged_ntfs_volume_never_hangs(small_ntfs: bytes, place: int, damage: bytes) -> None:
    raw = bytearray(small_ntfs)
    raw[place : place + len(damage)] = damage
    probe(Memory(bytes(raw)))


@pytest.fixture(scope="module")
def small_fat(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    path = make_volume(tmp_path_factory.mktemp("fat") / "fat", 4 * MIB, "mkfs.fat", "-F", "12")
    put_on_fat(path, 0, {r"\EFI\BOOT\BOOTX64.EFI": loader("x", signed=True)})
    return path.read_bytes()


@pytest.fixture(scope="module")
def small_ntfs(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    return make_volume(tmp_path_factory.mktemp("ntfs") / "ntfs", 4 * MIB, "mkfs.ntfs", "-F", "-Q", "-q").read_bytes()


@given(st.binary(max_size=600))
def test_signature_reading_takes_any_bytes(raw: bytes) -> None:
    assert pe_signed(b"MZ" + raw) in {True, False}


@given(st.integers(64, 4000), st.binary(min_size=1, max_size=40))
def test_damaged_marks_never_hang(place: int, damage: bytes) -> None:
    for mark, at in (
        (b"\xeb\x76\x90EXFAT   ", 0),
        (b"XFSB", 0),
        (b"LUKS\xba\xbe\0\2", 0),
        (b"LABELONE", 512),
        (b"_BHRfS_M", 65600),
        (b"CD001", 32769),
        (b"NXSB", 32),
    ):
        raw = bytearray(80_000)
        raw[at : at + len(mark)] = mark
        raw[place : place + len(damage)] = damage
        probe(Memory(bytes(raw)))


def test_a_file_in_many_pieces_is_joined_from_its_attribute_list(small_ntfs: bytes) -> None:
    """The bitmap's only run is moved to a second record, as on a volume in use for years; every figure stays."""

    from inkshelf.core.disk import ntfs, ntfs_probe

    before = ntfs_probe.probe(Memory(small_ntfs))
    volume = ntfs.open_ntfs(Memory(small_ntfs))
    raw = bytearray(ntfs.record_bytes(volume, ntfs.BITMAP))
    at = struct.unpack_from("<H", raw, 20)[0]
    while struct.unpack_from("<I", raw, at)[0] != ntfs.DATA:
        at += struct.unpack_from("<I", raw, at + 4)[0]
    length = struct.unpack_from("<I", raw, at + 4)[0]
    moved, tail = bytes(raw[at : at + length]), bytes(raw[at + length : struct.unpack_from("<I", raw, 24)[0]])
    listed = struct.pack("<IHBBQQH", ntfs.DATA, 32, 0, 26, 0, 12, 0).ljust(32, b"\0")
    attribute = struct.pack("<IIBBHHHIHBB", ntfs.ATTRIBUTE_LIST, 24 + 32, 0, 0, 24, 0, 9, 32, 24, 0, 0) + listed
    disk = bytearray(small_ntfs)
    first = struct.unpack_from("<H", raw, 20)[0]
    for number, body in ((ntfs.BITMAP, bytes(raw[:at]) + attribute + tail), (12, bytes(raw[:first]) + moved + tail)):
        record = bytearray(body.ljust(len(raw), b"\0"))
        struct.pack_into("<I", record, 24, len(body))
        place = volume.mft_runs[0][0] * volume.cluster + number * volume.record
        disk[place : place + len(record)] = ntfs.protected(record)
    after = ntfs_probe.probe(Memory(bytes(disk)))
    assert after is not None
    assert after[0].used_bytes == before[0].used_bytes
    assert after[0].used_map == before[0].used_map


@pytest.fixture(scope="module")
def small_ext(tmp_path_factory: pytest.TempPathFactory) -> Path:  # a path: six MiB of bytes would be printed where a test fails
    folder = tmp_path_factory.mktemp("ext")
    tree = folder / "tree"
    for number in range(40):
        (tree / f"{number % 5}").mkdir(parents=True, exist_ok=True)
        (tree / f"{number % 5}" / f"file {number}").write_bytes(b"x" * 3000 * number)
    return make_volume(folder / "ext", 6 * MIB, "mkfs.ext4", "-F", "-q", "-b", "1024", "-d", str(tree))


@given(st.lists(st.tuples(st.integers(0, 400 << 10), st.binary(min_size=1, max_size=16)), min_size=1, max_size=6))
def test_a_damaged_ext_volume_never_hangs(small_ext: Path, damage: list[tuple[int, bytes]]) -> None:
    raw = bytearray(small_ext.read_bytes())
    for place, data in damage:
        raw[place : place + len(data)] = data
    source = Memory(bytes(raw))
    probe(source)
    try:
        volume = ext.open_ext(source)
        if volume is not None:
            assert sum(1 for _ in ext_files.files(volume)) < 20_000
    except FormatError as error:
        assert error.what


@pytest.mark.parametrize(("at", "size"), [(88, 1), (88, 100), (88, 2048), (254, 1), (254, 4096)])
def test_inodes_and_descriptors_of_no_possible_size_are_said(small_ext: Path, at: int, size: int) -> None:
    raw = bytearray(small_ext.read_bytes())
    raw[1024 + at : 1026 + at] = size.to_bytes(2, "little")
    with pytest.raises(FormatError, match="damaged"):
        ext.open_ext(Memory(bytes(raw)))
    assert "damaged" in probe(Memory(bytes(raw))).fault


@given(st.binary(min_size=300, max_size=300))
def test_an_ext_super_block_of_any_bytes_is_read_in_no_time(raw: bytes) -> None:
    head = bytearray(64 << 10)
    head[1024:1324] = raw
    head[1080:1082] = b"\x53\xef"
    head[1048:1052] = bytes((raw[0] % 7, 0, 0, 0))
    probe(Memory(bytes(head)))
