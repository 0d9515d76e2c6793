"""What is told of an NTFS volume: its use, what its own system cannot move, whether it is marked for a check or half asleep."""

from __future__ import annotations

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.ntfs import (
    BITMAP,
    DATA,
    DIRTY,
    LOG,
    MFT,
    MIRROR,
    VOLUME,
    VOLUME_FLAGS,
    VOLUME_INFO,
    VOLUME_NAME,
    Ntfs,
    attributes,
    bitmap_use,
    open_ntfs,
    root_names,
)
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.size import align_up, binary
from inkshelf.core.texts import shown
from inkshelf.data import exact

RESERVE = 1 << 30  # what a shrink leaves its own system to work in; less in a small volume


def probe(source: ByteSource) -> tuple[FileSystem, dict[str, int]] | None:
    """Return the facts and the root folder's names, or ``None`` where it is not NTFS."""
    volume = open_ntfs(source)
    if volume is None:
        return None
    label, dirty = _volume_facts(volume)
    names = root_names(volume)
    used, _, slices = bitmap_use(volume)
    pinned, why = _pinned(volume, names)
    size = volume.clusters * volume.cluster
    reserve = min(RESERVE, size // 20)
    wanted = used * volume.cluster + reserve
    if wanted > pinned:
        why = f"{binary(used * volume.cluster)} in use and {binary(reserve)} to work in"
    return FileSystem(
        kind="ntfs",
        size_bytes=(volume.clusters * volume.cluster // volume.sector + 1) * volume.sector,
        label=shown(label),
        uuid=f"{volume.serial:016X}",
        used_bytes=used * volume.cluster,
        smallest_bytes=min(size, align_up(max(pinned, wanted), 1 << 20)),
        smallest_why=why,
        pinned_bytes=pinned,
        dirty=dirty,
        hibernated=_hibernated(volume, names),
        cluster_bytes=volume.cluster,
        clusters=volume.clusters,
        sector_bytes=volume.sector,
        used_map=tuple(count * volume.cluster for count in slices),
        hidden_sectors=volume.hidden,
    ), names


def _volume_facts(volume: Ntfs) -> tuple[str, bool]:
    label, dirty = "", False
    for one in attributes(volume, VOLUME):
        if one.kind == VOLUME_NAME:
            label = one.value.decode("utf-16-le", "replace")
        elif one.kind == VOLUME_INFO and len(one.value) >= VOLUME_FLAGS.size:
            dirty = bool(VOLUME_FLAGS.of(one.value).flags & DIRTY)
    return label, dirty


def _pinned(volume: Ntfs, names: dict[str, int]) -> tuple[int, str]:
    """Return the end of what the volume's own system cannot move, and which file that is."""
    fixed = {"its file table": MFT, "its table mirror": MIRROR, "its journal": LOG, "its cluster bitmap": BITMAP}
    for key, words in (
        ("hibernation_file", "the hibernation file"),
        ("page_file", "the page file"),
        ("swap_file", "the swap file"),
    ):
        if exact("nt", key) in names:
            fixed[words] = names[exact("nt", key)]
    end, why = 0, "nothing"
    for words, number in fixed.items():
        for one in attributes(volume, number):
            if one.kind == DATA:
                last = max((first + count for first, count in one.runs if first >= 0), default=0)
                if last * volume.cluster > end:
                    end, why = last * volume.cluster, f"{words} ends there"
    return end, why


def _hibernated(volume: Ntfs, names: dict[str, int]) -> bool:
    """Tell whether a system sleeps on the volume: the hibernation file's header is not blank and not marked as woken."""
    number = names.get(exact("nt", "hibernation_file"))
    if number is None:
        return False
    for one in attributes(volume, number):
        if one.kind == DATA and not one.name:
            head = one.value[:4] or next(
                (volume.source.read(first * volume.cluster, 4) for first, _ in one.runs[:1] if first >= 0), b""
            )
            return head.lower() in {b"hibr", b"rstr"}
    return False
