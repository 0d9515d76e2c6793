"""What an image file holds, read from itself without mounting: what it starts, how, its largest files, its live system."""

from __future__ import annotations

import re
from typing import Literal

from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.probe import pe_signed
from inkshelf.core.disk.source import ByteSource, Slice
from inkshelf.core.disk.startup_files import contents
from inkshelf.core.errors import FormatError, TableError
from inkshelf.core.media import iso as iso9660
from inkshelf.core.media import udf as udf_volume
from inkshelf.core.media.entries import Entry, by_path
from inkshelf.core.media.packed import Packed, packed
from inkshelf.core.media.torito import BootImage, catalog
from inkshelf.core.size import GIB
from inkshelf.core.texts import shown
from inkshelf.core.value import Value
from inkshelf.data import exact

Kind = Literal["iso", "raw", "packed", "unknown"]
Width = Literal["x64", "ia32", "aa64"]
WIDTHS: tuple[Width, ...] = ("x64", "ia32", "aa64")
FAT32_MOST = 4 * GIB - 1  # the largest file that FAT32 holds
HEAD, MENU = 4096, 1 << 18


class Loader(Value, frozen=True):
    """A loader that UEFI finds without an entry: for which processors, and whether it bears a signature; ``inside``: in the embedded EFI system partition."""

    width: Width
    signed: bool
    inside: bool


class Live(Value, frozen=True):
    """The live system's kernel and first image, by their paths in the image, and the label that its menu looks for (empty: none)."""

    kernel: str
    initial: str = ""
    label: str = ""


class Image(Value, frozen=True):
    """An image file. Sizes in bytes.

    ``expected``: what its own structures say that it has, where that is more than ``size`` it was cut short. ``table``: what sector 0 and
    the sector behind it are, for a stick that it is written to as it is. ``esp``: first byte and size of the embedded EFI system
    partition. ``largest``: path and size of the largest file; ``over``: all that FAT32 does not hold. ``install``: path, first byte and
    size of an NT-family install image in it. ``fault``: what could not be read, in words.
    """

    name: str
    size: int
    kind: Kind = "unknown"
    label: str = ""
    expected: int = 0
    table: tuple[Literal["mbr", "gpt"], ...] = ()
    boots: tuple[BootImage, ...] = ()
    esp: tuple[int, int] | None = None
    loaders: tuple[Loader, ...] = ()
    udf: bool = False
    files: int = 0
    payload: int = 0
    largest: tuple[str, int] | None = None
    over: tuple[tuple[str, int], ...] = ()
    live: Live | None = None
    install: tuple[str, int, int] | None = None
    packing: Packed | None = None
    fault: str = ""

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


def read_image(source: ByteSource, name: str) -> Image:
    """Return what an image file holds. Never raises for bad bytes: what cannot be read is said in ``fault``."""
    packing = packed(source)
    if packing is not None:
        return Image(name, source.size, "packed", packing=packing)
    table = _table(source)
    try:
        iso = iso9660.open_iso(source)
        udf = udf_volume.open_udf(source)
        listed = _listed(source, iso, udf)
    except (FormatError, UnicodeError, ValueError, OverflowError) as error:
        return Image(name, source.size, "iso", table=table, fault=str(error) or "Its structures make no sense.")
    if iso is None and udf is None:
        return Image(name, source.size, "raw" if table else "unknown", table=table, expected=_behind_backup(source))
    return _disc(source, name, table, iso, udf, listed)


def _listed(source: ByteSource, iso: iso9660.Iso | None, udf: udf_volume.Udf | None) -> tuple[Entry, ...]:
    """A bridge lists its files twice; only UDF has the large ones whole."""
    if udf is not None:
        return tuple(udf_volume.entries(source, udf))
    return tuple(iso9660.entries(source, iso)) if iso is not None else ()


def _disc(
    source: ByteSource,
    name: str,
    table: tuple[Literal["mbr", "gpt"], ...],
    iso: iso9660.Iso | None,
    udf: udf_volume.Udf | None,
    listed: tuple[Entry, ...],
) -> Image:
    boots = tuple(catalog(source, iso.catalog)) if iso and iso.catalog else ()
    known = by_path(listed)
    esp = _embedded(source, boots)
    ends = [at + length for one in listed for at, length in one.extents]
    return Image(
        name,
        source.size,
        "iso",
        label=(udf.label if udf and not iso else iso.label if iso else ""),
        expected=max([iso.size if iso else 0, _behind_backup(source), *ends]),
        table=table,
        boots=boots,
        esp=esp,
        loaders=(*_loaders_in(source, known), *_loaders_inside(source, esp)),
        udf=udf is not None,
        files=len(listed),
        payload=sum(one.size for one in listed),
        largest=max(((one.path, one.size) for one in listed), key=lambda one: one[1], default=None),
        over=tuple((one.path, one.size) for one in listed if one.size > FAT32_MOST),
        live=_live(source, known),
        install=_install(known),
    )


