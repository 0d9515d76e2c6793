"""Compressed images: by their marks, with the unpacked size where the format tells it without unpacking."""

from __future__ import annotations

from inkshelf.core.disk.source import ByteSource
from inkshelf.core.media.material import Packed, Packing

MARKS: dict[bytes, Packing] = {b"\xfd7zXZ\0": "xz", b"\x28\xb5\x2f\xfd": "zst", b"\x1f\x8b\x08": "gz"}
FOOTER, LARGEST_INDEX = 12, 32 << 20
GZ_SURE = (
    128 << 20
)  # a packed file below that unpacks to less than 4 GiB: gzip packs at most about a thousandfold, images a few times


def packed(source: ByteSource) -> Packed | None:
    """Return how a file is packed, or ``None`` where it is not."""
    head = source.read(0, 18)
    for mark, kind in MARKS.items():
        if head.startswith(mark):
            return Packed(kind, {"xz": _xz, "zst": _zst, "gz": _gz}[kind](source))
    return None


def _gz(source: ByteSource) -> int | None:
    """The last four bytes are the size modulo 4 GiB (RFC 1952, 2.3.1): sure for small files only."""
    return int.from_bytes(source.read(source.size - 4, 4), "little") if 18 <= source.size < GZ_SURE else None


def _zst(source: ByteSource) -> int | None:
    """The first frame's header may have its content size (RFC 8878, 3.1.1.1); other frames may follow, so that one frame alone is sure."""
    head = source.read(0, 18)
    flags = head[4] if len(head) > 4 else 0
    single, kind = flags >> 5 & 1, flags >> 6
    size = (0 if not single else 1, 2, 4, 8)[kind]
    at = 5 + (0 if single else 1) + (0, 1, 2, 4)[flags & 3]
    if not size or len(head) < at + size:
        return None
    value = int.from_bytes(head[at : at + size], "little")
    return value + 256 if size == 2 else value


def _xz(source: ByteSource) -> int | None:
    """The sum of the indexes of all streams, from the last one backwards (.xz file format 1.2, 2.1.2 and 4)."""
    end, total = source.size, 0
    for _ in range(1024):
        while end >= 4 and source.read(end - 4, 4) == bytes(4):
            end -= 4  # padding between streams
        if end < 2 * FOOTER:
            return None
        foot = source.read(end - FOOTER, FOOTER)
        index_bytes = (int.from_bytes(foot[4:8], "little") + 1) * 4
        if foot[10:] != b"YZ" or index_bytes > min(LARGEST_INDEX, end - 2 * FOOTER):
            return None
        sizes = _records(source.read(end - FOOTER - index_bytes, index_bytes))
        if sizes is None:
            return None
        total += sum(unpacked for _, unpacked in sizes)
        end -= FOOTER + index_bytes + sum(-(-one // 4) * 4 for one, _ in sizes) + FOOTER
        if end == 0:
            return total
    return None


def _records(raw: bytes) -> list[tuple[int, int]] | None:
    """The (unpadded, unpacked) sizes in an index."""
    if not raw or raw[0] != 0:
        return None
    at, found = 1, []
    count, at = _number(raw, at)
    for _ in range(count if count * 2 < len(raw) else 0):
        unpadded, at = _number(raw, at)
        unpacked, at = _number(raw, at)
        found.append((unpadded, unpacked))
    return found if found or not count else None


def _number(raw: bytes, at: int) -> tuple[int, int]:
    """A number of seven bits a byte (.xz file format 1.2, 1.2)."""
    value = 0
    for shift in range(0, 63, 7):
        if at >= len(raw):
            return value, at
        value |= (raw[at] & 0x7F) << shift
        at += 1
        if not raw[at - 1] & 0x80:
            break
    return value, at
