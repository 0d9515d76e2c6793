"""Tell captured texts apart by what they say, not by their names, and gather what they tell of one machine."""

from __future__ import annotations

import json
from collections.abc import Iterable

from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.state import Disk, FileSystem, Firmware
from inkshelf.core.value import Value
from inkshelf.exchange import bootvars, captures, plaintext


class Gathered(Value, frozen=True):
    """What captured texts tell together; ``kinds`` names the commands in the order of the texts."""

    disks: tuple[Disk, ...] = ()
    firmware: Firmware | None = None
    kinds: tuple[str, ...] = ()


def kind_of(text: str) -> str:
    """Return which command printed a text: ``lsblk``, ``sfdisk``, ``sfdisk-dump``, ``blkid`` or ``efibootmgr``."""
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        document = None
    if isinstance(document, dict):
        for key, kind in (("blockdevices", "lsblk"), ("partitiontable", "sfdisk")):
            if key in document:
                return kind
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    for start, kind in (
        ("BootOrder:", "efibootmgr"),
        ("BootCurrent:", "efibootmgr"),
        ("label-id:", "sfdisk-dump"),
        ("DEVNAME=", "blkid"),
    ):
        if any(line.startswith(start) for line in lines):
            return kind
    if any(bootvars.ENTRY.match(line) for line in lines):
        return "efibootmgr"
    raise CaptureError(
        "This is none of the texts that can be read.",
        "Capture lsblk --json --bytes --output-all, sfdisk --json, blkid -o export or efibootmgr -v on the machine.",
    )


def gather(texts: Iterable[str]) -> Gathered:
    """Return what the texts tell together; contradictions are raised as ``CaptureError``, never guessed over."""
    listed: tuple[Disk, ...] = ()
    tables: list[Disk] = []
    held: dict[str, FileSystem] = {}
    firmware: Firmware | None = None
    kinds = []
    for text in texts:
        kind = kind_of(text)
        kinds.append(kind)
        if kind == "lsblk":
            listed = (*listed, *captures.read_lsblk(text))
        elif kind in {"sfdisk", "sfdisk-dump"}:
            tables.append(captures.read_sfdisk(text) if kind == "sfdisk" else plaintext.read_dump(text))
        elif kind == "blkid":
            held |= plaintext.read_blkid(text)
        else:
            firmware = bootvars.read_efibootmgr(text)
    joined = captures.join(listed, tuple(tables))
    return Gathered(captures.assume(plaintext.with_contents(joined, held)), firmware, tuple(kinds))
