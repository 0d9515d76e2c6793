"""Names on FAT: the short one that every system reads, the records of the long one (FAT specification 1.03, section 7; basis names, 3.2.4)."""

from __future__ import annotations

import re
import struct

from inkshelf.core.errors import BenchError

PLAIN = re.compile(r"[A-Z0-9!#$%&'()@^_`{}~-]{1,8}(?:\.[A-Z0-9!#$%&'()@^_`{}~-]{1,3})?\Z")
BARRED = re.compile(r'[\x00-\x1f"*/:<>?\\|]')
LONG = struct.Struct("<B10sBBB12sH4s")
LONGEST, PART, LAST_PART, LONG_FLAG = 255, 13, 0x40, 0x0F


def plain(name: str) -> bool:
    """Tell whether a name is a short one as it is."""
    return bool(PLAIN.match(name))


def refuse_barred(name: str) -> None:
    """Refuse a name that no FAT, exFAT or NTFS takes."""
    units = len(name.encode("utf-16-le", "surrogatepass")) // 2
    if not name or units > LONGEST or BARRED.search(name) or name.strip(" .") == "" or name != name.rstrip(" ."):
        raise BenchError(f"“{name[:60]}” is no name that this file system takes.", "Choose another file system for this image.")


def short_name(name: str, taken: set[bytes]) -> bytes:
    """Return the eleven bytes of a short name that is not taken."""
    refuse_barred(name)
    stem, dot, ending = name.lstrip(".").rpartition(".")
    if not dot:
        stem, ending = ending, ""
    body, tail = _basis(stem) or "_", _basis(ending)[:3]
    whole = body[:8].ljust(8).encode("ascii") + tail.ljust(3).encode("ascii")
    if plain(name) and whole not in taken:
        return whole
    for number in range(1, 1_000_000):
        mark = f"~{number}"
        whole = (body[: 8 - len(mark)] + mark).ljust(8).encode("ascii") + tail.ljust(3).encode("ascii")
        if whole not in taken:
            return whole
    raise BenchError("Too many names in a folder look alike.", "Choose another file system for this image.")


def _basis(text: str) -> str:
    """Capitals, without blanks and full stops; what a short name cannot hold becomes an underscore."""
    kept = text.upper().replace(" ", "").replace(".", "")
    return "".join(one if one.isascii() and PLAIN.match(one) else "_" for one in kept)


def long_records(name: str, short: bytes) -> bytes:
    """Return the records of a long name, the last part first, each with the short name's checksum."""
    total = 0
    for byte in short:
        total = ((total & 1) << 7 | total >> 1) + byte & 0xFF
    raw = name.encode("utf-16-le", "surrogatepass")
    count = -(-len(raw) // (2 * PART))
    if len(raw) % (2 * PART):
        raw = (raw + b"\0\0").ljust(count * 2 * PART, b"\xff")
    records = []
    for number in range(count, 0, -1):
        part = raw[(number - 1) * 2 * PART : number * 2 * PART]
        order = number | (LAST_PART if number == count else 0)
        records.append(LONG.pack(order, part[:10], LONG_FLAG, 0, total, part[10:22], 0, part[22:26]))
    return b"".join(records)
