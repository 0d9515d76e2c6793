"""File systems and containers that are recognised by their marks: kind, label, UUID, size where the mark says it."""

from __future__ import annotations

import struct
import uuid

from inkshelf.core.disk.source import ByteSource
from inkshelf.core.machine.state import FileSystem


def probe_swap(source: ByteSource) -> FileSystem | None:
    """Linux swap area: its mark ends the first page; label and UUID stand behind the first KiB."""
    for page in (4096, 8192, 16384, 65536):
        head = source.read(0, page)
        if len(head) == page and head[-10:] == b"SWAPSPACE2":
            last = struct.unpack_from("<I", head, 1028)[0]
            label = head[1052:1068].split(b"\0")[0].decode("utf-8", "replace")
            return FileSystem(
                "swap",
                (last + 1) * page,
                label,
                str(uuid.UUID(bytes=head[1036:1052])),
                page,
                None,
                "swap is made anew, not shrunk",
                None,
                False,
                False,
                page,
            )
    return None


def probe_marks(source: ByteSource) -> FileSystem | None:
    """Return a description of a kind that is known by its mark, as far as its first structures tell."""
    size = source.size
    head = source.read(0, 4096)
    if head[:6] == b"LUKS\xba\xbe":
        return _luks(head, size)
    if head[:4] == b"XFSB":
        return _xfs(head)
    if head[32:36] == b"NXSB":
        return FileSystem("apfs", size, "", str(uuid.UUID(bytes=head[72:88])), None, None, "its own system only")
    if source.read(65536 + 64, 8) == b"_BHRfS_M":
        return _btrfs(source.read(65536, 4096))
    if source.read(1024, 2) in {b"H+", b"HX"}:
        return FileSystem("hfsplus", size, "", "", None, None, "its own system only")
    if source.read(32769, 5) == b"CD001":
        return _iso(source.read(32768, 2048))
    return None


def _luks(head: bytes, size: int) -> FileSystem:
    """LUKS on-disk format: version 1 (1.2.3) has no label; version 2 (1.1.1, section 2.1) keeps one behind its sequence number."""
    version = struct.unpack_from(">H", head, 6)[0]
    label = head[24:72].split(b"\0")[0].decode("utf-8", "replace") if version == 2 else ""
    return FileSystem("luks", size, label, head[168:208].split(b"\0")[0].decode("ascii", "replace"), None, None, "inside first")


def _xfs(head: bytes) -> FileSystem:
    """XFS super block, big-endian: block size, blocks, UUID, name, free blocks."""
    block, blocks = struct.unpack_from(">IQ", head, 4)
    free = struct.unpack_from(">Q", head, 144)[0]
    label = head[108:120].split(b"\0")[0].decode("utf-8", "replace")
    return FileSystem(
        "xfs",
        block * blocks,
        label,
        str(uuid.UUID(bytes=head[32:48])),
        max(0, blocks - free) * block,
        None,
        "XFS cannot be shrunk",
        None,
        None,
        False,
        block,
        blocks,
    )


def _btrfs(raw: bytes) -> FileSystem:
    """Btrfs super block at 64 KiB: total and used bytes, label, file-system UUID."""
    total, used = struct.unpack_from("<QQ", raw, 112)
    label = raw[299:555].split(b"\0")[0].decode("utf-8", "replace")
    return FileSystem("btrfs", total, label, str(uuid.UUID(bytes=raw[32:48])), used, None, "online only, by its own system")


def _iso(raw: bytes) -> FileSystem:
    """ISO 9660 primary volume descriptor (ECMA-119, 8.4): volume identifier, space in logical blocks, creation date as its name."""
    blocks, block = struct.unpack_from("<I", raw, 80)[0], struct.unpack_from("<H", raw, 128)[0]
    date = raw[813:829].decode("ascii", "replace")
    name = (
        "-".join((date[:4], date[4:6], date[6:8], date[8:10], date[10:12], date[12:14], date[14:16])) if date.isdigit() else ""
    )
    size = blocks * block
    return FileSystem(
        "iso9660", size, raw[40:72].decode("ascii", "replace").strip(), name, size, None, "an image is written whole"
    )
