"""Files put into FAT32 and exFAT without mounting: held against the systems' own checkers, and against another reader."""

from __future__ import annotations

import os
import random
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench.filling import exfat, fat, reading
from inkshelf.bench.filling.naming import long_records, plain, refuse_barred, short_name
from inkshelf.bench.filling.plan import Filled, differing
from inkshelf.bench.image import ImageFile
from inkshelf.core.disk.source import ByteSource, Memory, Slice
from inkshelf.core.errors import BenchError
from inkshelf.core.media.copying import File
from inkshelf.core.size import MIB

SIZE = 40 * MIB
KINDS = {
    "fat32": (("mkfs.fat", "-F", "32", "-s", "1"), ("fsck.fat", "-n"), fat, reading.in_fat),
    "exfat": (("mkfs.exfat", "-c", "4096"), ("fsck.exfat", "-n"), exfat, reading.in_exfat),
}
NAME = st.text("abcXYZ019 ._-+()äßçЖ字", min_size=1, max_size=40).filter(lambda one: one.strip(" .") == one and one.strip("._"))
TREES = st.lists(st.tuples(st.lists(NAME, min_size=1, max_size=4), st.integers(-1, 70_000)), max_size=14)


def made(path: Path, kind: str, size: int = SIZE) -> Path:
    with path.open("wb") as out:
        out.truncate(size)
    subprocess.run([*KINDS[kind][0], path], check=True, capture_output=True)
    return path


def apply(path: Path, source: ByteSource, reckon: Callable[[ByteSource], Filled]) -> None:
    with ImageFile(path) as volume:
        done = reckon(volume)
    fd = os.open(path, os.O_RDWR)
    for one in done.carries:
        os.pwrite(fd, one.piece if isinstance(one.piece, bytes) else source.read(*one.piece), one.at)
    for at, data in done.records:
        os.pwrite(fd, data, at)
    os.close(fd)


def checked(path: Path, kind: str) -> None:
    said = subprocess.run([*KINDS[kind][1], path], capture_output=True, text=True, check=False)
    assert said.returncode == 0, said.stdout + said.stderr


def files_of(tree: list[tuple[list[str], int]], seed: int) -> tuple[list[File], bytes]:
    """Files that do not get in each other's way, their contents one behind the other; a size below zero makes an empty folder."""
    taken: set[str] = set()
    folders: set[str] = set()
    data, files = bytearray(), []
    for parts, size in tree:
        path = "/" + "/".join(parts)
        above = {"/" + "/".join(parts[:end]).lower() for end in range(1, len(parts))}
        if path.lower() in taken | folders or above & taken:
            continue
        taken.add(path.lower())
        folders |= above
        if size < 0:
            files.append(File(path, 0, (), folder=True))
            continue
        files.append(File(path, size, ((len(data), size),), 1_700_000_000 + 2 * len(files)))
        data += random.Random(seed + len(files)).randbytes(size)
    return files, bytes(data)


@pytest.mark.parametrize("kind", KINDS)
@given(tree=TREES, again=TREES, seed=st.integers(0, 1 << 20))
def test_what_is_put_in_is_read_back_and_the_checker_is_content(
    tmp_path: Path, kind: str, tree: list[tuple[list[str], int]], again: list[tuple[list[str], int]], seed: int
) -> None:
    path = made(tmp_path / "volume", kind)
    module, read = KINDS[kind][2], KINDS[kind][3]
    first, data = files_of(tree, seed)
    apply(path, Memory(data), lambda source: module.reckon(source, first))
    second, more = files_of([([f"more {seed}", *parts][-4:], size) for parts, size in again], seed)
    known = {one.path.lower() for one in first}
    second = [
        one for one in second if not any(one.path.lower().startswith(f"{had}/") or one.path.lower() == had for had in known)
    ]
    second = [one for one in second if not any(had.startswith(f"{one.path.lower()}/") for had in known)]
    apply(path, Memory(more), lambda source: module.reckon(source, second))
    checked(path, kind)
    with ImageFile(path) as image:
        volume = Slice(image, 0, image.size)
        there = {one.path: one for one in read(volume)}
        merged = {one.path.lower() for one in (*first, *second)}
        above = {str(parent) for one in merged for parent in Path(one).parents} - {"/"}
        assert {one.lower() for one in there} == merged | above
        assert {path.lower() for path, one in there.items() if not one.folder} == {
            one.path.lower() for one in (*first, *second) if not one.folder
        }
        for file, source in [*((one, data) for one in first), *((one, more) for one in second)]:
            held = next(one for path, one in there.items() if path.lower() == file.path.lower())
            assert file.folder or held.digest(volume) == reading.digest_of(file, Memory(source))


