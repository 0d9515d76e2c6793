"""Disks that nobody here made: tables elsewhere, boot code in the gaps, places above 2 TiB, odd features. What no step announced stays."""

from __future__ import annotations

import os
import random
import re
import shutil
import struct
import subprocess
import tempfile
import zlib
from collections.abc import Iterator
from pathlib import Path

import pytest

from disks import answered, head, make_gpt_disk, put_volume
from inkshelf.bench import demo, tools
from inkshelf.bench.image import ImageFile
from inkshelf.bench.inker import Report, ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.kinds import TOOLS
from inkshelf.core.checks import findings
from inkshelf.core.disk import ext, fat
from inkshelf.core.disk.filesystems import resized
from inkshelf.core.disk.gpt import HEADER, blank, encode, read_gpt
from inkshelf.core.disk.probe import probe
from inkshelf.core.disk.source import Memory, Slice
from inkshelf.core.errors import StepError
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB, TIB
from inkshelf.core.steps.kinds import Label, Move, Renew, Retype, SetSecureBoot
from inkshelf.core.value import replace

FAT = ("linux_data", 40 * MIB, ("mkfs.fat", "-F", "32", "-n", "FLYER"))
EXT = ("linux_data", 60 * MIB, ("mkfs.ext4", "-F", "-q", "-L", "papers"))
NTFS = ("basic_data", 40 * MIB, ("mkfs.ntfs", "-F", "-Q", "-q", "-L", "OFFICE"))


def bad(report: Report) -> list[object]:
    return [one for one in report.checks if not one.ok]


# -- tables and gaps ---------------------------------------------------------------------------------------------------
def elsewhere(path: Path, first: int) -> None:
    """A GPT whose primary entries lie at LBA ``first``, with foreign boot code between header and entries."""
    make_gpt_disk(path, 200 * MIB, 512, [EXT, FAT], first=2 * MIB)
    table = read_gpt(Memory(path.read_bytes()), 512)
    moved = replace(table, first_usable=2048, entries_lba=first)
    with path.open("r+b") as out:
        for offset, data in encode(moved):
            out.seek(offset)
            out.write(data)
        out.seek(2 * 512)
        out.write(random.Random(3).randbytes((first - 2) * 512))
        out.seek(0)
        out.write(random.Random(4).randbytes(440))
        out.seek((first + 32) * 512)
        out.write(random.Random(5).randbytes(MIB))


@pytest.mark.parametrize("first", [20, 40, 100])
def test_a_table_is_written_where_its_header_says_and_boot_code_stays(tmp_path: Path, first: int) -> None:
    path = tmp_path / "disk.img"
    elsewhere(path, first)
    before = head(path, first * 512)
    job = change(change(take_in([path], seed="e"), "label", "D1", label="plates"), "flag", "D2", flag="hidden", state="on")
    report = ink(job, tmp_path / "bench")
    assert bad(report) == []
    after = head(report.images[0], first * 512)
    assert after[2 * 512 : first * 512] == before[2 * 512 : first * 512]
    assert after[:440] == before[:440]
    entries = HEADER.unpack_from(after, 512)[10]
    assert entries == first
    assert any("gaps, boot code and ends as they were" in one.detail for one in report.checks)


