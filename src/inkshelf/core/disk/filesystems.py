"""What planning asks of any kind of file system: its title, its labels, what it is after a resize, what lies behind a place."""

from __future__ import annotations

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds import KINDS, kind_of
from inkshelf.core.errors import StepError
from inkshelf.core.size import align_up, binary

SLICES = 64
HIDDEN_LARGEST = 0xFFFFFFFF
REFUSED_SIGNS = frozenset('"*+,./:;<=>?[\\]|')


def title(kind: str) -> str:
    """Return the name of a kind as it is shown."""
    return KINDS[kind].title if kind in KINDS else kind


def slice_bytes(filesystem: FileSystem) -> int:
    """Return the length of one slice of ``used_map``."""
    return max(8, align_up(-(-filesystem.clusters // SLICES), 8)) * filesystem.cluster_bytes


def used_beyond(filesystem: FileSystem, place: int) -> int:
    """Return used bytes behind ``place``, at most: a slice that ``place`` cuts counts whole. 0 where no map is known."""
    if not filesystem.used_map:
        return 0
    each = slice_bytes(filesystem)
    return sum(filesystem.used_map[max(0, place // each) :])


def hidden_sectors(start: int, sector: int) -> int:
    """Return what a boot sector of FAT or NTFS says of the sectors before its volume, which begins at byte ``start``.

    The field has 32 bits (FAT specification 1.03, BPB_HiddSec) and serves firmware that cannot reach beyond them: a place that does not
    fit is written as 0, as both formats have it for a volume on a disk without partitions.
    """
    count = start // sector
    return count if count <= HIDDEN_LARGEST else 0


def resized(filesystem: FileSystem, size: int) -> FileSystem:
    """Return the file system after its volume was made ``size`` bytes long, with what lay behind moved in."""
    kind = kind_of(filesystem.kind)
    if filesystem.keeps_size:
        raise StepError(
            f"This {kind.title} keeps its size: {filesystem.keeps_size}.", "Take the room from elsewhere, or make it anew."
        )
    if kind.resized:
        return kind.resized(filesystem, size)
    if kind.grows_itself and size > filesystem.size_bytes:
        return filesystem  # the partition grows; what is inside follows where it can be mounted
    raise StepError(f"{kind.title} cannot be resized.", "Copy its data off, remove it and make it again.")


def fresh(key: str, start: int, size: int, label: str, uuid: str, sector: int) -> FileSystem:
    """Return what a volume of ``size`` bytes at byte ``start`` holds right after formatting; raises ``StepError`` for what cannot be made."""
    from inkshelf.core.disk.kinds import makeable
    from inkshelf.core.value import replace

    kind = KINDS.get(key)
    if kind is None or kind.fresh is None:
        raise StepError(f"{title(key)} cannot be made on the bench.", f"Choose one of: {', '.join(makeable())}.")
    if size < kind.smallest:
        raise StepError(f"{kind.title} needs at least {binary(kind.smallest)}.", "Make the volume larger, or choose another.")
    made = kind.fresh(size, label, uuid, sector)
    return replace(made, hidden_sectors=hidden_sectors(start, sector)) if kind.hidden_at else made


def label_fault(key: str, label: str) -> str:
    """Return why a label is refused, or an empty string."""
    kind = KINDS.get(key)
    if kind is None or not label:
        return ""
    length = len(label.encode()) if kind.label_bytes else len(label.encode("utf-16-le")) // 2
    if length > kind.label_units:
        return f"{kind.title} takes labels of at most {kind.label_units} characters"
    if kind.upper_label and (label != label.upper() or set(label) & REFUSED_SIGNS or not label.isascii()):
        return f"{kind.title} labels are upper case and without signs"
    if kind.upper_label and label != label.strip():
        return f"{kind.title} fills labels up with blanks, so that none can begin or end one"
    return ""


def named_label(key: str, label: str) -> str:
    """Return why a volume cannot be made under that label, or an empty string; a container's group needs a name that its tools take."""
    import re

    if key == "lvm" and not re.fullmatch(r"[A-Za-z0-9_+.][A-Za-z0-9_+.\-]{0,126}", label):
        return "a volume group needs a name of letters, digits and + _ . -"
    return label_fault(key, label)
