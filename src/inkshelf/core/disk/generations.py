"""What a loader says of itself: which component it is, and of which generation (the section ``.sbat`` of a PE image, a table of text)."""

from __future__ import annotations

import struct

from inkshelf.core.disk.contents import FileKind
from inkshelf.data import exact

SECTION_BYTES, LARGEST = 40, 4096


def section(content: bytes, name: bytes) -> bytes:
    """Return the bytes of a section of a PE image (PE format, section table), empty where there is none, or not within ``content``."""
    if len(content) < 64 or content[:2] != b"MZ":
        return b""
    at = struct.unpack_from("<I", content, 60)[0]
    if at + 24 > len(content) or content[at : at + 4] != b"PE\0\0":
        return b""
    count, extra = struct.unpack_from("<H", content, at + 6)[0], struct.unpack_from("<H", content, at + 20)[0]
    for number in range(min(count, 96)):
        head = at + 24 + extra + number * SECTION_BYTES
        if head + SECTION_BYTES > len(content):
            return b""
        if content[head : head + 8].rstrip(b"\0") == name:
            size, place = struct.unpack_from("<II", content, head + 16)
            return content[place : place + min(size, LARGEST)] if place + size <= len(content) else b""
    return b""


def told(content: bytes) -> tuple[FileKind | None, int | None]:
    """Return what a loader says that it is, and its generation; both ``None`` where it says nothing that is known here."""
    kinds: dict[str, FileKind] = {
        exact("firmware", "first_stage_component"): "first-stage",
        exact("firmware", "menu_component"): "menu",
        exact("firmware", "entry_menu_component"): "entry-menu",
    }
    for line in section(content, b".sbat").split(b"\0")[0].decode("utf-8", "replace").splitlines():
        component, _, rest = line.partition(",")
        number = rest.split(",")[0].strip()
        if component in kinds and number.isascii() and number.isdigit() and len(number) < 6:
            return kinds[component], int(number)
    return None, None
