"""A person's own mishap, from words: small parts, one behind the other."""

from __future__ import annotations

from collections.abc import Callable

from inkshelf.core.boot.mishaps import (
    AnyPart,
    DiedDisk,
    ForgotEntries,
    LostFirstEntry,
    Mishap,
    PluggedInCopy,
    SwappedDisks,
    SwitchedMode,
    SwitchedSecureBoot,
    TookDiskOut,
    UpdatedLinux,
    UpdatedNt,
    WentElsewhere,
)
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.figures import near
from inkshelf.core.machine.state import Machine
from inkshelf.core.texts import one_line
from inkshelf.core.value import Value

LONGEST = 40  # characters of a key


class Word(Value, frozen=True):
    """A part as it is said: ``word`` for commands, ``title`` for screens; ``of_disk``: a disk's letter follows it, behind a colon."""

    word: str
    title: str
    of_disk: bool = False


WORDS = (
    Word("secure-boot-on", "Secure Boot switched on"),
    Word("secure-boot-off", "Secure Boot switched off"),
    Word("csm-on", "CSM switched on: the legacy way"),
    Word("csm-off", "CSM switched off: UEFI"),
    Word("first-entry-lost", "first entry lost"),
    Word("firmware-reset", "firmware reset"),
    Word("nt-updated", "NT family updated"),
    Word("linux-updated", "Linux family updated"),
    Word("disks-swapped", "disks swapped between ports"),
    Word("out", "out", of_disk=True),
    Word("dead", "dead", of_disk=True),
    Word("copied", "copied, the copy plugged in", of_disk=True),
    Word("elsewhere", "on another machine", of_disk=True),
)
_PLAIN: dict[str, Callable[[], AnyPart]] = {
    "secure-boot-on": lambda: SwitchedSecureBoot("on"),
    "secure-boot-off": lambda: SwitchedSecureBoot("off"),
    "csm-on": lambda: SwitchedMode("legacy"),
    "csm-off": lambda: SwitchedMode("uefi"),
    "first-entry-lost": LostFirstEntry,
    "firmware-reset": ForgotEntries,
    "nt-updated": UpdatedNt,
    "linux-updated": UpdatedLinux,
    "disks-swapped": SwappedDisks,
}
_OF_DISK: dict[str, Callable[[str], AnyPart]] = {
    "out": TookDiskOut,
    "dead": DiedDisk,
    "copied": PluggedInCopy,
    "elsewhere": lambda letter: WentElsewhere(letter, "uefi", "off"),
}


def part_of(machine: Machine, text: str) -> AnyPart:
    """Return the part that a word means, such as ``firmware-reset`` or ``out:B``; raises ``PlanError`` with the near match."""
    word, _, letter = text.strip().partition(":")
    if word in _PLAIN and not letter:
        return _PLAIN[word]()
    known = [one.id for one in machine.disks]
    if word in _OF_DISK:
        if letter.upper() not in known:
            raise PlanError(
                f"{text}: there is no disk “{letter}” in this job.",
                f"Say one of: {', '.join(f'{word}:{one}' for one in known)}.",
            )
        return _OF_DISK[word](letter.upper())
    raise PlanError(f"“{text}” is no part of a mishap.", near(word, [*_PLAIN, *(f"{one}:A" for one in _OF_DISK)]))


def own_mishap(machine: Machine, title: str, parts: tuple[str, ...]) -> Mishap:
    """Return a mishap of these parts, in order, with a key from its title."""
    shown = one_line(title.strip(), "The title")
    key = "-".join("".join(one if one.isascii() and one.isalnum() else " " for one in shown.lower()).split())[:LONGEST].strip(
        "-"
    )
    if not key:
        raise PlanError("The mishap has no title.", "Say in a few words what happens.")
    return Mishap(key, shown, tuple(part_of(machine, one) for one in parts))
