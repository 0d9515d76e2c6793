"""The aim "many": images as ordinary files on one stick or several, started from a menu; which of them fit is solved exactly."""

from __future__ import annotations

from typing import ClassVar, Literal

from inkshelf.core.aims.base import Answer, Need, Picture, Question
from inkshelf.core.aims.menus_on_sticks import Shown, menu
from inkshelf.core.aims.sticks import (
    LEFT_OUT,
    NAME_ONE,
    StickAim,
    after,
    before,
    images_question,
    laid,
    most_question,
    need,
    safe_name,
    stick_question,
    sticks_of,
    the_stick_of,
    weight_of,
)
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk, HeldImage, Machine, Volume
from inkshelf.core.media.many import STARTUP, Many, Spot, together
from inkshelf.core.media.material import FAT32_MOST, Image
from inkshelf.core.media.ways import refused_menu
from inkshelf.core.size import MIB
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import PutImage, Step, TakeOff
from inkshelf.core.texts import Letter, Line, few
from inkshelf.core.value import Value

START_LABEL, LARGE_LABEL = "START", "IMAGES"
KINDS = (
    Answer("as it fits", "auto", "FAT32 where every image fits it, exFAT where one is larger."),
    Answer("FAT32", "fat32", "Read by everything; no image of 4 GiB and more."),
    Answer("exFAT", "exfat", "Images of any size; menus and systems of the last years read it."),
    Answer("NTFS", "ntfs", "Images of any size; the NT family reads and writes it."),
)
THERE = (
    Answer("added to", "keep", "Images that are there stay; the menu is made anew."),
    Answer("made anew", "erase", "Everything on the sticks goes."),
)


class Built(Value, frozen=True):
    """A stick that was made so before: its start-up volume, and the one that holds the images."""

    startup: Volume
    large: Volume


