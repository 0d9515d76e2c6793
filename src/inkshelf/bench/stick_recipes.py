"""Made-up images and sticks from a recipe: real discs with holes for their large files, made on first use in a few seconds."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path

from inkshelf.bench import discs, stand_ins, sticks
from inkshelf.bench.discs import Disc
from inkshelf.bench.image import ImageFile
from inkshelf.bench.intake import take_in, with_stick
from inkshelf.core.aims.installer_set import InstallerSet
from inkshelf.core.aims.many import ManyImages
from inkshelf.core.machine.state import Conditions
from inkshelf.core.media.image import read_image
from inkshelf.core.media.material import Image
from inkshelf.core.plan.job import Job, and_aim
from inkshelf.core.value import Value, replace
from inkshelf.data import table

LOADER = 96 << 10
SUMS = "sums.txt"


class Recipe(Value, frozen=True):
    """One image: its file, label, bytes, the kind of its live system (empty: an installer), its largest file's share of it."""

    name: str
    label: str
    size: int
    family: str = ""
    largest: float = 0.9
    signed: bool = True
    legacy: bool = True


PILE = (
    Recipe("heron-desktop-7.iso", "HERON_7", 5_170_000_000, "casper", 0.8),
    Recipe("alder-server-3.iso", "ALDER_3", 740_000_000, "live"),
    Recipe("ember-rescue-12.iso", "EMBER_12", 420_000_000, "archiso", signed=False),
    Recipe("quill-studio-5.iso", "QUILL_5", 6_440_000_000, "casper", 0.77, legacy=False),
    Recipe("marsh-firewall-2.iso", "MARSH_2", 4_700_000_000, "dracut"),
    Recipe("tern-office-9.iso", "TERN_9", 14_300_000_000, "live", 0.28),
)
SET = (
    Recipe("wren-installer-7.iso", "WREN_7", 4_900_000_000, largest=0.8),
    Recipe("wren-installer-8.iso", "WREN_8", 5_200_000_000, largest=0.8),
    Recipe("wren-installer-9.iso", "WREN_9", 5_600_000_000, largest=0.7),
)
CHECKED = ("alder-server-3.iso", "ember-rescue-12.iso")
"""Those of which a published sum was kept, and is compared when the recipe is made: the smaller ones, as it reads all of them."""


def bag_of_sticks(folder: Path) -> Job:
    """Six images on one stick, of which one is a little too large; a set of installers on another that is a little too small for all."""
    pile = images(folder / "images", PILE)
    installers = images(folder / "images", SET)
    chosen = [one for one in sticks.DEMO if one.name in {"tern-04", "plover-9", "dunlin-s1"}]
    sticks.make(folder / "sticks", tuple(chosen))
    known = Conditions(mains=True, consent=True, encrypted=False)
    job = take_in(
        [],
        mode="uefi",
        secure_boot="off",
        conditions=known,
        title="bag of sticks",
        owner="Halden Instrument Makers",
        seed="sticks",
        alone=True,
    )
    for name in ("tern-04", "plover-9", "dunlin-s1"):
        one, path = sticks.find(folder / "sticks", name)
        facts, failing = sticks.tried(one, path)
        job = with_stick(job, sticks.as_disk(one, path, facts, failing=failing), path)
    job = and_aim(job, ManyImages(disk="M", images=pile))
    return and_aim(job, InstallerSet(disk="N", images=installers))


def images(folder: Path, recipes: tuple[Recipe, ...]) -> tuple[Image, ...]:
    """Return the images of recipes, made where they are not there yet, with what their sums say."""
    folder.mkdir(parents=True, exist_ok=True)
    return tuple(_compared(folder, _looked_into(_made(folder, one))) for one in recipes)


def _made(folder: Path, one: Recipe) -> Path:
    path = folder / one.name
    if not path.exists():
        discs.make(
            path,
            Disc(one.label, _files(one), stand_ins.loader(one.label, signed=one.signed, size=LOADER), one.legacy, hybrid=True),
        )
        if one.name in CHECKED:
            _publish(folder, path)
    return path


def _files(one: Recipe) -> dict[str, bytes | int]:
    """A kernel, a first image, a menu, and holes of the size of the rest."""
    large = int(one.size * one.largest)
    rest = one.size - large - (8 << 20)
    files: dict[str, bytes | int] = {"/payload/system.img": large, "/payload/packages.img": max(0, rest)}
    if one.family:
        mark = table("exact_strings")["live_families"][one.family]["mark"]
        option = mark if "=" in mark or "." in mark else f"{mark}=arch"
        menu = f'menuentry "{one.label}" {{\n  linux /live/kernel {option} quiet\n  initrd /live/first.img\n}}\n'
        files |= {"/live/kernel": b"k" * 70_000, "/live/first.img": b"i" * 90_000, "/boot/grub/grub.cfg": menu.encode()}
    return files


def _looked_into(path: Path) -> Image:
    with ImageFile(path) as source:
        return replace(read_image(source, path.name), path=str(path.resolve()))


def _sum(path: Path) -> str:
    there = path.stat()
    return _read(path, there.st_size, there.st_mtime_ns)


@cache
def _read(path: Path, _size: int, _changed: int) -> str:
    """Return the line of a file as it is now; what was made a moment ago is not read a second time."""
    with path.open("rb") as file:
        return f"{hashlib.file_digest(file, 'sha256').hexdigest()}  {path.name}\n"


def _publish(folder: Path, path: Path) -> None:
    """Keep the sum of what was just made, as a maker publishes it."""
    with (folder / SUMS).open("a", encoding="ascii") as out:
        out.write(_sum(path))


def _compared(folder: Path, image: Image) -> Image:
    """Hold an image against the kept sums, where there is one of it."""
    if image.name not in CHECKED or not (folder / SUMS).exists():
        return image
    kept = (folder / SUMS).read_text(encoding="ascii").splitlines(keepends=True)
    return replace(image, checked="agrees" if _sum(Path(image.path)) in kept else "differs")
