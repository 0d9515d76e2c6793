"""What a person says of a volume, apart from what was read of it: each fact one value in one list, and what is said can be taken back."""

from __future__ import annotations

import re
from collections.abc import Callable

from inkshelf.core.errors import InkshelfError, PlanError
from inkshelf.core.machine.state import AsRead, FileSystem, Machine, SystemRoot, Told, Volume
from inkshelf.core.size import MIB, align_up, binary, parse_size
from inkshelf.core.texts import one_line
from inkshelf.core.value import Value, replace

YES_NO = {"yes": True, "no": False}
TITLES = {"nt": "NT family", "linux": "Linux family"}
ENTRY = r"[Bb]oot[0-9A-Fa-f]{4}"
CLOSE = 0.03  # of the volume: used space goes up and down while nobody looks


class Fact(Value, frozen=True):
    """One thing that can be said. ``example``: how it is written. ``put``: the volume with it, or an error in words; ``read``: what was
    read of the same, as it would be said, or ``None`` where that is not known."""

    key: str
    title: str
    example: str
    put: Callable[[Volume, str], Volume]
    read: Callable[[Volume], str | None]


def tell(machine: Machine, call: str, fact: str, value: str) -> Machine:
    """Return the machine with a fact said of a volume; an empty value takes back what was said. Raises ``InkshelfError``."""
    found = machine.find(call)
    if found is None:
        known = ", ".join(volume.call for _, volume in machine.volumes())
        raise PlanError(f"There is no volume {call}.", f"Choose one of: {known}." if known else "Take a disk in first.")
    if fact not in FACTS:
        raise PlanError(f"“{fact}” is nothing that can be said of a volume.", f"Choose one of: {', '.join(FACTS)}.")
    said = tuple(one for one in found[1].told if one.fact != fact)
    text = one_line(value.strip(), "What is said")
    return machine.with_volume(call, lambda one: with_told(one, (*said, Told(fact, text)) if text else said))


def with_told(volume: Volume, said: tuple[Told, ...]) -> Volume:
    """Return the volume as it was read, with what is said of it put on top, in the order of the facts."""
    base = volume.as_read or AsRead(volume.role, volume.filesystem, volume.holds)
    made = replace(
        volume, role=base.role, filesystem=base.filesystem, holds=base.holds, told=said, as_read=base if said else None
    )
    for fact in FACTS.values():
        for one in said:
            made = fact.put(made, one.value) if one.fact == fact.key else made
    return made


def as_read(volume: Volume) -> Volume:
    """Return the volume without what a person said of it."""
    return with_told(volume, ())


def machine_as_read(machine: Machine) -> Machine:
    """Return the machine without what a person said of any volume: what an image really holds."""
    disks = tuple(replace(disk, volumes=tuple(as_read(one) for one in disk.volumes)) for disk in machine.disks)
    return replace(machine, disks=disks)


def carried(old: Volume, new: Volume) -> tuple[Volume, list[str]]:
    """Return a volume that was read anew with what was said of it before, and what the reading contradicts: there the reading counts."""
    kept, differ = [], []
    for one in old.told:
        read = FACTS[one.fact].read(new)
        if read is None:
            kept.append(one)
        elif not _agree(one.fact, one.value, read, new.size):
            differ.append(f"{old.call}: {FACTS[one.fact].title} was said to be {one.value}, and is read as {read}")
    try:
        return with_told(new, tuple(kept)), differ
    except InkshelfError as error:
        return new, [*differ, f"{old.call}: what was said of it does not fit what was read: {error.what}"]


def _agree(fact: str, said: str, read: str, whole: int) -> bool:
    if fact in {"used", "pinned", "shrinkable"}:
        return abs(parse_size(said) - parse_size(read)) <= CLOSE * whole
    return said.lower() == read.lower()


def _size(volume: Volume, text: str, what: str) -> int:
    size = parse_size(text)
    if size > volume.size:
        raise PlanError(
            f"{volume.call} has {binary(volume.size)}; {binary(size)} {what} cannot be.", "Check the number and the unit."
        )
    return size


def _held(volume: Volume, what: str) -> FileSystem:
    if volume.filesystem is None:
        raise PlanError(
            f"There is no file system in {volume.call} whose {what} could be noted.",
            "Use a call number from the shelf, such as S1.",
        )
    return volume.filesystem


def _put_system(volume: Volume, text: str) -> Volume:
    family = text.lower()
    if family == "none":
        return replace(volume, holds=None, role="data" if volume.role == "system" else volume.role)
    if family == "nt":
        return replace(volume, role="system", holds=SystemRoot("nt", _title(volume, "nt"), True, assumed=True))
    if family == "linux":
        return replace(volume, role="system", holds=SystemRoot("linux", _title(volume, "linux"), None, assumed=True))
    raise PlanError(f"“{text}” is not a family of systems.", f"Choose one of: {', '.join(TITLES)} or none.")


def _title(volume: Volume, family: str) -> str:
    return volume.holds.title if volume.holds and volume.holds.family == family else TITLES[family]


def _put_title(volume: Volume, text: str) -> Volume:
    if volume.holds is None:
        raise PlanError(
            f"{volume.call} holds no system that could bear a name.", f"Say which one first: system:{volume.call} nt."
        )
    return replace(volume, holds=replace(volume.holds, title=text))


