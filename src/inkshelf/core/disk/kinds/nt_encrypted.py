"""A volume that the NT family's own disk encryption holds: its boot sector says so, and nothing else can be read without the key."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind
from inkshelf.data import exact

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource

MARK_AT = 3


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.probe import Contents

    mark = exact("marks", "nt_encrypted").encode()
    if source.read(MARK_AT, len(mark)) != mark:
        return None
    return Contents(
        FileSystem("nt-encrypted", source.size, smallest_why="from inside its own system only, once it is unlocked")
    )


KIND = Kind(
    "nt-encrypted", "NT-encrypted volume", rank=5, listed=(exact("marks", "nt_encrypted_listed"),), probe=_probe, encrypted=True
)
