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
    """Return a bare description of a kind that is known by its mark only."""
    size = source.size
    head = source.read(0, 4096)
    if head[3:11] == b"EXFAT   ":
        serial = struct.unpack_from("<I", head, 100)[0]
        return FileSystem("exfat", size, "", f"{serial >> 16:04X}-{serial & 0xFFFF:04X}", None, None, "exFAT cannot be shrunk")
    if head[:6] == b"LUKS\xba\xbe":
        return FileSystem(
            "luks", size, "", head[168:208].split(b"\0")[0].decode("ascii", "replace"), None, None, "inside first"
        )
    if head[512:520] == b"LABELONE":
        return FileSystem("lvm", size, "", head[544:576].decode("ascii", "replace"), None, None, "inside first")
    if head[:4] == b"XFSB":
        block, blocks = struct.unpack_from(">IQ", head, 4)
        label = head[108:120].split(b"\0")[0].decode("utf-8", "replace")
        return FileSystem("xfs", block * blocks, label, str(uuid.UUID(bytes=head[32:48])), None, None, "XFS cannot be shrunk")
    if head[32:36] == b"NXSB":
        return FileSystem("apfs", size, "", str(uuid.UUID(bytes=head[72:88])), None, None, "its own system only")
    far = source.read(65536, 4096)
    if far[64:72] == b"_BHRfS_M":
        used = struct.unpack_from("<Q", far, 120)[0]
        label = far[299:555].split(b"\0")[0].decode("utf-8", "replace")
        return FileSystem(
            "btrfs", struct.unpack_from("<Q", far, 112)[0], label, str(uuid.UUID(bytes=far[32:48])), used, None, "online only"
        )
    if source.read(1024, 2) in {b"H+", b"HX"}:
        return FileSystem("hfsplus", size, "", "", None, None, "its own system only")
    if source.read(32769, 5) == b"CD001":
        label = source.read(32808, 32).decode("ascii", "replace").strip()
        return FileSystem("iso9660", size, label, "", size, None, "an image is written whole")
    return None