def _put_encrypted(volume: Volume, text: str) -> Volume:
    system = volume.filesystem
    if not yes_or_no(text):
        return volume
    if system is not None and system.kind not in {"unknown", "nt-encrypted"}:
        raise PlanError(
            f"{volume.call} was read as {system.kind}: it is not locked.",
            "What its own system unlocks by itself is noted as: encrypted yes.",
        )
    why = "from inside its own system only, once it is unlocked"
    return replace(volume, filesystem=FileSystem("nt-encrypted", volume.size, smallest_why=why))


def _put_used(volume: Volume, text: str) -> Volume:
    system = _held(volume, "used space")
    return replace(volume, filesystem=replace(system, used_bytes=_size(volume, text, "in use")))


def _put_pinned(volume: Volume, text: str) -> Volume:
    system, pinned = _held(volume, "immovable end"), _size(volume, text, "that cannot be moved")
    least = max(pinned, system.used_bytes or 0, system.smallest_bytes or 0)
    why = "what cannot be moved ends there, as was said"
    return replace(
        volume, filesystem=replace(system, pinned_bytes=pinned, smallest_bytes=align_up(least, MIB), smallest_why=why)
    )


def _put_shrinkable(volume: Volume, text: str) -> Volume:
    """What its own system's box offers beats every guess from used space."""
    system = _held(volume, "room to give")
    least = volume.size - _size(volume, text, "to give")
    return replace(volume, filesystem=replace(system, smallest_bytes=least, smallest_why="as its own box was said to offer"))


def _put_asleep(volume: Volume, text: str) -> Volume:
    return replace(volume, filesystem=replace(_held(volume, "sleep"), hibernated=yes_or_no(text)))


def _put_dirty(volume: Volume, text: str) -> Volume:
    return replace(volume, filesystem=replace(_held(volume, "state"), dirty=yes_or_no(text)))


def _put_started(volume: Volume, text: str) -> Volume:
    """The firmware's entry that starts it: the boot simulation asks for it where a loader is not known."""
    if not re.fullmatch(ENTRY, text):
        raise PlanError(f"“{text}” is no boot entry.", "Write it as the firmware does, for example Boot0003.")
    if volume.holds is None:
        raise PlanError(
            f"{volume.call} holds no system that could be started.", f"Say which one first: system:{volume.call} linux."
        )
    return volume


def started_by(machine: Machine, variable: str) -> Volume | None:
    """Return the volume whose system an entry starts, as a person says, or ``None`` where nobody said so."""
    return next(
        (
            volume
            for _, volume in machine.volumes()
            if volume.holds and any(one.fact == "started-by" and one.value.lower() == variable.lower() for one in volume.told)
        ),
        None,
    )


def yes_or_no(text: str) -> bool:
    """Return what a person says by yes or no; raises ``PlanError`` for another word."""
    if text.lower() not in YES_NO:
        raise PlanError(f"“{text}” is neither yes nor no.", "Choose yes or no.")
    return YES_NO[text.lower()]


def _family(volume: Volume) -> str | None:
    return volume.holds.family if volume.holds and not volume.holds.assumed else None


def _name(volume: Volume) -> str | None:
    return volume.holds.title if volume.holds and not volume.holds.assumed else None


def _locked(volume: Volume) -> str | None:
    system = volume.filesystem
    return None if system is None or system.kind == "unknown" else "yes" if system.kind == "nt-encrypted" else "no"


def _bytes(field: str) -> Callable[[Volume], str | None]:
    def read(volume: Volume) -> str | None:
        value = getattr(volume.filesystem, field) if volume.filesystem else None
        return None if value is None else binary(value, 2)

    return read


def _room(volume: Volume) -> str | None:
    least = volume.filesystem.smallest_bytes if volume.filesystem else None
    return None if least is None or least >= volume.size else binary(volume.size - least, 2)


def _answer(field: str) -> Callable[[Volume], str | None]:
    def read(volume: Volume) -> str | None:
        value = getattr(volume.filesystem, field) if volume.filesystem else None
        return None if value is None else "yes" if value else "no"

    return read


FACTS: dict[str, Fact] = {
    one.key: one
    for one in (
        Fact("encrypted", "locked by its system's own encryption", "yes", _put_encrypted, _locked),
        Fact("system", "the family of the system on it", "nt, linux or none", _put_system, _family),
        Fact("title", "the name of the system on it", "office desk", _put_title, _name),
        Fact("used", "used space", "118 GiB", _put_used, _bytes("used_bytes")),
        Fact("pinned", "the end of what cannot be moved", "190 GiB", _put_pinned, _bytes("pinned_bytes")),
        Fact("shrinkable", "the room that its own box offers", "80 GiB", _put_shrinkable, _room),
        Fact("hibernated", "half asleep", "yes or no", _put_asleep, _answer("hibernated")),
        Fact("dirty", "marked for a check", "yes or no", _put_dirty, _answer("dirty")),
        Fact("started-by", "the boot entry that starts it", "Boot0003", _put_started, lambda _: None),
    )
}
"""All that can be said of a volume, in the order in which it is put on what was read."""
