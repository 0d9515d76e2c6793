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
    return replace(machine, firmware=Firmware(machine.firmware.mode, machine.firmware.secure_boot, entries_known=True))


def _route(machine: Machine, entry: BootEntry) -> Route:
    stop = Station("entry", entry.title, "automatic" if entry.automatic else entry.variable)
    found = _fallback(machine, entry) if entry.automatic else _target(machine, entry)
    if isinstance(found, Reached):
        return Route(entry, replace(found, stations=(stop,)))
    reached = _as_said(machine, entry, _load(machine, *found))
    return Route(entry, replace(reached, stations=(stop, *reached.stations)))


def _target(machine: Machine, entry: BootEntry) -> tuple[Disk, Volume, str] | Reached:
    """Find the file an entry means; the GUID and the number decide, a wrong start or size does not matter."""
    for disk, volume in machine.volumes():
        if volume.guid and volume.guid.upper() == entry.partition_guid.upper():
            if volume.number != entry.partition_number:
                return Reached(
                    (), broken=f"its partition number is {volume.number} now, the entry says {entry.partition_number}"
                )
            if not _readable(volume):
                return Reached((), broken=f"firmware cannot read {volume.call}")
            return disk, volume, entry.path or exact("paths", "fallback_x64")
    return Reached((), broken="the partition that it names is not there")


def _fallback(machine: Machine, entry: BootEntry) -> tuple[Disk, Volume, str] | Reached:
    """The file that firmware looks for on a disk where no entry helps: in the readable volume of the lowest number that has it."""
    disk = next((one for one in machine.disks if one.id == entry.disk), None)
    if disk is None:
        return Reached((), broken=f"disk {entry.disk} is not there")
    path = exact("paths", "fallback_x64")
    readable = [one for one in sorted(disk.volumes, key=lambda one: one.number) if _readable(one)]
    for volume in readable:
        if volume.boot_file(path):
            return disk, volume, path
    if any(_unread(disk, one) for one in readable):
        return Reached((), broken=f"whether disk {disk.id} has a fallback file was not read", unclear=True)
    return Reached((), broken=f"disk {disk.id} has no fallback file")


def entries_missing(machine: Machine) -> bool:
    """Tell whether the firmware may have entries, to files that nobody read, which nobody captured."""
    return not machine.firmware.entries_known and any(_readable(one) and _unread(disk, one) for disk, one in machine.volumes())


def _unread(disk: Disk, volume: Volume) -> bool:
    """Captured text shows a volume, and none of its files."""
    return disk.table.boot_code is None and not volume.planned


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
    if file is None and _unread(disk, volume):
        stop = Station("loader", name, "not read", volume.call)
        return Reached((stop,), broken=f"what {name} on {volume.call} starts was not read", unclear=True)
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
    return Reached((stop,), broken=NOT_KNOWN, unclear=True)


def _as_said(machine: Machine, entry: BootEntry, reached: Reached) -> Reached:
    """A loader that nobody here read, or can follow, starts what a person says that it starts."""
    if not reached.unclear or entry.automatic:
        return reached
    from inkshelf.core.machine.told import started_by  # late: most loaders are known

    said = started_by(machine, entry.variable)
    if said is None or said.holds is None:
        return reached
    return Reached(
        (*reached.stations, Station("system", said.holds.title, f"on {said.call}, as you say", said.call)), (said.call,)
    )