def _table(source: ByteSource) -> tuple[Literal["mbr", "gpt"], ...]:
    """Which tables a stick would have: an MBR with a record in use, a GPT header in the sector behind it, or both."""
    raw = source.read(0, 4096 + 512)
    if len(raw) < 1024 or raw[510:512] != b"\x55\xaa" or raw[82:90] == b"FAT32   " or raw[3:11] in {b"NTFS    ", b"EXFAT   "}:
        return ()
    records = [raw[446 + 16 * at : 462 + 16 * at] for at in range(4)]
    mbr = any(one[4] and one[4] != 0xEE for one in records)
    gpt = raw[512:520] == b"EFI PART" or raw[4096:4104] == b"EFI PART"
    return (*(("mbr",) if mbr else ()), *(("gpt",) if gpt else ()))


def _behind_backup(source: ByteSource) -> int:
    """Where the disk would end by its own GPT: the backup header lies in the last sector."""
    for sector in (512, 4096):
        raw = source.read(sector, 92)
        if raw[:8] == b"EFI PART":
            backup = int.from_bytes(raw[32:40], "little")
            return (backup + 1) * sector if backup < 1 << 50 else 0
    return 0


def _embedded(source: ByteSource, boots: tuple[BootImage, ...]) -> tuple[int, int] | None:
    """The EFI system partition that the boot catalog or the MBR names; a catalog counts in 16 bits, so that the FAT's own word goes."""
    from inkshelf.core.disk import fat

    places = [one.at for one in boots if one.platform == "uefi"]
    raw = source.read(446, 64)
    places += [
        int.from_bytes(raw[at + 8 : at + 12], "little") * 512 for at in range(0, len(raw) - 15, 16) if raw[at + 4] == 0xEF
    ]
    for at in places:
        part = Slice(source, at, max(0, source.size - at))
        try:
            own = fat.probe(part)
        except (FormatError, TableError, ValueError):
            continue
        if own is not None:
            return at, own.size_bytes
    return None


def _loaders_in(source: ByteSource, known: dict[str, Entry]) -> list[Loader]:
    found = []
    for width in WIDTHS:
        entry = known.get(exact("media", "loader_folder") + exact("media", f"loader_{width}"))
        if entry is not None:
            found.append(Loader(width, pe_signed(entry.read(source, HEAD)), inside=False))
    return found


def _loaders_inside(source: ByteSource, esp: tuple[int, int] | None) -> list[Loader]:
    if esp is None:
        return []
    try:
        held = contents(Slice(source, *esp), ())
    except (FormatError, ValueError):
        return []
    files = {one.path.lower(): one for one in held.boot_files} if held else {}
    found = []
    for width in WIDTHS:
        path = (exact("media", "loader_folder") + exact("media", f"loader_{width}")).replace("/", "\\")
        file: BootFile | None = files.get(path)
        if file is not None:
            found.append(Loader(width, bool(file.signed), inside=True))
    return found


def _live(source: ByteSource, known: dict[str, Entry]) -> Live | None:
    """The first kernel that a menu of the image loads, if it is there."""
    entries = exact("media", "entry_folder")
    menus = [one for one in exact("media", "menus").split() if one in known]
    menus += sorted(one for one in known if one.startswith(entries) and one.endswith(exact("linux", "entry_ending")))
    kernel = "|".join(exact("media", "kernel_words").split())
    initial = "|".join(exact("media", "initial_words").split())
    labels = "|".join(exact("media", "label_words").split())
    for path in menus:
        text = known[path].read(source, MENU).decode("utf-8", "replace")
        for found in re.finditer(
            rf"^[ \t]*(?:{kernel})[ \t]+(\S+)([^\n]*)((?:\n(?![ \t]*(?:{kernel})[ \t])[^\n]*){{0,4}})",
            text,
            re.MULTILINE | re.IGNORECASE,
        ):
            inside, options, after = found.groups()
            if inside.lower() not in known:
                continue
            first = re.search(rf"(?:^|\n)[ \t]*(?:{initial})[ \t]+(\S+)|initrd=(\S+)", f"{options}{after}", re.IGNORECASE)
            label = re.search(rf"\b(?:{labels})[=:]([^\s,\"']+)", f"{options}{after}")
            named = next((one for one in first.groups() if one), "") if first else ""
            return Live(shown(inside), shown(named), shown(label.group(1).replace("\\x20", " ")) if label else "")
    return None


def _install(known: dict[str, Entry]) -> tuple[str, int, int] | None:
    """An install image that lies in one piece."""
    for path in exact("media", "install_images").split():
        entry = known.get(path)
        if entry is not None and entry.extents and sum(length for _, length in entry.extents) >= entry.size:
            whole = all(
                before[0] + before[1] == after[0] for before, after in zip(entry.extents, entry.extents[1:], strict=False)
            )
            return (entry.path, entry.extents[0][0], entry.size) if whole else None
    return None
