"""The aim "installer-set": one stick with a volume for each version of an installer; which of them fit is solved exactly."""

from __future__ import annotations

import re
from typing import ClassVar

from inkshelf.core.aims.base import Answer, Need, Picture, Question
from inkshelf.core.aims.menus_on_sticks import chained
from inkshelf.core.aims.sticks import (
    LEFT_OUT,
    NAME_ONE,
    StickAim,
    fat_label,
    images_question,
    laid,
    most_question,
    need,
    stick_question,
    the_stick_of,
    weight_of,
)
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Machine
from inkshelf.core.media.material import FAT32_MOST, Image, stem_of
from inkshelf.core.media.packing import Item, Packing, Room, pack
from inkshelf.core.media.ways import refused_menu
from inkshelf.core.size import MIB, align_down, align_up
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import CopyFiles, Eject, GetImage, Step, TellApart, TryStart
from inkshelf.core.texts import Line, few

STARTUP, SLACK, EDGES = 64 * MIB, 96 * MIB, 4 * MIB
LABEL = 11  # characters that FAT32 has for one


class InstallerSet(StickAim, frozen=True, tag="installer-set"):
    """Installers on ``disk``, a volume each. ``leave``: names that are left out, ``most``: those that are wanted most."""

    title: ClassVar[str] = "A set of installers on one stick"
    about: ClassVar[str] = "One labelled volume for each version, each large enough, and one that firmware starts."
    short: ClassVar[str] = "installer set"
    picture: ClassVar[Picture] = (
        ((0, 1, "gap"),),
        ((0, 0.06, "pencil"), (0.08, 0.34, "stick"), (0.36, 0.66, "stick"), (0.68, 0.98, "stick")),
    )

    leave: tuple[Line, ...] = ()
    most: tuple[Line, ...] = ()

    def sentence(self, found: Machine) -> str:
        """Name how many there are, and the stick."""
        return f"{len(self._wanted())} installers on stick {self.disk}, a volume each"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions."""
        pile = tuple(Answer(one.name, one.name, "not put on the stick") for one in self.images)
        return (
            stick_question(found),
            images_question(several=True),
            most_question(self.images),
            Question("leave", "Left out", pile, "", "everything is wanted", "names"),
        )

    def _wanted(self) -> tuple[Image, ...]:
        return tuple(one for one in self.images if one.name not in self.leave)

    def packed(self, found: Machine) -> Packing:
        """Return which installers fit, the best use of the stick."""
        disk = the_stick_of(found, self.disk)
        room = max(0, align_down(disk.size - STARTUP - EDGES, MIB))
        items = tuple(Item(one.name, room_of(one), one.size, weight_of(one, self.most)) for one in self._wanted())
        return pack(items, (Room(disk.id, room),))

    def left_out(self, found: Machine) -> dict[str, str]:
        """Return which images are not put on the stick, and why."""
        asked = {one.name: LEFT_OUT for one in self.images if one.name in self.leave}
        return asked | (dict(self.packed(found).left) if self._wanted() else {})

    def next_room(self, found: Machine) -> dict[str, tuple[int, int]]:
        """Return the bytes that stay on the stick, and the largest next installer."""
        return {key: (free, following) for key, free, following in self.packed(found).free}

    def _fitting(self, found: Machine) -> tuple[Image, ...]:
        put = {name for name, _ in self.packed(found).put}
        return tuple(one for one in self._wanted() if one.name in put)

    def overruled(self, found: Machine) -> str:
        """Return why this machine would not start what is made all the same (empty: it does)."""
        return refused_menu(found)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the start-up volume, and one for each installer that fits."""
        if not self.images or not any(one.id == self.disk for one in found.disks):
            return ()
        start = need(
            "startup",
            "startup",
            "efi_system",
            "fat32",
            "START",
            "efi_system",
            STARTUP,
            "what firmware starts: a menu of the others",
        )
        labels = _labels(self._fitting(found))
        return (start, *(_need(at, one, label) for at, (one, label) in enumerate(labels, 1)))

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where no installer fits."""
        disk = the_stick_of(found, self.disk)
        if not self._wanted():
            raise PlanError("No installer was named.", NAME_ONE)
        packed = self.packed(found)
        if not packed.put:
            raise PlanError("None of these installers fits.", few((f"{name}: {why}" for name, why in packed.left), 4, "; "))
        images, needs = self._fitting(found), self.needs(found)
        made = laid(found, disk, "gpt", tuple((one, one.floor) for one in needs), seed, taken)
        calls = [made.new.calls[one.part] for one in needs[1:]]
        start = made.new.calls["startup"]
        copies = [CopyFiles(call, one) for call, one in zip(calls, images, strict=True)]
        menu = chained(
            start,
            f"installers of stick {disk.id}",
            tuple((one.name, need.label) for one, need in zip(images, needs[1:], strict=True)),
        )
        tries = [TryStart(disk.id, call, one.name) for call, one in zip(calls, images, strict=True)]
        got = [GetImage(one, unpacked=one.payload or one.size) for one in images]
        return identified((*got, TellApart(disk.id), *made.steps, *copies, menu, Eject(disk.id, start), *tries), self.id)


def room_of(image: Image) -> int:
    """Return the bytes that an installer's volume takes: its files, a twentieth more, and a little to write in."""
    payload = image.payload or image.size
    return align_up(payload + payload // 20 + SLACK, MIB)


def _need(number: int, image: Image, label: str) -> Need:
    wide = max((one.largest for one in image.tops), default=0) > FAT32_MOST
    kind = "exfat" if wide else "fat32"
    return need(
        f"installer{number}", "medium", "basic_data", kind, label, "", room_of(image), "its files, and a little to write in"
    )


def _with_version(stem: str) -> str:
    """The label of an installer: what is cut is cut before its version, by which it is told from the others."""
    version = re.search(r"[-_ ]?[0-9][0-9._]*$", stem)
    tail = version.group(0).replace(".", "_")[-6:] if version else ""
    return fat_label(f"{stem[: LABEL - len(tail)]}{tail}" if len(stem) > LABEL else stem.replace(".", "_"), "INSTALLER")


def _labels(images: tuple[Image, ...]) -> list[tuple[Image, str]]:
    """A label of its own for each, made of its file's name."""
    taken, found = {"START"}, []
    for one in images:
        label = _with_version(stem_of(one.name).replace(" ", "_"))
        number = 2
        while label in taken:
            label = f"{label[:9]}{number:02}"
            number += 1
        taken.add(label)
        found.append((one, label))
    return found
