"""Findings about disks and their tables, as found."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

from inkshelf.core.checks.registry import ByHand, Finding, Show, check
from inkshelf.core.checks.touched import stick_letters
from inkshelf.core.disk.types import type_name
from inkshelf.core.machine.state import Disk
from inkshelf.core.media.alike import alike
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import MIB, apart, binary
from inkshelf.core.steps.kinds import RepairTable
from inkshelf.core.texts import few


@check
def table_copies(reading: Reading) -> Iterator[Finding]:
    """One copy of a GPT is damaged, differs, or stands in the wrong place."""
    for disk in reading.plan.found.disks:
        table = disk.table
        if table.kind != "gpt":
            continue
        if not (table.primary_ok and table.backup_ok):
            which = "backup" if table.primary_ok else "primary"
            other = "primary" if table.primary_ok else "backup"
            yield Finding(
                f"disk.table.{disk.id}",
                "warn",
                f"The {which} table of disk {disk.id} is damaged",
                f"Read from the {other} copy ({table.fault}); inking any plan writes both copies anew.",
                (),
                _repair(reading, disk),
            )
        elif table.backup_lba != disk.size // disk.sector - 1:
            yield Finding(
                f"disk.backup.{disk.id}",
                "warn",
                "The backup table is not at the end",
                f"It stands at LBA {table.backup_lba}; the disk is longer, as after copying to a larger one. Inking puts it at the end.",
                (),
                _repair(reading, disk),
            )


@check
def protective_record(reading: Reading) -> Iterator[Finding]:
    """Sector 0 of a GPT disk does not say that it is taken."""
    for disk in reading.plan.found.disks:
        if disk.table.kind == "gpt" and not disk.table.protective:
            yield Finding(
                f"disk.protective.{disk.id}",
                "warn",
                f"Disk {disk.id} has no protective record",
                "Sector 0 does not say that the disk is taken: a system or a person may think it is empty. Inking any plan writes it.",
                (),
                _repair(reading, disk),
            )


@check
def hybrid_records(reading: Reading) -> Iterator[Finding]:
    """Real MBR records stand beside a GPT."""
    for disk in reading.plan.found.disks:
        if disk.table.kind == "gpt" and disk.table.hybrid:
            yield Finding(
                f"disk.hybrid.{disk.id}",
                "warn",
                "Hybrid MBR",
                f"Disk {disk.id} carries real MBR records beside its GPT; systems disagree on which one counts.",
                (),
                (Show("shelf", "Look at the shelf"),),
            )


def _repair(reading: Reading, disk: Disk) -> tuple[ByHand | Show, ...]:
    """Repairing alone is offered as long as it is not planned."""
    if any(isinstance(step, RepairTable) and step.disk == disk.id for step in reading.job.steps):
        return (Show("sheet", "Look at the sheet"),)
    return (ByHand("repair", disk.id, "Repair the table"), Show("shelf", "Look at the shelf"))


@check
def other_sector(reading: Reading) -> Iterator[Finding]:
    """A table made at a sector size that the disk does not show: systems see no partitions, or the wrong ones."""
    for disk in reading.plan.found.disks:
        if disk.shown_sector and disk.table.kind == "gpt":
            yield Finding(
                f"disk.sector.{disk.id}",
                "stop",
                f"The table of disk {disk.id} was made at {disk.sector}-byte sectors",
                f"The disk shows {disk.shown_sector}-byte ones now, as behind another adapter; systems would not find its volumes. "
                "Connect it as it was when it was partitioned, and take it in again.",
                (),
                (Show("intake", "Take the disk in again"),),
            )


@check
def overlaps(reading: Reading) -> Iterator[Finding]:
    """Volumes that share bytes or run past the end of the disk, as found or as planned."""
    seen: set[str] = set()
    for disk in (*reading.plan.found.disks, *reading.plan.planned.disks):
        for one in (*_shared_bytes(disk), *_past_the_end(disk)):
            if one.key not in seen:
                seen.add(one.key)
                yield one


def _shared_bytes(disk: Disk) -> Iterator[Finding]:
    for one, other in combinations(disk.volumes, 2):
        if one.start < other.end and other.start < one.end:
            why = "Two volumes claim the same bytes; writing to either may destroy the other."
            yield Finding(
                f"disk.overlap.{one.call}.{other.call}",
                "stop",
                f"{one.call} and {other.call} overlap",
                why,
                (one.call, other.call),
                (Show("shelf", "Look at the shelf"),),
            )


def _past_the_end(disk: Disk) -> Iterator[Finding]:
    for volume in disk.volumes:
        if volume.end > disk.size:
            why = f"{binary(volume.end - disk.size)} of it are beyond the disk; the image may be cut short."
            yield Finding(
                f"disk.beyond.{volume.call}",
                "stop",
                f"{volume.call} runs past the end",
                why,
                (volume.call,),
                (Show("intake", "Take the disk in again"),),
            )


@check
def alignment(reading: Reading) -> Iterator[Finding]:
    """Volumes that do not start on a multiple of 1 MiB."""
    crooked = [
        volume.call for disk in reading.plan.found.disks for volume in disk.volumes if volume.start % MIB and volume.number
    ]
    if crooked:
        yield Finding(
            "disk.alignment",
            "note",
            "Not aligned to 1 MiB",
            "Slower on some disks, harmless otherwise; it is left as it is.",
            tuple(crooked),
        )


@check
def unknown_types(reading: Reading) -> Iterator[Finding]:
    """Types that the program does not know are kept, and said."""
    for disk in reading.plan.found.disks:
        calls = tuple(volume.call for volume in disk.volumes if volume.type_id and type_name(volume.type_id) == "not known")
        if calls:
            yield Finding(
                f"disk.type.{disk.id}",
                "note",
                "Partition type not known",
                "It is kept exactly as found; ask whose it is before touching it.",
                calls,
            )


@check
def contradicting(reading: Reading) -> Iterator[Finding]:
    """Two readings of one disk that cannot both be true."""
    for disk in reading.plan.found.disks:
        said = [one.what for one in reading.job.contradictions if one.disk == disk.id]
        if said:
            yield Finding(
                f"intake.contradiction.{disk.id}",
                "warn",
                f"Two readings of disk {disk.id} disagree",
                f"{few(said, 3, '; ')}. One of them may be of another disk, or older: take both anew, one after the other.",
                (),
                (Show("intake", "Take it in again"),),
            )


@check
def lookalikes(reading: Reading) -> Iterator[Finding]:
    """Two disks that a person could take for each other."""
    sticks = stick_letters(reading)
    for one, other in alike(reading.plan.found.disks):
        if not sticks & {one.id, other.id}:  # of a stick that is written it is a stop
            sizes = "Same size" if one.size == other.size else f"Sizes of {' and '.join(apart(one.size, other.size))}"
            models = "the same model" if one.model else "neither model is known"
            yield Finding(
                f"disk.alike.{one.id}{other.id}",
                "warn",
                f"Disks {one.id} and {other.id} look alike",
                f"{sizes}, {models}; tell them by serial: {one.serial or 'not known'} and {other.serial or 'not known'}.",
                (),
                (Show("intake", "Check the serials"),),
            )


@check
def no_identity(reading: Reading) -> Iterator[Finding]:
    """A disk whose model and serial are not known cannot be told from another on the day."""
    for disk in reading.plan.found.disks:
        if not disk.serial:
            yield Finding(
                f"disk.identity.{disk.id}",
                "warn",
                f"Serial of disk {disk.id} not known",
                "The sheet and the script can then check the size only; capture lsblk on the machine and add it.",
                (),
                (Show("intake", "Add a capture"),),
            )
