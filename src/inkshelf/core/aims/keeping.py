"""The aim "keep": a live stick whose changes survive a restart, in a partition of their own or in a file."""

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
from inkshelf.core.aims.volumes import drawn_for, make
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit, stretches
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.media.material import FAT32_MOST, Image, keeps
from inkshelf.core.media.ways import Way, ways
from inkshelf.core.size import MIB, align_down, align_up, binary, parse_size
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import CopyFiles, Eject, KeepFile, RepairTable, Step, TryStart, WriteImage
from inkshelf.core.steps.making import WriteFile
from inkshelf.core.texts import Count
from inkshelf.data import table

WHERE = (
    Answer("a partition", "partition", "Of any size, checked like any other; the rest of the stick is it."),
    Answer("a file", "file", "On the same FAT32, 4 GiB less a byte at most; other machines see it as a file."),
)
WAYS = (
    Answer("its files", "files", "Its menu says by itself that changes are kept; files can be added."),
    Answer(
        "byte by byte", "raw", "As its maker means it, the volume for changes behind it; the option is typed at every start."
    ),
)


class Keep(StickAim, frozen=True, tag="keep"):
    """A live system on ``disk`` that keeps its changes. ``kept_bytes``: room for them (``None``: what is left, or a file as large as it may be)."""

    title: ClassVar[str] = "A live stick that keeps its changes"
    about: ClassVar[str] = "A live system that is another day's live system tomorrow: files, settings and programs stay."
    short: ClassVar[str] = "one that keeps"
    picture: ClassVar[Picture] = (((0, 1, "gap"),), ((0.02, 0.42, "stick"), (0.46, 0.98, "pencil")))

    way: Literal["files", "raw"] = "files"
    where: Literal["partition", "file"] = "partition"
    kept_bytes: Count | None = None

    def sentence(self, found: Machine) -> str:
        """Name the image, the stick, and for how many days the room does."""
        name = self.images[0].name if self.images else "A live system"
        size = self._kept(found) if self.images else 0
        return f"{name} on stick {self.disk}, changes kept" + (f" for about {days(size)} days" if size else "")

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; the room is told in days, too."""
        size = self._kept(found) if self.images else 0
        why = f"{binary(size)}: about {days(size)} days of changes" if size else "name an image first"
        return (
            stick_question(found),
            images_question(several=False),
            Question("way", "How the image comes onto it", WAYS, "files", "nothing has to be typed at a start"),
            Question("where", "Where changes are kept", WHERE, "partition", "no limit at 4 GiB, and a checker of its own"),
            Question("kept", "Room for changes", (Answer("what is left", "rest", why),), "rest", why, "size", "kept_bytes"),
        )

    def _way(self, found: Machine) -> Way | None:
        return next((one for one in ways(self.images[0], found) if one.key == self.way), None)

    def _kept(self, found: Machine) -> int:
        disk = next((one for one in found.disks if one.id == self.disk), Disk("M", 0))
        way = self._way(found)
        left = max(0, align_down(disk.size - (way.bytes if way else 0) - 4 * MIB, MIB))
        most = min(left, align_down(FAT32_MOST, MIB)) if self.where == "file" else left
        return self.kept_bytes if self.kept_bytes is not None else most

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the volume of the live system, and the one for changes."""
        way = self._way(found) if self.images else None
        live = self.images[0].live if self.images else None
        if way is None or live is None or not keeps(live):
            return ()
        if self.way == "raw":
            return (self._for_changes(live.family),)
        files = way.bytes + (self._kept(found) if self.where == "file" else 0)
        label = fat_label(live.label or self.images[0].label, "LIVE")
        first = need(
            "files", "medium", "basic_data", "fat32", label, "", align_up(files, MIB), "the image's files; firmware reads it"
        )
        if self.where == "file":
            return (first,)
        return first, self._for_changes(live.family)

    def _for_changes(self, family: str) -> Need:
        floor = parse_size(table("defaults")["keeping"]["first"])
        label = _family(family)["label"]
        return need("kept", "data", "linux_data", "ext4", label, "", floor, "the label that its live system looks for")

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` for an image that cannot keep, or where the room is too small to be of use."""
        disk = the_stick_of(found, self.disk)
        if len(self.images) != 1:
            raise PlanError("No image was named.", NAME_ONE)
        image, way = self.images[0], self._way(found)
        refuse_unkept(image)
        if way is None or way.fault:
            raise PlanError(
                f"{image.name} cannot be put on a stick so: {way.fault if way else ''}.", "Choose another way, or image."
            )
        size, least = self._kept(found), parse_size(table("defaults")["keeping"]["first"])
        if size < least:
            raise PlanError(
                f"{binary(max(0, size))} for changes are full after the first updates: {binary(least)} are the least.",
                "Take a larger stick, or a smaller image.",
            )
        live = image.live
        own = _family(live.family if live else "")
        if self.way == "raw":
            return self._behind(found, disk, image, own, size, seed, taken)
        if self.where == "file":
            return self._in_file(found, disk, image, own, size, seed, taken)
        first, second = self.needs(found)
        made = laid(found, disk, self._table(found), ((first, first.floor), (second, self.kept_bytes or 0)), seed, taken)
        steps = [*before((image,), disk), *made.steps, CopyFiles(made.new.calls["files"], image, keeps=True)]
        steps += [WriteFile(made.new.calls["kept"], own["file"], (own["line"],))] if own["file"] else []
        return identified((*steps, *after(disk, made.new.calls["files"])), self.id)

    def _behind(
        self, found: Machine, disk: Disk, image: Image, own: dict[str, str], size: int, seed: str, taken: tuple[str, ...]
    ) -> tuple[Step, ...]:
        """The image as it is; its table ends before the stick does: the second copy is moved to the end before a volume is added."""
        if self.where == "file":
            raise PlanError("An image that is written as it is takes no file.", "Keep changes in a partition.")
        given = [*taken, *found.calls()]
        calls: list[str] = []
        for _ in image.as_disk.volumes if image.as_disk else ():
            calls.append(next_call("medium", (*given, *calls)))
        steps: list[Step] = [WriteImage(disk.id, image, tuple(calls))]
        steps += [RepairTable(disk.id)] if image.as_disk and image.as_disk.table.kind == "gpt" else []
        done = fold(found, tuple(steps))
        if done.fault:
            raise PlanError(done.fault[1].what, done.fault[1].remedy)
        now = done.planned.disk(disk.id)
        free = max(stretches(now), key=lambda one: one.size, default=None)
        room = min(align_down(free.size, MIB) if free else 0, size)
        if free is None or room < parse_size(table("defaults")["keeping"]["first"]):
            raise PlanError("Nothing is left behind the image for changes.", "Take a larger stick.")
        made = make(now, Fit(free.start, room), ((self.needs(found)[0], room),), f"{seed}/kept", (*given, *calls))
        steps += made.steps
        steps += [WriteFile(made.calls["kept"], own["file"], (own["line"],))] if own["file"] else []
        last = [Eject(disk.id, calls[0] if calls else "", own["option"]), TryStart(disk.id, calls[0] if calls else "")]
        return identified((*before((image,), disk), *steps, *last), self.id)

    def _in_file(
        self, found: Machine, disk: Disk, image: Image, own: dict[str, str], size: int, seed: str, taken: tuple[str, ...]
    ) -> tuple[Step, ...]:
        made = laid(found, disk, self._table(found), ((self.needs(found)[0], 0),), seed, taken)
        call = made.new.calls["files"]
        uuid = drawn_for("ext4", seed, "kept")
        keep = KeepFile(call, f"/{own['label']}", size, own["label"], uuid, own["file"], own["line"])
        steps = [*before((image,), disk), *made.steps, CopyFiles(call, image, keeps=True), keep]
        return identified((*steps, *after(disk, call)), self.id)

    def _table(self, found: Machine) -> str:
        return "gpt" if found.firmware.mode == "uefi" else "mbr"


def refuse_unkept(image: Image) -> None:
    """Refuse an image whose live system keeps nothing, or of which nobody knows how it does."""
    if image.told or image.live is None:
        why = (
            "is not here yet: whether it keeps changes is not known" if image.told else "has no live system that is known here"
        )
        raise PlanError(f"{image.name} {why}.", "Name the file of a live system.")
    if not keeps(image.live):
        raise PlanError(
            f"The live system of {image.name} keeps no changes in a way that is known here.",
            "Choose another image, or install a whole system on the stick: the aim travelling.",
        )


def days(size: int) -> int:
    """Return for about how many days of changes so many bytes do, the first updates taken off."""
    own = table("defaults")["keeping"]
    return max(0, (size - parse_size(own["first"])) // parse_size(own["day"]))


def _family(key: str) -> dict[str, str]:
    return dict(table("exact_strings")["live_families"][key])
