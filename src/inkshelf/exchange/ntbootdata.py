"""NT boot data as that family prints it (``bcdedit /enum all``): objects with their elements, both ways, and what it says of the firmware's order.

Titles of sections and names of elements come in the system's own language; identifiers, devices and paths do not. So an object is known
by its identifier, which is its first element, and elements by their values where their names are not English.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.state import BootEntry
from inkshelf.core.texts import shown
from inkshelf.core.value import Value
from inkshelf.data import exact

COLUMN = 24  # characters that a name takes
ELEMENT = re.compile(r"^(\S(?:.*?\S)?)\s{2,}(\S.*)$")
IDENTIFIER = re.compile(r"^\{[0-9A-Za-z-]{1,64}\}$")
RULE = re.compile(r"^-{3,}$")
LONGEST, MOST = 1 << 20, 400  # bytes of a text; objects


class BootObject(Value, frozen=True):
    """One object: the title of its section, its identifier, and its elements as (name, values) in their order."""

    section: str
    identifier: str
    elements: tuple[tuple[str, tuple[str, ...]], ...] = ()

    def first(self, *names: str) -> str:
        """Return the first value of the first element that is there, by its English names."""
        return next((values[0] for name in names for own, values in self.elements if own == name), "")

    def listed(self, name: str) -> tuple[str, ...]:
        """Return all values of an element."""
        return next((values for own, values in self.elements if own == name), ())


def is_boot_data(text: str) -> bool:
    """Tell whether a text is such a listing: a title, a rule under it, a name with an identifier."""
    lines = [line.rstrip() for line in text.splitlines()[:40]]
    return any(
        RULE.match(rule) and title.strip() and (element := ELEMENT.match(first)) and IDENTIFIER.match(element.group(2))
        for title, rule, first in zip(lines, lines[1:], lines[2:], strict=False)
    )


def parse(text: str) -> tuple[BootObject, ...]:
    """Return the objects of a listing; raises ``CaptureError`` where it is none."""
    if len(text) > LONGEST:
        raise CaptureError("This listing of boot data is too long to be one.", "Capture it again: bcdedit /enum all")
    lines = [line.rstrip() for line in text.splitlines()]
    heads = [at for at, line in enumerate(lines) if RULE.match(line) and at and lines[at - 1].strip()]
    found = []
    for head, end in zip(heads, [*(one - 1 for one in heads[1:]), len(lines)], strict=False):
        made = _object(lines[head - 1].strip(), lines[head + 1 : end])
        if made is not None:
            found.append(made)
    if not found or len(found) > MOST:
        raise CaptureError("This is no listing of NT boot data.", "Capture it as administrator: bcdedit /enum all")
    return tuple(found)


def _object(section: str, lines: Iterable[str]) -> BootObject | None:
    elements: list[tuple[str, list[str]]] = []
    for line in lines:
        match = ELEMENT.match(line)
        if match:
            elements.append((match.group(1), [match.group(2)]))
        elif line[:1].isspace() and line.strip() and elements:
            elements[-1][1].append(line.strip())
    if not elements or not IDENTIFIER.match(elements[0][1][0]):
        return None
    return BootObject(section, elements[0][1][0], tuple((name, tuple(values)) for name, values in elements))


def build(objects: Iterable[BootObject]) -> str:
    """Return the listing of objects, as it is printed."""
    lines: list[str] = []
    for one in objects:
        lines += ["", one.section, "-" * max(3, len(one.section))]
        for name, values in one.elements:
            lines += [f"{name:<{COLUMN - 2}}  {values[0]}", *(f"{'':<{COLUMN}}{value}" for value in values[1:])]
    return "\n".join(lines) + "\n"


def in_order(objects: tuple[BootObject, ...]) -> tuple[BootEntry, ...]:
    """Return what the firmware tries, in its order, as far as the listing says: titles, paths, devices; no variable's number is in it."""
    managers = {exact("nt", "firmware_manager"), exact("nt", "firmware_manager_guid")}
    by_identifier = {one.identifier.lower(): one for one in objects}
    manager = next((one for one in objects if one.identifier.lower() in managers), None)
    if manager is None:
        return ()
    named = manager.listed("displayorder") or max(
        (values for _, values in manager.elements[1:] if all(IDENTIFIER.match(one) for one in values)), key=len, default=()
    )
    found = []
    for number, identifier in enumerate(named):
        own = by_identifier.get(identifier.lower())
        if own is not None:
            path = next((value for _, values in own.elements for value in values[:1] if value.startswith("\\")), "")
            device = next((value for _, values in own.elements for value in values[:1] if value.startswith("partition=")), "")
            title = own.first("description") or own.section
            found.append(
                BootEntry(number, shown(title)[:200], path=shown(path)[:4096], leads="unknown", device=shown(device)[:200])
            )
    return tuple(found)
