"""What proves that nothing was lost: hashes that do not mind holes and cuts, and a walk over every file of an ext volume."""

from __future__ import annotations

import os
import random
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import make_gpt_disk
from inkshelf.bench import contents, tools
from inkshelf.bench.hashing import GRID, digest
from inkshelf.bench.image import ImageFile
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.kinds import TOOLS
from inkshelf.core.disk import ext, ext_files, fat, lvm_extents, lvm_write
from inkshelf.core.disk.source import Memory, Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import FileSystem, Volume
from inkshelf.core.plan.byhand import change
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace


@given(st.lists(st.tuples(st.integers(0, 900 << 10), st.integers(1, 200 << 10)), max_size=6), st.integers(1, 5), st.randoms())
def test_a_hash_minds_bytes_and_places_only(tmp_path_factory, pieces, cuts, dice) -> None:
    size, folder = 1 << 20, tmp_path_factory.mktemp("hash")
    whole = bytearray(size)
    pieces = [(place, min(length, size - place)) for place, length in pieces]
    for place, length in pieces:
        whole[place : place + length] = dice.randbytes(length)
    sparse = folder / "sparse"
    with sparse.open("wb") as out:
        out.truncate(size)
        for place, length in pieces:
            out.seek(place)
            out.write(whole[place : place + length])
    with ImageFile(sparse) as source:
        one = digest(source, 0, size)
    assert one == digest(Memory(bytes(whole)), 0, size)
    place = dice.randrange(size)
    whole[place] ^= 1
    assert one != digest(Memory(bytes(whole)), 0, size)


MOUNTS = os.access("/dev/fuse", os.R_OK | os.W_OK)


@pytest.fixture(params=["ext4", "ext3", "ext2"])
def tree(request: pytest.FixtureRequest, tmp_path: Path) -> tuple[Path, Path, str]:
    """A folder of files of all kinds, and an ext volume made from it by the formatting utility."""
    folder, dice = tmp_path / "tree", random.Random(3)
    for place in range(300):
        path = folder / f"folder {place % 7}" / f"{'x' * (place % 60)}{place}"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(dice.randbytes(dice.choice([0, 1, 4096, 70_000])))
    (folder / "large").write_bytes(dice.randbytes(6 * MIB))
    with (folder / "sparse").open("wb") as out:
        out.seek(9 * MIB)
        out.write(b"end")
    (folder / "link").symlink_to("large")
    (folder / "long link").symlink_to("y" * 90)
    volume = tmp_path / "volume"
    with volume.open("wb") as out:
        out.truncate(160 * MIB)
    tools.run(f"mkfs.{request.param}", "-F", "-q", "-d", folder, volume)
    return folder, volume, request.param


def disk_holding(disk: Path, volume: Path) -> tuple[int, int]:
    """Write a disk with this volume as its only one; return its place."""
    (place,) = make_gpt_disk(disk, GIB, 512, [("linux_data", 160 * MIB, ())])
    with disk.open("r+b") as out:
        out.seek(place[0])
        out.write(volume.read_bytes())
    return place


