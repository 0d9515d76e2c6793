"""Names in an NTFS volume that differ by capitals only: the Linux family keeps such files apart, the NT family reaches one of them.

Two entries of one folder that are equal when written in capitals, and lead to different records (NTFS documentation: index entries
hold the file name attribute, with its flags at byte 56).
"""

from __future__ import annotations

import struct
from collections import deque
from collections.abc import Iterator

from inkshelf.core.disk.ntfs import ROOT, Ntfs, folder_entries
from inkshelf.core.errors import FormatError
from inkshelf.core.texts import shown

FLAGS_AT, FOLDER = 56, 0x10000000
FIRST_OWN = 16  # records 0 to 15 are the file system's own
MOST_FOLDERS = 2000  # that are looked through; what lies deeper is not compared
MOST_NAMED = 8


def clashes(volume: Ntfs, most: int = MOST_FOLDERS) -> tuple[tuple[str, ...], bool]:
    """Return the first paths (with ``/``) whose names clash with one before them, and whether every folder was looked through."""
    found: list[str] = []
    waiting, seen = deque([(ROOT, "")]), {ROOT}
    looked = 0
    while waiting and looked < most:
        record, path = waiting.popleft()
        looked += 1
        first: dict[str, int] = {}
        for name, number, folder in _entries(volume, record):
            if first.setdefault(name.upper(), number) != number and len(found) < MOST_NAMED:
                found.append(shown(f"{path}/{name}"))
            if folder and number not in seen:
                seen.add(number)
                waiting.append((number, f"{path}/{name}"))
    return tuple(found), not waiting


def _entries(volume: Ntfs, record: int) -> Iterator[tuple[str, int, bool]]:
    """Every name in a folder, with its record and whether it is a folder; one that cannot be read has none to compare. A short name leads where its long one does."""
    try:
        for name, number, key in folder_entries(volume, record):
            if number >= FIRST_OWN:
                flags = int(struct.unpack_from("<I", key, FLAGS_AT)[0])
                yield name, number, bool(flags & FOLDER)
    except FormatError:
        return  # a damaged folder: the check of its own system says so
