"""Say how a disk is to be arranged, in one line: ``B1 S1=300GiB R1 D1@500GiB``; the order of the work follows."""

from __future__ import annotations

import re

from inkshelf.core.errors import PlanError
from inkshelf.core.fit.order import Target
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.size import MIB, align_down, align_up, binary, parse_size

WORD = re.compile(r"([A-Z]\d+)(?:=([^@]+))?(?:@(.+))?")
FREE = re.compile(r"FREE=(.+)")


def targets(disk: Disk, line: str) -> tuple[Target, ...]:
    """Return what a line asks for; raises ``PlanError`` with the word that makes no sense.

    The first volume stays where it is, each other one goes right behind the one before it. ``=SIZE`` resizes (``=rest``: up to
    the next volume that is not named, or the end), ``@PLACE`` puts it at a place, ``@stay`` leaves it; ``free=SIZE`` leaves room.
    """
    known = {one.call: one for one in disk.volumes}
    words = line.split()
    named = {match.group(1) for word in words if (match := WORD.fullmatch(word.upper()))}
    found: list[Target] = []
    at: int | None = None
    for word in words:
        free = FREE.fullmatch(word.upper())
        if free and at is not None:
            at = align_up(at + parse_size(free.group(1)), MIB)
            continue
        match = WORD.fullmatch(word.upper())
        if match is None or match.group(1) not in known:
            raise PlanError(f"“{word}” is not understood.", f"Name volumes of disk {disk.id}: {', '.join(known)}.")
        if any(one.call == match.group(1) for one in found):
            raise PlanError(f"{match.group(1)} is named twice.", "Name each volume once.")
        volume = known[match.group(1)]
        start = _start(volume, match.group(3), at)
        size = _size(disk, volume, match.group(2), start, named)
        found.append(Target(volume.call, start, size))
        at = align_up(start + size, MIB) + (MIB if volume.logical else 0)
    if not found:
        raise PlanError("No volume is named.", f"Name volumes of disk {disk.id}: {', '.join(known)}.")
    return tuple(found)


def _start(volume: Volume, said: str | None, at: int | None) -> int:
    if said == "STAY" or (said is None and at is None):
        return volume.start
    return align_up(parse_size(said), MIB) if said else at or volume.start


def _size(disk: Disk, volume: Volume, said: str | None, start: int, named: set[str]) -> int:
    if said is None:
        return volume.size
    if said != "REST":
        return align_up(parse_size(said), MIB)
    others = [one.start for one in disk.volumes if one.call not in named and one.start >= start]
    end = align_down(min([disk.usable_end, *others]), MIB)
    if end <= start:
        raise PlanError(f"There is no room for {volume.call} at {binary(start)}.", "Choose another place.")
    return end - start


def as_line(disk: Disk) -> str:
    """Return the line that says how a disk is arranged now: a person changes it."""
    words, at = [], None
    for volume in disk.volumes:
        place = "" if at is None or volume.start == at else "@stay"
        words.append(f"{volume.call}{place}")
        at = align_up(volume.end, MIB) + (MIB if volume.logical else 0)
    return " ".join(words)
