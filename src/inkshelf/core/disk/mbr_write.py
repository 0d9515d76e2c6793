"""The MBR writer: four records and the chain of extended boot records, as pieces to write.

The records follow the PC/AT convention that every family shares (UEFI specification 2.10, section 5.2.1): type, place and
length in logical sectors, cylinders for nobody's use but kept plausible. Who writes the pieces is not this module's business.
"""

from __future__ import annotations

import struct

from inkshelf.core.disk.mbr import ACTIVE, EXTENDED, HEAD, MARK, PROTECTIVE, RECORD, MbrEntry, MbrTable
from inkshelf.core.errors import TableError

RECORDS_AT, SIGNATURE_AT = HEAD.place("records"), HEAD.place("signature")
LINK = 0x05  # the type that leads from one extended boot record to the next
MOST = 0xFFFFFFFF
LEAD = 1 << 20  # bytes kept before a logical volume for its record, where there is room


def ebr_places(extended: MbrEntry, logicals: list[MbrEntry], sector: int) -> dict[int, int]:
    """Return the LBA of each logical volume's record, by its number.

    The first of the chain begins the extended partition; each other one lies in the free room before its volume, at most 1 MiB
    ahead of it. Raises ``TableError`` where no sector is free.
    """
    places: dict[int, int] = {}
    for entry in logicals:
        if entry is logicals[0]:
            place = extended.first
        else:
            before = [one.first + one.sectors for one in logicals if one.first < entry.first]
            place = max([extended.first + 1, *before, entry.first - LEAD // sector])
        if not extended.first <= place < entry.first:
            raise TableError(
                f"There is no free sector before logical volume {entry.number} for its record.",
                "Leave 1 MiB free before it.",
                field="EBR",
                offset=entry.first * sector,
            )
        places[entry.number] = place
    return places


def encode(table: MbrTable, sector: int) -> list[tuple[int, bytes]]:
    """Return (offset, bytes) pieces: records of the chain from its last to its first, then signature and records of the MBR.

    Code before the records stays as it was found. Raises ``TableError`` for what 32 bits or four records cannot hold.
    """
    primaries = {entry.number: entry for entry in table.entries if not entry.logical}
    logicals = sorted((entry for entry in table.entries if entry.logical), key=lambda one: one.number)
    for entry in table.entries:
        if not 0 < entry.first <= MOST or not 0 < entry.sectors <= MOST or entry.first + entry.sectors > MOST + 1:
            raise TableError(f"Volume {entry.number} lies beyond what an MBR can tell.", "Use a GPT.", field="LBA")
    if any(not 1 <= number <= 4 for number in primaries) or len(primaries) + len(logicals) != len(table.entries):
        raise TableError("An MBR holds four primary volumes, each with a number of its own.", "Use a logical one.")
    extended = next((one for one in primaries.values() if one.type_byte in EXTENDED), None)
    if logicals and extended is None:
        raise TableError("Logical volumes need an extended partition.", "Make one first.")
    pieces = _chain(extended, logicals, sector) if extended else []
    records = b"".join(_record(primaries.get(number)) for number in range(1, 5))
    return [*pieces[::-1], (SIGNATURE_AT, struct.pack("<I", int(table.signature or "0", 16))), (RECORDS_AT, records + MARK)]


def _chain(extended: MbrEntry, logicals: list[MbrEntry], sector: int) -> list[tuple[int, bytes]]:
    places = ebr_places(extended, logicals, sector)
    pieces = []
    for at, entry in enumerate(logicals):
        own = places[entry.number]
        record = _record(entry, entry.first - own)
        link = bytes(16)
        if at + 1 < len(logicals):
            following = logicals[at + 1]
            to = places[following.number]
            link = _packed(0, LINK, to - extended.first, following.first + following.sectors - to, to)
        pieces.append((own * sector + RECORDS_AT, record + link + bytes(32) + MARK))
    if not logicals:
        pieces.append((extended.first * sector + RECORDS_AT, bytes(64) + MARK))
    return pieces


def _record(entry: MbrEntry | None, first: int | None = None) -> bytes:
    if entry is None:
        return bytes(16)
    return _packed(
        ACTIVE if entry.active else 0, entry.type_byte, entry.first if first is None else first, entry.sectors, entry.first
    )


def _packed(flag: int, kind: int, first: int, count: int, absolute: int) -> bytes:
    return RECORD.pack(flag, _cylinders(absolute), kind, _cylinders(absolute + count - 1), first, count)


def _cylinders(lba: int) -> bytes:
    """Head, sector and cylinder at 255 heads and 63 sectors; the largest there is where the place is beyond it."""
    cylinder, rest = divmod(lba, 255 * 63)
    if cylinder > 1023:
        return b"\xfe\xff\xff"
    return bytes((rest // 63, rest % 63 + 1 | (cylinder >> 8) << 6, cylinder & 0xFF))


def keep_cylinders(new: bytes, found: bytes) -> bytes:
    """Return ``new`` records with the cylinders as found where a record says the same place, length, type and flag."""
    kept = bytearray(new)
    for at in range(0, 64, 16):
        old, now = found[at : at + 16], new[at : at + 16]
        if len(old) == 16 and (old[0], old[4], old[8:]) == (now[0], now[4], now[8:]):
            kept[at : at + 16] = old
    return bytes(kept)


def follow_hybrid(head: bytes, places: dict[tuple[int, int], tuple[int, int] | None], disk_sectors: int) -> bytes:
    """Return the 64 record bytes and mark of a hybrid MBR after its GPT changed.

    ``places``: what each volume's (first, sectors) became, ``None`` where it was given up. A record that mirrors a volume goes
    with it; one that mirrors none stays; the protective record still ends with the disk or before the next mirrored volume.
    """
    records = []
    for index in range(4):
        flag, _, kind, _, first, count = RECORD.unpack_from(head, RECORDS_AT + 16 * index)
        found = (first, count)
        now = places.get(found, found) if kind != PROTECTIVE else found
        if not kind or now is None:
            records.append(bytes(16))
        elif now == found and (kind != PROTECTIVE or first + count <= disk_sectors):
            records.append(head[RECORDS_AT + 16 * index : RECORDS_AT + 16 * index + 16])
        else:
            records.append(_packed(flag, kind, now[0], now[1], now[0]))
    return b"".join(records) + MARK
