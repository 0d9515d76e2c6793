"""Menus of entry files: in which order they are listed, and which one begins by itself.

The open Boot Loader Specification (type #1 entries, sorting), its version format specification for comparing, and what a real menu of that
kind did (docs/firmware-rules.md).
"""

from __future__ import annotations

import re
from fnmatch import fnmatchcase
from functools import cmp_to_key

from inkshelf.core.disk.contents import BootFile, FileKind
from inkshelf.core.disk.menus import ELSEWHERE, menu_file
from inkshelf.core.texts import shown
from inkshelf.core.value import replace

SKIPPED = re.compile(r"^[^A-Za-z0-9.~^-]+")
KEYS = ("sort-key", "machine-id", "version")
BEGINS = ("linux", "efi")  # of an entry: the kernel, or another program, that it begins
WAITS = "menu-force"  # of a limit: the menu waits for a person


def values(content: bytes) -> dict[str, str]:
    """Return the keys of a file and what stands behind each, the last one where it is said twice; lines that begin with # say nothing."""
    pairs = (line.strip().split(None, 1) for line in content.decode("utf-8", "replace").splitlines())
    return {pair[0]: shown(pair[1]).strip()[:4096] for pair in pairs if len(pair) == 2 and not pair[0].startswith("#")}


def sorted_by(content: bytes) -> tuple[str, ...]:
    """Return what an entry file says of its place: sort key, machine, version; empty where it says none of them."""
    said = values(content)
    found = tuple(said.get(key, "") for key in KEYS)
    return found if any(found) else ()


def menu_part(path: str, kind: FileKind, content: bytes, size: int | None = None) -> BootFile:
    """Return what a text that a menu reads says, whichever of its kinds it is: a configuration, an entry, or the settings of entries."""
    if kind == "entry-config":
        return settings_file(path, kind, content, len(content) if size is None else size)
    made = menu_file(path, kind, content, size)
    return replace(made, sort=sorted_by(content), program=begun_by(content)) if kind == "entry" else made


def begun_by(content: bytes) -> str:
    """Return the path of what an entry file begins, as firmware writes it (empty: it names none)."""
    said = values(content)
    named = next((said[key] for key in BEGINS if key in said), "").replace("/", "\\")
    return f"\\{named.lstrip(chr(92))}" if named else ""


def settings_file(path: str, kind: FileKind, content: bytes, size: int) -> BootFile:
    """Return the file that says which entry begins (``begins``: a pattern of file names) and whether the menu waits for a person."""
    said = values(content)
    return BootFile(path, kind, size, begins=said.get("default", ""), stays=said.get("timeout", "") == WAITS)


def in_order(entries: tuple[BootFile, ...]) -> tuple[BootFile, ...]:
    """Return entry files as their menu lists them: those with a sort key first; else the later version, or name, before the earlier."""
    return tuple(sorted(entries, key=cmp_to_key(_before)))


def beginning(entries: tuple[BootFile, ...], settings: BootFile | None) -> tuple[BootFile, ...]:
    """Return entry files in order, the first one with what begins by itself and whether the menu waits, as a menu's configuration has it."""
    listed = in_order(tuple(one for one in entries if not one.lacks))
    if settings is None or not listed:
        return listed
    begins, pattern = "", settings.begins.lower()
    if pattern.startswith("@"):
        begins = ELSEWHERE
    elif pattern:
        named = next((one for one in listed if fnmatchcase(_name(one), pattern)), None)
        begins = named.targets[0] if named and named.targets else ELSEWHERE if named else ""
    return (replace(listed[0], begins=begins, stays=settings.stays), *listed[1:])


def _name(entry: BootFile) -> str:
    return re.split(r"[\\/]", entry.path)[-1].lower()


def _before(one: BootFile, other: BootFile) -> int:
    key, machine, version = one.sort or ("", "", "")
    its_key, its_machine, its_version = other.sort or ("", "", "")
    if bool(key) != bool(its_key):
        return -1 if key else 1
    if key and (key, machine) != (its_key, its_machine):
        return -1 if (key, machine) < (its_key, its_machine) else 1
    return -((key and compared(version, its_version)) or compared(_name(one), _name(other)))


def compared(one: str, other: str) -> int:
    """Return whether a version is earlier (-1), the same or later (1) than another one."""
    while True:
        one, other = SKIPPED.sub("", one), SKIPPED.sub("", other)
        if one[:1] == "~" or other[:1] == "~":
            if (one[:1] == "~") != (other[:1] == "~"):
                return -1 if one[:1] == "~" else 1
            one, other = one[1:], other[1:]
            continue
        if not one or not other:
            return bool(one) - bool(other)
        for mark in "-^.":
            if one[0] == mark or other[0] == mark:
                if one[0] != other[0]:
                    return -1 if one[0] == mark else 1
                one, other = one[1:], other[1:]
                break
        else:
            kind = r"[0-9]*" if one[0].isdigit() or other[0].isdigit() else r"[A-Za-z]*"
            mine, its = (re.match(kind, text).group() for text in (one, other))  # type: ignore[union-attr]
            if kind == r"[0-9]*" and mine.lstrip("0") != its.lstrip("0"):
                a, b = mine.lstrip("0"), its.lstrip("0")
                return -1 if not mine or (its and (len(a), a) < (len(b), b)) else 1
            if kind != r"[0-9]*" and mine != its:
                return -1 if mine < its else 1
            one, other = one[len(mine) :], other[len(its) :]
