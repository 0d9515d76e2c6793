"""Hives, the NT family's files of keys and values, both ways: its boot data is one.

The format (regf 1.3 to 1.6) is known from published descriptions; offsets are bytes from a structure's start, those in the file
count from the first bin. Read are keys with their values; security, classes and times are passed over, and data in several
pieces (over 16,344 bytes) is refused.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

BASE = struct.Struct("<4sIIQIIIIIII")  # magic, two sequence numbers, time, version 1.n, type, form, root, bytes of bins, 1
BIN = struct.Struct("<4sIIQQI")  # magic, own offset, length, reserved, time, spare
KEY = struct.Struct("<2sHQIIIIIIIIIIIIIIIHH")  # see _key: how many and where its subkeys, values, name are
DATA = struct.Struct("<2sHIIIHH")  # magic, bytes of the name, of the data, where they are, type, flags, spare
SECURITY = struct.Struct("<2sHIIII")  # magic, reserved, next, before, how many use it, bytes of the descriptor
DESCRIPTOR = struct.pack("<BBHIIII", 1, 0, 0x8000, 0, 0, 0, 0)  # self-relative, and says nothing
NONE, FIRST, SUM_AT, PAGE = 0xFFFFFFFF, 4096, 508, 4096
INLINE = 1 << 31  # of a length: the data stand in the place of where they are
LATIN_KEY, LATIN_DATA, ROOT_KEY = 0x20, 1, 0x0C
TEXT, BINARY, NUMBER, TEXTS = 1, 3, 4, 7  # types of data
LARGEST, MOST, DEEPEST = 8 << 20, 20_000, 16  # bytes of a hive; keys and values; keys in keys


class HiveData(Value, frozen=True):
    """One value: its name, its type (``TEXT``, ``BINARY`` ...), its bytes."""

    name: str
    type: int
    raw: bytes

    @property
    def text(self) -> str:
        """Its bytes as text, up to the first end mark."""
        return self.raw.decode("utf-16-le", "replace").split("\0", 1)[0]

    @property
    def texts(self) -> tuple[str, ...]:
        """Its bytes as a list of texts."""
        return tuple(one for one in self.raw.decode("utf-16-le", "replace").split("\0") if one)


class HiveKey(Value, frozen=True):
    """One key with everything below it."""

    name: str
    data: tuple[HiveData, ...] = ()
    keys: tuple[HiveKey, ...] = ()

    def key(self, *path: str) -> HiveKey | None:
        """Return the key at a path of names, in any capitals."""
        found: HiveKey | None = self
        for name in path:
            found = next((one for one in found.keys if one.name.lower() == name.lower()), None) if found else None
        return found

    def value(self, name: str) -> HiveData | None:
        """Return the value of that name."""
        return next((one for one in self.data if one.name.lower() == name.lower()), None)


def checksum(base: bytes) -> int:
    """Return the sum of a base block's first 508 bytes: exclusive or of its words; two results stand for others."""
    total = 0
    for word in struct.unpack_from("<127I", base):
        total ^= word
    return {0: 1, NONE: NONE - 1}.get(total, total)


def read(raw: bytes) -> HiveKey:
    """Return the root key of a hive; raises ``FormatError`` where the bytes are none, or one that was cut while it was written."""
    if len(raw) < FIRST + BIN.size or raw[:4] != b"regf" or len(raw) > LARGEST:
        raise FormatError("No hive.")
    _, first, second, _, major, _, _, _, root, length, _ = BASE.unpack_from(raw)
    if major != 1 or checksum(raw) != struct.unpack_from("<I", raw, SUM_AT)[0]:
        raise FormatError("A hive whose first block is damaged.")
    if first != second:
        raise FormatError("A hive that was being written: what is in it may lie in its log.")
    return _Reader(raw[FIRST : FIRST + length]).key(root, 0)


