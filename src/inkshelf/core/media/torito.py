"""The boot catalog of an image (El Torito 1.0; UEFI specification 2.10, 13.3.2): what it starts, on which platform, and where that lies."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.disk.source import ByteSource, Layout
from inkshelf.core.media.entries import SECTOR
from inkshelf.core.media.material import BootImage, Platform

PLATFORMS: dict[int, Platform] = {0: "legacy", 0xEF: "uefi"}
VALIDATION, SECTION, LAST_SECTION, BOOTABLE = 1, 0x90, 0x91, 0x88
ENTRY_BYTES, MOST = 32, 64

CHECKED = Layout("validation entry", "<", kind=(0, "B"), platform=(1, "B"), key=(30, "2s"))
HEADER = Layout("section header", "<", kind=(0, "B"), platform=(1, "B"), count=(2, "H"))
BOOT = Layout("boot entry", "<", bootable=(0, "B"), medium=(1, "B"), sectors=(6, "H"), block=(8, "I"))


def catalog(source: ByteSource, block: int) -> Iterator[BootImage]:
    """Yield what a boot catalog lists; nothing where it is not one."""
    raw = source.read(block * SECTOR, SECTOR)
    if len(raw) < 2 * ENTRY_BYTES:
        return
    first = CHECKED.of(raw)
    words = sum(int.from_bytes(raw[at : at + 2], "little") for at in range(0, ENTRY_BYTES, 2))
    if first.kind != VALIDATION or first.key != b"\x55\xaa" or words & 0xFFFF:
        return
    yield _image(raw, ENTRY_BYTES, first.platform)
    at = 2 * ENTRY_BYTES
    for _ in range(MOST):
        if at + ENTRY_BYTES > len(raw):
            return
        head = HEADER.of(raw, at)
        if head.kind not in {SECTION, LAST_SECTION}:
            return
        at += ENTRY_BYTES
        for _ in range(min(head.count, MOST)):
            if at + ENTRY_BYTES > len(raw):
                return
            yield _image(raw, at, head.platform)
            at += ENTRY_BYTES
        if head.kind == LAST_SECTION:
            return


def _image(raw: bytes, at: int, platform: int) -> BootImage:
    own = BOOT.of(raw, at)
    return BootImage(PLATFORMS.get(platform, "other"), own.block * SECTOR, own.sectors * 512, own.bootable == BOOTABLE)
