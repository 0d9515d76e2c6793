"""Part an NT-family install image so that FAT32 holds it: whole resources in each part, which the installer joins again by itself.

Source: the NT family's published description of its imaging format, version 1.13: header, resource entries, lookup table.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from inkshelf.core.disk.source import ByteSource, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.media.entries import Entry
from inkshelf.core.value import Value

HEAD = struct.Struct("<8sIIII16sHHI24s24s24sI24s60x")
RESOURCE = struct.Struct("<QQQ")  # size in 56 bits and flags in the eight above them, first byte, size when unpacked
LOOKED_UP = struct.Struct("<QQQHI20s")
METADATA, SOLID = 0x02, 0x10
SPANNED = 0x08  # of the header: one part of several
SIZE = (1 << 56) - 1
LARGEST_TABLE = 256 << 20
MOST_PARTS = 200
NO_RESOURCE = bytes(RESOURCE.size)

Piece = bytes | tuple[int, int]


class Blob(Value, frozen=True):
    """One resource: its place in the file, its flags, and its entry of the lookup table."""

    size: int
    at: int
    flags: int
    entry: tuple[int, bytes]  # how often it is used, and its hash
    unpacked: int


def parts(source: ByteSource, entry: Entry, part: int) -> Iterator[tuple[Piece, ...]]:
    """Yield the parts of an install image, each of at most ``part`` bytes, as pieces; raises ``FormatError`` where it cannot be parted."""
    base = _base(entry)
    head = HEAD.unpack(exactly(source, base, HEAD.size, "install image"))
    blobs = list(_blobs(source, base, head[9]))
    xml_size, xml_at, xml_unpacked = RESOURCE.unpack(head[10])
    xml = exactly(source, base + xml_at, _bounded(xml_size & SIZE), "install image")
    shared = _shared(blobs, part - HEAD.size - len(xml))
    for number, held in enumerate(shared, 1):
        yield tuple(_part(head, held, number, len(shared), base, (xml, xml_unpacked)))


def splits(source: ByteSource, entry: Entry, part: int) -> bool:
    """Tell whether an install image can be parted so."""
    try:
        head = HEAD.unpack(exactly(source, _base(entry), HEAD.size, "install image"))
        _shared(list(_blobs(source, _base(entry), head[9])), part - HEAD.size - _bounded(RESOURCE.unpack(head[10])[0] & SIZE))
    except (FormatError, struct.error):
        return False
    return True


def _base(entry: Entry) -> int:
    if not entry.extents or any(a[0] + a[1] != b[0] for a, b in zip(entry.extents, entry.extents[1:], strict=False)):
        raise FormatError("The payload lies in pieces.", "Choose files of any size: exFAT, or a bridge.")
    return entry.extents[0][0]


def _bounded(size: int) -> int:
    if size > LARGEST_TABLE:
        raise FormatError("An install image with a table that cannot be.", "Get it again.")
    return size


def _blobs(source: ByteSource, base: int, place: bytes) -> Iterator[Blob]:
    size, at, _ = RESOURCE.unpack(place)
    raw = exactly(source, base + at, _bounded(size & SIZE), "lookup table")
    if size >> 56 & 0x04:
        raise FormatError("The lookup table of the install image is packed.", "Choose files of any size: exFAT, or a bridge.")
    for low in range(0, len(raw) - LOOKED_UP.size + 1, LOOKED_UP.size):
        length, where, unpacked, _, used, digest = LOOKED_UP.unpack_from(raw, low)
        if length >> 56 & SOLID:
            raise FormatError(
                "The payload is packed as one, and cannot be parted.", "Choose files of any size: exFAT, or a bridge."
            )
        yield Blob(length & SIZE, where, length >> 56, (used, digest), unpacked)


def _shared(blobs: list[Blob], room: int) -> list[list[Blob]]:
    """Metadata lies in the first part, whatever it takes; the others in their order in the file."""
    first = [one for one in blobs if one.flags & METADATA]
    found, left = [first], room - sum(one.size + LOOKED_UP.size for one in first)
    for one in sorted((one for one in blobs if not one.flags & METADATA), key=lambda one: one.at):
        need = one.size + LOOKED_UP.size
        if need > left:
            found.append([])
            left = room
        if need > left or len(found) > MOST_PARTS:
            raise FormatError(
                "One piece of the payload is larger than a part may be.", "Choose files of any size: exFAT, or a bridge."
            )
        found[-1].append(one)
        left -= need
    return found


def _part(
    head: tuple[bytes | int, ...], held: list[Blob], number: int, total: int, base: int, xml: tuple[bytes, int]
) -> Iterator[Piece]:
    at, table, metadata = HEAD.size, bytearray(), {}
    for one in held:
        table += LOOKED_UP.pack(one.size | one.flags << 56, at, one.unpacked, number, *one.entry)
        metadata[one.at] = RESOURCE.pack(one.size | one.flags << 56, at, one.unpacked)
        at += one.size
    look = RESOURCE.pack(len(table) | METADATA << 56, at, len(table))
    text = RESOURCE.pack(len(xml[0]) | METADATA << 56, at + len(table), xml[1])
    boot = NO_RESOURCE
    if number == 1 and head[11] != NO_RESOURCE:
        boot = metadata.get(RESOURCE.unpack(head[11])[1], NO_RESOURCE)  # type: ignore[arg-type]
    flags = int(head[3]) | SPANNED
    yield HEAD.pack(*head[:3], flags, *head[4:6], number, total, head[8], look, text, boot, head[12], NO_RESOURCE)
    yield from ((base + one.at, one.size) for one in held)
    yield bytes(table) + xml[0]
