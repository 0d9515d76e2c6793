"""The UEFI way: firmware, entry, loader file. Pure simulation over the state.

The rules are those measured on one firmware build (see docs/firmware-rules.md): entries in order; a missing or refused one
passes to the next; a device path without a file means the fallback file; automatic entries per disk come last.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.menus import load_entries, load_menu, load_nt
from inkshelf.core.boot.routes import Reached, Result, Route, Station
from inkshelf.core.boot.trust import refusal, vouched
from inkshelf.core.machine.roles import is_esp
from inkshelf.core.machine.state import BootEntry, BootFile, Disk, Firmware, Machine, Volume
from inkshelf.core.value import replace
from inkshelf.data import exact

NOT_KNOWN = "what this loader starts is not known"


def routes(machine: Machine) -> tuple[Route, ...]:
    """Return the ways that the firmware tries, in its order; empty where the mode is legacy or nothing is there to try."""
    if machine.firmware.mode != "uefi":
        return ()
    return tuple(_route(machine, entry) for entry in attempts(machine))


def numbers_in_order(firmware: Firmware) -> tuple[int, ...]:
    """Return the numbers of the entries as they come up: the one named for once, then the order."""
    once = (firmware.next,) if firmware.next is not None else ()
    return (*once, *(one for one in firmware.order if one != firmware.next))


def attempts(machine: Machine) -> Iterator[BootEntry]:
    """Yield the entries in the order in which they are tried: next once, the order, then an automatic one per disk."""
    firmware = in_force(machine)
    known = set()
    for number in numbers_in_order(firmware):
        entry = firmware.entry(number)
        if entry and (
            number == firmware.next or not passed_over(entry, machine)
        ):  # what is named for once is tried whatever it is
            if entry.automatic:
                known.add(entry.disk)
            yield entry
    free = max((entry.number for entry in firmware.entries), default=-1) + 1
    new = sorted((one for one in machine.disks if one.id not in known), key=lambda one: not one.removable)
    if machine.conditions.no_fixed_fallback:
        new = [one for one in new if one.removable]
    for place, disk in enumerate(new):
        yield BootEntry(free + place, f"fallback on {disk.id}", disk.id, automatic=True)


def in_force(machine: Machine) -> Firmware:
    """Return the firmware as a board has it at a start: one that re-sorts its list puts the NT family's loader first."""
    firmware = machine.firmware
    if not machine.conditions.nt_first_again:
        return firmware
    loader = exact("paths", "nt_loader").lower()
    first = [one for one in firmware.order if (entry := firmware.entry(one)) and entry.path.lower() == loader]
    return replace(firmware, order=(*first, *(one for one in firmware.order if one not in first)))


def seen(disk: Disk) -> bool:
    """Tell whether firmware sees a disk's volumes: a GPT without the record that protects it is no table to it."""
    return disk.table.kind != "gpt" or disk.table.protective


def _seen(machine: Machine) -> Iterator[tuple[Disk, Volume]]:
    return ((disk, volume) for disk, volume in machine.volumes() if seen(disk))


def recovered(machine: Machine) -> Iterator[Route]:
    """Yield what platform recovery tries when everything in the order was refused: the fallback file of every volume that has one."""
    path = exact("paths", "fallback_x64")
    free = max((entry.number for entry in machine.firmware.entries), default=-1) + 1
    for disk in sorted(machine.disks, key=lambda one: not one.removable):
        for volume in sorted(disk.volumes, key=lambda one: one.number) if seen(disk) else ():
            if readable(volume) and _program(volume, path):
                entry = BootEntry(free, f"recovery on {disk.id}", disk.id, automatic=True)
                yield Route(entry, comes_to(machine, disk, volume, path))


def passed_over(entry: BootEntry, machine: Machine) -> str:
    """Return why an entry that stands in the order is not tried (empty: it is; one that is only hidden from menus is)."""
    if not entry.active:
        return "it is switched off"
    known = {exact("paths", "nt_loader").lower(), exact("paths", "fallback_x64").lower(), ""}
    if machine.conditions.known_paths_only and not entry.automatic and entry.path.lower() not in known:
        return "this board starts the NT loader's path and the fallback file only"
    return "it is a program of the firmware's own, which a key starts" if entry.application else ""


def left_aside(machine: Machine) -> tuple[tuple[BootEntry, str], ...]:
    """Return the entries that are not tried, each with the reason: switched off, or in no order."""
    firmware = machine.firmware
    if firmware.mode != "uefi":
        return ()
    tried = {one.number for one in attempts(machine)}
    rest = [one for one in firmware.entries if one.number not in tried]
    return tuple((one, passed_over(one, machine) or "it does not stand in the order") for one in rest)


def without_entries(machine: Machine) -> Machine:
    """Return the machine after its firmware forgot every entry that somebody made."""
    return replace(
        machine,
        firmware=Firmware(machine.firmware.mode, machine.firmware.secure_boot, entries_known=True, keys=machine.firmware.keys),
    )


