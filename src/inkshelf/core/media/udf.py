"""UDF (ECMA-167, OSTA UDF 1.02 to 2.60) beside or instead of ISO 9660, as installers with files of 4 GiB and more have it. Plain partitions only."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.media.entries import SECTOR, Counted, Entry, moment
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

ANCHOR_AT = 256
ANCHOR, PARTITION, LOGICAL, TERMINATOR, FILE_SET, IDENTIFIER, FILE, EXTENDED_FILE = 2, 5, 6, 8, 256, 257, 261, 266
FOLDER_TYPE, DELETED, PARENT = 4, 4, 8
SHORT, LONG, INLINE = 0, 1, 3
LENGTH = (1 << 30) - 1  # the two bits above it say whether an extent is recorded

TAG = Layout("descriptor tag", "<", kind=(0, "H"), checksum=(4, "B"))
ANCHOR_POINTER = Layout("anchor", "<", length=(16, "I"), at=(20, "I"))
PARTITION_DESCRIPTOR = Layout("partition descriptor", "<", number=(22, "H"), start=(188, "I"), blocks=(192, "I"))
LOGICAL_VOLUME = Layout(
    "logical volume descriptor",
    "<",
    label=(84, "128s"),
    block_bytes=(212, "I"),
    file_set=(252, "I"),
    maps=(268, "I"),
    map_kind=(440, "B"),
)
FILE_SET_DESCRIPTOR = Layout("file set descriptor", "<", root=(404, "I"))
ENTRY = Layout(
    "file entry", "<", kind=(27, "B"), flags=(34, "H"), size=(56, "Q"), time=(84, "12s"), extra=(168, "I"), used=(172, "I")
)
EXTENDED = Layout(
    "extended file entry",
    "<",
    kind=(27, "B"),
    flags=(34, "H"),
    size=(56, "Q"),
    time=(92, "12s"),
    extra=(208, "I"),
    used=(212, "I"),
)
STAMP = Layout("time", "<", zone=(0, "H"), year=(2, "h"), rest=(4, "5s"))  # ECMA-167, 1/7.3
NAMED = Layout("file identifier", "<", traits=(18, "B"), name_bytes=(19, "B"), at=(24, "I"), use_bytes=(36, "H"))


class Udf(Value, frozen=True):
    """A UDF volume: label, first byte of its partition, block size, block of the root's file entry."""

    label: str
    start: int
    block_bytes: int
    root: int


