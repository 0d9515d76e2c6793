"""Which partition a boot entry means: a GPT's by its GUID, an MBR's by the disk's signature and the number (UEFI specification 2.10, 10.3.5.1)."""

from __future__ import annotations

from typing import Protocol

from inkshelf.core.machine.state import BootEntry, Disk


class Part(Protocol):
    """A partition that is there, or is to be made."""

    @property
    def number(self) -> int:
        """Its number in the table."""

    @property
    def guid(self) -> str:
        """Its GUID; empty on an MBR."""

    @property
    def start(self) -> int:
        """Its first byte."""

    @property
    def size(self) -> int:
        """Its size in bytes."""


def mark_of(disk: Disk, part: Part) -> str:
    """Return what an entry would name a partition by; empty where that is not known."""
    if disk.table.kind == "mbr":
        return _on_mbr(disk.table.signature, part.number)
    return part.guid.upper()


def named_by(entry: BootEntry) -> str:
    """Return what an entry names its partition by; empty where it names none."""
    return entry.partition_guid.upper() or _on_mbr(entry.signature, entry.partition_number)


def means(entry: BootEntry, disk: Disk, part: Part) -> bool:
    """Tell whether an entry names this partition; a number that a GPT has changed since does not matter."""
    mark = mark_of(disk, part)
    return bool(mark) and mark == named_by(entry)


def entry_on(disk: Disk, part: Part, number: int, title: str, path: str) -> BootEntry:
    """Return the entry of a number that names a file on a partition."""
    mbr = disk.table.kind == "mbr"
    return BootEntry(
        number=number,
        title=title,
        disk=disk.id,
        partition_number=part.number,
        partition_guid="" if mbr else part.guid,
        signature=disk.table.signature if mbr else "",
        start_lba=part.start // disk.sector,
        size_lba=part.size // disk.sector,
        path=path,
    )


def known_by(entry: BootEntry) -> str:
    """Return in words what beside its number tells the partition of an entry."""
    if entry.partition_guid:
        return f"GUID {entry.partition_guid}"
    return f"disk signature 0x{entry.signature.upper()}" if entry.signature else "its disk's signature is not known"


def _on_mbr(signature: str, number: int) -> str:
    return f"{signature.upper()}-{number}" if signature else ""
