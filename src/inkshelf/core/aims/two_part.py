"""The aim "two-part": a small FAT32 that firmware reads, and a large volume for what FAT32 does not hold; a map says what goes where."""

from __future__ import annotations

from typing import ClassVar, Literal

from inkshelf.core.aims.base import Answer, Need, Picture, Question
from inkshelf.core.aims.sticks import (
    NAME_ONE,
    StickAim,
    after,
    before,
    fat_label,
    images_question,
    laid,
    need,
    stick_question,
    the_stick_of,
)
from inkshelf.core.disk.kinds import kind_of
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Machine
from inkshelf.core.media.material import FAT32_MOST, Top
from inkshelf.core.media.tops import MOST
from inkshelf.core.media.ways import refused_copied
from inkshelf.core.size import MIB, align_up, binary
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import CopyFiles, Step
from inkshelf.core.texts import Line

KINDS = (
    Answer("ext4", "ext4", "For systems of the Linux family; no limit that matters."),
    Answer("NTFS", "ntfs", "Read by both families; its loader needs a driver for it."),
    Answer("exFAT", "exfat", "Read by both families, without a journal."),
)
ROOT = "(files in the root)"
SLACK = 32 * MIB


class TwoPart(StickAim, frozen=True, tag="two-part"):
    """One image on two volumes of ``disk``. ``large``: the folders of its root that go to the large one (empty: those with a file that FAT32 does not hold)."""

    title: ClassVar[str] = "A stick in two parts"
    about: ClassVar[str] = (
        "A small FAT32 that firmware starts, a large volume for files of 4 GiB and more, and a map between them."
    )
    short: ClassVar[str] = "two parts"
    picture: ClassVar[Picture] = (((0, 1, "gap"),), ((0.02, 0.16, "pencil"), (0.2, 0.98, "stick")))

    filesystem: Literal["ext4", "ntfs", "exfat"] = "ext4"
    large: tuple[Line, ...] = ()

    def sentence(self, found: Machine) -> str:
        """Name the image and what goes where."""
        name = self.images[0].name if self.images else "An image"
        big = ", ".join(one.name or ROOT for one in self.parted()[1])
        return f"{name} on two volumes of stick {self.disk}" + (f"; on the large one: {big}" if big else "")

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; the map is one of them."""
        tops = self.images[0].tops if self.images else ()
        answers = tuple(
            Answer(
                one.name or ROOT,
                one.name or ROOT,
                f"{one.files} files, {binary(one.payload)}, the largest {binary(one.largest)}",
            )
            for one in tops
        )
        return (
            stick_question(found),
            images_question(several=False),
            Question("filesystem", "Large volume", KINDS, "ext4", "its live systems read it without a driver"),
            Question("large", "On the large volume", answers, "", "what has a file that FAT32 does not hold", "names"),
        )

    def parted(self) -> tuple[tuple[Top, ...], tuple[Top, ...]]:
        """Return the folders of the image's root that go to the small volume, and those that go to the large one."""
        tops = self.images[0].tops if self.images else ()
        named = {"" if one == ROOT else one for one in self.large}
        big = tuple(one for one in tops if (one.name in named if named else one.largest > FAT32_MOST))
        return tuple(one for one in tops if one not in big), big

    def overruled(self, found: Machine) -> str:
        """Return why this machine would not start what is made all the same (empty: it does)."""
        return refused_copied(self.images[0], found) if self.images else ""

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the two volumes; the label that the menu looks for is the large one's."""
        if not self.images:
            return ()
        small, big = self.parted()
        image = self.images[0]
        least = max(kind_of("fat32").smallest, align_up(sum(one.takes(4096) for one in small) * 21 // 20 + SLACK, MIB))
        room = align_up(sum(one.takes(4096) for one in big) * 21 // 20 + 4 * SLACK, MIB)
        sought = (image.live.label if image.live else "") or image.label or "FILES"
        kind = kind_of(self.filesystem)
        label = sought[: kind.label_units or 11]
        return (
            need(
                "small",
                "startup",
                "efi_system",
                "fat32",
                fat_label("START", "START"),
                "efi_system",
                least,
                "what firmware reads",
            ),
            need(
                "large",
                "medium",
                "basic_data",
                self.filesystem,
                label,
                "",
                room,
                "files of any size; the label that is looked for",
            ),
        )

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where there is nothing to part, or FAT32 would get what it does not hold."""
        disk = the_stick_of(found, self.disk)
        if len(self.images) != 1:
            raise PlanError("No image was named.", NAME_ONE)
        image = self.images[0]
        if image.told:
            raise PlanError(f"{image.name} is not here yet: which files it has is not known.", "Name its file.")
        if len(image.tops) > MOST:
            raise PlanError(f"{image.name} has more than {MOST} folders in its root.", "Take the aim stick.")
        small, big = self.parted()
        if not big:
            raise PlanError(
                f"{image.name} has no file that FAT32 does not hold: one volume does.",
                "Take the aim stick, or say what goes to the large one.",
            )
        if not any(one.name.lower() == "efi" for one in small):
            raise PlanError("The loaders would not lie where firmware reads them.", "Keep the folder efi on the small volume.")
        over = next((one for one in small if one.largest > FAT32_MOST), None)
        if over is not None:
            raise PlanError(f"{over.name or ROOT} has a file that FAT32 does not hold.", "Put it on the large volume.")
        first, second = self.needs(found)
        made = laid(
            found, disk, "gpt" if found.firmware.mode == "uefi" else "mbr", ((first, first.floor), (second, 0)), seed, taken
        )
        calls = made.new.calls
        copies = [
            CopyFiles(calls["small"], image, tuple(one.name for one in small)),
            CopyFiles(calls["large"], image, tuple(one.name for one in big)),
        ]
        return identified((*before((image,), disk), *made.steps, *copies, *after(disk, calls["small"])), self.id)
