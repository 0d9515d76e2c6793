"""One line of a comparison, and the lists of what is compared and what is passed over on purpose."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.value import Value

Stands = Literal["same", "differs", "unknown"]
Matters = Literal["", "note", "warn", "stop"]
NOBODY = "not captured"


def _words(**fields: str) -> dict[str, frozenset[str]]:
    return {kind: frozenset(names.split()) for kind, names in fields.items()}


COMPARED = _words(
    Volume="number start size type_id name guid attributes active logical filesystem boot_files holds disk_files",
    FileSystem="kind label uuid dirty inside",
    Table="kind guid signature fault extended boot_code code_of core_lba",
    Firmware="mode secure_boot entries order next entries_known",
    BootEntry="number title partition_guid signature path active automatic",
)
PASSED_OVER = _words(
    Volume="call role planned told as_read images",  # ours, or a stick's, which is proved when it is made
    FileSystem="size_bytes used_bytes smallest_bytes smallest_why pinned_bytes hibernated cluster_bytes clusters sector_bytes used_map "
    "hidden_sectors keeps_size group_bytes group_table_bytes group_reserved clashes slots",
    Table="first_usable last_usable entry_count entry_bytes backup_lba primary_ok backup_ok hybrid protective entries_lba "
    "backup_entries_lba",
    Firmware="listed timeout keys",
    BootEntry="disk partition_number start_lba size_lba leads device hidden application",
)
"""What of a state is a line here, and what is passed over on purpose: measured, ours, or said by another line. A field in neither is refused."""


class Line(Value, frozen=True):
    """One thing that was compared. ``about``: a call number, a disk's letter, or ``firmware``; ``key`` is stable, for answers in writing.

    ``stands``; ``matters``: how much a difference does (empty: nothing differs), and ``why``. ``left``: it was changed for the work only,
    and was to be put back.
    """

    key: str
    about: str
    what: str
    planned: str
    built: str
    stands: Stands
    matters: Matters = ""
    why: str = ""
    left: bool = False


def same(key: str, about: str, what: str, planned: str, built: str | None, matters: Matters = "warn", why: str = "") -> Line:
    """Return a line of two texts; ``built`` is ``None`` where nobody read it."""
    if built is None:
        return Line(f"{about}.{key}", about, what, planned, NOBODY, "unknown")
    if planned == built:
        return Line(f"{about}.{key}", about, what, planned, built, "same")
    return Line(f"{about}.{key}", about, what, planned, built, "differs", matters, why)