def test_fat_names_times_and_contents_are_what_another_reader_sees(tmp_path: Path) -> None:
    path = made(tmp_path / "volume", "fat32")
    names = [
        "/A Long Name with größe.squashfs",
        "/deep/er/still/x.y.z",
        "/README",
        "/readme.TXT",
        *(f"/many/file {n}" for n in range(300)),
    ]
    files = [File(name, len(name), (name.encode("utf-8")[: len(name)],), 1_700_000_000) for name in names]
    apply(path, Memory(b""), lambda source: fat.reckon(source, files))
    checked(path, "fat32")
    out = tmp_path / "out"
    out.mkdir()
    subprocess.run(
        ["mcopy", "-s", "-m", "-i", path, "::/*", out], check=True, env={**os.environ, "LC_ALL": "C.UTF-8", "TZ": "UTC"}
    )
    for name, file in zip(names, files, strict=True):
        seen = out / name[1:]
        assert seen.read_bytes() == file.pieces[0]
        assert abs(seen.stat().st_mtime - 1_700_000_000) <= 2, "times are kept"
    assert sorted(one.name for one in out.iterdir()) == sorted({one[1:].split("/")[0] for one in names}), (
        "and the case of names"
    )


@pytest.mark.parametrize("kind", KINDS)
def test_a_file_is_taken_off_again_and_its_room_is_free(tmp_path: Path, kind: str) -> None:
    path, module, read = made(tmp_path / "volume", kind), KINDS[kind][2], KINDS[kind][3]
    whole = 30 * MIB
    names = ["/first image.iso", "/second.iso", "/SECOND2.ISO"]
    for name in names:
        apply(path, Memory(bytes(MIB)), lambda source, name=name: module.reckon(source, [File(name, MIB, ((0, MIB),))]))
    with pytest.raises(BenchError, match="does not fit"):
        apply(path, Memory(b""), lambda source: module.reckon(source, [File("/big", 39 * MIB, (b"",))]))
    apply(path, Memory(b""), lambda source: module.take_off(source, "/second.ISO"))
    apply(path, Memory(b""), lambda source: module.take_off(source, "/first image.iso"))
    checked(path, kind)
    apply(path, Memory(bytes(whole)), lambda source: module.reckon(source, [File("/next.iso", whole, ((0, whole),))]))
    checked(path, kind)
    with ImageFile(path) as image:
        assert {one.path for one in read(Slice(image, 0, image.size))} == {"/SECOND2.ISO", "/next.iso"}
    with pytest.raises(BenchError, match="not there"):
        apply(path, Memory(b""), lambda source: module.take_off(source, "/second.iso"))


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(
    ("files", "why"),
    [
        (["/a", "/A"], "there already"),
        (["/a/b", "/A"], "there already"),
        (["/a", "/a/b"], "is a file there"),
        (["/no:way"], "no name"),
        (["/ends."], "no name"),
        ([f"/{'x' * 256}"], "no name"),
    ],
)
def test_what_cannot_be_put_there_is_refused(tmp_path: Path, kind: str, files: list[str], why: str) -> None:
    path, module = made(tmp_path / "volume", kind), KINDS[kind][2]
    before = path.read_bytes()
    with pytest.raises(BenchError, match=why):
        apply(path, Memory(b""), lambda source: module.reckon(source, [File(one, 0, ()) for one in files]))
    assert path.read_bytes() == before


def test_a_file_in_pieces_is_chained_where_no_piece_is_long_enough(tmp_path: Path) -> None:
    for kind in KINDS:
        path, module, read = made(tmp_path / kind, kind), KINDS[kind][2], KINDS[kind][3]
        small = [File(f"/{number}.iso", MIB, ((0, MIB),)) for number in range(36)]
        apply(path, Memory(b"x" * MIB), lambda source, module=module, small=small: module.reckon(source, small))
        for number in range(0, 36, 2):
            apply(path, Memory(b""), lambda source, module=module, number=number: module.take_off(source, f"/{number}.iso"))
        long, data = File("/long.iso", 15 * MIB, ((0, 15 * MIB),)), random.Random(1).randbytes(15 * MIB)
        apply(path, Memory(data), lambda source, module=module, long=long: module.reckon(source, [long]))
        checked(path, kind)
        with ImageFile(path) as image:
            volume = Slice(image, 0, image.size)
            held = next(one for one in read(volume) if one.path == "/long.iso")
            assert len(held.runs) > 3
            assert held.digest(volume) == reading.digest_of(long, Memory(data))


@given(st.lists(NAME, max_size=60))
def test_short_names_are_never_given_twice(names: list[str]) -> None:
    taken: set[bytes] = set()
    for one in dict.fromkeys(names):
        short = short_name(one, taken)
        assert len(short) == 11
        assert short not in taken
        assert short.decode("ascii") == short.decode("ascii").upper()
        taken.add(short)
        records = long_records(one, short)
        assert len(records) == 32 * -(-len(one.encode("utf-16-le")) // 26)
    assert plain("README.TXT")
    assert not plain("readme.txt")
    for barred in ("", "a/b", "a*", " .", "trailing "):
        with pytest.raises(BenchError):
            refuse_barred(barred)


@given(st.binary(min_size=1, max_size=40_000), st.data())
def test_only_what_changed_of_a_table_is_written(before: bytes, data: st.DataObject) -> None:
    after = bytearray(before)
    for at in data.draw(st.lists(st.integers(0, len(before) - 1), max_size=5)):
        after[at] ^= 0xFF
    whole = bytearray(before)
    for at, piece in differing(before, bytes(after), 0):
        whole[at : at + len(piece)] = piece
    assert whole == after
    assert (list(differing(before, before, 0))) == []
