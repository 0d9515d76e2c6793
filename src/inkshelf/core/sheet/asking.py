"""What a step asks for while it is done: a value that is found on the screen, and whether the work may go on with it.

A step of a kind that is not here asks for nothing. What is found too small is a fact about the machine: planned with, from here.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import singledispatch

from inkshelf.core.errors import SizeError
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.people import free_of
from inkshelf.core.size import GIB, MIB, binary, grouped, mib_to_type, parse_size
from inkshelf.core.steps.kinds import Confirm, Prove, SetOrder, SetSecureBoot, Shrink
from inkshelf.core.texts import one_line
from inkshelf.core.value import Value

NUMBER = r"[0-9][0-9 _.,]{0,15}"
NEAR = 0.03
"""What a system shows as free may differ by so much of the volume."""


class Judged(Value, frozen=True):
    """What a value comes to. ``good``: the work may go on (``None``: it is only written down); ``fact``: what is known of the machine by
    it, as (field, value), to plan again with."""

    good: bool | None
    words: str
    fact: tuple[str, str] | None = None


class Asked(Value, frozen=True):
    """One value. ``title``: what it is on the screen; ``unit`` of a number that is typed alone; ``judge``: what it comes to, or an error in words."""

    key: str
    title: str
    unit: str
    judge: Callable[[str], Judged]


@singledispatch
def asked(step: object, scene: Scene) -> tuple[Asked, ...]:  # noqa: ARG001 - each kind uses what it needs
    """Return what a step asks for (nothing, where its kind asks for nothing)."""
    return ()


def whole(text: str, unit: int) -> int:
    """Return the bytes of a number of ``unit`` that is typed alone, or of a size with its own unit; raises ``SizeError``."""
    plain = text.strip()
    if re.fullmatch(NUMBER, plain):
        digits = re.sub(r"[ _]", "", plain).replace(",", ".")
        groups = digits.split(".")
        if len(groups) > 2 or (len(groups) == 2 and len(groups[1]) == 3 and unit == MIB):
            digits = "".join(groups)  # 229.112 and 229,112 in a box of whole numbers: thousands
        return int(float(digits) * unit)
    return parse_size(plain)


@asked.register
def _shrink(step: Shrink, scene: Scene) -> tuple[Asked, ...]:
    place = scene.before.find(step.call)
    if place is None or step.by:
        return ()
    volume, found = place[1], scene.found.find(step.call)
    needed = mib_to_type(volume.size - step.to_bytes)
    gone = (found[1].size - volume.size) // MIB if found else 0  # what an earlier step took: the fact is of the volume as found

    def judge(text: str) -> Judged:
        offered = whole(text, MIB) // MIB
        if offered * MIB > volume.size:
            raise SizeError(f"{step.call} has {grouped(volume.size // MIB)} MB in all.", "Read the number again.")
        fact = (f"shrinkable:{step.call}", f"{offered + max(0, gone)} MiB")
        if offered < needed:
            return Judged(False, f"{grouped(needed - offered)} MB less than needed: stop here and plan again", fact)
        more = f"{grouped(offered - needed)} MB more than needed" if offered > needed else "just what is needed"
        return Judged(True, more, fact)

    kind = volume.filesystem.kind if volume.filesystem else ""
    return (Asked("offered", "the box offers", "MB", judge),) if kind == "ntfs" else ()


@asked.register
def _prove(step: Prove, scene: Scene) -> tuple[Asked, ...]:
    place = scene.at(step.call)
    free = free_of(place[1]) if place else None
    if place is None or free is None:
        return ()
    room = place[1].size

    def judge(text: str) -> Judged:
        shown = whole(text, GIB)
        if shown > room:
            raise SizeError(f"{step.call} has {binary(room)} in all.", "Read the number again.")
        if abs(shown - free) <= NEAR * room:
            return Judged(True, "about what was planned")
        side = "less" if shown < free else "more"
        return Judged(False, f"{binary(abs(shown - free))} {side} than planned: look which volume it is before you go on")

    return (Asked("free", "free space it shows", "GiB", judge),)


@asked.register
def _order(step: SetOrder, scene: Scene) -> tuple[Asked, ...]:
    if scene.found.firmware.entries_known or step.by != "person":
        return ()
    return (Asked("order", "the order that was found", "", _written),)


@asked.register
def _secure(step: SetSecureBoot, _scene: Scene) -> tuple[Asked, ...]:
    def judge(text: str) -> Judged:
        said = text.strip().lower()
        if said not in {"on", "off"}:
            raise SizeError(f"“{text.strip()}” is neither on nor off.", "Write on or off, as the firmware had it.")
        if said == step.state:
            return Judged(True, "it was so already: nothing to switch")
        return Judged(None, f"it was {said}: that is what it goes back to")

    return (Asked("found", "Secure Boot was found", "", judge),)


@asked.register
def _confirm(step: Confirm, _scene: Scene) -> tuple[Asked, ...]:
    """What the firmware said, before anything was changed."""
    if step.subject != "firmware_values":
        return ()
    titles = {"key": "the key that opened the firmware", "fast-boot": "fast boot", "order": "boot order"}
    return tuple(Asked(key, title, "", _written) for key, title in titles.items())


def _written(text: str) -> Judged:
    one_line(text, "What was found")
    return Judged(None, "written down")
