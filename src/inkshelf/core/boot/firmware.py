"""What the firmware does at a start: what it tries, in which order, with what result, and where that ends. It reads states; it changes none."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.boot.routes import Result, Route
from inkshelf.core.boot.uefi import in_force, numbers_in_order, passed_over, recovered, routes
from inkshelf.core.machine.state import BootEntry, Firmware, Machine
from inkshelf.core.value import Value

Ends = Literal["loader", "menu", "system", "firmware menu", "shell", "nothing"]


class Attempt(Value, frozen=True):
    """One thing that the firmware tries or passes over. ``variable``: its entry (empty: it is tried without one); ``why``: of what did not start, or of what is not known."""

    variable: str
    title: str
    disk: str
    volume: str
    path: str
    result: Result
    why: str = ""


class Start(Value, frozen=True):
    """A start: ``tried`` in order; ``started``: the file that runs in the end, as (disk, volume, path), the last two empty for code in sector 0.

    ``system``: the call number of what starts by itself then (empty: nothing does, or nobody knows).
    """

    tried: tuple[Attempt, ...]
    started: tuple[str, str, str] | None
    ends: Ends
    system: str = ""


def start(machine: Machine) -> Start:
    """Return what the firmware of a machine does at a start by itself."""
    return _legacy(machine) if machine.firmware.mode == "legacy" else _uefi(machine)


def _legacy(machine: Machine) -> Start:
    """The first disk that can be started from decides; a BIOS runs the code in its first sector, whatever it is."""
    disk = machine.disks[0] if machine.disks else None
    if disk is None:
        return Start((), None, "nothing")
    if disk.table.boot_code is False:
        why = "there is no code in its first sector; the next disk is not tried"
        return Start((Attempt("", f"disk {disk.id}", disk.id, "", "", "not found", why),), None, "nothing")
    return Start((Attempt("", f"disk {disk.id}", disk.id, "", "", "started"),), (disk.id, "", ""), "loader")


def _uefi(machine: Machine) -> Start:
    """Entries in order, then what the firmware finds by itself; the first program that does not come back ends it."""
    tried: list[Attempt] = []
    ways = {route.entry.variable: route for route in routes(machine)}
    for entry in _in_order(in_force(machine), ways):
        route = ways.get(entry.variable)
        if route is None or (passed_over(entry, machine) and entry.number != machine.firmware.next):
            tried.append(_attempt(machine, entry, None, "skipped", passed_over(entry, machine)))
            continue
        ended = _take(machine, tried, route)
        if ended is not None:
            return ended
    refused = tried and machine.firmware.secure_boot == "on" and any(one.result == "refused" for one in tried)
    for route in recovered(machine) if refused else ():
        if route.reached.file and any((one.disk, one.volume, one.path) == route.reached.file for one in tried):
            continue
        ended = _take(machine, tried, route)
        if ended is not None:
            return ended
    return Start(tuple(tried), None, "nothing" if machine.firmware.secure_boot == "on" else "shell")


def _in_order(firmware: Firmware, ways: dict[str, Route]) -> list[BootEntry]:
    """Everything that stands in the order, tried or not, and what the firmware adds by itself behind it."""
    numbers = dict.fromkeys(numbers_in_order(firmware))
    listed = [entry for number in numbers if (entry := firmware.entry(number)) is not None]
    known = {one.variable for one in listed}
    return [*listed, *(route.entry for variable, route in ways.items() if variable not in known)]


def _take(machine: Machine, tried: list[Attempt], route: Route) -> Start | None:
    """Note what a way comes to, and return the start where it ends there."""
    reached = route.reached
    result: Result = reached.result
    if result == "started" and route.passes and not reached.unclear:
        result = "returned"  # a first stage without its menu gives an error back
    tried.append(
        _attempt(machine, route.entry, route, result, reached.broken if result != "started" or reached.unclear else "")
    )
    if result != "started":
        return None
    return Start(tuple(tried), reached.file, _ends(route), reached.systems[0] if reached.by_itself and reached.systems else "")


def _ends(route: Route) -> Ends:
    """Where a program that runs comes to by itself."""
    reached = route.reached
    if reached.systems:
        return "system" if reached.by_itself else "menu"
    if reached.file is None:
        return "shell"
    return "menu" if any(one.place == "menu" for one in route.stations) else "loader"


def _attempt(machine: Machine, entry: BootEntry, route: Route | None, result: Result, why: str) -> Attempt:
    disk, volume, path = (route.reached.file if route else None) or (entry.disk, "", entry.path)
    variable = (
        entry.variable if machine.firmware.entry(entry.number) == entry else ""
    )  # what it adds by itself is in no variable yet
    return Attempt(variable, entry.title, disk, volume, path, result, why)