def test_a_byte_outside_volumes_that_no_step_announced_is_seen(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    elsewhere(path, 40)
    job = change(take_in([path], seed="e"), "label", "D1", label="plates")
    report = ink(job, tmp_path / "bench")
    from inkshelf.bench.outside import compare
    from inkshelf.core.steps.fold import fold

    image = Path(report.images[0])
    for place in (100, 30 * 512, 190 * MIB, MIB + 600):
        with image.open("r+b") as out:
            out.seek(place)
            kept = out.read(1)
            out.seek(place)
            out.write(bytes([kept[0] ^ 1]))
        with ImageFile(path) as source, ImageFile(image) as now:
            ok, said = compare(fold(job.found, job.steps), job.steps, "A", source, now)
        assert not ok, place
        assert "where no step writes" in said
        with image.open("r+b") as out:
            out.seek(place)
            out.write(kept)


def test_entries_among_the_volumes_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    elsewhere(path, 40)
    raw = bytearray(path.read_bytes())
    struct.pack_into("<Q", raw, 512 + 40, 50)  # first usable LBA: the entries reach into the volumes' room
    struct.pack_into("<I", raw, 512 + 16, 0)
    struct.pack_into("<I", raw, 512 + 16, zlib.crc32(bytes(raw[512 : 512 + 92])))
    path.write_bytes(raw)
    job = change(take_in([path], seed="e"), "flag", "D2", flag="hidden", state="on")
    with pytest.raises(Exception, match="among the volumes"):
        ink(job, tmp_path / "bench")


def test_a_zeroed_protective_record_and_copies_that_differ_in_the_guid_are_said_rightly(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 200 * MIB, 512, [EXT])
    raw = bytearray(path.read_bytes())
    raw[446:512] = bytes(66)
    path.write_bytes(raw)
    job = take_in([path], seed="z")
    keys = {one.key: one for one in findings(read(job))}
    assert "protective record" in keys["disk.protective.A"].title
    last = len(raw) - 512
    raw[last + 56] ^= 1
    struct.pack_into("<I", raw, last + 16, 0)
    struct.pack_into("<I", raw, last + 16, zlib.crc32(bytes(raw[last : last + 92])))
    assert "its disk GUID differs" in read_gpt(Memory(bytes(raw)), 512).fault


def test_names_that_cannot_be_written_as_they_were_read_stay_as_they_are(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 200 * MIB, 512, [EXT, FAT])
    raw = bytearray(path.read_bytes())
    strange = struct.pack("<4H", 0xD800, 0x41, 0, 0x1234)  # a lone surrogate, and something behind the end
    for at in (2 * 512, len(raw) - 33 * 512):
        raw[at + 56 : at + 64] = strange
    entries = bytes(raw[1024 : 1024 + 128 * 128])
    for at in (512, len(raw) - 512):
        struct.pack_into("<I", raw, at + 88, zlib.crc32(entries))
        struct.pack_into("<I", raw, at + 16, 0)
        struct.pack_into("<I", raw, at + 16, zlib.crc32(bytes(raw[at : at + 92])))
    path.write_bytes(raw)
    job = change(take_in([path], seed="n"), "flag", "D2", flag="hidden", state="on")
    report = ink(job, tmp_path / "bench")
    assert bad(report) == []
    assert head(report.images[0], 8, 1024 + 56) == strange


@pytest.fixture
def memory() -> Iterator[Path]:
    """A folder in memory, where files may be longer than on a disk."""
    place = Path("/dev/shm")  # noqa: S108 - nothing else keeps files of 18 TB
    if not place.is_dir() or shutil.disk_usage(place).free < GIB:
        pytest.skip("there is no room in memory for files")
    with tempfile.TemporaryDirectory(dir=place) as name:
        yield Path(name)


# -- above 2 TiB, and moved boot sectors -------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("size", "sector"), [(3 * TIB, 512), (18 * 10**12 // 4096 * 4096, 512), (18 * 10**12 // 4096 * 4096, 4096)]
)
def test_volumes_above_two_tib_are_made_moved_and_read_back(tmp_path: Path, size: int, sector: int, memory: Path) -> None:
    if size > 16 * TIB:
        tmp_path = memory  # longer than a file can be on most disks
    path = tmp_path / "large.img"
    with path.open("wb") as out:
        out.truncate(size)
        for offset, data in encode(blank(size, sector, "5B0E6F2A-71C4-4D0B-9A53-2F0C9D1E4471")):
            out.seek(offset)
            out.write(data)
    job = take_in([path], seed="large")
    for place, kind, label in (("2100GiB", "fat32", "FLYER"), ("2300GiB", "ntfs", "OFFICE"), ("2500GiB", "ext4", "plates")):
        job = change(job, "create", "A", at=place, size="1500MiB" if kind == "fat32" else "1GiB")
        call = job.steps[-1].call
        job = change(job, "format", call, fs=kind, label=label)
    job = change(job, "move", "D1", at="2200GiB")
    job = change(job, "move", "D2", at="1GiB")
    report = ink(job, tmp_path / "bench")
    assert bad(report) == []
    hidden = [report.machine.find(call)[1].filesystem.hidden_sectors for call in ("D1", "D2")]
    assert hidden == [2200 * GIB // sector if 2200 * GIB // sector < 1 << 32 else 0, GIB // sector]


@pytest.mark.parametrize("part", [FAT, NTFS])
def test_a_moved_volume_says_in_every_copy_of_its_boot_sector_what_lies_before_it(
    tmp_path: Path, part: tuple[str, int, tuple[str, ...]]
) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 300 * MIB, 512, [part])
    job = change(take_in([path], seed="m"), "move", "D1", at="150MiB")
    report = ink(job, tmp_path / "bench")
    assert bad(report) == []
    volume = report.machine.find("D1")[1]
    assert volume.filesystem.hidden_sectors == 150 * 2048
    with ImageFile(Path(report.images[0])) as image:
        inner = Slice(image, volume.start, volume.size)
        kind = volume.filesystem.kind
        for at in (0, *TOOLS[kind].boot_copies(inner)):
            assert struct.unpack("<I", inner.read(at + 28, 4))[0] == 150 * 2048
        assert len(TOOLS[kind].boot_copies(inner)) == 1
    with Path(report.images[0]).open("r+b") as out:
        out.seek(volume.start + 28)
        out.write(bytes(4))
    from inkshelf.bench.inker import resume

    assert "D1: as predicted" in {one.what for one in bad(resume(tmp_path / "bench"))}


