"""What a menu's configuration leads to: file systems by UUID, loaders that it chains, and a configuration elsewhere that it hands over to."""

from __future__ import annotations

import re
from dataclasses import dataclass

from inkshelf.core.disk.contents import BootFile, FileKind
from inkshelf.core.texts import shown

UUID_TEXT = r"[0-9a-fA-F]{8}-(?:[0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}"  # compiled at first use: the window waits for this module
CHAINED = r"chainloader\s+(?:\([^)]*\))?(\S+)"
SEARCHED = rf"search(?:\.fs_uuid|\b[^\n]*--fs-uuid)[^\n]*?({UUID_TEXT})"
HANDS_OVER = r"(?m)^\s*(?:configfile|source)\s+\S+"
ENTRY = r"(?m)^\s*menuentry\b"
BLOCK = r"^\s*(menuentry|submenu|function)\b(.*)\{\s*$"
QUOTED = r"'([^']*)'|\"((?:[^\"\\]|\\.)*)\"|(\S+)"
IDENTITY = r"(?:--id[= ]|\$menuentry_id_option\s+)['\"]?([^'\"\s]+)"
DEFAULT, LIMIT = r"(?m)^\s*(?:set\s+)?default=(.*)$", r"(?m)^\s*(?:set\s+)?timeout=['\"]?(-?\d+)"
ROOT = rf"root=UUID=({UUID_TEXT})"
ELSEWHERE = "?"


@dataclass
class _Outer:
    """An entry of the outer menu; ``perhaps``: it stands in a condition, or behind one that does."""

    title: str
    identity: str
    body: list[str]
    perhaps: bool

    @property
    def lines(self) -> str:
        """All that is in it."""
        return "\n".join(self.body)


def menu_file(path: str, kind: FileKind, content: bytes, size: int | None = None) -> BootFile:
    """Return the start-up file that a menu's configuration or entry is, with what it leads to."""
    text = content.decode("utf-8", "replace")
    length = len(content) if size is None else size
    if re.search(HANDS_OVER, text) and not re.search(ENTRY, text):
        return BootFile(path, kind, length, hands_over=tuple(dict.fromkeys(one.lower() for one in re.findall(SEARCHED, text))))
    chained = [_loader(one) for one in re.findall(CHAINED, text)]
    targets = tuple(dict.fromkeys([one.lower() for one in re.findall(UUID_TEXT, text)] + chained))
    if kind != "menu-config" or not re.search(ENTRY, text):
        return BootFile(path, kind, length, None, targets)
    limits = [int(one) for one in re.findall(LIMIT, text)]
    return BootFile(path, kind, length, None, targets, begins=_begins(text, targets), stays=not limits or limits[-1] < 0)


def leads_of(content: bytes, title: str) -> tuple[str, ...]:
    """Return what the entry of a title leads to, in a menu's configuration: file systems by UUID, loaders that it chains (empty: no such entry)."""
    text = content.decode("utf-8", "replace")
    for one in _entries(text):
        for entry in (one, *_entries(one.lines)):
            if entry.title == title:
                ids = re.findall(ROOT, entry.lines) or re.findall(UUID_TEXT, entry.lines)
                return (*(two.lower() for two in ids), *(_loader(two) for two in re.findall(CHAINED, entry.lines)))
    return ()


def _loader(path: str) -> str:
    return shown(path.replace("/", "\\"))


def _begins(text: str, targets: tuple[str, ...]) -> str:
    """Return the target of what the menu starts by itself, empty where that is the first one.

    What a start-up script sets from its saved values is not in the text: then nobody knows it from here.
    """
    said = [one.strip().strip("'\"") for one in re.findall(DEFAULT, text)]
    named = [one for one in said if "$" not in one]
    if not named and any("saved_entry" in one for one in said):
        return ELSEWHERE
    entries = _entries(text)
    chosen = _chosen(named[-1].split(">")[0] if named else "", entries)
    if chosen is None or chosen.perhaps:
        return ELSEWHERE
    block = chosen.lines
    ids = [one.lower() for one in re.findall(UUID_TEXT, block)]
    leads = [one.lower() for one in re.findall(ROOT, block)] or ids[-1:] or [_loader(one) for one in re.findall(CHAINED, block)]
    if not leads:
        return ELSEWHERE
    return "" if targets[0] in {*ids, *leads} else leads[0]


def _chosen(wanted: str, entries: list[_Outer]) -> _Outer | None:
    """The entry of a number, an identity or a title; the first one where that is none of them."""
    if wanted.isdecimal() and len(wanted) < 4:
        return entries[int(wanted)] if int(wanted) < len(entries) else None
    return next((one for one in entries if wanted and wanted in {one.title, one.identity}), entries[0] if entries else None)


def _entries(text: str) -> list[_Outer]:
    """The menu's outer entries; a menu inside it is one, with all of its lines."""
    found: list[_Outer] = []
    depth, outer, asked, perhaps = 0, False, 0, False
    lines: list[str] = []
    for line in text.splitlines():
        opened = re.match(BLOCK, line)
        if opened:
            if depth == 0 and (outer := opened.group(1) != "function"):
                title, own = re.search(QUOTED, opened.group(2)), re.search(IDENTITY, opened.group(2))
                perhaps = perhaps or asked > 0  # what comes behind one that may not be listed has no sure number either
                words = next((one for one in title.groups() if one is not None), "") if title else ""
                lines = []
                found.append(_Outer(words, own.group(1) if own else "", lines, perhaps))
            elif depth and outer:
                lines.append(line)
            depth += 1
        elif line.strip() == "}":
            depth = max(0, depth - 1)
            if depth and outer:
                lines.append(line)
        elif depth and outer:
            lines.append(line)
        elif depth == 0:
            asked = max(0, asked + bool(re.match(r"\s*if\b", line)) - bool(re.match(r"\s*fi\b", line)))
    return found
