"""Call numbers: a short, stable mark for each volume's role, given when it is first seen or planned."""

from __future__ import annotations

from collections.abc import Iterable

from inkshelf.core.machine.roles import role_of
from inkshelf.core.machine.state import Machine, Role, Volume
from inkshelf.core.value import replace

LETTERS: dict[Role, str] = {
    "startup": "B",
    "reserved": "N",
    "system": "S",
    "data": "D",
    "swap": "W",
    "recovery": "R",
    "medium": "M",
    "container": "K",
    "unknown": "U",
}
WORDS: dict[Role, str] = {
    "startup": "start-up",
    "reserved": "reserved",
    "system": "system",
    "data": "data",
    "swap": "swap",
    "recovery": "recovery",
    "medium": "medium",
    "container": "container",
    "unknown": "not known",
}


def next_call(role: Role, taken: Iterable[str]) -> str:
    """Return the lowest free call number of ``role``, for example ``"S2"``."""
    letter, used = LETTERS[role], set(taken)
    return next(call for call in (f"{letter}{number}" for number in range(1, 10_000)) if call not in used)


def number_volumes(machine: Machine) -> Machine:
    """Return the machine with a role and a call number on every volume that has none yet."""
    taken = list(machine.calls())
    disks = []
    for disk in machine.disks:
        volumes = []
        for volume in sorted(disk.volumes, key=lambda one: one.start):
            marked = volume if volume.call else _marked(volume, disk.removable, taken)
            taken.append(marked.call)
            volumes.append(marked)
        disks.append(replace(disk, volumes=tuple(volumes)))
    disks = [replace(disk, volumes=tuple(_numbered_files(volume, taken) for volume in disk.volumes)) for disk in disks]
    return replace(machine, disks=tuple(disks))


def _numbered_files(volume: Volume, taken: list[str]) -> Volume:
    """A system in a file has a call number too, behind those of the volumes."""
    files = []
    for file in volume.disk_files:
        call = file.call or (next_call("system", taken) if file.holds else "")
        taken.append(call)
        files.append(replace(file, call=call))
    return replace(volume, disk_files=tuple(files)) if files else volume


def _marked(volume: Volume, removable: bool, taken: list[str]) -> Volume:  # noqa: FBT001
    role = role_of(volume, removable=removable)
    return replace(volume, role=role, call=next_call(role, taken))