def test_every_file_of_an_ext_volume_is_found_with_its_bytes(tree: tuple[Path, Path, str]) -> None:
    folder, volume, _ = tree
    wanted = {f"/{path.relative_to(folder)}" for path in folder.rglob("*") if path.is_symlink() or not path.is_dir()}
    with ImageFile(volume) as source:
        files = {one.path: one for one in ext_files.files(ext.open_ext(source))}
        assert set(files) == wanted
        for path, file in files.items():
            real = folder / path[1:]
            if real.is_symlink():
                continue
            data = bytearray(-(-file.size // 4096) * 4096)
            for logical, first, length in file.runs:
                data[logical : logical + length] = source.read(first, length)
            assert bytes(data[: file.size]) == real.read_bytes(), path


def test_a_shrunk_and_moved_ext_volume_keeps_every_file_and_a_changed_one_is_seen(
    tree: tuple[Path, Path, str], tmp_path: Path
) -> None:
    _, volume, kind = tree
    disk = tmp_path / "disk.img"
    start, size = disk_holding(disk, volume)
    job = take_in([disk], seed="tree")
    for verb, words in (("resize", {"size": "90MiB"}), ("move", {"at": "300MiB"}), ("resize", {"size": "300MiB"})):
        job = change(job, verb, "D1", **words)
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    assert "312 files and folders the same" in {one.what: one.detail for one in report.checks}["D1: files"], kind
    with ImageFile(disk) as source:
        before = TOOLS["ext4"].digests(Slice(source, start, size))
        file = next(one for one in ext_files.files(ext.open_ext(Slice(source, start, size))) if one.path == "/large")
    with disk.open("r+b") as out:
        out.seek(start + file.runs[-1][1] + 100)
        out.write(b"!")
    with ImageFile(disk) as source:
        after = TOOLS["ext4"].digests(Slice(source, start, size))
    assert [path for path in before if before[path] != after[path]] == ["/large"]


def test_a_volume_that_grew_back_to_its_old_size_is_compared_by_its_files(tree: tuple[Path, Path, str], tmp_path: Path) -> None:
    _, volume, _ = tree
    disk = tmp_path / "disk.img"
    disk_holding(disk, volume)
    job = change(change(take_in([disk], seed="back"), "resize", "D1", size="70MiB"), "resize", "D1", size="160MiB")
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    assert "D1: files" in {one.what for one in report.checks}


def test_a_found_volume_that_is_formatted_is_not_held_against_its_source(tmp_path: Path) -> None:
    disk = tmp_path / "disk.img"
    make_gpt_disk(disk, GIB, 512, [("linux_data", 160 * MIB, ("mkfs.ext4", "-F", "-q"))])
    report = ink(change(take_in([disk], seed="f"), "format", "D1", fs="ext4", label="new"), tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []


def test_hashing_a_volume_agrees_with_the_utility_on_full_data(tmp_path: Path) -> None:
    data = os.urandom(GRID)
    path = tmp_path / "one"
    path.write_bytes(bytes(8) + data)  # the first cell's number, then its bytes: what is hashed
    said = subprocess.run(["sha256sum", str(path)], capture_output=True, text=True, check=True).stdout.split()[0]
    assert digest(Memory(data), 0, len(data)) == said


@pytest.mark.parametrize(
    ("kind", "make", "verb", "words", "place"),
    [
        ("exfat", ("mkfs.exfat", "-L", "OLD"), "label", {"label": "NEW"}, 30 * MIB),
        ("exfat", ("mkfs.exfat", "-L", "OLD"), "renew", {}, 30 * MIB),
        ("lvm", (), "create", {"label": "more", "size": "20MiB"}, 3 * MIB),
    ],
)
def test_what_a_step_must_not_touch_is_compared_for_other_kinds_too(
    tmp_path: Path, kind: str, make: tuple[str, ...], verb: str, words: dict[str, str], place: int
) -> None:
    disk = tmp_path / "disk.img"
    ((start, size),) = make_gpt_disk(disk, 200 * MIB, 512, [("linux_data", 100 * MIB, make)])
    with disk.open("r+b") as out:
        for offset, data in (
            lvm_write.encode(lvm_write.fresh_pv(size, lvm_extents.identifier("kept"), "quill")) if kind == "lvm" else ()
        ):
            out.seek(start + offset)
            out.write(data)
        out.seek(start + place)
        out.write(b"somebody's letters" * 9000)
    job = take_in([disk], seed="kept")
    call = job.found.disks[0].volumes[0].call
    job = change(job, verb, call, **words)
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    after = report.machine.find(call)[1]
    before = job.found.find(call)[1]
    image = Path(report.images[0])
    with image.open("r+b") as out:
        out.seek(start + place + 5)
        out.write(b"!")
    with ImageFile(disk) as old, ImageFile(image) as new:
        assert not contents.kept((before,), after, old, new)[0]


@pytest.mark.parametrize("kind", sorted(key for key, one in TOOLS.items() if one.digests))
def test_a_volume_that_cannot_be_read_is_never_called_the_same(tmp_path: Path, kind: str) -> None:
    """Nothing compared is not agreement: two unreadable volumes of a kind whose label changed."""
    path = tmp_path / "volume"
    path.write_bytes(bytes(4 * MIB))
    before = Volume("D1", 1, 0, 4 * MIB, "", filesystem=FileSystem(kind, 4 * MIB, "OLD"))
    after = replace(before, filesystem=FileSystem(kind, 4 * MIB, "NEW"))
    with ImageFile(path) as old, ImageFile(path) as new:
        ok, said, _ = contents.kept((before,), after, old, new)
    assert not ok
    assert said.startswith("could not be compared")


@pytest.mark.parametrize("kind", ["ext4", "fat32"])
def test_a_folder_with_nothing_in_it_and_a_file_far_down_are_compared(tmp_path: Path, kind: str) -> None:
    """Ten folders in each other: what lies below the sixth was passed over on FAT, and an empty folder everywhere."""
    path, deep = tmp_path / "volume", "/".join("abcdefghij")
    path.write_bytes(b"")
    os.truncate(path, 64 * MIB)
    tools.run(*(("mkfs.ext4", "-F", "-q") if kind == "ext4" else ("mkfs.fat", "-F", "32")), path)
    TOOLS[kind].put(path, {f"/{deep}/letter": b"far down", "/empty/gone": b"x"})  # type: ignore[misc]
    if kind == "ext4":
        tools.run("debugfs", "-w", "-R", "rm /empty/gone", path)
    else:
        tools.run("mdel", "-i", path, "::/empty/gone")

    def known() -> dict[object, object]:
        with ImageFile(path) as image:
            return {
                str(key).replace("\\", "/"): value for key, value in TOOLS[kind].digests(Slice(image, 0, image.size)).items()
            }  # type: ignore[misc]

    before = known()
    assert {f"/{deep}/letter", f"/{deep}", "/a", "/empty"} <= before.keys()
    if kind == "ext4":
        tools.run("debugfs", "-w", "-R", "set_inode_field /empty mode 040700", path)
        assert {one for one in before if known()[one] != before[one]} == {"/empty"}
        tools.run("debugfs", "-w", "-R", "rmdir /empty", path)
    else:
        tools.run("mrd", "-i", path, "::/empty")
    assert before.keys() - known().keys() == {"/empty"}


def test_folders_of_fat_that_lie_in_each_other_without_end_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "volume"
    path.write_bytes(b"")
    os.truncate(path, 64 * MIB)
    tools.run("mkfs.fat", "-F", "32", path)
    TOOLS["fat32"].put(path, {"/round/letter": b"x"})  # type: ignore[misc]
    with ImageFile(path) as image:
        layout = fat.layout(image)
        (own,) = [one for one in fat.root(image, layout) if one.folder]  # type: ignore[arg-type]
        at = layout.data_start + (own.cluster - 2) * layout.cluster  # type: ignore[union-attr]
        record = bytearray(image.read(at, 32))
    record[:11] = b"AGAIN      "
    with path.open("r+b") as out:
        out.seek(at + 96)
        out.write(record)
    with ImageFile(path) as image, pytest.raises(FormatError, match="deeper than paths may be"):
        TOOLS["fat32"].digests(Slice(image, 0, image.size))  # type: ignore[misc]


@pytest.mark.skipif(not MOUNTS, reason="folders are made on NTFS by mounting it")
def test_a_file_and_a_folder_of_ntfs_that_bear_another_name_are_others(tmp_path: Path) -> None:
    path = tmp_path / "volume"
    path.write_bytes(b"")
    os.truncate(path, 16 * MIB)
    tools.run("mkfs.ntfs", "-F", "-Q", "-q", path)
    TOOLS["ntfs"].put(path, {"/empty/letter": b"kept"})  # type: ignore[misc]

    def known() -> dict[object, object]:
        with ImageFile(path) as image:
            return dict(TOOLS["ntfs"].digests(Slice(image, 0, image.size)))  # type: ignore[misc]

    before, raw = known(), path.read_bytes()
    assert len(before) == 2
    for word, other in (("letter", "lettex"), ("empty", "emptx")):
        path.write_bytes(raw.replace(word.encode("utf-16-le"), other.encode("utf-16-le")))
        assert len([key for key in before if known()[key] != before[key]]) == 1, word
