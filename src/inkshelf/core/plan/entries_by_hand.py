"""The firmware's entries by hand: their order, on or off, taken away, one more; each word becomes one step like any other."""

from __future__ import annotations

import re

from inkshelf.core.aims.menus import configs_of
from inkshelf.core.boot.entries import entry_to
from inkshelf.core.boot.own_files import LOADER_BYTES
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.roles import uuids_of
from inkshelf.core.machine.state import BootEntry, BootFile, Machine
from inkshelf.core.steps.base import volume_of
from inkshelf.core.steps.kinds import AddEntry, Regenerate, RemoveEntry, RenameEntry, SetOrder, SetTimeout, Step, SwitchEntry
from inkshelf.core.value import replace
from inkshelf.data import exact

VARIABLE = re.compile(r"^BOOT([0-9A-F]{4})$")
PLACES = ("first", "up", "down", "last")
STATES = ("on", "off", "remove", "rename")
FIRMWARE, LONGEST = "FIRMWARE", 3600  # seconds
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


def menu(machine: Machine, call: str, words: dict[str, str]) -> Step:
    """Return the step that lets a menu start another system by itself, or wait another time; ``FIRMWARE``: the firmware's own menu."""
    what, value = words.get("what", "").lower(), words.get("value", "")
    if call.upper() == FIRMWARE:
        if what != "limit":
            raise PlanError(
                "The firmware's own menu has a limit only.", "Say limit and seconds; its order is changed by “order”."
            )
        return SetTimeout(_seconds(value, least=0))
    _, system = volume_of(machine, call)
    esp, files = configs_of(machine, system)
    if not files:
        raise PlanError(
            f"No menu of {call} was read.", "Choose a system of the Linux family whose menu's configuration is known."
        )
    if what == "limit":
        limit = _seconds(value, least=-1)
        changed = tuple(replace(one, stays=limit < 0) for one in files)
        return Regenerate(system.call, esp, changed, seconds=limit)
    if what != "begins":
        raise PlanError(f"“{what}” is nothing that a menu has.", "Say: begins and a call number, or limit and seconds.")
    target = _target(machine, files, value.upper())
    changed = tuple(replace(one, begins="" if one.targets[:1] == (target,) else target) for one in files)
    if changed == files:
        raise PlanError(f"The menu of {call} starts {value.upper()} by itself already.", "There is nothing to change.")
    return Regenerate(system.call, esp, changed)


def _seconds(value: str, least: int) -> int:
    text = "-1" if value.lower() in {"none", "-1"} else value
    if not re.fullmatch(r"-1|[0-9]{1,5}", text) or not least <= int(text) <= LONGEST:
        none = ", or none" if least < 0 else ""
        raise PlanError(f"“{value}” is no limit.", f"Say seconds from 0 to {LONGEST}{none}.")
    return int(text)


def _target(machine: Machine, files: tuple[BootFile, ...], call: str) -> str:
    """What the menu names a system by; raises ``PlanError`` where it does not list it."""
    _, volume = volume_of(machine, call)
    nt = exact("paths", "nt_loader").lower()
    own = {nt} if volume.holds and volume.holds.family == "nt" else {one.lower() for one in uuids_of(volume)}
    found = next((target for file in files for target in file.targets if target.lower() in own), None)
    if found is None:
        raise PlanError(f"The menu does not list {call}.", "Make the menu anew first, with the finder of other systems on.")
    return found


def entry(machine: Machine, call: str, words: dict[str, str]) -> Step:
    """Return the step that switches an entry on or off, takes it away, or makes one for a loader on a volume."""
    if not VARIABLE.match(call.upper()) and machine.find(call.upper()):
        return _added(machine, call.upper(), words)
    found, state = entry_named(machine, call), words.get("state", "").lower()
    if state == "rename":
        return RenameEntry(found.number, words.get("title") or "")
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
