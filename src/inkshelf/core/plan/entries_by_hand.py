"""The firmware's entries by hand: their order, on or off, taken away, one more; each word becomes one step like any other."""

from __future__ import annotations

import re

from inkshelf.core.boot.entries import entry_to
from inkshelf.core.boot.own_files import LOADER_BYTES
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import BootEntry, Machine
from inkshelf.core.steps.base import volume_of
from inkshelf.core.steps.kinds import AddEntry, RemoveEntry, SetOrder, Step, SwitchEntry

VARIABLE = re.compile(r"^BOOT([0-9A-F]{4})$")
PLACES = ("first", "up", "down", "last")
STATES = ("on", "off", "remove")
RUNS = frozenset(LOADER_BYTES) - {"menu-config", "nt-boot-data"} | {"loader"}


def entry_named(machine: Machine, call: str) -> BootEntry:
    """Return the entry that a variable's name means; raises ``PlanError`` that lists those there are."""
    match = VARIABLE.match(call.upper())
    entry = machine.firmware.entry(int(match.group(1), 16)) if match else None
    if entry is None:
        known = ", ".join(one.variable for one in machine.firmware.entries)
        raise PlanError(
            f"There is no entry {call}.", f"Choose one of: {known}." if known else "The firmware has none: add one."
        )
    return entry


def ordered(machine: Machine, call: str, words: dict[str, str]) -> Step:
    """Return the step that gives an entry another place in the order: first, last, one up or down, or a number from 1."""
    found, place = entry_named(machine, call), words.get("place", "").lower()
    now = list(machine.firmware.order)
    rest = [one for one in now if one != found.number]
    at = now.index(found.number) if found.number in now else len(rest)
    meant = {"first": 0, "up": max(0, at - 1), "down": min(len(rest), at + 1), "last": len(rest)}
    if place not in meant and not (place.isascii() and place.isdigit() and 1 <= int(place) <= len(rest) + 1):
        raise PlanError(
            f"“{place}” is no place in the order.", f"Say one of: {', '.join(PLACES)}, or a number from 1 to {len(rest) + 1}."
        )
    to = meant[place] if place in meant else int(place) - 1
    order = (*rest[:to], found.number, *rest[to:])
    if order == tuple(now):
        raise PlanError(f"{found.variable} stands there already.", "There is nothing to change.")
    return SetOrder(order)


def entry(machine: Machine, call: str, words: dict[str, str]) -> Step:
    """Return the step that switches an entry on or off, takes it away, or makes one for a loader on a volume."""
    if not VARIABLE.match(call.upper()) and machine.find(call.upper()):
        return _added(machine, call.upper(), words)
    found, state = entry_named(machine, call), words.get("state", "").lower()
    if state not in STATES:
        raise PlanError(f"“{state}” is nothing that an entry can be.", f"Say one of: {', '.join(STATES)}.")
    return RemoveEntry(found.number) if state == "remove" else SwitchEntry(found.number, active=state == "on")


def _added(machine: Machine, call: str, words: dict[str, str]) -> Step:
    disk, volume = volume_of(machine, call)
    known = [one.path for one in volume.boot_files if one.kind in RUNS]
    path = words.get("state", "")
    if path.lower() not in {one.lower() for one in known}:
        raise PlanError(
            f"“{path}” is no loader on {call}.", f"Choose one of: {', '.join(known)}." if known else "No loader is on it."
        )
    title = words.get("title", "") or path.rsplit("\\", 1)[-1]
    return AddEntry(entry_to(machine, disk, volume, path, title), by="person")
