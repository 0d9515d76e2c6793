"""The code in the first sector of a disk, for a BIOS: whose it is, and where the Linux family's looks for its core.

Where in its own bytes that family's loader keeps the place of its core is measured (docs/firmware-rules.md); the rest is the MBR's own layout.
"""

from __future__ import annotations

import struct
from typing import Literal

from inkshelf.core.disk.source import ByteSource
from inkshelf.data import exact

CODE_BYTES = 440
CORE_AT = 0x5C
"""In the first sector: the LBA of the core, 64 bits."""
CORE_BYTES = 1024
"""What the bench writes of a core."""
IN_GAP = 1
"""The LBA of a core in the gap behind an MBR."""
MOST = (1 << 48) - 1  # no disk has more sectors
Whose = Literal["", "nt", "linux"]


def code_of(source: ByteSource) -> Whose:
    """Return whose code lies in the first sector, by what it bears; empty where nobody can tell."""
    code = source.read(0, CODE_BYTES)
    families: tuple[Literal["nt", "linux"], ...] = ("linux", "nt")
    return next((one for one in families if exact("start_code", one).encode() in code), "")


def core_of(source: ByteSource, whose: Whose) -> int | None:
    """Return the LBA where the Linux family's code looks for its core; ``None`` where that code is not it."""
    return int(struct.unpack("<Q", source.read(CORE_AT, 8))[0]) & MOST if whose == "linux" else None