# -- file systems ------------------------------------------------------------------------------------------------------
def test_a_long_chain_on_fat_is_no_circle(tmp_path: Path) -> None:
    path = tmp_path / "fat.img"
    with path.open("wb") as out:
        out.truncate(200 * MIB)
    tools.run("mkfs.fat", "-F", "32", "-s", "1", path)
    demo.put_on_fat(path, 0, {r"\long.bin": random.Random(1).randbytes(40 * MIB)})
    with ImageFile(path) as source:
        table = fat.layout(source)
        node = next(one for one in fat.listing(source, table) if "long" in one.path)
        assert len(fat.read_file(source, table, node, node.size)) == 40 * MIB > 65_536 * table.cluster


@pytest.mark.parametrize(("before", "after"), [(500, 2048), (200, 8192)])
def test_growing_a_small_ext4_is_predicted_with_its_new_tables(tmp_path: Path, before: int, after: int) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, (after + 100) * MIB, 512, [("linux_data", before * MIB, ("mkfs.ext4", "-F", "-q", "-L", "papers"))])
    job = change(take_in([path], seed="g"), "resize", "D1", size=f"{after}MiB")
    assert bad(ink(job, tmp_path / "bench")) == []


def test_files_and_folders_inside_their_inodes_are_compared(tmp_path: Path) -> None:
    tree, path = tmp_path / "tree", tmp_path / "disk.img"
    (tree / "small folder").mkdir(parents=True)
    (tree / "small folder" / "note").write_bytes(b"a few words")
    (tree / "tiny").write_bytes(b"y" * 100)
    make = ("mkfs.ext4", "-F", "-q", "-O", "inline_data", "-I", "256", "-L", "papers", "-d", str(tree))
    make_gpt_disk(path, 200 * MIB, 512, [("linux_data", 100 * MIB, make)])
    job = change(take_in([path], seed="i"), "label", "D1", label="plates")
    report = ink(job, tmp_path / "bench")
    assert bad(report) == []
    assert next(one.detail for one in report.checks if one.what == "D1: files").startswith("4 files and folders the same")
    with ImageFile(path) as source:
        volume = ext.open_ext(Slice(source, job.found.find("D1")[1].start, 100 * MIB))
        assert ext.read_inode(volume, ext.lookup(volume, "/tiny")) == b"y" * 100
        assert ext.lookup(volume, "/small folder/note")


