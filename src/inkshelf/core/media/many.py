"""Many images on one stick, as ordinary files beside a start-up volume: what each takes, which file system holds them, what fits."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.filesystems import fresh
from inkshelf.core.disk.kinds import kind_of
from inkshelf.core.media.material import FAT32_MOST, Image
from inkshelf.core.media.packing import Item, Packing, Room, pack
from inkshelf.core.size import MIB, align_down, align_up, binary, decimal
from inkshelf.core.value import Value

STARTUP = 256 * MIB  # the start-up volume with its menu


class Spot(Value, frozen=True):
    """Where images may go: a stick by its letter or number, the bytes that are free for files there, its file system and cluster."""

    key: str
    free: int
    filesystem: str
    cluster: int

    @classmethod
    def empty(cls, key: str, size: int, filesystem: str) -> Spot:
        """Return a stick of ``size`` bytes once it is made anew: a start-up volume first, the rest for images."""
        room = max(0, align_down(size - STARTUP - 3 * MIB, MIB))
        if room < kind_of(filesystem).smallest or filesystem not in MAKES:
            return cls(key, 0, filesystem, 4096)
        made = MAKES[filesystem](room)
        return cls(key, made.clusters * made.cluster_bytes - (made.used_bytes or 0), filesystem, made.cluster_bytes)

    def takes(self, size: int) -> int:
        """Return the bytes that a file takes there, in whole clusters."""
        return align_up(size, self.cluster or 4096)


def _made(filesystem: str) -> Callable[[int], FileSystem]:
    return lambda size: fresh(filesystem, MIB, size, "IMAGES", identity_of(filesystem), 512)


def identity_of(filesystem: str) -> str:
    """Return any identity: what is free does not hang on it."""
    draw = kind_of(filesystem).identity
    return draw("many", "size") if draw else ""


MAKES = {key: _made(key) for key in ("fat32", "exfat", "ntfs")}


class Many(Value, frozen=True):
    """A packing of images on sticks. ``file_system``: of the large volume that a stick gets that is made anew, by the largest file."""

    file_system: str
    packing: Packing


def together(images: tuple[Image, ...], spots: tuple[Spot, ...], weights: tuple[int, ...] = ()) -> Many:
    """Return which images go on which stick; raises ``PlanError`` where that cannot be asked. What a file takes is reckoned in clusters.

    ``weights``: how much each image is wanted (none: one as much as another).
    """
    wide = any(one.size > FAT32_MOST for one in images)
    cluster = max((one.cluster for one in spots), default=4096)
    rooms = tuple(
        Room(one.key, align_down(one.free, cluster), FAT32_MOST if one.filesystem == "fat32" else None) for one in spots
    )
    wanted = zip(images, weights or (1,) * len(images), strict=True)
    items = tuple(Item(one.name, align_up(one.size, cluster), one.size, weight) for one, weight in wanted if one.size)
    return Many("exfat" if wide else "fat32", pack(items, rooms))


def on_sizes(images: tuple[Image, ...], sizes: tuple[int, ...]) -> Many:
    """Return which images go on sticks of these sizes that are made anew, the file system chosen by the largest image."""
    kind = "exfat" if any(one.size > FAT32_MOST for one in images) else "fat32"
    return together(images, tuple(Spot.empty(f"stick {at} ({decimal(size)})", size, kind) for at, size in enumerate(sizes, 1)))


def lines_of(many: Many) -> Iterator[str]:
    """Yield the packing in lines: stick by stick, then what is left out and why."""
    kind = {
        "exfat": "exFAT, as one of them is larger than FAT32 holds",
        "fat32": "FAT32, which every firmware and system reads",
    }
    yield f"together, as files of a many-image stick, on {kind[many.file_system]}:"
    for key, free, following in many.packing.free:
        names = ", ".join(name for name, own in many.packing.put if own == key) or "nothing"
        yield f"  {key}: {names}; {binary(free)} stay free, the next image may have {binary(following)}"
    for name, why in many.packing.left:
        yield f"  left out: {name}: {why}"
