"""Write an LVM2 physical volume: its label, its metadata area, and the group's text anew after a change.

Only the newest text is written; other texts in the area stay until its circle comes round to them, as its own tools leave them.
"""

from __future__ import annotations

import struct
from typing import Any

from inkshelf.core.disk.lvm import (
    AREA_HEADER,
    AREA_MARK,
    LABEL,
    LABEL_KIND,
    LABEL_MARK,
    LABEL_SUM,
    LOCATION,
    PV_HEADER,
    SECTOR,
    SUMMED_FROM,
    Pv,
    checksum,
)
from inkshelf.core.disk.lvm_extents import DATA_START, EXTENT, extents_of, identifier
from inkshelf.core.disk.lvm_text import Section, render
from inkshelf.core.errors import FormatError
from inkshelf.core.size import align_up
from inkshelf.core.value import replace

AREA_START = 4096


def fresh_pv(size: int, uuid: str, group: str) -> Pv:
    """Return a physical volume with an empty group on it."""
    own: Section = {
        "id": uuid,
        "device": "unknown",
        "status": ["ALLOCATABLE"],
        "flags": [],
        "dev_size": size // SECTOR,
        "pe_start": DATA_START // SECTOR,
        "pe_count": extents_of(size),
    }
    section: Section = {
        "id": identifier(f"{uuid}/group"),
        "seqno": 0,
        "format": "lvm2",
        "status": ["RESIZEABLE", "READ", "WRITE"],
        "flags": [],
        "extent_size": EXTENT // SECTOR,
        "max_lv": 0,
        "max_pv": 0,
        "metadata_copies": 0,
        "physical_volumes": {"pv0": own},
    }
    tail: Section = {
        "contents": "Text Format Volume Group",
        "version": 1,
        "description": "",
        "creation_host": "bench",
        "creation_time": 0,
    }
    return Pv(uuid, size, AREA_START, DATA_START - AREA_START, DATA_START, {group: section, **tail})


def with_logical(pv: Pv, name: str, size: int) -> Pv:
    """Return the volume with one more logical volume in its lowest free stretch; raises ``FormatError`` where none is long enough."""
    count = align_up(size, pv.extent) // pv.extent
    place = free_extent(pv, count)
    if place is None:
        raise FormatError(f"There is no free stretch of {count} extents in {pv.group}.", "Choose a smaller size.")
    segment = {"start_extent": 0, "extent_count": count, "type": "striped", "stripe_count": 1, "stripes": [pv.own[0], place]}
    made: Section = {
        "id": identifier(f"{pv.uuid}/{name}"),
        "status": ["READ", "WRITE", "VISIBLE"],
        "flags": [],
        "creation_host": "bench",
        "creation_time": 0,
        "segment_count": 1,
        "segment1": segment,
    }
    volumes = {**pv.section.get("logical_volumes", {}), name: made}
    return _changed(pv, logical_volumes=volumes)


def free_extent(pv: Pv, count: int) -> int | None:
    """Return the first of ``count`` free extents in a row, or ``None``."""
    at = 0
    for segment in [*pv.segments(), None]:
        end = segment.first if segment else pv.extents
        if end - at >= count:
            return at
        at = max(at, segment.first + segment.count) if segment else at
    return None


def with_size(pv: Pv, size: int) -> Pv:
    """Return the volume at another size; extents in use must still fit (the caller looked)."""
    name, own = pv.own
    count = max(0, (size - pv.first_extent) // pv.extent) if pv.extent else 0
    volumes = {**pv.section.get("physical_volumes", {}), name: {**own, "dev_size": size // SECTOR, "pe_count": count}}
    return replace(_changed(pv, physical_volumes=volumes) if name else pv, size=size)


def _changed(pv: Pv, **sections: Any) -> Pv:
    """The group's order of sections stays, and logical volumes come behind the physical ones."""
    return replace(pv, text={**pv.text, pv.group: {**pv.section, **sections}})


def fault(pv: Pv) -> str:
    """Return why the group's text cannot be written here, or an empty string."""
    if not pv.group:
        return "it has no volume group"
    if len(pv.section.get("physical_volumes", {})) != 1:
        return "its group lies on other physical volumes too"
    return "" if pv.areas == 1 else "it keeps its metadata in two places"


def encode(pv: Pv) -> list[tuple[int, bytes]]:
    """Return the pieces to write, in order: the text beside the one that stands there, then the header, then the label."""
    number = int(pv.section.get("seqno", 0)) + 1
    text = {**pv.text, pv.group: {**pv.section, "seqno": number}}
    raw = render(text).encode() + b"\0"
    offset = _free_place(pv, align_up(len(raw), SECTOR))
    location = LOCATION.pack(offset, len(raw), checksum(raw), 0)
    body = AREA_HEADER.pack(0, AREA_MARK, 1, pv.area_start, pv.area_size)[4:] + location
    body = body.ljust(SECTOR - 4, b"\0")
    header = struct.pack("<I", checksum(body)) + body
    return [
        (pv.area_start + offset, raw.ljust(align_up(len(raw), SECTOR), b"\0")),
        (pv.area_start, header),
        (pv.label_sector * SECTOR, _label(pv)),
    ]


def _free_place(pv: Pv, length: int) -> int:
    """A place in the area that the text which stands there does not touch: a cut leaves the old one good."""
    behind = align_up(pv.text_at + pv.text_bytes, SECTOR)
    in_front = not pv.text_at or SECTOR + length <= pv.text_at // SECTOR * SECTOR
    place = SECTOR if in_front else behind
    if place + length > pv.area_size:
        raise FormatError("The LVM metadata is too long for its area.", "Change it with its own tools.")
    return place


def _label(pv: Pv) -> bytes:
    """The label as found with its size put right, or a fresh one."""
    if pv.label:
        at = LABEL.unpack_from(pv.label)[3]
        size_at = at + PV_HEADER.place("size")
        sector = pv.label[:size_at] + struct.pack("<Q", pv.size) + pv.label[size_at + 8 :]
    else:
        areas = struct.pack("<QQQQQQQQ", pv.data_start, 0, 0, 0, pv.area_start, pv.area_size, 0, 0)
        body = pv.uuid.replace("-", "").encode() + struct.pack("<Q", pv.size) + areas + struct.pack("<IIQQ", 2, 1, 0, 0)
        sector = (LABEL.pack(LABEL_MARK, pv.label_sector, 0, LABEL.size, LABEL_KIND) + body).ljust(SECTOR, b"\0")
    summed = sector[SUMMED_FROM:]
    return sector[: LABEL_SUM.place("sum")] + struct.pack("<I", checksum(summed)) + summed