def test_bigalloc_is_not_damaged_and_an_unknown_feature_compares_nothing_in_silence(tmp_path: Path) -> None:
    path = tmp_path / "ext.img"
    with path.open("wb") as out:
        out.truncate(400 * MIB)
    tools.run("mkfs.ext4", "-F", "-q", "-O", "bigalloc", "-C", "65536", path)
    with ImageFile(path) as source:
        found = probe(source).filesystem
    assert (found.kind, found.smallest_bytes) == ("ext4", 400 * MIB)
    for size in (399 * MIB, 500 * MIB):
        with pytest.raises(StepError, match="keeps its size: its blocks come in clusters"):
            resized(found, size)
    raw = bytearray(path.read_bytes())
    struct.pack_into("<I", raw, 1024 + 96, struct.unpack_from("<I", raw, 1024 + 96)[0] | 0x40000000)
    with pytest.raises(Exception, match="features that are not read here"):
        TOOLS["ext4"].digests(Slice(Memory(bytes(raw)), 0, len(raw)))


@pytest.mark.parametrize("mib", [300, 3000])
def test_the_smallest_size_with_two_backups_is_near_the_utilitys(tmp_path: Path, mib: int) -> None:
    path = tmp_path / "ext.img"
    with path.open("wb") as out:
        out.truncate(mib * MIB)
    tools.run("mkfs.ext4", "-F", "-q", "-O", "sparse_super2", path)
    said = tools.run("resize2fs", "-P", path).output
    blocks = int(re.search(r": (\d+)", said).group(1))
    with ImageFile(path) as source:
        from inkshelf.core.disk.ext_shrink import smallest_blocks

        assert abs(smallest_blocks(ext.open_ext(source)) - blocks) <= blocks * 0.02 + 1


def test_why_an_ntfs_stops_there_is_the_reason_that_wins(tmp_path: Path) -> None:
    path = tmp_path / "ntfs.img"
    with path.open("wb") as out:
        out.truncate(400 * MIB)
    tools.run("mkfs.ntfs", "-F", "-Q", "-q", path)
    with ImageFile(path) as source:
        facts = probe(source).filesystem
    wins = facts.pinned_bytes >= facts.used_bytes + min(1 << 30, facts.clusters * facts.cluster_bytes // 20)
    assert ("ends there" in facts.smallest_why) == wins


# -- steps that change nothing -----------------------------------------------------------------------------------------
def test_a_step_that_changes_nothing_is_refused_by_hand_and_in_a_job_file(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 200 * MIB, 512, [("linux_data", 60 * MIB, ("mkfs.ext4", "-F", "-q"))])
    job = take_in([path], seed="0")
    volume = job.found.find("D1")[1]
    with pytest.raises(StepError, match="has no label"):
        change(job, "label", "D1", label="")
    secure = replace(job.found, firmware=replace(job.found.firmware, secure_boot="on"))
    for step, found in (
        (Label("D1", ""), job.found),
        (Retype("D1", volume.type_id, volume.attributes), job.found),
        (Renew("D1", volume.filesystem.uuid, volume.guid), job.found),
        (Move("D1", volume.start), job.found),
        (SetSecureBoot("on"), secure),
    ):
        with pytest.raises(StepError):
            step.apply(found)


def test_a_whole_disk_of_foreign_code_keeps_it(tmp_path: Path) -> None:
    """An MBR with a loader's core in the gap before the first volume."""
    path = tmp_path / "mbr.img"
    with path.open("wb") as out:
        out.truncate(200 * MIB)
    subprocess.run(["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path], input=b"2048,100M,83,*\n", check=True)
    put = os.open(path, os.O_RDWR)
    put_volume(put, tmp_path, MIB, 100 * MIB, ("mkfs.ext4", "-F", "-q", "-L", "papers"))
    os.pwrite(put, random.Random(9).randbytes(440), 0)
    os.pwrite(put, random.Random(8).randbytes(60 * 512), 512)
    os.close(put)
    job: Job = change(take_in([path], seed="c"), "label", "D1", label="plates")
    job = change(job, "flag", "D1", flag="active", state="off")
    report = ink(answered(job), tmp_path / "bench")
    assert bad(report) == []
    assert head(report.images[0], 440) == head(path, 440)
