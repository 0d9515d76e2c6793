"""The text of LVM2 metadata: sections, numbers, strings, lists, to a dictionary and back with nothing lost.

The format is the one that lvm2's own configuration reader takes: ``name { ... }``, ``key = value``, ``# comment``.
"""

from __future__ import annotations

import re
from typing import Any

from inkshelf.core.errors import FormatError

PIECE = r'\s+|#[^\n]*|"(?:[^"\\]|\\.)*"|[A-Za-z0-9_.+\-]+|[{}\[\]=,]'  # compiled at first use: the window waits for this module
DEEPEST = 8
Section = dict[str, Any]


def parse(text: str) -> Section:
    """Return the document; raises ``FormatError`` with the place where it makes no sense."""
    tokens = _tokens(text)
    section, at = _section(tokens, 0, 0)
    if at != len(tokens):
        raise FormatError("The LVM metadata has a bracket too many.", "Its own system has older copies of it.")
    return section


def _tokens(text: str) -> list[str]:
    found, at, pattern = [], 0, re.compile(PIECE)
    while at < len(text):
        match = pattern.match(text, at)
        if match is None:
            raise FormatError(f"The LVM metadata makes no sense at character {at}.", "Its own system has older copies of it.")
        at = match.end()
        token = match.group()
        if not token[0].isspace() and token[0] != "#":
            found.append(token)
    return found


def _section(tokens: list[str], at: int, depth: int) -> tuple[Section, int]:
    found: Section = {}
    if depth > DEEPEST:
        raise FormatError("The LVM metadata is nested too deep.", "Its own system has older copies of it.")
    while at < len(tokens) and tokens[at] != "}":
        name, sign = tokens[at], tokens[at + 1] if at + 1 < len(tokens) else ""
        if sign == "{":
            found[name], at = _section(tokens, at + 2, depth + 1)
            if at >= len(tokens):
                raise FormatError("The LVM metadata ends too early.", "Its own system has older copies of it.")
            at += 1
        elif sign == "=":
            found[name], at = _value(tokens, at + 2)
        else:
            raise FormatError(f"The LVM metadata makes no sense at “{name:.30}”.", "Its own system has older copies of it.")
    return found, at


def _value(tokens: list[str], at: int) -> tuple[Any, int]:
    if at < len(tokens) and tokens[at] == "[":
        items: list[Any] = []
        at += 1
        while at < len(tokens) and tokens[at] != "]":
            if tokens[at] != ",":
                items.append(_plain(tokens[at]))
            at += 1
        if at >= len(tokens):
            raise FormatError("The LVM metadata ends too early.", "Its own system has older copies of it.")
        return items, at + 1
    if at >= len(tokens):
        raise FormatError("The LVM metadata ends too early.", "Its own system has older copies of it.")
    return _plain(tokens[at]), at + 1


def _plain(token: str) -> Any:
    if token[0] == '"':
        return re.sub(r"\\(.)", r"\1", token[1:-1])
    if re.fullmatch(r"[+-]?\d{1,20}", token):
        return int(token)
    raise FormatError(f"The LVM metadata has a value that makes no sense: “{token:.30}”.", "")


def render(section: Section, depth: int = 0) -> str:
    """Return the text of a document."""
    lines = []
    for name, value in section.items():
        lead = "\t" * depth
        if isinstance(value, dict):
            lines.append(f"{lead}{name} {{\n{render(value, depth + 1)}{lead}}}\n\n")
        else:
            lines.append(f"{lead}{name} = {_shown(value)}\n")
    return "".join(lines)


def _shown(value: Any) -> str:
    if isinstance(value, list):
        return f"[{', '.join(_shown(one) for one in value)}]"
    if isinstance(value, int):
        return str(value)
    text = str(value).replace("\\", "\\\\").replace('"', '\\"')
    return f'"{text}"'
