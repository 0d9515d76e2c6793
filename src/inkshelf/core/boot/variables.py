"""Boot variables as firmware keeps them (UEFI specification 2.10, sections 3.1.3 and 3.3): load options, orders, switches; both ways."""

from __future__ import annotations

import struct

from inkshelf.core.boot import paths
from inkshelf.core.boot.paths import Path
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

ACTIVE, RECONNECT, HIDDEN = 0x1, 0x2, 0x8
CATEGORY, APPLICATION = 0x1F00, 0x0100
NON_VOLATILE, AT_BOOT, AT_RUN = 0x1, 0x2, 0x4
KEPT = NON_VOLATILE | AT_BOOT | AT_RUN
"""The attributes of a variable that stays and that a running system sees."""
HEAD = struct.Struct("<IH")
MOST_TITLE = 4096  # characters


class LoadOption(Value, frozen=True):
    """What a Boot#### variable holds. ``paths``: the first one says what is started; ``optional``: bytes that are handed to it, kept as they are."""

    title: str
    paths: tuple[Path, ...]
    attributes: int = ACTIVE
    optional: bytes = b""

    @property
    def active(self) -> bool:
        """Whether firmware tries it in its order."""
        return bool(self.attributes & ACTIVE)

    @property
    def ordinary(self) -> bool:
        """Whether it is of the category that belongs to the order; an application is started by a key only."""
        return self.attributes & CATEGORY == 0


def parse_option(raw: bytes) -> LoadOption:
    """Return a load option; raises ``FormatError`` where the bytes are none."""
    if len(raw) < HEAD.size:
        raise FormatError("A load option that is too short.")
    attributes, length = HEAD.unpack_from(raw)
    at = HEAD.size
    end = next((one for one in range(at, min(len(raw) - 1, at + 2 * MOST_TITLE), 2) if raw[one : one + 2] == b"\0\0"), None)
    if end is None:
        raise FormatError("A load option whose title has no end.")
    begin = end + 2
    if begin + length > len(raw):
        raise FormatError("A load option whose path goes beyond it.")
    title = raw[at:end].decode("utf-16-le", "surrogatepass")
    return LoadOption(title, paths.parse(raw[begin : begin + length]), attributes, raw[begin + length :])


def build_option(option: LoadOption) -> bytes:
    """Return the bytes of a load option; raises ``FormatError`` for a title or path that none can hold."""
    listed = paths.build(option.paths)
    if "\0" in option.title or len(option.title) >= MOST_TITLE or len(listed) > 0xFFFF:
        raise FormatError("A load option with a title or a path that cannot be.")
    title = option.title.encode("utf-16-le", "surrogatepass") + b"\0\0"
    return HEAD.pack(option.attributes, len(listed)) + title + listed + option.optional


def parse_order(raw: bytes) -> tuple[int, ...]:
    """Return the numbers of a BootOrder; raises ``FormatError`` for half a number."""
    if len(raw) % 2:
        raise FormatError("A boot order with half a number.")
    return struct.unpack(f"<{len(raw) // 2}H", raw)


def build_order(order: tuple[int, ...]) -> bytes:
    """Return the bytes of a BootOrder."""
    return struct.pack(f"<{len(order)}H", *order)
