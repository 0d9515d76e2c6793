"""Volumes whose utilities rewrite records all over them: every file is compared all the same, and an independent reader finds it."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path

import pytest
from dissect.btrfs import Btrfs
from dissect.xfs import XFS
from hypothesis import given
from hypothesis import strategies as st

from disks import make_gpt_disk
from inkshelf.bench import contents, tools
from inkshelf.bench.image import ImageFile
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.kinds import TOOLS
from inkshelf.core.disk import btrfs, xfs
from inkshelf.core.disk.source import Memory, Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.plan.byhand import change
from inkshelf.core.size import GIB, MIB

SIZES = {"btrfs": 160 * MIB, "xfs": 320 * MIB}


@pytest.fixture(scope="module")
def letters(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """Files of all lengths by their paths, enough of them for trees of more than one level."""
    dice = random.Random(11)
    lengths = [0, 1, 900, 4096, 70_000]
    files = {f"box{number % 5}/letter{number}": dice.randbytes(dice.choice(lengths)) for number in range(400)}
    return {**files, "large": dice.randbytes(6 * MIB)}


def proto(folder: Path, depth: int = 0) -> str:
    """What the XFS utility takes a tree of files from."""
    lines = []
    for path in sorted(folder.iterdir()):
        lines += [f"{path.name} d--755 0 0\n{proto(path)}$" if path.is_dir() else f"{path.name} ---644 0 0 {path}"]
    return "".join(line + "\n" for line in lines)


@pytest.fixture(scope="module", params=["btrfs", "xfs"])
def disk(request: pytest.FixtureRequest, letters: dict[str, bytes], tmp_path_factory: pytest.TempPathFactory):
    folder, kind = tmp_path_factory.mktemp(request.param), request.param
    for name, data in letters.items():
        (folder / "tree" / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / "tree" / name).write_bytes(data)
    (folder / "proto").write_text(f"/dev/null\n0 0\nd--755 0 0\n{proto(folder / 'tree')}$\n")
    commands = {
        "btrfs": ("mkfs.btrfs", "-q", "-f", "-L", "OLD", "-r", str(folder / "tree")),
        "xfs": ("mkfs.xfs", "-q", "-f", "-L", "OLD", "-p", str(folder / "proto")),
    }
    path = folder / "disk.img"
    ((start, size),) = make_gpt_disk(path, GIB, 512, [("linux_data", SIZES[kind], commands[kind])])
    return kind, path, start, size


def read_all(kind: str, image: Path, start: int, names: list[str]) -> dict[str, bytes]:
    """The files as an independent reader finds them."""
    with ImageFile(image) as source:
        volume = image.with_suffix(".volume")
        volume.write_bytes(source.read(start, SIZES[kind]))
    with volume.open("rb") as opened:
        get: Callable[[str], object] = Btrfs(opened).default_subvolume.get if kind == "btrfs" else XFS(opened).get
        found = {name: get(f"/{name}").open().read() for name in names}
    volume.unlink()
    return found


def test_every_file_is_compared_after_a_label_an_identity_and_a_move(disk, letters: dict[str, bytes], tmp_path: Path) -> None:
    kind, path, *_ = disk
    job = take_in([path], seed="letters")
    for verb, words in (("label", {"label": "NEW"}), ("renew", {}), ("move", {"at": "500MiB"}), ("resize", {"size": "400MiB"})):
        job = change(job, verb, "D1", **words)
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    said = {one.what: one.detail for one in report.checks}
    assert (
        "files and folders the same" in said["D1: files"] if kind == "btrfs" else "but for super blocks" in said["D1: contents"]
    )
    before, after = job.found.find("D1")[1], report.machine.find("D1")[1]
    assert (after.start, after.filesystem.label) == (500 * MIB, "NEW")
    assert after.filesystem.uuid != before.filesystem.uuid
    image = Path(report.images[0])
    assert read_all(kind, image, after.start, list(letters)) == letters
    place = image.read_bytes()[after.start :].index(letters["large"][-4096:])
    with image.open("r+b") as out:
        out.seek(after.start + place + 100)
        out.write(b"!")
    with ImageFile(path) as old, ImageFile(image) as new:
        ok, said, _ = contents.kept((before,), after, old, new)
    assert not ok, said
    assert ("1 of" if kind == "btrfs" else "changed") in said


def test_every_stored_file_is_among_what_is_hashed(disk, letters: dict[str, bytes]) -> None:
    """Contents by way of our walk of the trees, or of the stretches that are hashed: no file lies outside them."""
    kind, path, start, size = disk
    with ImageFile(path) as source:
        volume = Slice(source, start, size)
        if kind == "xfs":
            parts = [part for low, high in xfs.contents(volume) for part in volume.data_ranges(low, high)]
            hashed = b"".join(volume.read(low, high - low) for low, high in parts)
            assert all(data in hashed for data in letters.values())
            return
        opened = btrfs.open_btrfs(volume)
        items = [one for _, records in btrfs.trees(opened) for one in records]
        extents = [one for one in map(btrfs.extent, items) if one]
        stored = [volume.read(opened.place(one.address, one.length), one.length) for one in extents]
        inline = [one.data[21:] for one in items if one.kind == btrfs.DATA and one.data[20] == 0]
    for data in filter(None, letters.values()):
        pieces = [data[at : at + 4096] for at in range(0, len(data), MIB)]
        assert data in inline or all(any(piece in one for one in stored) for piece in pieces)


@pytest.fixture(scope="module")
def small_btrfs(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """A volume of little more than its records."""
    folder = tmp_path_factory.mktemp("small")
    for number in range(90):
        (folder / "tree" / f"{number}").parent.mkdir(exist_ok=True)
        (folder / "tree" / f"{number}").write_bytes(bytes([number]) * number * 40)
    volume = folder / "volume"
    volume.write_bytes(bytes(16 * MIB))
    tools.run("mkfs.btrfs", "-q", "-f", "-M", "-n", "4096", "-r", folder / "tree", volume)
    return volume.read_bytes()


@given(st.data())
def test_a_damaged_btrfs_gives_files_or_the_documented_error(small_btrfs: bytes, data: st.DataObject) -> None:
    opened = btrfs.open_btrfs(Memory(small_btrfs))
    nodes = [
        btrfs.SUPER_AT,
        btrfs.SUPER_AT + btrfs.SUPER.place("chunks"),
        opened.place(opened.root, 4096),
        *(one[2] for one in opened.chunks),
    ]
    nodes += [
        at for at in range(0, len(small_btrfs), 4096) if small_btrfs[at + 88 : at + 96] == b"\5\0\0\0\0\0\0\0"
    ]  # the files' own tree
    raw = bytearray(small_btrfs)
    for _ in range(data.draw(st.integers(1, 6))):
        place = data.draw(st.sampled_from(nodes)) + data.draw(st.integers(64, 4000))
        raw[place : place + 4] = data.draw(st.binary(min_size=1, max_size=4))
    try:
        TOOLS["btrfs"].digests(Slice(Memory(bytes(raw)), 0, len(raw)))
    except FormatError as error:
        assert error.what


@given(st.integers(4, 200), st.binary(min_size=1, max_size=8))
def test_a_damaged_xfs_super_block_gives_stretches_or_the_documented_error(place: int, damage: bytes) -> None:
    import struct

    head = bytearray(4096)
    head[:4] = b"XFSB"
    struct.pack_into(">IQ", head, 4, 4096, 1000)
    struct.pack_into(">IIII", head, 84, 250, 4, 0, 64)
    struct.pack_into(">H", head, 102, 512)
    head[124] = 8
    head[place : place + len(damage)] = damage
    source = Memory(bytes(head).ljust(4_096_000, b"\0"))
    try:
        found = xfs.contents(source)
    except FormatError as error:
        assert error.what
        return
    assert all(low < high <= source.size for low, high in found)
