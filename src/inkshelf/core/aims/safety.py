"""What a person makes sure of before the work, and puts back after it: the same for every aim; what is in order already is left out."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from inkshelf.core.aims.base import Answer, Question
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.entries import means
from inkshelf.core.machine.roles import is_esp
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.steps.kinds import Confirm, Prepare, Prove, RemoveEntry, Retype, Step

Others = Literal["hide", "out"]
Stick = Literal["installer", "live", "image", "none"]


def assured(found: Machine, stick: Stick = "installer") -> list[Step]:
    """Return what is made sure of before anything is written; ``stick``: which one the work needs, or an image without one.

    The firmware is looked at last: whoever stands in its settings can neither fetch an image nor write a stick.
    """
    known, locked = found.conditions, protected(found)
    steps: list[Step] = []
    steps += [Confirm("consent")] if not known.consent else []
    steps += [Confirm("backup")] if known.backup != "read back" else []
    steps += [Confirm("recovery_key")] if (known.encrypted is not False or locked) and not known.recovery_key else []
    steps += [Confirm("mains")] if not known.mains else []
    sticks: dict[Stick, list[Step]] = {
        "installer": [Confirm("material"), Confirm("medium")],
        "live": [Confirm("live_stick")],
        "image": [Confirm("material")],
        "none": [],
    }
    return [*steps, *sticks[stick], Confirm("firmware_values")]


def suspended(found: Machine) -> list[Step]:
    """Return the steps after which no encryption asks for its recovery key because loaders or their order change."""
    return [Prepare(call, "suspend_encryption") for call in protected(found)]


def resumed(found: Machine, gone: frozenset[str] = frozenset()) -> list[Step]:
    """Return the steps that put that protection back, on what is still there."""
    return [Prepare(call, "resume_encryption") for call in protected(found) if call not in gone]


def woken(found: Machine, resized: Iterable[Volume], gone: frozenset[str] = frozenset()) -> list[Step]:
    """Return the steps after which volumes may be resized, and nothing that others read is half open.

    A system that sleeps leaves its volumes half open: another one must neither resize nor read them then.
    """
    touched = tuple(resized)
    steps: list[Step] = []
    for volume in touched:
        system = volume.filesystem
        if system and (system.dirty or (system.kind == "ntfs" and volume.holds)):
            steps.append(Prepare(volume.call, "check_volume"))
    sleepy = [one.call for _, one in found.volumes() if of_nt(one) and one.call not in gone]
    sleepy += [one.call for one in touched if one.filesystem and one.filesystem.hibernated and one.call not in (*sleepy, *gone)]
    return [*steps, *(Prepare(call, "fast_startup_off") for call in sleepy)]


def proved(found: Machine, gone: frozenset[str] = frozenset()) -> list[Step]:
    """Return the steps in which every old system that stays is started and looked at."""
    return [Prove(one.call, "every old one") for _, one in found.volumes() if one.holds and one.call not in gone]


def hidden(found: Machine, but_on: str = "") -> tuple[list[Step], list[Step]]:
    """Return the steps that hide every EFI system partition from an installer, and those that put it back; not those on one disk.

    What can be taken out and holds no system is the medium that the installer starts from: with its own hidden it would not start.
    """
    there = [(disk, one) for disk, one in found.volumes() if is_esp(one) and disk.id != but_on and not _medium(disk)]
    kinds = {"gpt": gpt_type("basic_data"), "mbr": "0x07"}
    hide: list[Step] = [
        Retype(one.call, kinds[disk.table.kind], one.attributes) for disk, one in there if disk.table.kind in kinds
    ]
    back: list[Step] = [Retype(one.call, one.type_id, one.attributes) for disk, one in there if disk.table.kind in kinds]
    return hide, back


def _medium(disk: Disk) -> bool:
    return disk.removable and not any(one.holds for one in disk.volumes)


def guarded(found: Machine, others: Others, but_on: str) -> tuple[list[Step], list[Step]]:
    """Return the steps that keep an installer from what is on other disks than one, and those that put it back afterwards."""
    if others == "hide":
        return hidden(found, but_on)
    several = len(found.disks) > 1
    return ([Confirm("others_out")], [Confirm("others_in")]) if several else ([], [])


def others_question() -> Question:
    """Return the question how the other disks are kept out of an installer's reach."""
    answers = (
        Answer(
            "hidden",
            "hide",
            "The type of their EFI system partitions is changed for the work, and put back; no case is opened.",
        ),
        Answer(
            "taken out", "out", "Nothing can be written to what is not there; the machine is opened, or they are switched off."
        ),
    )
    return Question("others", "The other disks", answers, "hide", "the case stays closed")


def forgotten(found: Machine, lost: frozenset[str]) -> list[Step]:
    """Return the steps that take away the boot entries of volumes that are given up."""
    gone = [pair for pair in found.volumes() if pair[1].call in lost]
    return [RemoveEntry(one.number) for one in found.firmware.entries if any(means(one, *pair) for pair in gone)]


def clocks_differ(found: Machine, families: tuple[str, ...] = (), gone: frozenset[str] = frozenset()) -> bool:
    """Tell whether systems of families with different clock conventions stand side by side."""
    all_of_them = {one.holds.family for _, one in found.volumes() if one.holds and one.call not in gone} | set(families)
    return "nt" in all_of_them and len(all_of_them) > 1


def of_nt(volume: Volume) -> bool:
    """Tell whether an NT-family system is on a volume."""
    return volume.holds is not None and volume.holds.family == "nt"


def protected(found: Machine) -> list[str]:
    """NT-family systems whose encryption asks for its recovery key once loaders or their order change."""
    return [
        volume.call
        for _, volume in found.volumes()
        if of_nt(volume)
        and (found.conditions.encrypted or (volume.filesystem is not None and volume.filesystem.kind == "nt-encrypted"))
    ]
