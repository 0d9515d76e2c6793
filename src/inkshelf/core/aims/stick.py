"""The aim "stick": one image on one stick, in the way that this machine starts; or the stick as a plain one for data again."""

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
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.media.material import PART, Image
from inkshelf.core.media.ways import Way, chosen, ways
from inkshelf.core.size import MIB, align_up
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import CopyFiles, Step, WriteImage

BRIDGE = 64 * MIB
WAYS = (
    Answer("as it fits", "auto", "By the image and this machine; the reason stands beside it."),
    Answer("byte by byte", "raw", "The image decides on everything; what is left of the stick is not used."),
    Answer("files on FAT32", "files", "Every firmware reads it, files can be added; none of 4 GiB and more."),
    Answer("payload split", "split", "Files on FAT32, the payload in parts that its installer joins; Secure Boot stays on."),
    Answer("NTFS with a bridge", "bridge", "Files of any size; the bridge's driver is not signed: Secure Boot off."),
    Answer("plain data stick", "data", "No image: one volume for files again."),
)
TABLES = (
    Answer("as it fits", "auto", "GPT for UEFI, MBR where the machine is older or not known."),
    Answer("MBR", "mbr", "The widest range of machines reads it."),
    Answer("GPT", "gpt", "For UEFI only; no limit at 2 TiB."),
)


class Stick(StickAim, frozen=True, tag="stick"):
    """One image on ``disk``. ``images``: the one. ``way``: how; ``table``: of the stick where files are copied."""

    title: ClassVar[str] = "A stick that starts one image"
    about: ClassVar[str] = "An installer or a live system on a stick of its own, made so that this machine starts it."
    short: ClassVar[str] = "one image"
    picture: ClassVar[Picture] = (((0, 1, "gap"),), ((0.06, 0.94, "stick"),))

    way: Literal["auto", "raw", "files", "split", "bridge", "data"] = "auto"
    table: Literal["auto", "mbr", "gpt"] = "auto"

    def sentence(self, found: Machine) -> str:
        """Name the image, the stick and the way."""
        if self.way == "data":
            return f"Stick {self.disk} as a plain data stick"
        way = self._way(found) if self.images else None
        name = self.images[0].name if self.images else "An image"
        return f"{name} on stick {self.disk}" + (f", {way.title}" if way else "")

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; which way is usual follows from image and machine."""
        usual = chosen(self.images[0], found) if self.images else None
        why = (
            f"{usual.title}: {usual.reason}"
            if usual
            else "name an image first"
            if not self.images
            else "none does on this machine"
        )
        return (
            stick_question(found),
            images_question(several=False),
            Question("way", "How it comes onto the stick", WAYS, "auto", why.rstrip(".")),
            Question("table", "Table of the stick", TABLES, "auto", self._table_why(found)),
        )

    def _table_why(self, found: Machine) -> str:
        return "this machine starts by UEFI" if found.firmware.mode == "uefi" else "older machines read it too"

    def _way(self, found: Machine) -> Way | None:
        image = self.images[0]
        if self.way == "auto":
            return chosen(image, found)
        return next((one for one in ways(image, found) if one.key == self.way), None)

    def _table(self, found: Machine) -> str:
        if self.table != "auto":
            return self.table
        return "gpt" if found.firmware.mode == "uefi" else "mbr"

    def _label(self) -> str:
        """Its menu may look for a label: the stick bears that one, where FAT32 takes it."""
        image = self.images[0] if self.images else None
        return fat_label((image.live.label if image.live and image.live.label else image.label) if image else "", "STICK")

    def overruled(self, found: Machine) -> str:
        """Return why this machine would not start what is made all the same (empty: it does)."""
        way = self._way(found) if self.images and self.way != "data" else None
        return way.fault if way and not way.impossible else ""

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the volumes: none where the image brings its own."""
        if self.way == "data":
            return (need("files", "data", "basic_data", self._plain(found), "DATA", "", 34 * MIB, "all of the stick"),)
        way = self._way(found) if self.images else None
        if way is None or way.key == "raw":
            return ()
        if way.key == "bridge":
            return (
                need(
                    "small",
                    "startup",
                    "efi_system",
                    "fat32",
                    "BRIDGE",
                    "efi_system",
                    BRIDGE,
                    "loader and driver: firmware reads it",
                ),
                need("large", "medium", "basic_data", "ntfs", "FILES", "", way.bytes - BRIDGE, "the image's files, any size"),
            )
        why = "the image's files, a twentieth more, and a little to write in"
        return (need("files", "medium", "basic_data", "fat32", self._label(), "", way.bytes, why),)

    def _plain(self, found: Machine) -> str:
        disk = next((one for one in found.disks if one.id == self.disk), Disk("M", 0))
        return "exfat" if disk.size > 32 << 30 else "fat32"

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where no way does, or the stick is too small."""
        disk = the_stick_of(found, self.disk)
        if self.way == "data":
            made = laid(found, disk, self._table(found), ((self.needs(found)[0], 0),), seed, taken)
            return identified((*before((), disk), *made.steps, *after(disk, made.new.calls["files"], starts=False)), self.id)
        if len(self.images) != 1:
            raise PlanError("No image was named.", NAME_ONE)
        image, way = self.images[0], self._way(found)
        if way is None or (way.fault and self.way == "auto"):
            known = ways(image, found)
            first = next((one for one in known if not one.impossible), known[0])
            raise PlanError(
                f"No way makes a stick of {image.name} that this machine starts: {first.fault}.", "Take another image."
            )
        if way.impossible:
            raise PlanError(f"{image.name} cannot be put there {way.title}: {way.fault}.", "Choose another way.")
        work = {"raw": self._raw, "files": self._files, "split": self._files, "bridge": self._bridge}[way.key]
        steps, call = work(found, disk, image, way, seed, taken)
        return identified((*before((image,), disk), *steps, *after(disk, call)), self.id)

    def _raw(
        self, found: Machine, disk: Disk, image: Image, way: Way, seed: str, taken: tuple[str, ...]
    ) -> tuple[list[Step], str]:
        given = [*taken, *found.calls()]
        calls: list[str] = []
        for _ in image.as_disk.volumes if image.as_disk else ():
            calls.append(next_call("medium", (*given, *calls)))
        return [WriteImage(disk.id, image, tuple(calls))], calls[0] if calls else ""

    def _files(
        self, found: Machine, disk: Disk, image: Image, way: Way, seed: str, taken: tuple[str, ...]
    ) -> tuple[list[Step], str]:
        made = laid(found, disk, self._table(found), ((self.needs(found)[0], 0),), seed, taken)
        call = made.new.calls["files"]
        part = PART if way.key == "split" else 0
        return [*made.steps, CopyFiles(call, image, part=part)], call

    def _bridge(
        self, found: Machine, disk: Disk, image: Image, way: Way, seed: str, taken: tuple[str, ...]
    ) -> tuple[list[Step], str]:
        from inkshelf.core.aims.menus_on_sticks import bridge

        small, large = self.needs(found)
        made = laid(found, disk, self._table(found), ((small, align_up(BRIDGE, MIB)), (large, 0)), seed, taken)
        steps = [*made.steps, bridge(made.new.calls["small"], image), CopyFiles(made.new.calls["large"], image)]
        return steps, made.new.calls["small"]
