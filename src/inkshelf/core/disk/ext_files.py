"""Walk the files of an ext volume by their paths: what they are and where their contents lie. For proving that nothing was lost."""

from __future__ import annotations

import struct
from collections.abc import Iterator

from inkshelf.core.disk.ext import (
    IN_INODE,
    INLINE_FLAG,
    INODE,
    LINK,
    ROOT,
    UNDERSTOOD,
    Ext,
    folder,
    inline_value,
    inode_bytes,
    inode_runs,
)
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

FOLDER, FILE = 0x4, 0x8
HEAD = struct.Struct("<HHHIQ")  # mode, owner, group, time, size
DEEPEST = 200


class ExtFile(Value, frozen=True):
    """One name: ``runs`` of (first byte in the file, first byte on the volume, length); ``head`` is mode, owner, size and time."""

    path: str
    kind: int
    size: int
    head: bytes
    value: bytes
    runs: tuple[tuple[int, int, int], ...]


def files(ext: Ext, *, folders: bool = False) -> Iterator[ExtFile]:
    """Yield every file, link and device of the volume, folder by folder, names in order; ``folders``: each folder before what is in it,
    with its mode and owner (its size and time are its own business)."""
    if ext.incompat & ~UNDERSTOOD:
        raise FormatError("This ext volume has features that are not read here.", "Compare its files in its own system.")
    waiting = [("", ROOT, 0)]
    seen: set[int] = set()
    while waiting:
        base, number, depth = waiting.pop()
        if depth > DEEPEST:
            raise FormatError("Folders of an ext volume lie deeper than is read here.", "Compare them in their own system.")
        if number in seen:
            continue  # a folder that two names lead to is walked once
        seen.add(number)
        for name, child in sorted(folder(ext, number, None).items()):
            if name in {".", ".."}:
                continue
            raw = inode_bytes(ext, child)
            own = INODE.of(raw)
            if own.mode >> 12 == FOLDER:
                waiting.append((f"{base}/{name}", child, depth + 1))
                if folders:
                    yield ExtFile(f"{base}/{name}", FOLDER, 0, HEAD.pack(own.mode, own.owner, own.group, 0, 0), b"", ())
            else:
                yield _file(ext, f"{base}/{name}", raw)


def _file(ext: Ext, path: str, raw: bytes) -> ExtFile:
    own = INODE.of(raw)
    kind = own.mode >> 12
    size = own.size_low | (own.size_high << 32 if kind == FILE else 0)
    head = HEAD.pack(own.mode, own.owner, own.group, own.changed, size)
    if own.flags & INLINE_FLAG:
        return ExtFile(path, kind, size, head, inline_value(raw)[:size], ())
    if (kind == LINK and size < IN_INODE) or kind not in {FILE, LINK}:
        return ExtFile(path, kind, size, head, own.contents, ())
    runs = tuple((logical * ext.block, first * ext.block, count * ext.block) for logical, first, count in inode_runs(ext, raw))
    return ExtFile(path, kind, size, head, b"", runs)