def _route(machine: Machine, entry: BootEntry) -> Route:
    stop = Station("entry", entry.title, "automatic" if entry.automatic else entry.variable)
    found = _fallback(machine, entry) if entry.automatic else _target(machine, entry)
    if isinstance(found, Reached):
        return Route(entry, replace(found, stations=(stop,)))
    reached = _as_said(machine, entry, comes_to(machine, *found))
    return Route(entry, replace(reached, stations=(stop, *reached.stations)))


def _no(why: str, result: Result = "not found", *, unclear: bool = False) -> Reached:
    """The firmware finds nothing, and goes on."""
    return Reached((), broken=why, result=result, unclear=unclear)


def entry_leads_to(machine: Machine, entry: BootEntry) -> tuple[Disk, Volume, str] | None:
    """Return the file that an entry names, there or not, as disk, volume and path; ``None`` where its volume is not found or firmware cannot read it."""
    found = _fallback(machine, entry) if entry.automatic else _target(machine, entry)
    return None if isinstance(found, Reached) else found


def _target(machine: Machine, entry: BootEntry) -> tuple[Disk, Volume, str] | Reached:
    """Find the file an entry means, by what its path names."""
    if entry.leads == "partition":
        return _on_partition(machine, entry)
    if entry.leads == "file":
        return _anywhere(machine, entry)
    if entry.leads == "firmware":
        return Reached((), broken="the firmware's own shell opens, and waits", waits=True)
    known = {
        "legacy": ("it starts the legacy way, which UEFI does not do without its compatibility module", "unsupported"),
        "network": ("nothing on the network offers a start, as far as is known", "not found"),
        "usb": ("it means whatever stick of that kind is plugged in", "not found"),
    }
    if entry.leads in known:
        why, result = known[entry.leads]
        return _no(why, result)  # type: ignore[arg-type]
    if entry.leads == "device" and entry.disk:
        return _fallback(machine, entry)
    return _no(
        "what it leads to was not captured"
        if entry.leads == "unknown"
        else f"which disk it means is not known: {entry.device}",
        unclear=True,
    )


def _on_partition(machine: Machine, entry: BootEntry) -> tuple[Disk, Volume, str] | Reached:
    """A partition by its GUID, or by its disk's signature; the number counts too, a wrong start or size does not matter."""
    for disk, volume in _seen(machine):
        by_guid = bool(volume.guid) and volume.guid.upper() == entry.partition_guid.upper()
        by_mark = bool(entry.signature) and disk.table.kind == "mbr" and disk.table.signature.upper() == entry.signature.upper()
        if not (by_guid or (by_mark and volume.number == entry.partition_number)):
            continue
        if volume.number != entry.partition_number:
            return _no(f"its partition number is {volume.number} now, the entry says {entry.partition_number}")
        if by_mark and volume.number > 4:
            return _no("this firmware numbers logical volumes in another way than the entry does")
        if not readable(volume) or not _typed(machine, disk, volume):
            return _no(
                f"firmware cannot read {volume.call}"
                if not readable(volume)
                else f"this board reads no volume of {volume.call}'s type"
            )
        return disk, volume, entry.path or exact("paths", "fallback_x64")
    hidden = next((disk for disk in machine.disks if not seen(disk)), None)
    if hidden is not None and any(one.guid and one.guid.upper() == entry.partition_guid.upper() for one in hidden.volumes):
        return _no(f"firmware sees no table on disk {hidden.id}: the record that protects it is gone")
    return _no("the partition that it names is not there")


def _anywhere(machine: Machine, entry: BootEntry) -> tuple[Disk, Volume, str] | Reached:
    """A file without a device: the first volume that has it, what can be taken out first."""
    for disk in sorted(machine.disks, key=lambda one: not one.removable):
        for volume in sorted(disk.volumes, key=lambda one: one.number) if seen(disk) else ():
            path = as_read(entry.path, volume)
            if path and readable(volume) and _typed(machine, disk, volume) and _program(volume, path):
                return disk, volume, entry.path
    unread = any(readable(one) and is_unread(disk, one) for disk, one in machine.volumes())
    return _no(f"no volume that was read has {entry.path}" if unread else f"no volume has {entry.path}", unclear=unread)


def _program(volume: Volume, path: str) -> bool:
    """Whether a volume has a file that firmware takes for a program: where it looks for one by itself, it looks on past what is none."""
    file = volume.boot_file(path)
    return file is not None and file.unfit != "no program"


