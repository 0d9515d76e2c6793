"""ISO 9660 (ECMA-119) images: volume descriptors, the names that systems show (Rock Ridge, else Joliet, else plain), and where files lie."""

from __future__ import annotations

from collections.abc import Iterator
from types import SimpleNamespace

from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.media.entries import SECTOR, Counted, Entry, moment
from inkshelf.core.texts import shown
from inkshelf.core.value import Value, replace

FIRST, MOST_DESCRIPTORS = 16, 64
MARK = b"CD001"
PRIMARY, SUPPLEMENTARY, BOOT, END = 1, 2, 0, 255
JOLIET = (b"%/@", b"%/C", b"%/E")  # escape sequences of UCS-2 levels 1 to 3
TORITO = b"EL TORITO SPECIFICATION"
FOLDER, MORE = 2, 128  # flags of a record: a folder; its file goes on in the next record

VOLUME = Layout(
    "volume descriptor",
    "<",
    kind=(0, "B"),
    mark=(1, "5s"),
    label=(40, "32s"),
    blocks=(80, "I"),
    escapes=(88, "32s"),
    block_bytes=(128, "H"),
    root=(156, "34s"),
    created=(813, "17s"),
)
BOOT_RECORD = Layout("boot record", "<", kind=(0, "B"), mark=(1, "5s"), system=(7, "32s"), catalog=(71, "I"))
RECORD = Layout(
    "directory record",
    "<",
    length=(0, "B"),
    skipped=(1, "B"),
    block=(2, "I"),
    size=(10, "I"),
    time=(18, "7s"),
    flags=(25, "B"),
    name_bytes=(32, "B"),
)
CONTINUED = Layout("continuation area", "<", block=(4, "I"), offset=(12, "I"), length=(20, "I"))


Extents = tuple[tuple[int, int], ...]


class Iso(Value, frozen=True):
    """An ISO 9660 volume: its label as systems show it, its size by its own word, where its root folder and the boot catalog lie.

    ``wide``: names are Joliet's. ``catalog``: block of the El Torito boot catalog, 0 where there is none.
    """

    label: str
    size: int
    block_bytes: int
    root: tuple[int, int]
    wide: bool
    catalog: int = 0


def open_iso(source: ByteSource) -> Iso | None:
    """Return the volume, or ``None`` where the source is no ISO 9660; raises ``FormatError`` where it cannot be read."""
    found: Iso | None = None
    wide: Iso | None = None
    catalog = 0
    for number in range(MOST_DESCRIPTORS):
        raw = source.read((FIRST + number) * SECTOR, SECTOR)
        if len(raw) < SECTOR or raw[1:6] != MARK:
            break
        kind = raw[0]
        if kind == END:
            break
        if kind == PRIMARY and found is None:
            found = _volume(raw, wide=False)
        elif kind == SUPPLEMENTARY and VOLUME.of(raw).escapes[:3] in JOLIET:
            wide = _volume(raw, wide=True)
        elif kind == BOOT and BOOT_RECORD.of(raw).system.startswith(TORITO):
            catalog = catalog or BOOT_RECORD.of(raw).catalog
    if found is None:
        return None
    plain = replace(found, catalog=catalog)
    if wide is not None and not _rock_ridge(source, plain):
        label = wide.label or plain.label
        return replace(wide, label=label, size=plain.size, catalog=catalog)
    return plain


def _volume(raw: bytes, *, wide: bool) -> Iso:
    own = VOLUME.of(raw)
    if own.block_bytes not in {512, 1024, 2048}:
        raise FormatError(f"volume descriptor: blocks of {own.block_bytes} bytes.")
    root = RECORD.of(own.root)
    label = own.label.decode("utf-16-be", "replace") if wide else own.label.decode("ascii", "replace")
    return Iso(shown(label.strip("\0 ")), own.blocks * own.block_bytes, own.block_bytes, (root.block, root.size), wide)


