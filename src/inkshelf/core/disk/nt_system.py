"""An NTFS volume, and the NT-family system that may be on it."""

from __future__ import annotations

from inkshelf.core.disk.contents import SystemRoot
from inkshelf.core.disk.ntfs_probe import probe
from inkshelf.core.disk.probe import Contents
from inkshelf.core.disk.source import ByteSource
from inkshelf.data import exact


def contents(source: ByteSource) -> Contents | None:
    """Return what an NTFS volume holds, or ``None`` where it is not one. A page file alone makes no system: it may lie on any volume."""
    found = probe(source)
    if found is None:
        return None
    facts, names = found
    telling = {exact("nt", key).lower() for key in ("hibernation_file", "system_folder")}
    return Contents(facts, holds=SystemRoot("nt", "NT family", True) if telling & names.keys() else None)