def as_read(path: str, volume: Volume) -> str:
    """Return a file's path as firmware takes it on a volume: a missing first backslash and dots are mended; empty where it finds nothing.

    That is so for strokes, for doubled backslashes, for one at the end, and where what two dots lead out of is no folder that holds a file known here.
    """
    if "/" in path or "\\\\" in path or path.endswith("\\"):
        return ""
    parts: list[str] = []
    for one in path.strip("\\").split("\\"):
        if one == "..":
            folder = "".join(f"\\{part}" for part in parts).lower()
            if not any(file.path.lower().startswith(f"{folder}\\") for file in volume.boot_files):
                return ""
            parts = parts[:-1]
        elif one != ".":
            parts.append(one)
    return "\\" + "\\".join(parts)


def _fallback(machine: Machine, entry: BootEntry) -> tuple[Disk, Volume, str] | Reached:
    """The file that firmware looks for on a disk where no entry helps: in the readable volume of the lowest number that has it."""
    disk = next((one for one in machine.disks if one.id == entry.disk), None)
    if disk is None:
        return _no(f"disk {entry.disk} is not there")
    path = exact("paths", "fallback_x64")
    each = sorted(disk.volumes, key=lambda one: one.number) if seen(disk) else []
    there = [one for one in each if readable(one) and _typed(machine, disk, one)]
    for volume in there:
        if _program(volume, path):
            return disk, volume, path
    if any(is_unread(disk, one) for one in there):
        return _no(f"whether disk {disk.id} has a fallback file was not read", unclear=True)
    if not seen(disk):
        return _no(f"firmware sees no table on disk {disk.id}: the record that protects it is gone")
    return _no(f"disk {disk.id} has no fallback file")


def entries_missing(machine: Machine) -> bool:
    """Tell whether the firmware may have entries, to files that nobody read, which nobody captured."""
    return not machine.firmware.entries_known and any(readable(one) and is_unread(disk, one) for disk, one in machine.volumes())


def _typed(machine: Machine, disk: Disk, volume: Volume) -> bool:
    """Whether a volume's type lets this board look into it."""
    return not machine.conditions.type_insisted or disk.removable or is_esp(volume)


def is_unread(disk: Disk, volume: Volume) -> bool:
    """Tell whether captured text shows a volume, and none of its files."""
    return disk.table.boot_code is None and not volume.planned


def readable(volume: Volume) -> bool:
    """Tell whether firmware reads a volume: FAT only, and FAT32 only with enough clusters."""
    system = volume.filesystem
    return (
        system is not None
        and system.kind in {"fat12", "fat16", "fat32"}
        and (system.kind != "fat32" or system.clusters >= 65_525)
    )


def comes_to(machine: Machine, disk: Disk, volume: Volume, path: str) -> Reached:
    """Return what a file comes to that firmware runs from a volume."""
    reached = _run(machine, disk, volume, path)
    return replace(reached, file=(disk.id, volume.call, path))


def _signature(file: BootFile) -> str:
    """Who signed a program, in words."""
    if file.altered:
        return f"changed after {file.signer or 'somebody'} had signed it"
    if file.signer:
        return f"signed by {file.signer}"
    return {True: "signed", False: "not signed", None: "signature not known"}[file.signed]


def _run(machine: Machine, disk: Disk, volume: Volume, path: str) -> Reached:
    mended = as_read(path, volume)
    file = volume.boot_file(mended) if mended else None
    name = path.rsplit("\\", 1)[-1]
    if file is None and is_unread(disk, volume):
        stop = Station("loader", name, "not read", volume.call)
        return Reached((stop,), broken=f"what {name} on {volume.call} starts was not read", unclear=True)
    if file is None:
        gone = Station("loader", name, "not there", volume.call)
        return Reached((gone,), broken=f"the file {path} is not on {volume.call}", result="not found")
    secure = machine.firmware.secure_boot == "on"
    stop = Station("loader", name, _signature(file), volume.call)
    if file.unfit == "no program" and machine.conditions.cpu_bits != 32:
        return Reached((stop,), broken=f"{path} on {volume.call} is no program", result="not found")
    why = refusal(machine.firmware, file) if secure else ""
    if why:  # a signature is looked at before the processor
        return Reached((stop,), broken=f"Secure Boot refuses it: {why}", result="refused")
    least = machine.conditions.least_generation
    if secure and file.kind == "first-stage" and least is not None and file.generation is not None and file.generation < least:
        return Reached(
            (stop,),
            broken=f"Secure Boot refuses it: generation {file.generation}, and nothing below {least} starts",
            result="refused",
        )
    if file.unfit and machine.conditions.cpu_bits != 32:
        return Reached((stop,), broken=f"it is a program for another processor ({file.unfit})", result="unsupported")
    if secure and file.kind == "menu" and not vouched(machine.firmware, file):
        return Reached(
            (stop,), broken="Secure Boot refuses it: its key is known only to its signed first stage", result="refused"
        )
    if file.kind == "nt-loader":
        return load_nt(machine, volume, stop)
    if file.kind == "entry-menu":
        return load_entries(machine, disk, volume, stop)
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
