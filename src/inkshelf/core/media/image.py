"""What an image file holds, read from itself without mounting: what it starts, how, its largest files, its live system."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import partial
from typing import Literal

from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.probe import pe_signed
from inkshelf.core.disk.source import ByteSource, Slice
from inkshelf.core.disk.startup_files import Seen, boot_files, contents
from inkshelf.core.errors import FormatError, TableError
from inkshelf.core.machine.read import read_disk
from inkshelf.core.machine.state import Disk
from inkshelf.core.media import iso as iso9660
from inkshelf.core.media import udf as udf_volume
from inkshelf.core.media.entries import Entry, by_path
from inkshelf.core.media.material import FAT32_MOST, PART, BootImage, Image, Live, Loader, Width, keeps
from inkshelf.core.media.packed import packed
from inkshelf.core.media.splitting import splits
from inkshelf.core.media.tops import tops_of
from inkshelf.core.media.torito import catalog
from inkshelf.core.size import MIB, align_up
from inkshelf.core.texts import shown
from inkshelf.core.value import Value, replace
from inkshelf.data import exact
from inkshelf.data import table as figures

LINE, MOST_OVER = 4000, 64  # of a path, and of files that are too large: what a job holds
MANY = 32  # more volumes than any image has
WIDTHS: tuple[Width, ...] = ("x64", "ia32", "aa64")
HEAD, MENU, LOADER = 4096, 1 << 18, 1 << 20


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
        found = Image(name, source.size, "raw" if table else "unknown", table=table, expected=_behind_backup(source))
    else:
        found = _disc(source, name, table, iso, udf, listed)
    return replace(found, as_disk=_as_disk(source)) if table else found


class _Longer(Value, frozen=True):
    """An image as it lies at the start of a larger stick: zeros behind it."""

    base: ByteSource
    size: int

    def read(self, offset: int, length: int) -> bytes:
        length = max(0, min(length, self.size - offset))
        return self.base.read(offset, length).ljust(length, b"\0")

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        return self.base.data_ranges(start, min(end, self.base.size))


def _as_disk(source: ByteSource) -> Disk | None:
    """What a stick bears that an image was written to: ``None`` where no table can be read then."""
    try:
        disk = read_disk(_Longer(source, align_up(source.size, MIB) + MIB), "M", 512)
    except (FormatError, TableError, UnicodeError, ValueError, OverflowError):
        return None
    volumes = tuple(replace(one, call=f"M{at}", role="medium") for at, one in enumerate(disk.volumes, 1))
    return replace(disk, volumes=volumes) if disk.table.kind != "none" and len(volumes) < MANY else None


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
        largest=max(((one.path[-LINE:], one.size) for one in listed), key=lambda one: one[1], default=None),
        over=tuple((one.path[-LINE:], one.size) for one in listed if one.size > FAT32_MOST)[:MOST_OVER],
        live=_live(source, listed),
        install=_install(known),
        splits=_splits(source, listed),
        tops=tops_of(listed),
        boot_files=_start_files(source, listed),
    )


def _splits(source: ByteSource, listed: tuple[Entry, ...]) -> bool:
    """Whether the one file that FAT32 does not hold is an install image, and can be parted."""
    over = [one for one in listed if one.size > FAT32_MOST]
    names = exact("media", "install_images").split()
    return len(over) == 1 and over[0].path.lower() in names and splits(source, over[0], PART)


def _start_files(source: ByteSource, listed: tuple[Entry, ...]) -> tuple[BootFile, ...]:
    """Those of its own files that starting depends on, once they lie on a stick."""
    return boot_files(Seen(one.path.replace("/", "\\"), one.size, partial(one.read, source, LOADER)) for one in listed)


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


def menus_among(listed: tuple[Entry, ...]) -> list[Entry]:
    """Return the menus of an image, those that are looked at first in front."""
    known = by_path(listed)
    entries = exact("media", "entry_folder")
    named = [known[one] for one in exact("media", "menus").split() if one in known]
    ending = exact("linux", "entry_ending")
    return named + [known[one] for one in sorted(known) if one.startswith(entries) and one.endswith(ending)]


def _live(source: ByteSource, listed: tuple[Entry, ...]) -> Live | None:
    """The first kernel that a menu of the image loads, if it is there."""
    from inkshelf.core.media.copying import keeping

    known = by_path(listed)
    texts = {one.path.lower(): one.read(source, MENU) for one in menus_among(listed)}
    for raw in texts.values():
        found = _loaded(raw.decode("utf-8", "replace"), known)
        if found is not None:
            edited = tuple((path, len(keeping(text, found.family))) for path, text in texts.items() if len(text) < MENU)
            return replace(found, edited=edited if keeps(found) else ())
    return None


def _loaded(text: str, known: dict[str, Entry]) -> Live | None:
    """The first kernel that a menu loads, and that is there."""
    kernel, initial, labels = (
        "|".join(exact("media", key).split()) for key in ("kernel_words", "initial_words", "label_words")
    )
    line = rf"^[ \t]*(?:{kernel})[ \t]+(\S+)([^\n]*)((?:\n(?![ \t]*(?:{kernel})[ \t])[^\n]*){{0,4}})"
    for found in re.finditer(line, text, re.MULTILINE | re.IGNORECASE):
        inside, options, after = found.groups()
        if inside.lower() not in known:
            continue
        first = re.search(rf"(?:^|\n)[ \t]*(?:{initial})[ \t]+(\S+)|initrd=(\S+)", f"{options}{after}", re.IGNORECASE)
        label = re.search(rf"\b(?:{labels})[=:]([^\s,\"']+)", f"{options}{after}")
        named = next((one for one in first.groups() if one), "") if first else ""
        said = shown(label.group(1).replace("\\x20", " ")) if label else ""
        return Live(shown(inside), shown(named), said, _family(f"{options}{after}"))
    return None


def _family(options: str) -> str:
    """Which kind of live system it is, by the option that says so."""
    words = set(options.split())
    for key, way in figures("exact_strings")["live_families"].items():
        if any(one == way["mark"] or one.startswith(f"{way['mark']}=") for one in words):
            return str(key)
    return ""


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