class ManyImages(StickAim, frozen=True, tag="many"):
    """Images as files on ``disk`` and the ``more`` sticks. ``images``: the pile; ``leave``: names that are not put on any, ``most``: those that are wanted most;
    ``off``: files that are taken off first. ``there``: whether sticks that were made so before are added to."""

    title: ClassVar[str] = "A stick with many images"
    about: ClassVar[str] = "A start-up volume and a large one where images lie as ordinary files; adding never erases."
    short: ClassVar[str] = "many images"
    picture: ClassVar[Picture] = (
        ((0, 1, "gap"),),
        ((0, 0.06, "pencil"), (0.08, 0.36, "stick"), (0.38, 0.6, "stick"), (0.62, 0.86, "stick")),
    )

    more: tuple[Letter, ...] = ()
    leave: tuple[Line, ...] = ()
    most: tuple[Line, ...] = ()
    off: tuple[Line, ...] = ()
    filesystem: Literal["auto", "fat32", "exfat", "ntfs"] = "auto"
    there: Literal["keep", "erase"] = "keep"

    def sentence(self, found: Machine) -> str:
        """Name the sticks, and how many images there are."""
        letters = " and ".join(self.letters())
        return f"{len(self._wanted())} images on stick {letters}, started from a menu"

    def letters(self) -> tuple[str, ...]:
        """Return the letters of the sticks, the first one first."""
        return tuple(dict.fromkeys((self.disk, *self.more)))

    def _wanted(self) -> tuple[Image, ...]:
        return tuple(one for one in self.images if one.name not in self.leave)

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; other sticks and what is on them are offered as they are."""
        others = tuple(Answer(f"stick {one.id}", one.id, one.identity()) for one in sticks_of(found) if one.id != self.disk)
        pile = tuple(Answer(one.name, one.name, "not put on any stick") for one in self.images)
        held = tuple(Answer(one.path, one.path, "taken off first") for _, _, one in self._held(found))
        wide = max((one.size for one in self._wanted()), default=0) > FAT32_MOST
        return (
            stick_question(found),
            Question("more", "More sticks", others, "", "one is enough as long as everything fits", "names"),
            images_question(several=True),
            most_question(self.images),
            Question("leave", "Left out", pile, "", "everything is wanted", "names"),
            Question("off", "Taken off first", held, "", "adding never erases", "names"),
            Question(
                "filesystem",
                "Volume for the images",
                KINDS,
                "auto",
                "one image is larger than FAT32 holds" if wide else "all of them fit FAT32",
            ),
            Question("there", "A stick that was made so before", THERE, "keep", "what is on it may be needed"),
        )

    def _held(self, found: Machine) -> tuple[tuple[Disk, Volume, HeldImage], ...]:
        return tuple(
            (disk, volume, one)
            for disk in found.disks
            if disk.id in self.letters()
            for volume in disk.volumes
            for one in volume.images
        )

    def _kind(self) -> str:
        if self.filesystem != "auto":
            return self.filesystem
        return "exfat" if max((one.size for one in self._wanted()), default=0) > FAT32_MOST else "fat32"

    def overruled(self, found: Machine) -> str:
        """Return why this machine would not start what is made all the same (empty: it does)."""
        return refused_menu(found)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the two volumes of the first stick that is made anew."""
        return (
            need("startup", "startup", "efi_system", "fat32", START_LABEL, "efi_system", STARTUP, "loaders and the menu"),
            need(
                "large", "medium", "basic_data", self._kind(), LARGE_LABEL, "", 64 * MIB, "what is left: the images, as files"
            ),
        )

    def built(self, disk: Disk) -> Built | None:
        """Return the volumes of a stick that was made so before, where it is added to."""
        if self.there == "erase":
            return None
        start = next((one for one in disk.volumes if _labelled(one, START_LABEL) and one.boot_files), None)
        large = next((one for one in disk.volumes if _labelled(one, LARGE_LABEL)), None)
        return Built(start, large) if start and large else None

    def packed(self, found: Machine) -> Many:
        """Return which images go on which stick; raises ``PlanError`` where a stick is not there."""
        spots = tuple(self._spot(the_stick_of(found, letter)) for letter in self.letters())
        wanted = self._wanted()
        return together(wanted, spots, tuple(weight_of(one, self.most) for one in wanted))

    def left_out(self, found: Machine) -> dict[str, str]:
        """Return which images are not put on any stick, and why."""
        asked = {one.name: LEFT_OUT for one in self.images if one.name in self.leave}
        return asked | (dict(self.packed(found).packing.left) if self._wanted() else {})

    def next_room(self, found: Machine) -> dict[str, tuple[int, int]]:
        """Return the bytes that stay on each stick, and the largest next image."""
        return {key: (free, following) for key, free, following in self.packed(found).packing.free}

    def _spot(self, disk: Disk) -> Spot:
        made = self.built(disk)
        if made is None:
            return Spot.empty(disk.id, disk.size, self._kind())
        system = made.large.filesystem
        off = sum(one.size for one in made.large.images if one.path in self.off)
        free = (system.size_bytes - (system.used_bytes or 0)) if system else 0
        return Spot(disk.id, free + off, system.kind if system else "", system.cluster_bytes if system else 0)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps, stick by stick; raises ``PlanError`` where nothing at all fits."""
        letters = self.letters()
        wanted = self._wanted()
        unknown = next((one for one in self.off if all(one != held.path for _, _, held in self._held(found))), "")
        if unknown:
            raise PlanError(f"{unknown} is not on these sticks.", "Choose one of the images that are there.")
        if not wanted and not self.off:
            raise PlanError("No image was named.", NAME_ONE)
        packed = self.packed(found).packing
        if wanted and not packed.put:
            raise PlanError("None of these images fits.", few((f"{name}: {why}" for name, why in packed.left), 4, "; "))
        where = dict(packed.put)
        steps: list[Step] = []
        given = [*taken]
        for letter in letters:
            mine = tuple(one for one in wanted if where.get(one.name) == letter)
            own = self._one(found, the_stick_of(found, letter), mine, f"{seed}/{letter}", tuple(given))
            given += [call for step in own for call in step.gives_calls()]
            steps += own
        return identified(tuple(steps), self.id)

    def _one(self, found: Machine, disk: Disk, images: tuple[Image, ...], seed: str, taken: tuple[str, ...]) -> list[Step]:
        made = self.built(disk)
        steps: list[Step] = before(images, disk)
        if made is None:
            if not images:
                return []
            startup, large = self.needs(found)
            fresh = laid(
                found, disk, "gpt" if found.firmware.mode == "uefi" else "mbr", ((startup, STARTUP), (large, 0)), seed, taken
            )
            steps += fresh.steps
            start, call, uuid = fresh.new.calls["startup"], fresh.new.calls["large"], fresh.new.uuids["large"]
            kept: tuple[HeldImage, ...] = ()
        else:
            start, call = made.startup.call, made.large.call
            uuid = made.large.filesystem.uuid if made.large.filesystem else ""
            steps += [TakeOff(call, one.path) for one in made.large.images if one.path in self.off]
            kept = tuple(one for one in made.large.images if one.path not in self.off)
        shown = [Shown(one, path) for one, path in _named(images, kept)]
        steps += [PutImage(call, one.image, one.path) for one in shown]
        was = [Shown(self._known(one), one.path) for one in kept]
        return [*steps, menu(start, f"images of stick {disk.id}", (*was, *shown), uuid), *after(disk, start)]

    def _known(self, held: HeldImage) -> Image:
        """An image that is there already: as it was looked into for this job, or by its name alone."""
        name = held.path.strip("/")
        return next((one for one in self.images if safe_name(one) == held.path), Image(name, held.size, "iso", told=True))


def _labelled(volume: Volume, label: str) -> bool:
    return bool(volume.filesystem and volume.filesystem.label.upper() == label)


def _named(images: tuple[Image, ...], kept: tuple[HeldImage, ...]) -> list[tuple[Image, str]]:
    """Each image with a file's name of its own on the stick."""
    taken = {one.path.lower() for one in kept}
    found = []
    for one in images:
        path = safe_name(one)
        stem, dot, ending = path.rpartition(".")
        number = 2
        while path.lower() in taken:
            path = f"{stem}-{number}{dot}{ending}"
            number += 1
        taken.add(path.lower())
        found.append((one, path))
    return found