class _Reader:
    def __init__(self, bins: bytes) -> None:
        self.bins, self.left = bins, MOST

    def cell(self, at: int) -> bytes:
        """The contents of a cell that is in use."""
        self.left -= 1
        if self.left < 0 or at + 4 > len(self.bins):
            raise FormatError("A hive that names what it has not.")
        length = -struct.unpack_from("<i", self.bins, at)[0]
        if length < 4 or at + length > len(self.bins):
            raise FormatError("A hive with a cell that cannot be.")
        return self.bins[at + 4 : at + length]

    def key(self, at: int, depth: int) -> HiveKey:
        raw = self.cell(at)
        if depth > DEEPEST or len(raw) < KEY.size or raw[:2] != b"nk":
            raise FormatError("A hive with a key that is none.")
        fields = KEY.unpack_from(raw)
        flags, keys, keys_at, values, values_at, name = fields[1], fields[5], fields[7], fields[9], fields[10], fields[18]
        title = raw[KEY.size : KEY.size + name].decode("latin-1" if flags & LATIN_KEY else "utf-16-le", "replace")
        data = tuple(self.data(one) for one in self.words(values_at, values)) if values else ()
        below = tuple(self.key(one, depth + 1) for one in self.listed(keys_at, 0)) if keys else ()
        return HiveKey(title, data, below)

    def words(self, at: int, count: int, begin: int = 0, step: int = 4) -> tuple[int, ...]:
        """Offsets that stand in a cell, ``step`` bytes apart."""
        raw = self.cell(at)
        if begin + count * step > len(raw):
            raise FormatError("A hive with a list longer than its cell.")
        return tuple(struct.unpack_from("<I", raw, begin + number * step)[0] for number in range(count))

    def listed(self, at: int, depth: int) -> Iterator[int]:
        """The subkeys of a list, or of a list of lists."""
        raw = self.cell(at)
        if len(raw) < 4 or depth > 2:
            raise FormatError("A hive with a list that is none.")
        kind, count = struct.unpack_from("<2sH", raw)
        if kind in {b"lf", b"lh"}:
            yield from self.words(at, count, 4, 8)
        elif kind == b"li":
            yield from self.words(at, count, 4)
        elif kind == b"ri":
            for one in self.words(at, count, 4):
                yield from self.listed(one, depth + 1)
        else:
            raise FormatError("A hive with a list of another kind.")

    def data(self, at: int) -> HiveData:
        raw = self.cell(at)
        if len(raw) < DATA.size or raw[:2] != b"vk":
            raise FormatError("A hive with a value that is none.")
        _, name, length, place, kind, flags, _ = DATA.unpack_from(raw)
        title = raw[DATA.size : DATA.size + name].decode("latin-1" if flags & LATIN_DATA else "utf-16-le", "replace")
        if length & INLINE:
            return HiveData(title, kind, raw[8 : 8 + min(4, length & ~INLINE)])
        held = self.cell(place) if length else b""
        if length > len(held) or held[:2] == b"db":
            raise FormatError("A hive with a value in pieces, which is not read.")
        return HiveData(title, kind, held[:length])


def build(root: HiveKey, size: int = 0) -> bytes:
    """Return a hive with these keys, in one bin, of ``size`` bytes or more (a multiple of 4 KiB); raises ``FormatError`` for what is too large for the reader."""
    made = _Writer()
    security = made.cell(SECURITY.pack(b"sk", 0, 0, 0, 0, len(DESCRIPTOR)) + DESCRIPTOR)
    at = made.key(root, NONE, security, ROOT_KEY)
    SECURITY.pack_into(made.bins, security + 4, b"sk", 0, security, security, made.keys, len(DESCRIPTOR))
    free = max(-len(made.bins) % PAGE, size - FIRST - len(made.bins))
    if free:
        made.bins += struct.pack("<i", free).ljust(free, b"\0")  # a multiple of eight: every cell is one
    BIN.pack_into(made.bins, 0, b"hbin", 0, len(made.bins), 0, 0, 0)
    base = bytearray(FIRST)
    BASE.pack_into(base, 0, b"regf", 1, 1, 0, 1, 5, 0, 1, at, len(made.bins), 1)
    struct.pack_into("<I", base, SUM_AT, checksum(bytes(base)))
    if len(base) + len(made.bins) > LARGEST:
        raise FormatError("A hive larger than is read.")
    return bytes(base + made.bins)


class _Writer:
    def __init__(self) -> None:
        self.bins, self.keys = bytearray(BIN.size), 0

    def cell(self, content: bytes) -> int:
        at, length = len(self.bins), -(-(len(content) + 4) // 8) * 8
        self.bins += (struct.pack("<i", -length) + content).ljust(length, b"\0")
        return at

    def key(self, one: HiveKey, parent: int, security: int, flags: int = 0) -> int:
        """Its own cell comes first: the keys below it name it."""
        self.keys += 1
        name = one.name.encode("latin-1")
        at = self.cell(bytes(KEY.size) + name)
        values = [self.data(held) for held in one.data]
        below = sorted(one.keys, key=lambda key: key.name.upper())
        places = [self.key(key, at, security) for key in below]
        values_at = self.cell(struct.pack(f"<{len(values)}I", *values)) if values else NONE
        listed = b"".join(struct.pack("<II", place, _mark(key.name)) for place, key in zip(places, below, strict=True))
        keys_at = self.cell(struct.pack("<2sH", b"lh", len(places)) + listed) if places else NONE
        widest = [2 * max((len(key.name) for key in below), default=0), 0]
        widest += [
            2 * max((len(held.name) for held in one.data), default=0),
            max((len(held.raw) for held in one.data), default=0),
        ]
        fields = (0, 0, parent, len(places), 0, keys_at, NONE, len(values), values_at, security, NONE, *widest, 0, len(name), 0)
        KEY.pack_into(self.bins, at + 4, b"nk", flags | LATIN_KEY, *fields)
        return at

    def data(self, one: HiveData) -> int:
        name, length = one.name.encode("latin-1"), len(one.raw)
        if length <= 4:
            place, length = int.from_bytes(one.raw.ljust(4, b"\0"), "little"), length | INLINE
        else:
            place = self.cell(one.raw)
        return self.cell(DATA.pack(b"vk", len(name), length, place, one.type, LATIN_DATA, 0) + name)


def _mark(name: str) -> int:
    """What a list holds beside each key, to find it sooner."""
    total = 0
    for letter in name.upper():
        total = (total * 37 + ord(letter)) & NONE
    return total
