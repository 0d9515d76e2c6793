"""Put a machine together from disks that were read: call numbers, inferred boot entries, one identity from several sources."""

from __future__ import annotations

from inkshelf.core.machine.entries import entry_on
from inkshelf.core.machine.roles import is_esp, named_by_boot_data, nt_targets
from inkshelf.core.machine.state import BootEntry, BootFile, Disk, Machine, SystemRoot, Volume
from inkshelf.core.value import replace
from inkshelf.data import exact

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def assume_loaders(disk: Disk) -> Disk:
    """Return a disk known from captured text, which shows no files, with the loaders that an NT-family system assumed on it always has.

    Files that were assumed for a system which is not there any more go.
    """
    if disk.table.boot_code is not None:
        return disk  # an image said what is there
    target = next((one for one in disk.volumes if one.holds and one.holds.assumed and one.holds.family == "nt"), None)
    data, fallback, loader = (exact("paths", key) for key in ("nt_boot_data", "fallback_x64", "nt_loader"))
    files = (
        (
            BootFile(fallback, "nt-loader", 0, True),
            BootFile(data, "nt-boot-data", 0, None, (named_by_boot_data(disk, target),)),
            BootFile(loader, "nt-loader", 0, True),
        )
        if target
        else ()
    )
    return replace(
        disk, volumes=tuple(replace(one, boot_files=files) if is_esp(one) and not _read(one) else one for one in disk.volumes)
    )


def _read(volume: Volume) -> bool:
    """Whether any file of it was read: an assumed one has no length."""
    return any(one.size_bytes for one in volume.boot_files)


def with_locked_systems(machine: Machine) -> Machine:
    """A volume that nobody can look into, and that NT boot data names, on whatever disk that lies, holds the system that it starts."""
    named = {
        one
        for _, volume in machine.volumes()
        for file in volume.boot_files
        if file.kind == "nt-boot-data"
        for one in nt_targets(file)
    }
    locked = SystemRoot("nt", "NT family", True, assumed=True)
    for disk, one in machine.volumes():
        shut = one.holds is None and one.filesystem is not None and one.filesystem.kind == "nt-encrypted"
        if shut and named_by_boot_data(disk, one) in named:
            volumes = tuple(replace(two, holds=locked) if two is one else two for two in machine.disk(disk.id).volumes)
            machine = machine.with_disk(replace(machine.disk(disk.id), volumes=volumes))
    return machine


def infer_entries(machine: Machine) -> Machine:
    """Give a UEFI machine whose variables were not captured one entry per known loader. They are assumptions, and said to be."""
    firmware = machine.firmware
    if firmware.entries_known:
        return machine
    entries: list[BootEntry] = []
    for disk, volume in machine.volumes() if firmware.mode == "uefi" else ():
        for title, path in _loaders(volume):
            entries.append(entry_on(disk, volume, len(entries), title, path))
    entries = _as_listed(machine, entries) if firmware.listed and firmware.mode == "uefi" else entries
    return replace(machine, firmware=replace(firmware, entries=tuple(entries), order=tuple(entry.number for entry in entries)))


def _as_listed(machine: Machine, inferred: list[BootEntry]) -> list[BootEntry]:
    """The entries in the order and by the titles that a system listed; one of a path that nothing is known of lies on the one start-up volume."""
    startups = [(disk, one) for disk, one in machine.volumes() if is_esp(one)]
    left, made = list(inferred), list[BootEntry]()
    for one in machine.firmware.listed:
        known = next((two for two in left if two.path.lower() == one.path.lower() != ""), None)
        if known is not None:
            left.remove(known)
            made.append(replace(known, title=one.title))
        elif one.path and len(startups) == 1:
            placed = entry_on(*startups[0], one.number, one.title, one.path)
            made.append(replace(placed, active=one.active, hidden=one.hidden, automatic=one.automatic))
        else:
            made.append(one)
    return [replace(one, number=number) for number, one in enumerate([*made, *left])]


def _loaders(volume: Volume) -> list[tuple[str, str]]:
    fallback = exact("paths", "fallback_x64").lower()
    found = []
    for file in volume.boot_files:
        if file.path.lower() != fallback and file.kind in {"nt-loader", "first-stage", "entry-menu"}:
            folder = file.path.strip("\\").split("\\")[1] if file.path.count("\\") > 2 else "loader"
            found.append(("NT loader" if file.kind == "nt-loader" else folder, file.path))
    return sorted(found, key=lambda one: one[0] != "NT loader")
