"""What the aims about sticks share: which stick, which images, how volumes are laid on it, what is done before and after."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable

from inkshelf.core.aims.base import AimBase, Answer, Need, Question
from inkshelf.core.aims.volumes import New, make
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit, stretches
from inkshelf.core.machine.state import Disk, Machine, Table, Volume
from inkshelf.core.media.material import BootImage, Image, Loader, Width
from inkshelf.core.size import MIB, align_down, both, parse_size
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Create, Eject, GetImage, Step, TellApart, TryStart
from inkshelf.core.texts import Letter
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

MENU_FOLDER = "\\EFI\\BOOT\\"
FAT_BY_LBA = "0x0C"  # on an MBR, the type of a FAT32 that firmware and systems look into
LEFT_OUT = "it was left out"  # by a person
PLUG = "Plug a stick in: under Media, or with inkshelf sticks JOB.json --take NAME."
NAME_ONE = "Add one under Media, or with --image FILE; one that is not here yet: --image NAME=4.2GiB,uefi,signed."
WANTED_MOST = 10  # as much as so many others
Look = Callable[[str], Image]
_looks: list[Look] = []


class StickAim(AimBase, frozen=True):
    """What every aim about sticks has: the stick, the images of the pile, and what readers ask of it."""

    disk: Letter = "M"
    images: tuple[Image, ...] = ()

    def letters(self) -> tuple[str, ...]:
        """Return the letters of the sticks that are made, the first one first."""
        return (self.disk,)

    def makes_first(self) -> tuple[str, ...]:
        """A stick is made before what is started from it, wherever its aim was added."""
        return self.letters()

    def left_out(self, found: Machine) -> dict[str, str]:
        """Return which images are not put on any stick, and why."""
        return {}

    def next_room(self, found: Machine) -> dict[str, tuple[int, int]]:
        """Return the bytes that stay on each stick for images, and the largest next one, where more can be added."""
        return {}

    def overruled(self, found: Machine) -> str:
        """Return why this machine would not start what is made all the same (empty: it does, or that is not known)."""
        return ""


def use_files(look: Look) -> None:
    """Say how the file of an image is looked into: who reads files hands it in."""
    _looks[:] = [look]


def sticks_of(found: Machine) -> tuple[Disk, ...]:
    """Return the disks that are sticks: those that can be taken out."""
    return tuple(one for one in found.disks if one.removable or one.stick)


def stick_question(found: Machine) -> Question:
    """Return the question which stick it is; identities stand beside the letters."""
    answers = tuple(Answer(f"stick {one.id}", one.id, one.identity()) for one in sticks_of(found))
    usual = answers[0].value if answers else ""
    return Question("disk", "Which stick", answers, usual, "told apart by size, model and serial", "disk")


def the_stick_of(found: Machine, letter: str) -> Disk:
    """Return a stick of the job; raises ``PlanError`` where the disk is none, or is not there."""
    from inkshelf.core.aims.owning import the_disk  # late: the window loads only the kinds that a job holds

    if not found.disks:
        raise PlanError("There is no stick in this job.", PLUG)
    disk = the_disk(found, letter)
    if disk not in sticks_of(found):
        raise PlanError(f"Disk {letter} is no stick: {disk.identity()} is fixed in its machine.", PLUG)
    return disk


def images_question(*, several: bool) -> Question:
    """Return the question which images are meant."""
    title = "Images" if several else "Image"
    why = "a file; or told by hand: NAME=4.2GiB,uefi,signed,legacy,hybrid,largest=3GiB"
    return Question("image", title, (), "", why, "images" if several else "image", "images")


def weight_of(image: Image, most: tuple[str, ...]) -> int:
    """Return how much an image is wanted, beside others."""
    return WANTED_MOST if image.name in most else 1


def most_question(images: tuple[Image, ...]) -> Question:
    """Return the question which images are wanted most where not all of them fit."""
    pile = tuple(Answer(one.name, one.name, "put on a stick before the others") for one in images)
    return Question("most", "Wanted most", pile, "", "one is wanted as much as another", "names")


def known_images(text: str) -> tuple[Image, ...]:
    """Return the images that a person named, a line each: files, or what is told of one that is not here yet.

    Raises ``PlanError`` where a line is neither, or two bear one name.
    """
    found = tuple(_known(line.strip()) for line in text.splitlines() if line.strip())
    found = tuple(_numbered(one, at) for at, one in enumerate(found, 1)) if len(found) > 1 else found
    names = [one.name.lower() for one in found]
    twice = next((one for one in names if names.count(one) > 1), "")
    if twice:
        raise PlanError(f"Two images are called {twice}.", "Rename one of them.")
    return found


def _numbered(image: Image, number: int) -> Image:
    """One of several that were told by their sizes alone bears its number."""
    return replace(image, name=f"image-{number}") if image.told and image.name == "image" else image


def _known(text: str) -> Image:
    told = _told(text) or _told(f"image={text}")
    if told is not None:
        return told
    if not _looks:
        raise PlanError(f"{text} is not looked into here.", "Tell its size: NAME=4.2GiB,uefi,signed.")
    return _looks[0](text)


def _told(text: str) -> Image | None:
    """An image that a person tells of: its name, its size, and words for how it starts."""
    from inkshelf.core.media.tops import top_told  # late: what was told is read here, and seldom

    match = re.fullmatch(r"([A-Za-z0-9][A-Za-z0-9 ._+-]{0,80})=([0-9][0-9.]*\s*[A-Za-z]*)((?:,[a-z0-9=.A-Z ]+)*)", text)
    if match is None:
        return None
    name, size, words = match.group(1), parse_size(match.group(2)), [one for one in match.group(3).split(",") if one]
    image = Image(name, size, "iso", told=True)
    for word in words:
        image = _with_word(image, word.strip())
    signed = any(one.strip() == "signed" for one in words)
    loaders = tuple(replace(one, signed=signed) for one in image.loaders)
    top = top_told(image.size, image.largest[1] if image.largest else image.size)
    held = Volume("M1", 1, MIB, max(MIB, size - MIB), "0x83", role="medium")
    as_disk = Disk("M", size, table=Table("mbr", entry_count=4, entry_bytes=16), volumes=(held,)) if image.table else None
    return replace(image, loaders=loaders, files=1, payload=size, tops=(top,), as_disk=as_disk)


def _with_word(image: Image, word: str) -> Image:
    key, _, value = word.partition("=")
    if key == "largest" and value:
        largest = parse_size(value)
        if largest > image.size:
            raise PlanError(f"The largest file of {image.name} is larger than the image.", "Look again.")
        over = (("its largest file", largest),) if largest > (4 << 30) - 1 else ()
        return replace(image, largest=("its largest file", largest), over=over)
    if word == "hybrid":
        return replace(image, table=("mbr", "gpt"))
    if word in {"uefi", "uefi32"}:
        width: Width = "x64" if word == "uefi" else "ia32"
        return replace(
            image, loaders=(*image.loaders, Loader(width, signed=False, inside=True), Loader(width, signed=False, inside=False))
        )
    if word == "legacy":
        return replace(image, boots=(BootImage("legacy", 0, 0, bootable=True),))
    if word == "signed":
        return image
    from inkshelf.core.machine.figures import near

    raise PlanError(
        f"“{word}” is nothing that can be told of an image.",
        near(word, ("uefi", "uefi32", "legacy", "signed", "hybrid", "largest")),
    )


class Laid(Value, frozen=True):
    """Volumes on a stick: the steps that make them, and what they are called by the parts that they are for."""

    steps: tuple[Step, ...]
    new: New


def laid(found: Machine, disk: Disk, table: str, wanted: tuple[tuple[Need, int], ...], seed: str, taken: Iterable[str]) -> Laid:
    """Return a fresh table with volumes one behind the other; a size of 0 takes what is left. Raises ``PlanError`` where they do not fit."""
    from inkshelf.core.aims.owning import new_table  # late, as above

    tabled = new_table(disk, table, seed)
    after = fold(found, tuple(tabled))
    if after.fault:
        raise PlanError(str(after.fault[1].what), after.fault[1].remedy)
    free = max(stretches(after.planned.disk(disk.id)), key=lambda one: one.size, default=None)
    room = align_down(free.size, MIB) if free else 0
    left = room - sum(size for _, size in wanted)
    sized = tuple((need, size or max(0, left)) for need, size in wanted)
    short = sum(max(size, need.floor) for need, size in sized) - room
    if free is None or short > 0:
        raise PlanError(
            f"Stick {disk.id} is too small: {both(max(short, MIB))} lack.",
            f"Take a larger stick than {disk.identity()}, or fewer images.",
        )
    new = make(after.planned.disk(disk.id), Fit(free.start, room), sized, seed, (*taken, *found.calls()))
    steps = tuple(_typed(one, new, table) for one in new.steps)
    return Laid((*tabled, *steps), replace(new, steps=steps))


def _typed(step: Step, new: New, table: str) -> Step:
    """On an MBR a FAT32 says what it is by its number."""
    if table != "mbr" or not isinstance(step, Create) or step.type_id != "0x07":
        return step
    part = next((key for key, call in new.calls.items() if call == step.call), "")
    return replace(step, type_id=FAT_BY_LBA) if part in {"files", "startup", "small"} else step


def before(images: Iterable[Image], disk: Disk) -> list[Step]:
    """Return what is done before a stick is written: every image got and compared, the stick told apart."""
    return [*(GetImage(one) for one in images), TellApart(disk.id)]


def after(disk: Disk, call: str, *, starts: bool = True) -> list[Step]:
    """Return what is done last; ``call``: the volume that firmware starts, where it ``starts`` anything."""
    return [Eject(disk.id, call), *([TryStart(disk.id, call)] if starts else [])]


def fat_label(text: str, otherwise: str) -> str:
    """Return a label that FAT32 takes: capitals, eleven at most, none that it bars."""
    plain = re.sub(r"[^A-Z0-9_ -]", "", text.upper())[:11].strip()
    return plain or otherwise


def safe_name(image: Image) -> str:
    """Return the file that an image becomes on a stick: characters that every system and menu takes as they are."""
    name = image.name.rsplit("/", 1)[-1]
    _, dot, ending = name.rpartition(".")
    whole = name if dot and f".{ending.lower()}" in exact("media", "image_endings").split() else f"{name}.iso"
    plain = re.sub(r"[^A-Za-z0-9._+-]", "_", whole)[-100:].lstrip("._+-")
    return f"/{plain or 'image.iso'}"


def need(part: str, role: str, type_key: str, filesystem: str, label: str, name: str, floor: int, reason: str) -> Need:
    """Return a volume of a stick."""
    return Need(part, role, type_key, filesystem, label, name, floor, floor, grows=True, reason=reason)  # type: ignore[arg-type]
