"""Small discs for demonstrations: real ISO 9660 with Joliet names and a boot catalog, large files inside as holes (ECMA-119, El Torito 1.0)."""

from __future__ import annotations

import os
import struct
import tempfile
from collections.abc import Mapping
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.kinds import fat
from inkshelf.bench.opening import open_own
from inkshelf.bench.sparse import write_all
from inkshelf.core.errors import BenchError
from inkshelf.core.value import Value

BLOCK, FIRST_FOLDER, CATALOG = 2048, 25, 24
MOST_EXTENT = 0xFFFFF800
START_UP = 4 << 20  # bytes of the embedded EFI system partition
MADE = bytes([126, 11, 1, 8, 0, 0, 0])  # years since 1900, month, day, hour, minute, second, zone

Files = Mapping[str, bytes | int]
"""Contents by path, with ``/`` between the parts; a number is a hole of so many bytes."""


class Disc(Value, frozen=True):
    """What a disc is made of. ``loader``: what UEFI starts, in the files and in an embedded EFI system partition (empty: nothing);
    ``legacy``: the legacy way starts it too; ``hybrid``: written to a stick as it is, it starts."""

    label: str
    files: dict[str, bytes | int]
    loader: bytes = b""
    legacy: bool = False
    hybrid: bool = False


def make(path: Path, disc: Disc) -> Path:
    """Write a disc to a new file of ``path``'s folder, sparse where its files are holes; raises ``BenchError`` where it cannot be."""
    files = dict(disc.files)
    if disc.loader:
        files["/EFI/BOOT/BOOTX64.EFI"] = disc.loader
        files["/boot/start.img"] = _start_up(path.parent, disc.loader)
    if disc.legacy:
        files["/boot/legacy.bin"] = b"\xfa\xf4".ljust(BLOCK, b"\0")
    folders = _folders(files)
    at = FIRST_FOLDER + 2 * len(folders)
    places: dict[str, int] = {}
    for name, held in files.items():
        places[name] = at
        at += -(-_size(held) // BLOCK)
    blocks = at
    numbers = {name: FIRST_FOLDER + number for number, name in enumerate(folders)}
    wide = {name: FIRST_FOLDER + len(folders) + number for number, name in enumerate(folders)}
    pieces: list[tuple[int, bytes]] = []
    for joliet, where in ((False, numbers), (True, wide)):
        pieces += [(where[one], _folder(one, folders, files, where, places, joliet=joliet)) for one in folders]
        for number, big in ((0, False), (1, True)):
            pieces.append((20 + 2 * joliet + number, _paths(folders, where, joliet=joliet, big=big)))
        pieces.append(
            (18 if joliet else 16, _volume(disc.label, blocks, where[""], _table_size(folders, joliet=joliet), joliet=joliet))
        )
    pieces.append((19, b"\xffCD001\1"))
    pieces += [(17, _boot_record()), (CATALOG, _catalog(disc, files, places))] if disc.loader or disc.legacy else []
    pieces += [(places[name], held) for name, held in files.items() if isinstance(held, bytes)]
    fd = open_own(path.parent, path.name, fresh=True)
    try:
        os.ftruncate(fd, blocks * BLOCK)
        for block, data in pieces:
            write_all(fd, data, block * BLOCK)
        if disc.hybrid:
            write_all(fd, _mbr(blocks, places.get("/boot/start.img", 0)), 0)
    finally:
        os.close(fd)
    return path


def _size(held: bytes | int) -> int:
    return held if isinstance(held, int) else len(held)


def _start_up(folder: Path, loader: bytes) -> bytes:
    """A small FAT with the loader where firmware looks."""
    with tempfile.TemporaryDirectory(dir=folder) as scratch:
        path = Path(scratch) / "start"
        with path.open("wb") as out:
            out.truncate(START_UP)
        tools.run("mkfs.fat", "-F", "12", "-n", "STARTUP", "-i", "1EAF1EAF", path)
        fat.put(path, {"/EFI/BOOT/BOOTX64.EFI": loader})
        return path.read_bytes()


def _folders(files: Files) -> list[str]:
    """Every folder, the root (empty) first, those above before those in them."""
    found = {""}
    for name in files:
        parts = name.strip("/").split("/")[:-1]
        found |= {"/" + "/".join(parts[: end + 1]) for end in range(len(parts))}
    return sorted(found, key=lambda one: (one.count("/"), one))


def _parent(path: str) -> str:
    return path.rpartition("/")[0]


def _name(path: str, *, joliet: bool, file: bool = False) -> bytes:
    """A plain name is short, in capitals and figures, with a version; Joliet has it as it is."""
    name = path.rpartition("/")[2]
    if joliet:
        return name[:64].encode("utf-16-be")
    stem, dot, ending = name.upper().rpartition(".")
    stem, ending = (stem, ending) if dot else (ending, "")
    plain = ["".join(one if one.isalnum() and one.isascii() else "_" for one in part) for part in (stem[:8], ending[:3])]
    return (f"{plain[0]}.{plain[1]};1" if file else plain[0]).encode("ascii")


def _folder(
    path: str, folders: list[str], files: Files, where: Mapping[str, int], places: Mapping[str, int], *, joliet: bool
) -> bytes:
    above = _parent(path) if path else ""
    rows = [_record(where[path], BLOCK, 2, b"\0"), _record(where[above], BLOCK, 2, b"\1")]
    rows += [_record(where[one], BLOCK, 2, _name(one, joliet=joliet)) for one in folders if one and _parent(one) == path]
    for name, held in files.items():
        if _parent(name) == path:
            rows += _extents(places[name], _size(held), _name(name, joliet=joliet, file=True))
    raw = b"".join(rows)
    if len(raw) > BLOCK:
        raise BenchError("Too many names in one folder of a demonstration disc.", "Use fewer.")
    return raw


def _extents(block: int, size: int, name: bytes) -> list[bytes]:
    """A file of 4 GiB and more has several records; all but the last say that it goes on."""
    rows = []
    while size > MOST_EXTENT:
        rows.append(_record(block, MOST_EXTENT, 128, name))
        block, size = block + MOST_EXTENT // BLOCK, size - MOST_EXTENT
    return [*rows, _record(block, size, 0, name)]


def _both(value: int) -> bytes:
    return struct.pack("<I", value) + struct.pack(">I", value)


def _both_short(value: int) -> bytes:
    return struct.pack("<H", value) + struct.pack(">H", value)


def _record(block: int, size: int, flags: int, name: bytes) -> bytes:
    body = b"\0" + _both(block) + _both(size) + MADE + bytes([flags, 0, 0]) + _both_short(1) + bytes([len(name)]) + name
    body += b"" if len(name) % 2 else b"\0"
    return bytes([len(body) + 1]) + body


def _paths(folders: list[str], where: Mapping[str, int], *, joliet: bool, big: bool) -> bytes:
    numbers = {one: at for at, one in enumerate(folders, 1)}
    order = ">" if big else "<"
    raw = b""
    for one in folders:
        name = _name(one, joliet=joliet) if one else b"\0"
        above = numbers[_parent(one)] if one else 1
        raw += struct.pack(f"{order}BBIH", len(name), 0, where[one], above) + name + (b"\0" if len(name) % 2 else b"")
    return raw


def _table_size(folders: list[str], *, joliet: bool) -> int:
    return len(_paths(folders, dict.fromkeys(folders, 0), joliet=joliet, big=False))


def _text(words: str, size: int, *, joliet: bool) -> bytes:
    """A field of text, filled up with blanks: one byte a character, or two."""
    if not joliet:
        return words.encode("ascii", "replace")[:size].ljust(size)
    whole = (words.encode("utf-16-be")[: size // 2 * 2] + b"\0 " * size)[: size // 2 * 2]
    return whole.ljust(size, b"\0")


def _volume(label: str, blocks: int, root: int, table: int, *, joliet: bool) -> bytes:
    first = 22 if joliet else 20
    raw = (
        bytes([2 if joliet else 1])
        + b"CD001\1\0"
        + _text("", 32, joliet=joliet)
        + _text(label, 32, joliet=joliet)
        + bytes(8)
        + _both(blocks)
    )
    raw += (b"%/E" if joliet else b"").ljust(32, b"\0") + _both_short(1) + _both_short(1) + _both_short(BLOCK) + _both(table)
    raw += struct.pack("<II", first, 0) + struct.pack(">II", first + 1, 0) + _record(root, BLOCK, 2, b"\0")
    raw += _text("", 128, joliet=joliet) * 4 + _text("", 37, joliet=joliet) * 3
    stamp = b"2026110108000000\0"
    return raw + stamp + stamp + b"0" * 16 + b"\0" + b"0" * 16 + b"\0" + b"\1"


def _boot_record() -> bytes:
    return (b"\0CD001\1" + b"EL TORITO SPECIFICATION".ljust(32, b"\0") + bytes(32)).ljust(71, b"\0") + struct.pack(
        "<I", CATALOG
    )


def _catalog(disc: Disc, files: Files, places: Mapping[str, int]) -> bytes:
    """The validation entry, the first thing that starts, and UEFI's section behind it where both ways are there."""
    check = bytearray(struct.pack("<BBH24sHBB", 1, 0 if disc.legacy else 0xEF, 0, b"inkshelf", 0, 0x55, 0xAA))
    total = sum(struct.unpack("<16H", check)) & 0xFFFF
    struct.pack_into("<H", check, 28, (0x10000 - total) & 0xFFFF)
    rows = [bytes(check)]
    if disc.legacy:
        rows.append(_starts(4, places["/boot/legacy.bin"]))
    if disc.loader:
        count = _size(files["/boot/start.img"]) // 512
        rows += [struct.pack("<BBH28s", 0x91, 0xEF, 1, b"")] if disc.legacy else []
        rows.append(_starts(count, places["/boot/start.img"]))
    return b"".join(rows)


def _starts(sectors: int, block: int) -> bytes:
    return struct.pack("<BBHBBHI20s", 0x88, 0, 0, 0, 0, min(sectors, 0xFFFF), block, b"")


def _mbr(blocks: int, start_up: int) -> bytes:
    """Two records: all of the disc as it is, and the embedded EFI system partition."""
    raw = bytearray(512)
    struct.pack_into("<I", raw, 440, 0x1D15C001)
    spans = [(0x80, 0x17, 0, min(blocks * 4, 0xFFFFFFFF))]
    spans += [(0, 0xEF, start_up * 4, START_UP // 512)] if start_up else []
    for number, (active, kind, first, count) in enumerate(spans):
        struct.pack_into("<B3sB3sII", raw, 446 + 16 * number, active, b"\xfe\xff\xff", kind, b"\xfe\xff\xff", first, count)
    raw[510:] = b"\x55\xaa"
    return bytes(raw)