def entries(source: ByteSource, iso: Iso, *, empty: bool = False) -> Iterator[Entry]:
    """Yield every file of the volume, and where asked every ``empty`` folder; raises ``FormatError`` where a folder cannot be."""
    counted = Counted("ISO 9660")
    waiting = [("", *iso.root, 0, 0)]
    while waiting:
        path, block, size, depth, time = waiting.pop()
        counted.folder(block, size, depth)
        bare = empty and bool(path)
        for name, own, extents in _records(source, iso, block, size):
            counted.one()
            bare = False
            inner = f"{path}/{name}"
            if own.flags & FOLDER:
                waiting.append((inner, own.block + own.skipped, own.size, depth + 1, _time(own.time)))
            else:
                yield Entry(inner, sum(length for _, length in extents), extents, _time(own.time))
        if bare:
            yield Entry(path, 0, (), time, folder=True)


def _records(source: ByteSource, iso: Iso, block: int, size: int) -> Iterator[tuple[str, SimpleNamespace, Extents]]:
    """The records of a folder with their names; a file in several extents comes once."""
    raw = exactly(source, block * iso.block_bytes, size, "a folder of the image")
    at, begun = 0, list[tuple[int, int]]()
    while at < len(raw):
        if raw[at] == 0:  # records do not cross a sector: the rest of it is empty
            at = (at // SECTOR + 1) * SECTOR
            continue
        own = RECORD.of(raw, at)
        end = at + own.length
        if own.length < RECORD.size + own.name_bytes or end > len(raw):
            raise FormatError("ISO 9660: a directory record that cannot be.")
        name = raw[at + RECORD.size : at + RECORD.size + own.name_bytes]
        begun.append(((own.block + own.skipped) * iso.block_bytes, own.size))
        if name not in {b"\0", b"\1"} and not own.flags & MORE:
            system_use = raw[at + RECORD.size + own.name_bytes + (own.name_bytes + 1) % 2 : end]
            yield _name(source, iso, name, system_use), own, tuple(begun)
        if not own.flags & MORE:
            begun = []
        at = end


def _time(raw: bytes) -> int:
    """Years since 1900, month, day, hour, minute, second, quarters of an hour from Greenwich (ECMA-119, 9.1.5)."""
    return moment(1900 + raw[0], raw[1:6], int.from_bytes(raw[6:], signed=True))


def _name(source: ByteSource, iso: Iso, raw: bytes, system_use: bytes) -> str:
    longer = b"" if iso.wide else _alternate(source, iso, system_use)
    if longer:
        name = longer.decode("utf-8", "replace")
    elif iso.wide:
        name = raw.decode("utf-16-be", "replace").split(";")[0]
    else:
        name = (
            raw.decode("ascii", "replace").split(";")[0].rstrip(".")
        )  # a plain name ends in a full stop where it has no ending
    return shown(name.replace("/", "_")) or "_"


def _alternate(source: ByteSource, iso: Iso, system_use: bytes) -> bytes:
    """The Rock Ridge name (IEEE P1282, NM), which may go on in a continuation area (SUSP, CE)."""
    found, area = bytearray(), system_use
    for _ in range(8):
        at, onward = 0, b""
        while at + 4 <= len(area) and area[at + 2] >= 4:
            mark, length = area[at : at + 2], area[at + 2]
            if mark == b"NM" and 5 <= length <= len(area) - at and not area[at + 4] & 6:
                found += area[at + 5 : at + length]
            elif mark == b"CE" and length >= 28:
                own = CONTINUED.of(area, at)
                if own.length <= SECTOR:
                    onward = source.read(own.block * iso.block_bytes + own.offset, own.length)
            at += length
        if not onward:
            break
        area = onward
    return bytes(found)


def _rock_ridge(source: ByteSource, iso: Iso) -> bool:
    """Whether the root folder says that longer names follow: then a Linux-family system shows those, not Joliet's."""
    raw = source.read(iso.root[0] * iso.block_bytes, min(iso.root[1], SECTOR))
    if not raw or not raw[0]:
        return False
    own = RECORD.of(raw)
    return b"SP\x07\x01\xbe\xef" in raw[RECORD.size : own.length] or b"RRIP_1991A" in raw or b"IEEE_P1282" in raw
