"""Which way a start goes: firmware, entry, loader file, menu, system. Pure simulation over the state.

The rules are those measured on one firmware build (see docs/firmware-rules.md): entries in order; a missing or refused one
passes to the next; a device path without a file means the fallback file; automatic entries per disk come last.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from inkshelf.core.machine.state import BootEntry, BootFile, Disk, Firmware, Machine, Volume
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

Place = Literal["firmware", "entry", "loader", "menu", "system"]


class Station(Value, frozen=True):
    """One stop of a route; ``call`` is the volume it stands on."""

    place: Place
    title: str
    detail: str = ""
    call: str = ""


class Route(Value, frozen=True):
    """One way from an entry: its stations, the systems it can reach (the first without a key press), or why it ends."""

    entry: BootEntry
    stations: tuple[Station, ...]
    systems: tuple[str, ...] = ()
    broken: str = ""


class _Loaded(Value, frozen=True):
    stations: tuple[Station, ...]
    systems: tuple[str, ...] = ()
    broken: str = ""


def routes(machine: Machine) -> tuple[Route, ...]:
    """Return the ways that the firmware tries, in its order; empty where the mode is legacy or nothing is there to try."""
    if machine.firmware.mode != "uefi":
        return ()
    return tuple(_route(machine, entry) for entry in attempts(machine))


def attempts(machine: Machine) -> Iterator[BootEntry]:
    """Yield the entries in the order in which they are tried: next once, the order, then an automatic one per disk."""
    firmware = machine.firmware
    numbers = ([firmware.next] if firmware.next is not None else []) + [one for one in firmware.order if one != firmware.next]
    seen = set()
    for number in numbers:
        entry = firmware.entry(number)
        if entry and entry.active and not entry.hidden:
            if entry.automatic:
                seen.add(entry.disk)
            yield entry
    free = max((entry.number for entry in firmware.entries), default=-1) + 1
    for place, disk in enumerate(one for one in machine.disks if one.id not in seen):
        yield BootEntry(free + place, f"fallback on {disk.id}", disk.id, automatic=True)


def without_entries(machine: Machine) -> Machine:
    """Return the machine after its firmware forgot every entry that somebody made."""
    return replace(
        machine,
        firmware=Firmware(machine.firmware.mode, machine.firmware.secure_boot, entries_known=machine.firmware.entries_known),
    )


def _route(machine: Machine, entry: BootEntry) -> Route:
    stop = Station("entry", entry.title, "automatic" if entry.automatic else entry.variable)
    found, why = _target(machine, entry)
    if found is None:
        return Route(entry, (stop,), broken=why)
    disk, volume, path = found
    loaded = _load(machine, disk, volume, path)
    return Route(entry, (stop, *loaded.stations), loaded.systems, loaded.broken)


def _target(machine: Machine, entry: BootEntry) -> tuple[tuple[Disk, Volume, str] | None, str]:
    """Find the file an entry means; the GUID and the number decide, a wrong start or size does not matter."""
    fallback = exact("paths", "fallback_x64")
    if entry.automatic:
        for disk in machine.disks:
            if disk.id == entry.disk:
                for volume in sorted(disk.volumes, key=lambda one: one.number):
                    if _readable(volume) and volume.boot_file(fallback):
                        return (disk, volume, fallback), ""
                return None, f"disk {disk.id} has no fallback file"
        return None, f"disk {entry.disk} is not there"
    for disk, volume in machine.volumes():
        if volume.guid and volume.guid.upper() == entry.partition_guid.upper():
            if volume.number != entry.partition_number:
                return None, f"its partition number is {volume.number} now, the entry says {entry.partition_number}"
            if not _readable(volume):
                return None, f"firmware cannot read {volume.call}"
            return (disk, volume, entry.path or fallback), ""
    return None, "the partition that it names is not there"


def _readable(volume: Volume) -> bool:
    """Firmware reads FAT only, and FAT32 only with enough clusters."""
    system = volume.filesystem
    return (
        system is not None
        and system.kind in {"fat12", "fat16", "fat32"}
        and (system.kind != "fat32" or system.clusters >= 65_525)
    )


def _load(machine: Machine, disk: Disk, volume: Volume, path: str) -> _Loaded:
    file = volume.boot_file(path)
    name = path.rsplit("\\", 1)[-1]
    if file is None:
        return _Loaded((Station("loader", name, "not there", volume.call),), broken=f"the file {path} is not on {volume.call}")
    secure = machine.firmware.secure_boot == "on"
    said = "signed" if file.signed else "not signed" if file.signed is False else "signature not known"
    stop = Station("loader", name, said, volume.call)
    if secure and not file.signed:
        return _Loaded((stop,), broken="Secure Boot refuses it: it carries no trusted signature")
    if secure and file.kind == "menu":
        return _Loaded((stop,), broken="Secure Boot refuses it: its key is known only to its signed first stage")
    if file.kind == "nt-loader":
        return _nt(machine, volume, stop)
    if file.kind in {"first-stage", "menu"}:
        return _menu(machine, disk, volume, file, stop)
    return _Loaded((stop,), broken="what this loader starts is not known")


def _nt(machine: Machine, volume: Volume, stop: Station) -> _Loaded:
    data = volume.boot_file(exact("paths", "nt_boot_data"))
    if data is None:
        return _Loaded((stop,), broken=f"its boot data is not on {volume.call}")
    for _, system in machine.volumes():
        if system.guid and system.guid in data.targets and system.holds and system.holds.family == "nt":
            return _Loaded((stop, Station("system", system.holds.title, f"on {system.call}", system.call)), (system.call,))
    return _Loaded((stop,), broken="its boot data names a volume that is not there")


def _menu(machine: Machine, disk: Disk, volume: Volume, file: BootFile, stop: Station) -> _Loaded:
    folder = file.path.rsplit("\\", 1)[0]
    stops = [stop]
    if file.kind == "first-stage":
        menu = volume.boot_file(f"{folder}\\{exact('paths', 'menu_x64')}")
        if menu is None:
            return _Loaded((stop,), broken="the menu it loads is not beside it")
        if machine.firmware.secure_boot == "on" and menu.signed is False:
            return _Loaded((stop,), broken="Secure Boot: the first stage refuses the menu, which is not signed")
    config = volume.boot_file(f"{folder}\\{exact('paths', 'menu_config')}")
    if config is None:
        return _Loaded(
            (stop, Station("menu", "menu", "no configuration", volume.call)),
            broken="the menu has no configuration and waits at a prompt",
        )
    systems, refused = _listed(machine, disk, config)
    stops.append(Station("menu", "menu", f"lists {len(systems)}", volume.call))
    if not systems:
        return _Loaded(tuple(stops), broken=refused or "nothing that the menu lists is there")
    first = machine.find(systems[0])
    if first and first[1].holds:
        stops.append(Station("system", first[1].holds.title, f"on {systems[0]}", systems[0]))
    return _Loaded(tuple(stops), systems)


def _listed(machine: Machine, disk: Disk, config: BootFile) -> tuple[tuple[str, ...], str]:
    """Return the systems that a menu's configuration leads to, in its order, and why one was refused."""
    systems: list[str] = []
    refused = ""
    secure = machine.firmware.secure_boot == "on"
    for target in config.targets:
        if target.startswith("\\"):
            systems += [call for call in _chained(machine, disk, target) if call not in systems]
            continue
        for _, volume in machine.volumes():
            if volume.filesystem and volume.filesystem.uuid.lower() == target.lower() and volume.holds:
                if secure and volume.holds.kernel_signed is False:
                    refused = f"Secure Boot: the kernel on {volume.call} is not signed"
                elif volume.call not in systems:
                    systems.append(volume.call)
    return tuple(systems), refused


def _chained(machine: Machine, disk: Disk, path: str) -> tuple[str, ...]:
    """Chain-load another loader: the first volume, this disk first, that has the file and starts something."""
    ordered = sorted(machine.disks, key=lambda one: one.id != disk.id)
    for other in ordered:
        for volume in other.volumes:
            file = volume.boot_file(path)
            if file and file.kind == "nt-loader":
                loaded = _nt(machine, volume, Station("loader", "", "", volume.call))
                if loaded.systems:
                    return loaded.systems
    return ()