def open_udf(source: ByteSource) -> Udf | None:
    """Return the volume, or ``None`` where the source is no UDF; raises ``FormatError`` where it is one that is not understood."""
    raw = source.read(ANCHOR_AT * SECTOR, 512)
    if len(raw) < 512 or not _sound(raw, ANCHOR):
        return None
    anchor = ANCHOR_POINTER.of(raw)
    start = logical = None
    for number in range(min(64, anchor.length // SECTOR)):
        one = source.read((anchor.at + number) * SECTOR, SECTOR)
        if len(one) < SECTOR or _sound(one, TERMINATOR):
            break
        if _sound(one, PARTITION):
            start = PARTITION_DESCRIPTOR.of(one).start * SECTOR
        elif _sound(one, LOGICAL):
            logical = LOGICAL_VOLUME.of(one)
    if start is None or logical is None:
        raise FormatError("UDF: its volume descriptors are not whole.")
    if logical.maps != 1 or logical.map_kind != 1 or logical.block_bytes != SECTOR:
        raise FormatError("UDF: partitions of a kind that is not read here.")
    file_set = exactly(source, start + logical.file_set * SECTOR, 512, "file set")
    if not _sound(file_set, FILE_SET):
        raise FormatError("UDF: its file set is not where it should be.")
    return Udf(_text(logical.label[: logical.label[127]]), start, SECTOR, FILE_SET_DESCRIPTOR.of(file_set).root)


def _sound(raw: bytes, kind: int) -> bool:
    """A tag's checksum is over its own sixteen bytes (ECMA-167, 3/7.2)."""
    tag = TAG.of(raw)
    return bool(tag.kind == kind and tag.checksum == (sum(raw[:4]) + sum(raw[5:16])) & 0xFF)


def _text(raw: bytes) -> str:
    """A string of compressed Unicode (OSTA UDF 2.1.1): eight bits a character, or sixteen."""
    if not raw or raw[0] not in {8, 16}:
        return ""
    text = raw[1:].decode("latin-1") if raw[0] == 8 else raw[1 : 1 + (len(raw) - 1) // 2 * 2].decode("utf-16-be", "replace")
    return shown(text.strip("\0 "))


def entries(source: ByteSource, udf: Udf, *, empty: bool = False) -> Iterator[Entry]:
    """Yield every file of the volume, and where asked every ``empty`` folder; raises ``FormatError`` where a folder cannot be."""
    counted = Counted("UDF")
    waiting = [("", udf.root, 0)]
    while waiting:
        path, block, depth = waiting.pop()
        kind, size, extents, inline, own_time = _file(source, udf, block)
        if kind != FOLDER_TYPE:
            yield Entry(path, size, extents, own_time)
            continue
        counted.folder(block, size, depth)
        bare = empty and bool(path)
        for name, at, is_folder in _names(_contents(source, size, extents, inline)):
            counted.one()
            bare = False
            inner = f"{path}/{name}"
            if is_folder:
                waiting.append((inner, at, depth + 1))
            else:
                _, length, places, _, time = _file(source, udf, at)
                yield Entry(inner, length, places, time)
        if bare:
            yield Entry(path, 0, (), own_time, folder=True)


def _contents(source: ByteSource, size: int, extents: tuple[tuple[int, int], ...], inline: bytes) -> bytes:
    if inline or not extents:
        return inline[:size]
    return b"".join(exactly(source, at, length, "a folder of the image") for at, length in extents)[:size]


def _file(source: ByteSource, udf: Udf, block: int) -> tuple[int, int, tuple[tuple[int, int], ...], bytes, int]:
    """A file entry: its type, its size, where its bytes lie, those that lie in the entry itself, and its time."""
    raw = exactly(source, udf.start + block * udf.block_bytes, udf.block_bytes, "file entry")
    plain = _sound(raw, FILE)
    if not plain and not _sound(raw, EXTENDED_FILE):
        raise FormatError("UDF: a file entry is not where it should be.")
    form = ENTRY if plain else EXTENDED
    own = form.of(raw)
    begin = form.size + own.extra
    area = raw[begin : begin + own.used]
    if begin + own.used > len(raw):
        raise FormatError("UDF: a file entry that cannot be.")
    how = own.flags & 7
    if how == INLINE:
        return own.kind, own.size, ((udf.start + block * udf.block_bytes + begin, own.size),), area, _time(own.time)
    if how not in {SHORT, LONG}:
        raise FormatError("UDF: extents of a kind that is not read here.")
    step = 8 if how == SHORT else 16
    places = []
    for at in range(0, len(area) - step + 1, step):
        length = int.from_bytes(area[at : at + 4], "little") & LENGTH
        if length:
            places.append((udf.start + int.from_bytes(area[at + 4 : at + 8], "little") * udf.block_bytes, length))
    return own.kind, own.size, tuple(places), b"", _time(own.time)


def _time(raw: bytes) -> int:
    """Twelve bits say minutes from Greenwich, where the four above them are 1 (-2047: not said)."""
    own = STAMP.of(raw)
    minutes = (own.zone & 0xFFF) - (0x1000 if own.zone & 0x800 else 0)
    east = minutes // 15 if own.zone >> 12 == 1 and minutes != -2047 else 0
    return moment(own.year, own.rest, east)


def _names(raw: bytes) -> Iterator[tuple[str, int, bool]]:
    """The names in a folder, with the block of each one's entry, and whether it is a folder."""
    at = 0
    while at + NAMED.size <= len(raw):
        if not _sound(raw[at : at + 16].ljust(16, b"\0"), IDENTIFIER):
            raise FormatError("UDF: a name in a folder is not where it should be.")
        own = NAMED.of(raw, at)
        begin = at + NAMED.size + own.use_bytes
        if not own.traits & (DELETED | PARENT):
            name = _text(raw[begin : begin + own.name_bytes]).replace("/", "_")
            yield name or "_", own.at, bool(own.traits & 2)
        at += (NAMED.size + own.use_bytes + own.name_bytes + 3) // 4 * 4
