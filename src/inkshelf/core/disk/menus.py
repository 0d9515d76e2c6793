"""What a menu's configuration leads to: file systems by UUID, loaders that it chains, and a configuration elsewhere that it hands over to."""

from __future__ import annotations

import re

from inkshelf.core.disk.contents import BootFile, FileKind
from inkshelf.core.texts import shown

UUID_TEXT = re.compile(r"[0-9a-fA-F]{8}-(?:[0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}")
CHAINED = re.compile(r"chainloader\s+(?:\([^)]*\))?(\S+)")
SEARCHED = re.compile(r"search(?:\.fs_uuid|\b[^\n]*--fs-uuid)[^\n]*?(" + UUID_TEXT.pattern + ")")
HANDS_OVER = re.compile(r"^\s*(?:configfile|source)\s+\S+", re.MULTILINE)
ENTRY = re.compile(r"^\s*menuentry\b", re.MULTILINE)


def menu_file(path: str, kind: FileKind, content: bytes, size: int | None = None) -> BootFile:
    """Return the start-up file that a menu's configuration or entry is, with what it leads to."""
    text = content.decode("utf-8", "replace")
    length = len(content) if size is None else size
    if HANDS_OVER.search(text) and not ENTRY.search(text):
        return BootFile(path, kind, length, hands_over=tuple(dict.fromkeys(one.lower() for one in SEARCHED.findall(text))))
    chained = [shown(one.replace("/", "\\")) for one in CHAINED.findall(text)]
    return BootFile(path, kind, length, None, tuple(dict.fromkeys([one.lower() for one in UUID_TEXT.findall(text)] + chained)))
