"""Discs from a recipe are real ones: other readers list them, and ours says of them what the recipe put in."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pycdlib
import pytest

from inkshelf.bench import discs, stand_ins
from inkshelf.bench.discs import Disc
from inkshelf.bench.stick_recipes import PILE, images
from inkshelf.core.errors import BenchError
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace
from inkshelf.exchange.images import look

MENU = b'menuentry "x" {\n  linux /live/kernel boot=casper quiet\n  initrd /live/first image.img\n}\n'
FILES: dict[str, bytes | int] = {
    "/live/kernel": b"k" * 70_001,
    "/live/A long name with blanks.squashfs": 5 * GIB,
    "/boot/grub/grub.cfg": MENU,
    "/empty.txt": b"",
}


@pytest.fixture
def disc(tmp_path: Path) -> Path:
    loader = stand_ins.loader("x", signed=True, size=90_000)
    return discs.make(tmp_path / "x.iso", Disc("HERON_7", dict(FILES), loader, legacy=True, hybrid=True))


def test_our_reader_says_what_the_recipe_put_in(disc: Path) -> None:
    image = look(disc).image
    assert (image.label, image.fault, image.missing) == ("HERON_7", "", 0)
    assert image.largest == ("/live/A long name with blanks.squashfs", 5 * GIB)
    assert [path for path, _ in image.over] == ["/live/A long name with blanks.squashfs"]
    assert image.hybrid
    assert image.legacy
    assert {(one.width, one.signed, one.inside) for one in image.loaders} == {("x64", True, True), ("x64", True, False)}
    assert image.live is not None
    assert image.live.family == "casper"
    assert disc.stat().st_blocks * 512 < 16 * MIB, "a hole stays one"


def test_other_readers_list_it(disc: Path) -> None:
    listed = pycdlib.PyCdlib()
    listed.open(str(disc))
    names = {one.file_identifier().decode("utf-16-be") for one in listed.list_children(joliet_path="/live") if not one.is_dot()}
    listed.close()
    assert "kernel" in names
    assert "A long name with blanks.squashfs" in names
    said = subprocess.run(
        ["xorriso", "-indev", str(disc), "-report_el_torito", "plain", "-report_system_area", "plain"],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    assert "El Torito boot img :   1  BIOS  y" in said
    assert "El Torito boot img :   2  UEFI  y" in said
    assert "MBR partition      :   2   0x00  0xef" in said
    out = subprocess.run(["isoinfo", "-J", "-i", disc, "-x", "/live/kernel"], capture_output=True, check=True).stdout
    assert out == b"k" * 70_001


def test_what_no_demonstration_disc_holds_is_refused(tmp_path: Path) -> None:
    many: dict[str, bytes | int] = {f"/a fairly long name {number}.txt": b"x" for number in range(60)}
    with pytest.raises(BenchError, match="Too many names"):
        discs.make(tmp_path / "y.iso", Disc("X", many))


def test_a_recipe_is_made_once_and_its_kept_sum_is_compared(tmp_path: Path) -> None:
    small = tuple(replace(one, size=80_000_000) for one in PILE if one.name == "ember-rescue-12.iso")
    (first,) = images(tmp_path, small)
    assert first.checked == "agrees"
    assert not first.loaders[0].signed
    written = Path(first.path).stat().st_mtime_ns
    (again,) = images(tmp_path, small)
    assert again == first
    assert Path(first.path).stat().st_mtime_ns == written
    with Path(first.path).open("r+b") as out:
        out.seek(40 * MIB)
        out.write(b"damage")
    assert images(tmp_path, small)[0].checked == "differs"
