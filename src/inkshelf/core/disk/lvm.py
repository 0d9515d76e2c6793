"""LVM2 physical volumes: the label, the metadata area and what its text says of the group (lvm2, on-disk format "LVM2 001").

The label stands in one of the first four sectors; it leads to the metadata area, whose header leads to the newest text.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator

from inkshelf.core.disk.contents import FileSystem, Inside
from inkshelf.core.disk.lvm_extents import dashed
from inkshelf.core.disk.lvm_text import Section, parse
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.size import binary
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

SECTOR = 512
LABEL = struct.Struct("<8sQII8s")
LABEL_MARK, LABEL_KIND, LABEL_SECTORS = b"LABELONE", b"LVM2 001", 4
LABEL_SUM = Layout("LVM label", "<", sum=(16, "I"))
SUMMED_FROM = 20  # the label's checksum is over what stands behind it
PV_HEADER = Layout("LVM physical volume", "<", uuid=(0, "32s"), size=(32, "Q"))
PLACE = Layout("LVM area", "<", start=(0, "Q"), length=(8, "Q"))
AREA_HEADER = struct.Struct("<I16sIQQ")
LOCATION = struct.Struct("<QQII")
AREA_MARK = b" LVM2 x[5A%r0N*>"
FIRST_CRC = 0xF597A6CF
TEXT_LIMIT = 16 << 20


class Segment(Value, frozen=True):
    """Extents of one logical volume that lie on this physical volume: first in the logical one, first here, how many.

    ``striped``: they hold every second (or third...) piece of it only, so that its bytes cannot be read from them in a row.
    """

    name: str
    logical: int
    first: int
    count: int
    striped: bool = False


class Pv(Value, frozen=True):
    """A physical volume: places in bytes from its start, ``text`` as its newest metadata says (empty: no group yet).

    ``text_at`` counts from the area's start; ``label`` is the label's sector as found; ``areas`` how many metadata areas there are.
    """

    uuid: str
    size: int
    area_start: int
    area_size: int
    data_start: int
    text: Section
    label_sector: int = 1
    text_at: int = 0
    text_bytes: int = 0
    label: bytes = b""
    areas: int = 1

    @property
    def group(self) -> str:
        """The volume group's name, or an empty string."""
        return next((name for name, value in self.text.items() if isinstance(value, dict)), "")

    @property
    def section(self) -> Section:
        """The group's section."""
        value = self.text.get(self.group, {})
        return value if isinstance(value, dict) else {}

    @property
    def extent(self) -> int:
        """Bytes in an extent."""
        return _number(self.section, "extent_size") * SECTOR

    @property
    def own(self) -> tuple[str, Section]:
        """This volume's name in the text (``pv0``), and its section."""
        for name, value in _sections(self.section, "physical_volumes"):
            if str(value.get("id", "")).replace("-", "") == self.uuid.replace("-", ""):
                return name, value
        return "", {}

    @property
    def first_extent(self) -> int:
        """Where extent 0 begins, in bytes."""
        return _number(self.own[1], "pe_start", self.data_start // SECTOR) * SECTOR

    @property
    def extents(self) -> int:
        """How many extents this volume has."""
        return _number(self.own[1], "pe_count")

    def segments(self) -> list[Segment]:
        """Return what of each logical volume lies here, in order of place."""
        here, found = self.own[0], []
        for name, volume in _sections(self.section, "logical_volumes"):
            for part in volume.values():
                if isinstance(part, dict) and isinstance(part.get("stripes"), list):
                    stripes = part["stripes"]
                    count = _number(part, "extent_count") // max(1, len(stripes) // 2)
                    for device, first in zip(stripes[::2], stripes[1::2], strict=False):
                        if device == here and isinstance(first, int):
                            found.append(Segment(name, _number(part, "start_extent"), first, count, len(stripes) > 2))
        return sorted(found, key=lambda one: one.first)


def checksum(data: bytes) -> int:
    """Return LVM's CRC-32: the usual polynomial from its own start value, not inverted at the end."""
    return zlib.crc32(data, FIRST_CRC ^ 0xFFFFFFFF) ^ 0xFFFFFFFF


def _number(section: Section, key: str, other: int = 0) -> int:
    value = section.get(key, other)
    return value if isinstance(value, int) and 0 <= value < 1 << 53 else other


def _sections(section: Section, key: str) -> Iterator[tuple[str, Section]]:
    inner = section.get(key, {})
    for name, value in inner.items() if isinstance(inner, dict) else ():
        if isinstance(value, dict):
            yield name, value


def open_pv(source: ByteSource) -> Pv | None:
    """Return the physical volume, or ``None`` where there is none; raises ``FormatError`` where its structures are damaged."""
    head = source.read(0, LABEL_SECTORS * SECTOR)
    for sector in range(len(head) // SECTOR):
        raw = head[sector * SECTOR : (sector + 1) * SECTOR]
        mark, _, _, _, kind = LABEL.unpack_from(raw)
        if mark == LABEL_MARK and kind == LABEL_KIND:
            return _labelled(source, sector, raw)
    return None


def _labelled(source: ByteSource, sector: int, raw: bytes) -> Pv:
    _, own, crc, offset, _ = LABEL.unpack_from(raw)
    if own != sector or crc != checksum(raw[SUMMED_FROM:]) or not LABEL.size <= offset <= SECTOR - 104:
        raise FormatError("The label of an LVM physical volume is damaged.", "Its own system can restore it.")
    header = PV_HEADER.of(raw, offset)
    lists: list[list[tuple[int, int]]] = [[], []]  # of places with data, then of metadata areas; each ends with an empty one
    at, which = offset + PV_HEADER.size, 0
    while which < 2 and at + PLACE.size <= SECTOR:
        place = PLACE.of(raw, at)
        at += PLACE.size
        if not place.start:
            which += 1
        else:
            lists[which].append((place.start, place.length))
    data = lists[0][0][0] if lists[0] else 0
    area = lists[1][0] if lists[1] else (0, 0)
    text, text_at, count = _newest(source, *area) if area[0] else ({}, 0, 0)
    return Pv(
        uuid=dashed(header.uuid.decode("ascii", "replace")),
        size=header.size or source.size,
        area_start=area[0],
        area_size=area[1],
        data_start=data,
        text=text,
        label_sector=sector,
        text_at=text_at,
        text_bytes=count,
        label=raw,
        areas=len(lists[1]),
    )


def _newest(source: ByteSource, start: int, size: int) -> tuple[Section, int, int]:
    """The text that the area's first location leads to; it may wrap around behind the header."""
    head = exactly(source, start, SECTOR, "LVM metadata area")
    crc, mark, _, own, length = AREA_HEADER.unpack_from(head)
    if mark != AREA_MARK or crc != checksum(head[4:]) or own != start or length != size:
        raise FormatError("The header of an LVM metadata area is damaged.", "Its own system can restore it.")
    offset, count, text_crc, _ = LOCATION.unpack_from(head, AREA_HEADER.size)
    if not offset:
        return {}, 0, 0
    if not SECTOR <= offset < size or not 0 < count <= min(size - SECTOR, TEXT_LIMIT):
        raise FormatError("The LVM metadata is said to lie where it cannot.", "Its own system can restore it.")
    first = exactly(source, start + offset, min(count, size - offset), "LVM metadata")
    raw = first + (exactly(source, start + SECTOR, count - len(first), "LVM metadata") if len(first) < count else b"")
    if checksum(raw) != text_crc:
        raise FormatError("The checksum of the LVM metadata does not match.", "Its own system has older copies of it.")
    return parse(raw.rstrip(b"\0").decode("utf-8", "replace")), offset, count


def facts(pv: Pv, inside: tuple[Inside, ...]) -> FileSystem:
    """Return what planning needs: allocated extents are used, and the last of them is the end that a shrink stops at."""
    segments = pv.segments()
    used = sum(one.count for one in segments) * pv.extent
    last = max(segments, key=lambda one: one.first + one.count, default=None)
    end = (last.first + last.count) * pv.extent if last else 0
    free = binary(max(0, pv.extents * pv.extent - used))
    why = f"last extent in use, of {last.name}; {free} are free" if last else "no extent is in use"
    return FileSystem(
        kind="lvm",
        size_bytes=pv.size,
        label=shown(pv.group),
        uuid=shown(pv.uuid),
        used_bytes=pv.first_extent + used,
        smallest_bytes=pv.first_extent + max(end, pv.extent),
        smallest_why=shown(why) if pv.group else "no volume group yet",
        pinned_bytes=pv.first_extent + end,
        cluster_bytes=pv.extent,
        clusters=pv.extents,
        inside=inside,
    )


class Mapped(Value, frozen=True):
    """A logical volume's bytes as a source, put together from its extents on one physical volume."""

    base: ByteSource
    pieces: tuple[tuple[int, int, int], ...]  # (first byte inside, first byte of the base, length)
    size: int

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes; what lies on another physical volume reads as zeros."""
        length = max(0, min(length, self.size - offset, 1 << 26))
        out = bytearray(length)
        for inside, place, count in self.pieces:
            low, high = max(offset, inside), min(offset + length, inside + count)
            if low < high:
                data = self.base.read(place + low - inside, high - low)
                out[low - offset : low - offset + len(data)] = data
        return bytes(out)

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Yield what is not a hole on this physical volume."""
        for inside, place, count in sorted(self.pieces):
            low, high = max(start, inside), min(end, inside + count)
            if low < high:
                for first, last in self.base.data_ranges(place + low - inside, place + high - inside):
                    yield first - place + inside, last - place + inside


def logical_volumes(pv: Pv, source: ByteSource) -> Iterator[tuple[str, str, Mapped, bool]]:
    """Yield (name, identifier, bytes, whether all of it lies here) of each logical volume that a person sees."""
    segments = pv.segments()
    for name, volume in _sections(pv.section, "logical_volumes"):
        if "VISIBLE" not in (volume.get("status") or []):
            continue
        own = [one for one in segments if one.name == name]
        total = sum(_number(part, "extent_count") for part in volume.values() if isinstance(part, dict))
        pieces = tuple((one.logical * pv.extent, pv.first_extent + one.first * pv.extent, one.count * pv.extent) for one in own)
        whole = sum(one.count for one in own) == total and not any(one.striped for one in own)
        yield name, str(volume.get("id", "")), Mapped(source, pieces, total * pv.extent), whole
