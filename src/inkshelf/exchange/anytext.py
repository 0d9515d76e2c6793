"""Tell captured texts apart by what they say, not by their names, and gather what they tell of one machine."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable

import msgspec

from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.captured import Facts
from inkshelf.core.machine.state import SECTORS, BootEntry, Disk, FileSystem, Firmware
from inkshelf.core.texts import shown
from inkshelf.core.value import Value, replace
from inkshelf.exchange import bootvars, captures, kit, mounted, ntbootdata, plaintext


class Gathered(Value, frozen=True):
    """What captured texts tell together; ``kinds`` names the commands in the order of the texts."""

    disks: tuple[Disk, ...] = ()
    firmware: Firmware | None = None
    kinds: tuple[str, ...] = ()
    facts: Facts | None = None
    missing: tuple[str, ...] = ()
    listed: tuple[BootEntry, ...] = ()


def kind_of(text: str) -> str:
    """Return which command printed a text: ``lsblk``, ``sfdisk``, ``sfdisk-dump``, ``blkid``, ``efibootmgr``, ``bcdedit``, or ``capture``: the kit."""
    if kit.is_capture(text):
        return "capture"
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
    if ntbootdata.is_boot_data(text):
        return "bcdedit"
    raise CaptureError(
        "This is none of the texts that can be read.",
        "Capture lsblk --json --bytes --output-all, sfdisk --json, blkid -o export, efibootmgr -v or bcdedit /enum all on the machine.",
    )


def gather(texts: Iterable[str]) -> Gathered:
    """Return what the texts tell together; contradictions are raised as ``CaptureError``, never guessed over."""
    listed: tuple[Disk, ...] = ()
    tables: list[Disk] = []
    held: dict[str, FileSystem] = {}
    firmware: Firmware | None = None
    kinds = []
    facts: Facts | None = None
    missing: tuple[str, ...] = ()
    papers: list[tuple[str, str]] = []
    named: tuple[BootEntry, ...] = ()
    waiting = list(texts)
    count = len(waiting)
    while waiting:
        text = waiting.pop(0)
        kind = kind_of(text)
        kinds.append(kind)
        if kind == "capture":
            made = kit.read_kit(text)
            facts, missing = made.facts, (*missing, *made.missing)
            listed = (*listed, *made.disks)
            papers.append((made.mount_table, made.release))
            waiting += made.texts
        elif kind == "lsblk":
            listed = (*listed, *captures.read_lsblk(text))
        elif kind in {"sfdisk", "sfdisk-dump"}:
            tables.append(captures.read_sfdisk(text) if kind == "sfdisk" else plaintext.read_dump(text))
        elif kind == "blkid":
            held |= plaintext.read_blkid(text)
        elif kind == "bcdedit":
            named = ntbootdata.in_order(ntbootdata.parse(text)) or named
        else:
            firmware = bootvars.read_efibootmgr(text)
    joined = captures.join(listed, tuple(tables))
    disks = captures.assume(plaintext.with_contents(joined, held))
    for mount_table, release in papers:
        disks = mounted.with_papers(disks, mount_table, release)
    _refuse_all_unfit(disks, firmware)
    return Gathered(disks, firmware, tuple(kinds[:count]), facts, missing, named)


def _refuse_all_unfit(disks: tuple[Disk, ...], firmware: Firmware | None) -> None:
    for disk in disks:
        if disk.sector not in SECTORS:
            raise CaptureError(f"A disk with sectors of {disk.sector} bytes cannot be.", "Capture it again on the machine.")
        called = tuple(replace(one, call=f"D{place}") for place, one in enumerate(disk.volumes[:999], 1))  # letters come later
        _refuse_unfit(replace(disk, id="A", volumes=called), Disk)
    if firmware is not None:
        _refuse_unfit(firmware, Firmware)


def _refuse_unfit(made: Disk | Firmware, kind: type[Disk] | type[Firmware]) -> None:
    """What is taken in must be what a job file may hold, or the job could be saved and never be opened again."""
    plain = msgspec.to_builtins(made)
    try:
        msgspec.convert(plain, kind)
    except msgspec.ValidationError as error:
        place = str(error).rpartition("`$")[2].strip("`.")
        value = plain
        for part in re.findall(r"[A-Za-z_]+|\d+", place):
            value = value[int(part) if part.isdigit() else part]
        raise CaptureError(
            f"“{shown(str(value))[:80]}” cannot be: it stands where {place or 'something else'} belongs.",
            "Capture it again on the machine.",
        ) from None
