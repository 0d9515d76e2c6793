"""What a menu's configuration leads to: file systems by UUID, loaders that it chains, and a configuration elsewhere that it hands over to."""

from __future__ import annotations

import re
from typing import NamedTuple

from inkshelf.core.disk.contents import BootFile, FileKind
from inkshelf.core.texts import shown

UUID_TEXT = r"[0-9a-fA-F]{8}-(?:[0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}"  # compiled at first use: the window waits for this module
# Each is held against one line, from its first word on: over a whole text a pattern that begins with any blank takes the square of its length.
CHAINED = r"\s+(?:\([^)]*\))?(\S+)"
HANDS_OVER, ENTRY = r"(?:configfile|source)\s+\S", r"menuentry\b"
BLOCK = r"(menuentry|submenu|function)\b(.*)\{$"
QUOTED = r"'([^']*)'|\"((?:[^\"\\]|\\.)*)\"|(\S+)"
IDENTITY = r"(?:--id[= ]|\$menuentry_id_option\s+)['\"]?([^'\"\s]+)"
DEFAULT, LIMIT = r"(?:set\s+)?default=(.*)$", r"(?:set\s+)?timeout=['\"]?(-?\d{1,9})"
ROOT = rf"root=UUID=({UUID_TEXT})"
LONGEST, LONGEST_TITLE = 4096, 512  # characters of a line, and behind "menuentry", that are looked at
ELSEWHERE = "?"


class _Outer(NamedTuple):
    """An entry of the outer menu; ``perhaps``: it stands in a condition, or behind one that does."""

    title: str
    identity: str
    body: list[str]
    perhaps: bool


def menu_file(path: str, kind: FileKind, content: bytes, size: int | None = None) -> BootFile:
    """Return the start-up file that a menu's configuration or entry is, with what it leads to."""
    lines, length = _lines(content), len(content) if size is None else size
    entered = any(re.match(ENTRY, one) for one in lines)
    if not entered and any(re.match(HANDS_OVER, one) for one in lines):
        return BootFile(path, kind, length, hands_over=tuple(dict.fromkeys(_searched(lines))))
    targets = tuple(dict.fromkeys([*_uuids(lines), *_chained(lines)]))
    if kind != "menu-config" or not entered:
        return BootFile(path, kind, length, None, targets)
    limits = [int(one.group(1)) for one in (re.match(LIMIT, line) for line in lines) if one]
    return BootFile(path, kind, length, None, targets, begins=_begins(lines, targets), stays=not limits or limits[-1] < 0)


def _lines(content: bytes) -> list[str]:
    """The lines that say anything, from their first word on."""
    text = content.decode("utf-8", "replace")
    return [one for one in (line.strip()[:LONGEST].rstrip() for line in text.splitlines()) if one]


def _uuids(lines: list[str]) -> list[str]:
    return [one.lower() for line in lines for one in re.findall(UUID_TEXT, line)]


def _roots(lines: list[str]) -> list[str]:
    return [one.lower() for line in lines for one in re.findall(ROOT, line)]


def _chained(lines: list[str]) -> list[str]:
    """Loaders that are chained, wherever the word stands in a line."""
    parts = (part for line in lines for part in line.split("chainloader")[1:])
    return [_loader(found.group(1)) for found in (re.match(CHAINED, part) for part in parts) if found]


def _searched(lines: list[str]) -> list[str]:
    """File systems by UUID that are looked for: what comes behind "search.fs_uuid", or behind the option of "search" that names one."""
    found = []
    for line in lines:
        _, word, rest = line.partition("search")
        behind = rest if rest.startswith(".fs_uuid") else rest.partition("--fs-uuid")[2]
        named = re.search(UUID_TEXT, behind) if word else None
        found += [named.group().lower()] if named else []
    return found


def leads_of(content: bytes, title: str) -> tuple[str, ...]:
    """Return what the entry of a title leads to, in a menu's configuration: file systems by UUID, loaders that it chains (empty: no such entry)."""
    for one in _entries(_lines(content)):
        for entry in (one, *_entries(one.body)):
            if entry.title == title:
                return (*(_roots(entry.body) or _uuids(entry.body)), *_chained(entry.body))
    return ()


def _loader(path: str) -> str:
    return shown(path.replace("/", "\\"))


def _begins(lines: list[str], targets: tuple[str, ...]) -> str:
    """Return the target of what the menu starts by itself, empty where that is the first one.

    What a start-up script sets from its saved values is not in the text: then nobody knows it from here.
    """
    said = [one.group(1).strip().strip("'\"") for one in (re.match(DEFAULT, line) for line in lines) if one]
    named = [one for one in said if "$" not in one]
    if not named and any("saved_entry" in one for one in said):
        return ELSEWHERE
    entries = _entries(lines)
    chosen = _chosen(named[-1].split(">")[0] if named else "", entries)
    if chosen is None or chosen.perhaps:
        return ELSEWHERE
    ids = _uuids(chosen.body)
    leads = _roots(chosen.body) or ids[-1:] or _chained(chosen.body)
    if not leads:
        return ELSEWHERE
    return "" if targets[0] in {*ids, *leads} else leads[0]


def _chosen(wanted: str, entries: list[_Outer]) -> _Outer | None:
    """The entry of a number, an identity or a title; the first one where that is none of them."""
    if wanted.isdecimal() and len(wanted) < 4:
        return entries[int(wanted)] if int(wanted) < len(entries) else None
    return next((one for one in entries if wanted and wanted in {one.title, one.identity}), entries[0] if entries else None)


def _entries(text: list[str]) -> list[_Outer]:
    """The menu's outer entries; a menu inside it is one, with all of its lines."""
    found: list[_Outer] = []
    depth, outer, asked, perhaps = 0, False, 0, False
    lines: list[str] = []
    for line in text:
        opened = re.match(BLOCK, line)
        if opened:
            if depth == 0 and (outer := opened.group(1) != "function"):
                head = opened.group(2)[:LONGEST_TITLE]
                title, own = re.search(QUOTED, head), re.search(IDENTITY, head)
                perhaps = perhaps or asked > 0  # what comes behind one that may not be listed has no sure number either
                words = next((one for one in title.groups() if one is not None), "") if title else ""
                lines = []
                found.append(_Outer(words, own.group(1) if own else "", lines, perhaps))
            elif depth and outer:
                lines.append(line)
            depth += 1
        elif line == "}":
            depth = max(0, depth - 1)
            if depth and outer:
                lines.append(line)
        elif depth and outer:
            lines.append(line)
        elif depth == 0:
            asked = max(0, asked + bool(re.match(r"if\b", line)) - bool(re.match(r"fi\b", line)))
    return found
