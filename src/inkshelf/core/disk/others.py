"""File systems and containers that are recognised by their marks: kind, label, UUID, size where the mark says it."""

from __future__ import annotations

import struct
import uuid

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.texts import shown


def probe_swap(source: ByteSource) -> FileSystem | None:
    """Linux swap area: its mark ends the first page; label and UUID stand behind the first KiB."""
    for page in (4096, 8192, 16384, 65536):
        head = source.read(0, page)
        if len(head) == page and head[-10:] == b"SWAPSPACE2":
            last = struct.unpack_from("<I", head, 1028)[0]
            return FileSystem(
                kind="swap",
                size_bytes=(last + 1) * page,
                label=_text(head[1052:1068]),
                uuid=str(uuid.UUID(bytes=head[1036:1052])),
                used_bytes=page,
                smallest_why="swap is made anew, not shrunk",
                dirty=False,
                hibernated=False,
                cluster_bytes=page,
            )
    return None


def probe_luks(source: ByteSource) -> FileSystem | None:
    """LUKS on-disk format: version 1 (1.2.3) has no label; version 2 (1.1.1, section 2.1) keeps one behind its sequence number."""
    head = source.read(0, 4096)
    if len(head) < 4096 or head[:6] != b"LUKS\xba\xbe":
        return None
    version = struct.unpack_from(">H", head, 6)[0]
    label = _text(head[24:72]) if version == 2 else ""
    uuid = shown(head[168:208].split(b"\0")[0].decode("ascii", "replace"))
    return FileSystem("luks", source.size, label, uuid, smallest_why="inside first")


def probe_xfs(source: ByteSource) -> FileSystem | None:
    """XFS super block, big-endian: block size, blocks, UUID, name, free blocks."""
    head = source.read(0, 512)
    if len(head) < 512 or head[:4] != b"XFSB":
        return None
    block, blocks = struct.unpack_from(">IQ", head, 4)
    free = struct.unpack_from(">Q", head, 144)[0]
    return FileSystem(
        kind="xfs",
        size_bytes=block * blocks,
        label=_text(head[108:120]),
        uuid=str(uuid.UUID(bytes=head[32:48])),
        used_bytes=max(0, blocks - free) * block,
        smallest_why="XFS cannot be shrunk",
        hibernated=False,
        cluster_bytes=block,
        clusters=blocks,
    )


def probe_btrfs(source: ByteSource) -> FileSystem | None:
    """Btrfs super block at 64 KiB: total and used bytes, label, file-system UUID."""
    raw = source.read(65536, 4096)
    if len(raw) < 4096 or raw[64:72] != b"_BHRfS_M":
        return None
    total, used = struct.unpack_from("<QQ", raw, 112)
    return FileSystem(
        kind="btrfs",
        size_bytes=total,
        label=_text(raw[299:555]),
        uuid=str(uuid.UUID(bytes=raw[32:48])),
        used_bytes=used,
        smallest_why="online only, by its own system",
    )


def probe_apfs(source: ByteSource) -> FileSystem | None:
    """The container's super block: its mark and its UUID."""
    head = source.read(0, 128)
    if head[32:36] != b"NXSB" or len(head) < 88:
        return None
    return FileSystem("apfs", source.size, "", str(uuid.UUID(bytes=head[72:88])), smallest_why="its own system only")


def probe_hfs(source: ByteSource) -> FileSystem | None:
    """The volume header's mark."""
    if source.read(1024, 2) not in {b"H+", b"HX"}:
        return None
    return FileSystem("hfsplus", source.size, smallest_why="its own system only")


def probe_iso(source: ByteSource) -> FileSystem | None:
    """ISO 9660 primary volume descriptor (ECMA-119, 8.4): volume identifier, space in logical blocks, creation date as its name."""
    raw = source.read(32768, 2048)
    if len(raw) < 2048 or raw[1:6] != b"CD001":
        return None
    blocks, block = struct.unpack_from("<I", raw, 80)[0], struct.unpack_from("<H", raw, 128)[0]
    date = raw[813:829].decode("ascii", "replace")
    name = (
        "-".join((date[:4], date[4:6], date[6:8], date[8:10], date[10:12], date[12:14], date[14:16])) if date.isdigit() else ""
    )
    size = blocks * block
    label = shown(raw[40:72].decode("ascii", "replace").strip())
    return FileSystem("iso9660", size, label, name, size, smallest_why="an image is written whole")


def _text(raw: bytes) -> str:
    """Return a label that ends with a zero byte."""
    return shown(raw.split(b"\0")[0].decode("utf-8", "replace"))
