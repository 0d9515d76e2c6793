"""Many images on one stick, as ordinary files beside a start-up volume: what each takes, which file system holds them, what fits."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.media.image import FAT32_MOST, Image
from inkshelf.core.media.packing import Item, Packing, Room, pack
from inkshelf.core.size import MIB, align_down, align_up, binary, decimal
from inkshelf.core.value import Value

STARTUP = 256 * MIB  # the start-up volume with its menu
SHARE = 20  # one byte in so many is kept beside an image: the file system's own, and clusters that are not filled


class Many(Value, frozen=True):
    """A packing of images on sticks. ``file_system``: of the large volume, by the largest file."""

    file_system: str
    packing: Packing


def together(images: tuple[Image, ...], sticks: tuple[int, ...]) -> Many:
    """Return which images go on which stick (its size in bytes); raises ``PlanError`` where that cannot be asked."""
    wide = any(one.size > FAT32_MOST for one in images)
    rooms = tuple(
        Room(f"stick {number} ({decimal(size)})", max(0, align_down(size - STARTUP - 2 * MIB, MIB)))
        for number, size in enumerate(sticks, 1)
    )
    items = tuple(Item(one.name, align_up(one.size + one.size // SHARE, MIB), one.size) for one in images if one.size)
    return Many("exfat" if wide else "fat32", pack(items, rooms))


def lines_of(many: Many) -> Iterator[str]:
    """Yield the packing in lines: stick by stick, then what is left out and why."""
    kind = {
        "exfat": "exFAT, as one of them is larger than FAT32 holds",
        "fat32": "FAT32, which every firmware and system reads",
    }
    yield f"together, as files of a many-image stick, on {kind[many.file_system]}:"
    for key, free, following in many.packing.free:
        names = ", ".join(name for name, own in many.packing.put if own == key) or "nothing"
        yield f"  {key}: {names}; {binary(free)} stay free, the next image may have {binary(following * SHARE // (SHARE + 1))}"
    for name, why in many.packing.left:
        yield f"  left out: {name}: {why}"
