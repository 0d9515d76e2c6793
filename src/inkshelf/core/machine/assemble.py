"""Put a machine together from disks that were read: call numbers, inferred boot entries, one identity from several sources."""

from __future__ import annotations

from inkshelf.core.machine.state import BootEntry, Machine, Volume
from inkshelf.core.value import replace
from inkshelf.data import exact

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def infer_entries(machine: Machine) -> Machine:
    """Give a UEFI machine whose variables were not captured one entry per known loader. They are assumptions, and said to be."""
    firmware = machine.firmware
    if firmware.entries_known:
        return machine
    entries: list[BootEntry] = []
    for disk, volume in machine.volumes() if firmware.mode == "uefi" else ():
        for title, path in _loaders(volume):
            entries.append(
                BootEntry(
                    number=len(entries),
                    title=title,
                    disk=disk.id,
                    partition_number=volume.number,
                    partition_guid=volume.guid,
                    start_lba=volume.start // disk.sector,
                    size_lba=volume.size // disk.sector,
                    path=path,
                )
            )
    return replace(machine, firmware=replace(firmware, entries=tuple(entries), order=tuple(entry.number for entry in entries)))


def _loaders(volume: Volume) -> list[tuple[str, str]]:
    fallback = exact("paths", "fallback_x64").lower()
    found = []
    for file in volume.boot_files:
        if file.path.lower() != fallback and file.kind in {"nt-loader", "first-stage"}:
            folder = file.path.strip("\\").split("\\")[1] if file.path.count("\\") > 2 else "loader"
            found.append(("NT loader" if file.kind == "nt-loader" else folder, file.path))
    return sorted(found, key=lambda one: one[0] != "NT loader")
