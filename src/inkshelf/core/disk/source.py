"""Where bytes come from: the port through which the core reads, and safe primitives for on-disk structures."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from types import SimpleNamespace
from typing import Protocol

from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value


class ByteSource(Protocol):
    """Something that can be read at any byte; the bench has one for image files, tests have one in memory."""

    @property
    def size(self) -> int:
        """Length in bytes."""
        ...

    def read(self, offset: int, length: int) -> bytes:
        """Return up to ``length`` bytes from ``offset``; fewer only behind the end."""
        ...

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Yield the (start, end) stretches between ``start`` and ``end`` that are not holes."""
        ...


class Slice(Value, frozen=True):
    """A part of another source: a volume's bytes as a source of their own."""

    base: ByteSource
    start: int
    size: int

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes of the part; never beyond its end."""
        length = max(0, min(length, self.size - offset))
        return self.base.read(self.start + offset, length) if length else b""

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Yield the stretches of the part that are not holes, counted from its start."""
        for low, high in self.base.data_ranges(self.start + start, self.start + min(end, self.size)):
            yield low - self.start, high - self.start


class Memory(Value, frozen=True):
    """Bytes in memory as a source: small structures, and tests."""

    data: bytes

    @property
    def size(self) -> int:
        """Length in bytes."""
        return len(self.data)

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes from memory."""
        return self.data[offset : offset + length]

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Memory has no holes."""
        end = min(end, len(self.data))
        if end > start:
            yield start, end


class Layout:
    """Where the fields of an on-disk structure lie: name, offset and ``struct`` code, beside each other as the format's own table has them."""

    def __init__(self, what: str, order: str, /, **fields: tuple[int, str]) -> None:
        self.what, self._offsets = what, {name: at for name, (at, _) in fields.items()}
        self._single: list[tuple[str, int]] = []
        self._many: list[tuple[str, int, int]] = []
        form, end, count = order, 0, 0
        for name, (at, code) in sorted(fields.items(), key=lambda one: one[1][0]):
            if at < end:
                raise ValueError(f"{what}: {name} begins inside the field before it")
            own = struct.Struct(order + code)
            values = len(own.unpack(bytes(own.size)))
            form, end = f"{form}{at - end}x{code}", at + own.size
            self._single += [(name, count)] if values == 1 else []
            self._many += [(name, count, count + values)] if values > 1 else []
            count += values
        self._form = struct.Struct(form)
        self.size = self._form.size

    def of(self, raw: bytes | bytearray, at: int = 0) -> SimpleNamespace:
        """Return the fields by name of the structure at ``at``; raises ``FormatError`` where ``raw`` ends before it.

        A field of one code is its value alone, one of several a tuple.
        """
        if at < 0 or len(raw) - at < self.size:
            raise FormatError(f"{self.what}: it is cut short.")
        values = self._form.unpack_from(raw, at)
        found = {name: values[number] for name, number in self._single}
        found |= {name: values[low:high] for name, low, high in self._many}
        return SimpleNamespace(**found)

    def place(self, field: str) -> int:
        """Return the offset of a field from where the structure begins."""
        return self._offsets[field]


def exactly(source: ByteSource, offset: int, length: int, what: str) -> bytes:
    """Return ``length`` bytes, or raise ``FormatError`` that names ``what`` and the offset."""
    if offset < 0 or length < 0 or length > 1 << 28:
        raise FormatError(f"{what}: a place that cannot be ({length} bytes at {offset}).")
    data = source.read(offset, length)
    if len(data) != length:
        raise FormatError(f"{what}: the end of the volume comes before byte {offset + length}.")
    return data


def unpack(form: str, data: bytes, offset: int, what: str) -> tuple[int, ...]:
    """Unpack integers, or raise ``FormatError`` that names ``what``."""
    try:
        return struct.unpack_from(form, data, offset)
    except struct.error:
        raise FormatError(f"{what}: too short at byte {offset}.") from None
