"""What a menu's configuration leads to: file systems by UUID, loaders that it chains, and a configuration elsewhere that it hands over to."""

from __future__ import annotations

import re

from inkshelf.core.disk.contents import BootFile, FileKind
from inkshelf.core.texts import shown

UUID_TEXT = r"[0-9a-fA-F]{8}-(?:[0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}"  # compiled at first use: the window waits for this module
CHAINED = r"chainloader\s+(?:\([^)]*\))?(\S+)"
SEARCHED = rf"search(?:\.fs_uuid|\b[^\n]*--fs-uuid)[^\n]*?({UUID_TEXT})"
HANDS_OVER = r"(?m)^\s*(?:configfile|source)\s+\S+"
ENTRY = r"(?m)^\s*menuentry\b"


def menu_file(path: str, kind: FileKind, content: bytes, size: int | None = None) -> BootFile:
    """Return the start-up file that a menu's configuration or entry is, with what it leads to."""
    text = content.decode("utf-8", "replace")
    length = len(content) if size is None else size
    if re.search(HANDS_OVER, text) and not re.search(ENTRY, text):
        return BootFile(path, kind, length, hands_over=tuple(dict.fromkeys(one.lower() for one in re.findall(SEARCHED, text))))
    chained = [shown(one.replace("/", "\\")) for one in re.findall(CHAINED, text)]
    return BootFile(
        path, kind, length, None, tuple(dict.fromkeys([one.lower() for one in re.findall(UUID_TEXT, text)] + chained))
    )
