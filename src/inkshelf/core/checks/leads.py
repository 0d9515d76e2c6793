"""Findings about what a start leads through: other disks, numbers that changed, room for a loader's core, modes that do not go together."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.uefi import routes
from inkshelf.core.checks.registry import Finding, Show, check
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import MIB
from inkshelf.core.steps.kinds import Install
from inkshelf.data import exact


def _home(machine: Machine) -> dict[str, Disk]:
    return {volume.call: disk for disk, volume in machine.volumes()}


@check
def through_another_disk(reading: Reading) -> Iterator[Finding]:
    """A system starts only through a loader or a menu on another disk than its own."""
    machine = reading.plan.planned
    home = _home(machine)
    ways: dict[str, list[set[str]]] = {}
    for route in routes(machine):
        stops = {home[one.call].id for one in route.stations if one.call in home and one.place in {"loader", "menu"}}
        for call in route.systems:
            ways.setdefault(call, []).append(stops)
    for call, each in ways.items():
        mine = home[call].id if call in home else ""
        if not mine or any(stops <= {mine} for stops in each):
            continue
        other = sorted(min(each, key=len) - {mine})
        outside = any(machine.disk(one).removable for one in other)
        yield Finding(
            f"start.chain.{call}" if outside else f"start.elsewhere.{call}",
            "warn" if outside else "note",
            f"{call} starts through disk {other[0]}" + (", which can be out" if outside else ""),
            f"Its loader or its menu lies there: without that disk {call} does not start, although all of it is on disk {mine}.",
            (call,),
            (Show("start", "Look at the start map"),),
        )


@check
def numbers_that_changed(reading: Reading) -> Iterator[Finding]:
    """A boot entry names a partition by number and GUID, and the number is another one now."""
    machine = reading.plan.planned
    for entry in machine.firmware.entries:
        named = next(
            (one for _, one in machine.volumes() if one.guid and one.guid.upper() == entry.partition_guid.upper()), None
        )
        if entry.automatic or named is None or named.number == entry.partition_number:
            continue
        yield Finding(
            f"start.number.{entry.variable}",
            "warn",
            f"“{entry.title}” names partition {entry.partition_number}, which is {named.number} now",
            f"{entry.variable} has the right GUID and another number: firmware that looks at the number passes it over. Make the entry anew.",
            (named.call,),
            (Show("start", "Look at the start map"),),
        )


@check
def no_room_for_a_core(reading: Reading) -> Iterator[Finding]:
    """The legacy way a menu loader needs room for its core: the gap before the first volume of an MBR, or a partition of its own on GPT."""
    if reading.plan.planned.firmware.mode != "legacy":
        return
    seen = set()
    for step in reading.job.steps:
        if not isinstance(step, Install) or step.family != "linux" or not step.code_on or step.code_on in seen:
            continue
        seen.add(step.code_on)
        disk = reading.plan.planned.disk(step.code_on)
        first = min((one.start for one in disk.volumes), default=disk.size)
        fits = first >= MIB if disk.table.kind == "mbr" else any(one.type_id == gpt_type("bios_boot") for one in disk.volumes)
        if not fits:
            where = "before its first volume" if disk.table.kind == "mbr" else "in a BIOS boot partition"
            yield Finding(
                f"start.core.{disk.id}",
                "stop",
                f"No room for a loader's core on disk {disk.id}",
                f"The loader's first sector loads the rest from {where}, and there is none: the installation ends with an error, or the start does.",
                (step.call,),
                (Show("shelf", "Make a BIOS boot partition, or move the first volume"),),
            )


@check
def modes_that_do_not_go_together(reading: Reading) -> Iterator[Finding]:
    """Under UEFI a system on an MBR disk starts the legacy way only: whoever switches loses sight of one of them."""
    machine = reading.plan.planned
    if machine.firmware.mode != "uefi":
        return
    held = [(disk, one) for disk, one in machine.volumes() if one.holds and not disk.removable]
    old = [one for disk, one in held if disk.table.kind == "mbr"]
    new = [one for disk, one in held if disk.table.kind == "gpt"]
    for one in old:
        if one.holds and one.holds.family == "nt":
            yield Finding(
                f"start.table.{one.call}",
                "warn",
                f"{one.call} lies on an MBR disk, and the firmware is UEFI",
                "The NT family starts by UEFI from GPT only: this system starts the legacy way, if the firmware still offers that.",
                (one.call,),
                (Show("aim", "Change the table: the aim table"),),
            )
    if old and new:
        yield Finding(
            "start.modes",
            "warn",
            "Systems of two modes in one machine",
            f"{', '.join(one.call for one in old)} would start the legacy way, {', '.join(one.call for one in new)} by UEFI: no menu lists both, "
            "and the mode has to be switched by hand.",
            tuple(one.call for one in (*old, *new)),
            (Show("start", "Look at the start map"),),
        )


@check
def kernel_behind_a_lock(reading: Reading) -> Iterator[Finding]:
    """A system in a container whose kernels lie in it too: the common menu opens only some of those."""
    boot = exact("linux", "boot_folder")
    for _, volume in reading.plan.planned.volumes():
        system, root = volume.filesystem, volume.holds
        if system is None or root is None or root.family != "linux" or not KINDS[system.kind].encrypted or not root.mounts:
            continue
        if all(where != boot for _, where in root.mounts):
            slots = system.slots
            known = (
                ""
                if not slots
                else f" Of its {len(slots)} one at least is."
                if "pbkdf2" in slots
                else f" None of its {len(slots)} is: that menu cannot open it."
            )
            yield Finding(
                f"start.locked.{volume.call}",
                "warn",
                f"The kernels of {volume.call} lie behind its passphrase",
                f"The common menu opens such a container only by a key slot of the older kind (PBKDF2), slowly, and on one keyboard layout.{known}",
                (volume.call,),
                (Show("shelf", "Look at the shelf"),),
            )
