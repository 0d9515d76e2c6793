"""The rehearsal: which systems start, whatever happens. It reads states; it changes none."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from inkshelf.core.boot.firmware import Route, routes, without_entries
from inkshelf.core.machine.state import BootFile, Machine, Volume
from inkshelf.core.steps.fold import Fold
from inkshelf.core.value import Value, replace
from inkshelf.data import exact


class Mishap(Value, frozen=True):
    """Something that happens to a machine later: ``key`` for commands, ``title`` for screens, a pure change of the state."""

    key: str
    title: str
    change: Callable[[Machine], Machine]


class Outcome(Value, frozen=True):
    """Whether one system starts after one mishap; ``by_hand``: only when a person chooses it in the firmware's one-time menu."""

    system: str
    mishap: str
    starts: bool
    by_hand: bool
    path: tuple[str, ...]
    why: str


def _secure(state: str) -> Callable[[Machine], Machine]:
    def change(machine: Machine) -> Machine:
        if machine.firmware.secure_boot == "absent":
            return machine
        return replace(machine, firmware=replace(machine.firmware, secure_boot=state))

    return change


def _nt_update(machine: Machine) -> Machine:
    """The NT family's larger updates put their loader into the fallback place again and their entry first."""
    loader, fallback = exact("paths", "nt_loader"), exact("paths", "fallback_x64")
    for _, volume in tuple(machine.volumes()):
        own = volume.boot_file(loader)
        if own:
            files = (*(one for one in volume.boot_files if one.path.lower() != fallback.lower()), replace(own, path=fallback))
            machine = machine.with_volume(volume.call, partial(_with_files, files))
    order = machine.firmware.order
    own_first = [one.number for one in machine.firmware.entries if one.path.lower() == loader.lower()]
    return replace(
        machine, firmware=replace(machine.firmware, order=(*own_first, *(one for one in order if one not in own_first)))
    )


def _with_files(files: tuple[BootFile, ...], volume: Volume) -> Volume:
    return replace(volume, boot_files=files)


def _entry_lost(machine: Machine) -> Machine:
    """Some firmware drops the first entry when it re-sorts its list."""
    return replace(machine, firmware=replace(machine.firmware, order=machine.firmware.order[1:]))


def _disk_out(disk_id: str) -> Callable[[Machine], Machine]:
    return lambda machine: replace(machine, disks=tuple(one for one in machine.disks if one.id != disk_id))


STANDING = (
    Mishap("none", "nothing", lambda machine: machine),
    Mishap("secure-boot-on", "Secure Boot on", _secure("on")),
    Mishap("secure-boot-off", "Secure Boot off", _secure("off")),
    Mishap("first-entry-lost", "first entry lost", _entry_lost),
    Mishap("firmware-reset", "firmware reset", without_entries),
    Mishap("nt-updated", "NT updated", _nt_update),
)


def mishaps(machine: Machine) -> tuple[Mishap, ...]:
    """Return the mishaps that make sense for a machine: the standing ones, and each disk out where there are several."""
    out = (
        tuple(Mishap(f"disk-{disk.id.lower()}-out", f"disk {disk.id} out", _disk_out(disk.id)) for disk in machine.disks)
        if len(machine.disks) > 1
        else ()
    )
    return STANDING + out


def systems(machine: Machine) -> tuple[Volume, ...]:
    """Return the volumes that hold an installed system, in order of their call numbers."""
    return tuple(sorted((volume for _, volume in machine.volumes() if volume.holds), key=lambda one: one.call))


def outcome(machine: Machine, call: str, mishap: Mishap) -> Outcome:
    """Say whether the system on ``call`` starts after ``mishap``, by which way, or why not."""
    after = mishap.change(machine)
    if after.find(call) is None:
        return Outcome(call, mishap.key, False, False, (), "its disk is not there")
    return _judge(call, mishap.key, routes(after), after.firmware.mode)


def _judge(call: str, mishap: str, tried: tuple[Route, ...], mode: str | None) -> Outcome:
    if mode != "uefi":
        why = (
            "firmware mode is not known yet"
            if mode is None
            else "it starts through UEFI only, and the firmware is set to legacy"
        )
        return Outcome(call, mishap, False, False, (), why)
    first = next((route for route in tried if route.systems), None)
    if first and call in first.systems:
        chosen = call != first.systems[0]
        return Outcome(
            call, mishap, True, False, path_words(first, call), "chosen in the menu" if chosen else "starts by itself"
        )
    for route in tried:
        if call in route.systems:
            return Outcome(
                call,
                mishap,
                True,
                True,
                path_words(route, call),
                f"only from the firmware's one-time menu: {route.entry.title}",
            )
    ends = [f"{route.entry.title}: {route.broken}" for route in tried if route.broken]
    reached = f"only {', '.join(first.systems)} can be reached" if first else "nothing starts"
    return Outcome(call, mishap, False, False, (), "; ".join([reached, *ends]))


def path_words(route: Route, call: str) -> tuple[str, ...]:
    """Return a route's stations as words, ending with the system asked for."""
    stops = [f"{one.title} ({one.call})" if one.call else one.title for one in route.stations if one.place != "system"]
    return ("firmware", *stops, call)


def rehearse(machine: Machine) -> tuple[Outcome, ...]:
    """Return an outcome for every system and mishap."""
    return tuple(outcome(machine, system.call, mishap) for system in systems(machine) for mishap in mishaps(machine))


def if_it_stops(plan: Fold) -> tuple[tuple[Outcome, ...], ...]:
    """Return, for the state found and after every step, whether each system starts then."""
    rows: list[tuple[Outcome, ...]] = []
    key = None
    for machine in plan.machines:
        now = _what_starting_reads(machine)
        rows.append(
            rows[-1] if rows and now == key else tuple(outcome(machine, one.call, STANDING[0]) for one in systems(machine))
        )
        key = now
    return tuple(rows)


def _what_starting_reads(machine: Machine) -> tuple[object, ...]:
    parts = tuple(
        (v.call, v.number, v.guid, v.boot_files, v.holds, v.filesystem.uuid if v.filesystem else "")
        for _, v in machine.volumes()
    )
    return (machine.firmware, parts)
