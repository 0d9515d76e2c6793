"""Kinds that are only recognised: by their mark, or as what a listing did not tell, or as damaged."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.kinds.base import Kind

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


def _apfs(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.others import probe_apfs
    from inkshelf.core.disk.probe import Contents

    found = probe_apfs(source)
    return Contents(found) if found else None


def _hfs(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.others import probe_hfs
    from inkshelf.core.disk.probe import Contents

    found = probe_hfs(source)
    return Contents(found) if found else None


def _iso(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.others import probe_iso
    from inkshelf.core.disk.probe import Contents

    found = probe_iso(source)
    return Contents(found) if found else None


KINDS = (
    Kind("apfs", "APFS", rank=74, listed=("apfs",), probe=_apfs),
    Kind("hfsplus", "HFS+", rank=78, listed=("hfsplus",), probe=_hfs),
    Kind("iso9660", "ISO 9660", rank=80, listed=("iso9660",), probe=_iso, label_units=32, upper_label=True),
    Kind("unknown", "contents not known", rank=90),
    Kind("damaged", "damaged", rank=91),
)
