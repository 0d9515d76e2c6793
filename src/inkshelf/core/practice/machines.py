"""Machines that nobody owns: made of a seed, by planning systems onto an empty disk and taking what comes of it for what is found."""

from __future__ import annotations

from random import Random
from typing import Literal

from inkshelf.core.aims import kind_of_aim
from inkshelf.core.draw import serial64
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Conditions, Disk, Firmware, Machine, Table, Volume
from inkshelf.core.plan.job import Job, and_aim, left_by
from inkshelf.core.size import GB, GIB, MIB, align_up
from inkshelf.core.value import Value, replace

Mode = Literal["uefi", "legacy"]
Said = tuple[str, dict[str, str]]
"""A kind of aim, and what is answered to its questions; the rest is as usual."""


class Make(Value, frozen=True):
    """A model of disk. ``bytes`` as it is sold, ``transport`` as a listing names it, ``turning``: platters do."""

    model: str
    bytes: int
    transport: str
    turning: bool = False


class Kit(Value, frozen=True):
    """What a machine is made of: disks, firmware, memory (GiB), and the systems that were put on the first disk."""

    key: str
    makes: tuple[Make, ...]
    systems: str
    mode: Mode = "uefi"
    ram: int = 16
    board: str = ""
    secure_boot: Literal["on", "off", "absent"] = "on"


MAKES = {
    one.model: one
    for one in (
        Make("Wren NV-512", 512_110_190_592, "nvme"),
        Make("Wren NV-1T", 1_000_204_886_016, "nvme"),
        Make("Plover C2", 256 * GB, "sata"),
        Make("Heron HD-500", 500_107_862_016, "sata", turning=True),
        Make("Dunlin S1", 128 * GB, "usb"),
    )
}
BOARDS = ("Tern 7", "Curlew M2", "Sandpiper Mini", "Avocet 14")
KITS = (
    Kit("desk", (MAKES["Wren NV-512"],), "nt-desktop", board="Curlew M2"),
    Kit("laptop", (MAKES["Wren NV-1T"],), "nt-desktop", ram=32, board="Avocet 14"),
    Kit("two", (MAKES["Wren NV-512"], MAKES["Plover C2"]), "nt-desktop", board="Curlew M2", secure_boot="off"),
    Kit("both", (MAKES["Wren NV-512"],), "nt-desktop,linux-desktop", board="Tern 7"),
    Kit("old", (MAKES["Heron HD-500"],), "nt-old", "legacy", 4, "Sandpiper Mini", "absent"),
    Kit("old-both", (MAKES["Heron HD-500"],), "nt-old,linux-legacy", "legacy", 8, "Sandpiper Mini", "absent"),
    Kit("road", (MAKES["Wren NV-512"], MAKES["Dunlin S1"]), "nt-desktop", board="Avocet 14"),
)
"""Machines as they come to a shop."""


def kit_of(key: str) -> Kit:
    """Return a kit; raises ``KeyError``."""
    return next(one for one in KITS if one.key == key) if key in {one.key for one in KITS} else _none(key)


def _none(key: str) -> Kit:
    raise KeyError(f"There is no machine “{key}”.")


def chance(seed: str) -> Random:
    """Return draws that are the same for the same seed."""
    return Random(seed)  # noqa: S311 - made-up machines, no secrets


def wanting(job: Job, *aims: Said) -> Job:
    """Return the job with these aims, one behind the other."""
    for kind, said in aims:
        job = and_aim(job, kind_of_aim(kind).usual_on(left_by(job), said))
    return job


def made_up(kit: Kit, seed: str) -> Machine:
    """Return a machine of a kit: systems on its first disk, filled as by years of use; the same for the same seed."""
    draw = chance(seed)
    disks = tuple(_blank(make, letter, seed) for make, letter in zip(kit.makes, "ABCD", strict=False))
    empty = Machine(
        Firmware(kit.mode, kit.secure_boot),
        disks,
        kit.ram * GIB,
        Conditions(mains=True, backup="made", encrypted=False),
        kit.board,
    )
    table = "mbr" if kit.mode == "legacy" else "gpt"
    job = wanting(Job(found=empty, seed=seed), ("clean", {"systems": kit.systems, "table": table}))
    if job.plan_fault:
        raise PlanError(f"The machine “{kit.key}” cannot be made: {job.plan_fault}", "Choose other systems or a larger disk.")
    return as_found(left_by(job), draw)


def _blank(make: Make, letter: str, seed: str) -> Disk:
    serial = f"{make.model[0]}{serial64(seed, letter)[:10]}"
    names = {"nvme": f"/dev/nvme{'ABCD'.index(letter)}n1", "sata": f"/dev/sd{letter.lower()}", "usb": "/dev/sdx"}
    return Disk(
        id=letter,
        size=make.bytes,
        model=make.model,
        serial=serial,
        transport=make.transport,
        removable=make.transport == "usb",
        rotational=make.turning,
        device=names[make.transport],
        table=Table(),
    )


def as_found(machine: Machine, draw: Random) -> Machine:
    """Return a planned machine as one that was taken in: nothing of it is planned any more, its systems were in use for years."""
    disks = tuple(replace(disk, volumes=tuple(_used(one, draw) for one in disk.volumes)) for disk in machine.disks)
    return replace(machine, disks=disks, firmware=replace(machine.firmware, entries_known=machine.firmware.mode == "uefi"))


def _used(volume: Volume, draw: Random) -> Volume:
    held = volume.filesystem
    volume = replace(volume, planned=False, told=(), as_read=None)
    if held is None or volume.role not in {"system", "data"}:
        return volume
    used = max(held.used_bytes or 0, int(volume.size * draw.uniform(0.25, 0.6)))
    least = align_up(int(used * draw.uniform(1.05, 1.3)), MIB)
    pinned = least if held.kind == "ntfs" else None
    return replace(
        volume,
        filesystem=replace(
            held,
            used_bytes=used,
            smallest_bytes=min(volume.size, least),
            pinned_bytes=pinned,
            smallest_why="what cannot be moved ends there" if pinned else held.smallest_why,
        ),
    )
