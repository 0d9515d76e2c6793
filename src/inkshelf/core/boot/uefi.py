"""The UEFI way: firmware, entry, loader file. Pure simulation over the state.

The rules are those measured on one firmware build (see docs/firmware-rules.md): entries in order; a missing or refused one
passes to the next; a device path without a file means the fallback file; automatic entries per disk come last.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.menus import load_menu, load_nt
from inkshelf.core.boot.routes import Reached, Route, Station
from inkshelf.core.machine.state import BootEntry, Disk, Firmware, Machine, Volume
from inkshelf.core.value import replace
from inkshelf.data import exact

NOT_KNOWN = "what this loader starts is not known"


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
        return Route(entry, Reached((stop,), broken=why))
    disk, volume, path = found
    reached = _as_said(machine, entry, _load(machine, disk, volume, path))
    return Route(entry, replace(reached, stations=(stop, *reached.stations)))


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


def _load(machine: Machine, disk: Disk, volume: Volume, path: str) -> Reached:
    file = volume.boot_file(path)
    name = path.rsplit("\\", 1)[-1]
    if file is None:
        return Reached((Station("loader", name, "not there", volume.call),), broken=f"the file {path} is not on {volume.call}")
    secure = machine.firmware.secure_boot == "on"
    said = "signed" if file.signed else "not signed" if file.signed is False else "signature not known"
    stop = Station("loader", name, said, volume.call)
    if secure and not file.signed:
        return Reached((stop,), broken="Secure Boot refuses it: it carries no trusted signature")
    if secure and file.kind == "menu":
        return Reached((stop,), broken="Secure Boot refuses it: its key is known only to its signed first stage")
    if file.kind == "nt-loader":
        return load_nt(machine, volume, stop)
    if file.kind in {"first-stage", "menu"}:
        return load_menu(machine, disk, volume, file, stop)
    return Reached((stop,), broken=NOT_KNOWN)


def _as_said(machine: Machine, entry: BootEntry, reached: Reached) -> Reached:
    """A loader that nobody here can follow starts what a person says that it starts."""
    if reached.broken != NOT_KNOWN or entry.automatic:
        return reached
    from inkshelf.core.machine.told import started_by  # late: most loaders are known

    said = started_by(machine, entry.variable)
    if said is None or said.holds is None:
        return reached
    return Reached(
        (*reached.stations, Station("system", said.holds.title, f"on {said.call}, as you say", said.call)), (said.call,)
    )
