"""Walk the files of an ext volume by their paths: what they are and where their contents lie. For proving that nothing was lost."""

from __future__ import annotations

import struct
from collections.abc import Iterator

from inkshelf.core.disk.ext import EXTENTS_FLAG, INLINE_FLAG, ROOT, Ext, folder, inode_bytes
from inkshelf.core.disk.source import exactly, unpack
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

FOLDER, FILE, LINK = 0x4, 0x8, 0xA
DEEPEST = 200
MOST_BLOCKS = 1 << 32


class ExtFile(Value, frozen=True):
    """One name: ``runs`` of (first byte in the file, first byte on the volume, length); ``head`` is mode, owner, size and time."""

    path: str
    kind: int
    size: int
    head: bytes
    value: bytes
    runs: tuple[tuple[int, int, int], ...]


def files(ext: Ext) -> Iterator[ExtFile]:
    """Yield every file, link and device of the volume, folder by folder, names in order."""
    waiting = [("", ROOT, 0)]
    seen: set[int] = set()
    while waiting:
        base, number, depth = waiting.pop()
        if number in seen or depth > DEEPEST:
            continue  # a folder that two names lead to is walked once
        seen.add(number)
        for name, child in sorted(folder(ext, number, None).items()):
            if name in {".", ".."}:
                continue
            raw = inode_bytes(ext, child)
            if raw[1] >> 4 == FOLDER:
                waiting.append((f"{base}/{name}", child, depth + 1))
            else:
                yield _file(ext, f"{base}/{name}", raw)


def _file(ext: Ext, path: str, raw: bytes) -> ExtFile:
    kind, flags = raw[1] >> 4, struct.unpack_from("<I", raw, 32)[0]
    size = struct.unpack_from("<I", raw, 4)[0] | (struct.unpack_from("<I", raw, 108)[0] << 32 if kind == FILE else 0)
    head = raw[0:8] + raw[16:20] + raw[24:26] + struct.pack("<Q", size)
    if flags & INLINE_FLAG or (kind == LINK and size < 60) or kind not in {FILE, LINK}:
        return ExtFile(path, kind, size, head, raw[40:100], ())
    found = _extent_runs(ext, raw[40:100]) if flags & EXTENTS_FLAG else _mapped_runs(ext, raw[40:100])
    runs = tuple((logical * ext.block, first * ext.block, count * ext.block) for logical, first, count in found)
    return ExtFile(path, kind, size, head, b"", runs)


def _extent_runs(ext: Ext, node: bytes, depth: int = 0) -> Iterator[tuple[int, int, int]]:
    """Yield (logical, physical, count) in blocks; extents that were only reserved read as zeros and are left out."""
    magic, count, _, level = unpack("<HHHH", node, 0, "extent")
    if magic != 0xF30A or depth > 5:
        raise FormatError("A file's extents on an ext volume are damaged.", "Check it with its own checker.")
    for index in range(count):
        at = 12 + 12 * index
        logical, length, high, low = unpack("<IHHI", node, at, "extent")
        if level:
            place, upper = unpack("<IH", node, at + 4, "extent")
            yield from _extent_runs(
                ext, exactly(ext.source, (upper << 32 | place) * ext.block, ext.block, "extent block"), depth + 1
            )
        elif length <= 32768:
            yield logical, high << 32 | low, length


def _mapped_runs(ext: Ext, pointers: bytes) -> Iterator[tuple[int, int, int]]:
    """ext2 and ext3: twelve blocks, then one, two and three levels of blocks that point on."""
    blocks = struct.unpack_from("<15I", pointers)
    for logical, first in enumerate(blocks[:12]):
        if first:
            yield logical, first, 1
    each = ext.block // 4
    logical = 12
    for level in (1, 2, 3):
        yield from _indirect(ext, blocks[11 + level], level, logical)
        logical += each**level


def _indirect(ext: Ext, block: int, level: int, logical: int) -> Iterator[tuple[int, int, int]]:
    if not block:
        return
    each = ext.block // 4
    raw = exactly(ext.source, block * ext.block, ext.block, "block of pointers")
    for index, first in enumerate(struct.unpack(f"<{each}I", raw)):
        if first and level == 1:
            yield logical + index, first, 1
        elif first:
            yield from _indirect(ext, first, level - 1, logical + index * each ** (level - 1))
