"""Images as jobs, aims and steps carry them: what was read of a file, or told of one that is not here yet. Values only, quick to load."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from inkshelf.core.disk.contents import BootFile
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk
from inkshelf.core.size import GIB
from inkshelf.core.texts import Count, KeyOrNone, Line
from inkshelf.core.value import Value, replace
from inkshelf.data import exact
from inkshelf.data import table as figures

Kind = Literal["iso", "raw", "packed", "unknown"]
Width = Literal["x64", "ia32", "aa64"]
Checked = Literal["", "agrees", "differs"]
Platform = Literal["legacy", "uefi", "other"]
Packing = Literal["xz", "zst", "gz"]
FAT32_MOST = 4 * GIB - 1  # the largest file that FAT32 holds
PART = 3800 << 20  # of a payload that its own installer joins again: below what FAT32 holds, with room for its head
CLUSTERS = tuple(512 << at for at in range(9))  # 512 bytes to 128 KiB


class BootImage(Value, frozen=True):
    """What the catalog starts: ``at``, first byte in the image; ``size`` by its word, in bytes (0 or 512: all that is there)."""

    platform: Platform
    at: Count
    size: Count
    bootable: bool


class Packed(Value, frozen=True):
    """How a file is packed; ``unpacked``: bytes, ``None`` where the format does not say."""

    packing: Packing
    unpacked: Count | None = None


class Top(Value, frozen=True):
    """A folder in the image's root with all in it, or (empty name) the files in the root itself. ``rounded``: its bytes in whole clusters, by ``CLUSTERS``."""

    name: Line
    files: Count
    folders: Count
    payload: Count
    largest: Count
    rounded: tuple[Count, ...]

    def takes(self, cluster: int) -> int:
        """Return the bytes that its files and folders take at a cluster of so many bytes."""
        if cluster not in CLUSTERS or len(self.rounded) != len(CLUSTERS):
            raise PlanError(f"Nothing is known of clusters of {cluster} bytes.", "Look into the image again.")
        return self.rounded[CLUSTERS.index(cluster)] + self.folders * cluster


class Loader(Value, frozen=True):
    """A loader that UEFI finds without an entry: for which processors, and whether it bears a signature; ``inside``: in the embedded EFI system partition."""

    width: Width
    signed: bool
    inside: bool


class Live(Value, frozen=True):
    """The live system's kernel and first image, by their paths in the image, and the label that its menu looks for (empty: none).

    ``family``: the key of its kind of live system among the exact strings (empty: none that is known). ``edited``: the sizes of its menus
    once they say that changes are kept, by path in small letters (empty: its family cannot, or is not known).
    """

    kernel: Line
    initial: Line = ""
    label: Line = ""
    family: KeyOrNone = ""
    edited: tuple[tuple[Line, Count], ...] = ()


class Image(Value, frozen=True):
    """An image file, or one that a person told of. Sizes in bytes.

    ``expected``: what its own structures say that it has, where that is more than ``size`` it was cut short. ``table``: what sector 0 and
    the sector behind it are, for a stick that it is written to as it is. ``esp``: first byte and size of the embedded EFI system
    partition. ``largest``: path and size of the largest file; ``over``: all that FAT32 does not hold. ``install``: path, first byte and
    size of an NT-family install image in it; ``splits``: it can be parted so that FAT32 holds it. ``fault``: what could not be read, in
    words. ``path``: where the file is (empty: it is not at hand yet). ``told``: a person said all this. ``checked``: what its published
    sum said. ``tops``: what its top folders take. ``boot_files``: those that starting depends on, where its files are copied.
    ``as_disk``: what a stick bears that it is written to as it is, its volumes numbered from M1.
    """

    name: Line
    size: Count
    kind: Kind = "unknown"
    label: Line = ""
    expected: Count = 0
    table: tuple[Literal["mbr", "gpt"], ...] = ()
    boots: tuple[BootImage, ...] = ()
    esp: tuple[Count, Count] | None = None
    loaders: tuple[Loader, ...] = ()
    udf: bool = False
    files: Count = 0
    payload: Count = 0
    largest: tuple[Line, Count] | None = None
    over: tuple[tuple[Line, Count], ...] = ()
    live: Live | None = None
    install: tuple[Line, Count, Count] | None = None
    packing: Packed | None = None
    fault: Line = ""
    path: Line = ""
    told: bool = False
    splits: bool = False
    checked: Checked = ""
    tops: tuple[Top, ...] = ()
    boot_files: tuple[BootFile, ...] = ()
    as_disk: Disk | None = None

    @property
    def hybrid(self) -> bool:
        """Whether it is a disc and a disk at once: written to a stick as it is, it starts."""
        return self.kind == "iso" and bool(self.table)

    @property
    def legacy(self) -> bool:
        """Whether the legacy way starts it: from a disc, or from a stick by code in sector 0."""
        return any(one.platform == "legacy" and one.bootable for one in self.boots)

    @property
    def missing(self) -> int:
        """Bytes that lack at its end: a download that was cut short."""
        return max(0, self.expected - self.size)


def top_of(path: str) -> str:
    """Return the folder in the root that a path lies in, as it is written; empty for a file in the root."""
    parts = path.strip("/").split("/")
    return parts[0] if len(parts) > 1 else ""


def among(path: str, tops: tuple[str, ...] | None, image: Image) -> bool:
    """Tell whether a path lies in one of these folders of an image's root (``None``: in any); capitals and small letters mean the same.

    Folders beyond those that are counted apart count among the files in the root itself, as ``tops_of`` does; where there are none of
    those, what lies in none (an empty folder) belongs to every part.
    """
    if tops is None:
        return True
    known = {one.name.lower() for one in image.tops}
    top = top_of(path).lower()
    top = top if top in known else ""
    return top not in known or top in {one.lower() for one in tops}


def taken_by(tops: Iterable[Top], cluster: int) -> int:
    """Return the bytes that folders of an image take in a volume with clusters of so many bytes."""
    return sum(one.takes(cluster) for one in tops)


def copied_files(image: Image, tops: tuple[str, ...] | None, *, keeps: bool) -> tuple[BootFile, ...]:
    """Return the start-up files of an image as they lie in the volume that it is copied to."""
    edited = dict(image.live.edited) if image.live and keeps else {}
    held = (one for one in image.boot_files if among(one.path.replace("\\", "/"), tops, image))
    return tuple(replace(one, size_bytes=edited.get(one.path.replace("\\", "/").lower(), one.size_bytes)) for one in held)


def stem_of(name: str) -> str:
    """Return the name of an image without the ending that says that it is one: what stands behind another full stop is its version."""
    endings = exact("media", "image_endings").split()
    stem, dot, ending = name.rpartition(".")
    return stem if stem and f"{dot}{ending.lower()}" in endings else name


def keeps(live: Live | None) -> bool:
    """Tell whether a live system keeps changes over a restart, once it is told to."""
    return bool(live and live.family and figures("exact_strings")["live_families"].get(live.family, {}).get("option"))


def families_of(image: Image) -> tuple[str, ...]:
    """Return the families that it can install (empty: nothing in it says so)."""
    return tuple(family for family, known in (("nt", image.install), ("linux", image.live)) if known is not None)


def starts_from_file(image: Image) -> str:
    """Return why a menu cannot start an image that lies as a file (empty: it can)."""
    if image.told:
        return "whether it starts from a file is not known before it is here"
    if image.install is not None:
        return "an installer of the NT family does not start from a file: it wants a stick of its own"
    if image.live is None:
        return "no menu in it says which kernel starts it"
    if not image.live.family:
        return "its live system is of a kind whose option for a start from a file is not known here"
    return ""
