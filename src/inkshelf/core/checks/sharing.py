"""Findings about what systems share and mount: names that move, homes on file systems without owners, volumes that another system owns."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.checks.registry import ByHand, ChangeAim, Finding, Show, check
from inkshelf.core.disk.filesystems import title
from inkshelf.core.machine.roles import is_esp
from inkshelf.core.machine.state import Machine, Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.steps.kinds import Confirm, Prepare
from inkshelf.data import exact

OWNERLESS = {"fat12", "fat16", "fat32", "exfat", "ntfs"}
HOMES = ("/home", "/root")


def _mounts(machine: Machine) -> Iterator[tuple[Volume, str, str]]:
    """Every line of every Linux-family system's mount table: the system's volume, what, where."""
    for _, volume in machine.volumes():
        if volume.holds and volume.holds.family == "linux":
            for what, where in volume.holds.mounts:
                yield volume, what, where


def _meant(machine: Machine, what: str) -> Volume | None:
    """The volume that a line of a mount table names by UUID."""
    uuid = what.removeprefix("UUID=").strip('"').lower()
    return next((one for _, one in machine.volumes() if one.filesystem and one.filesystem.uuid.lower() == uuid != ""), None)


def once(found: Iterator[Finding]) -> Iterator[Finding]:
    """Yield each finding once: a mount table may name one volume in several places, and its key is what it is answered for by."""
    seen = set()
    for one in found:
        if one.key not in seen:
            seen.add(one.key)
            yield one


@check
def of_mount_tables(reading: Reading) -> Iterator[Finding]:
    """What is wrong with the lines of the systems' mount tables."""
    for look in (_by_device, _without_owners, _of_another, _waited_for):
        yield from once(look(reading))


@check
def names_that_clash(reading: Reading) -> Iterator[Finding]:
    """Names that differ by capitals only, on a volume that the NT family opens, too."""
    machine = reading.plan.planned
    if not any(one.holds and one.holds.family == "nt" for _, one in machine.volumes()):
        return
    told = {step.call for step in reading.job.steps if isinstance(step, Prepare) and step.what == "names_apart"}
    for _, volume in machine.volumes():
        known = volume.filesystem.clashes if volume.filesystem else ()
        if known and volume.call not in told:
            more = f" and {len(known) - 1} more" if known[1:] else ""
            yield Finding(
                f"fs.case.{volume.call}",
                "warn",
                f"Names on {volume.call} differ by capitals only",
                f"“{known[0]}”{more}: the Linux family keeps both, the NT family opens one of them whichever is asked for.",
                (volume.call,),
                (ByHand("prepare", volume.call, "Rename them first", (("what", "names_apart"),)),),
            )


def _by_device(reading: Reading) -> Iterator[Finding]:
    """A mount table that names a volume by its device: the name moves when a disk comes or goes."""
    for system, what, where in _mounts(reading.plan.planned):
        if what.startswith("/dev/") and not what.startswith(("/dev/mapper/", "/dev/disk/")):
            yield Finding(
                f"sharing.device.{system.call}.{where.strip('/').replace('/', '-') or 'root'}",
                "warn",
                f"{system.call} mounts {where} by {what}",
                f"That name moves when a disk is added or taken out; its mount table, {exact('linux', 'mount_table')}, should name it by UUID.",
                (system.call,),
                (Show("sheet", "Look at the sheet"),),
            )


def _without_owners(reading: Reading) -> Iterator[Finding]:
    """A home on a file system that knows no owners of files."""
    machine = reading.plan.planned
    for system, what, where in _mounts(machine):
        volume = _meant(machine, what)
        if where.startswith(HOMES) and volume and volume.filesystem and volume.filesystem.kind in OWNERLESS:
            yield Finding(
                f"fs.home.{system.call}",
                "warn",
                f"{where} of {system.call} lies on {title(volume.filesystem.kind)}",
                "It keeps no owners, rights or links: programs and the log-in itself fail there in odd ways.",
                (system.call, volume.call),
                (Show("shelf", "Look at the shelf"),),
            )


def _of_another(reading: Reading) -> Iterator[Finding]:
    """A system mounts the volume on which another one lives."""
    machine = reading.plan.planned
    for system, what, where in _mounts(machine):
        volume = _meant(machine, what)
        if volume and volume.call != system.call and volume.holds:
            yield Finding(
                f"sharing.own.{system.call}.{volume.call}",
                "warn",
                f"{system.call} mounts {volume.call}, on which {volume.holds.title} lives",
                f"In {where} every mistake reaches that system's own files, and it must be shut down fully each time; "
                "a data volume of its own is safer.",
                (system.call, volume.call),
                (Show("aim", "Plan a volume that both share"),),
            )


@check
def sleeps_on_what_is_shared(reading: Reading) -> Iterator[Finding]:
    """Hibernation keeps volumes half open; another system that writes to a shared one then destroys it."""
    for aim in reading.job.aims:
        if getattr(aim, "share", "none") != "none" and getattr(aim, "swap", "none") == "hibernate" and reading.job.steps:
            yield Finding(
                f"sharing.hibernate.{aim.id}",
                "warn",
                "A system that hibernates shares a volume",
                "While it sleeps the shared volume is half open: another system that writes to it damages it.",
                (),
                (
                    ChangeAim("swap", "sqrt", "Without hibernation", aim.id),
                    ChangeAim("share", "none", "Without a shared volume", aim.id),
                ),
            )


@check
def no_fallback(reading: Reading) -> Iterator[Finding]:
    """An external disk whose loader no firmware finds without an entry of its own."""
    fallbacks = [exact("paths", key) for key in ("fallback_x64", "fallback_ia32", "fallback_aa64")]
    for disk in reading.plan.planned.disks:
        starts = [one for one in disk.volumes if is_esp(one)]
        loaders = [one for one in starts if one.boot_files]
        if disk.removable and loaders and not any(one.boot_file(path) for one in starts for path in fallbacks):
            yield Finding(
                f"start.fallback.{disk.id}",
                "warn",
                f"Disk {disk.id} has no fallback file",
                f"Another machine has no entry for it, and looks for {fallbacks[0]} only: it starts on this machine alone.",
                tuple(one.call for one in loaders),
                (Show("start", "Look at the start map"),),
            )


@check
def active_marks(reading: Reading) -> Iterator[Finding]:
    """Start code of the NT family looks for one active volume: with two, or none where it is looked for, it gives up."""
    for disk in reading.plan.planned.disks:
        if disk.table.kind != "mbr" or reading.plan.planned.firmware.mode == "uefi":
            continue
        active = [one for one in disk.volumes if one.active]
        nt_here = [one for one in disk.volumes if one.holds and one.holds.family == "nt" and not one.logical]
        if len(active) > 1 or (nt_here and not active):
            wrong = [one for one in active if one not in nt_here] or active[1:]
            remedies = (
                (ByHand("flag", wrong[0].call, f"Take the mark off {wrong[0].call}", (("flag", "active"), ("state", "off"))),)
                if active
                else (ByHand("flag", nt_here[0].call, f"Mark {nt_here[0].call} active", (("flag", "active"), ("state", "on"))),)
            )
            yield Finding(
                f"start.active.{disk.id}",
                "warn",
                f"{len(active) or 'No'} volume{'s' if len(active) != 1 else ''} of disk {disk.id} {'are' if len(active) > 1 else 'is'} marked active",
                "The code in its first sector looks for exactly one and starts that; else it stops with a line of its own.",
                tuple(one.call for one in active or nt_here),
                remedies,
            )


def _waited_for(reading: Reading) -> Iterator[Finding]:
    """A start that waits for a volume which may be out: its line lacks the word that lets it be missing."""
    machine = reading.plan.planned
    for disk, system in machine.volumes():
        root = system.holds
        for what, where in root.mounts if root and root.family == "linux" else ():
            volume = _meant(machine, what)
            place = machine.find(volume.call) if volume else None
            if root is None or where not in root.waits or place is None or place[0].id == disk.id:
                continue
            out = place[0].removable
            yield Finding(
                f"sharing.late.{system.call}.{place[1].call}",
                "warn" if out else "note",
                f"The start of {system.call} waits for {place[1].call}" + (", which can be out" if out else " on another disk"),
                f"Without that disk it waits for a minute and a half and ends at a prompt. The line for {where} needs: {exact('linux', 'late_options')}",
                (system.call, place[1].call),
                (Show("sheet", "Look at the sheet"),),
            )


@check
def clocks(reading: Reading) -> Iterator[Finding]:
    """Two families keep the clock in different ways, and no step puts that right."""
    planned = reading.plan.planned
    families = {one.holds.family for _, one in planned.volumes() if one.holds}
    put_right = any(isinstance(one, Confirm) and one.subject in {"clock", "clock_back"} for one in reading.job.steps)
    if (
        {"nt", "linux"} <= families
        and reading.job.steps
        and not put_right
        and any(one.writes != "none" for one in reading.job.steps)
    ):
        yield Finding(
            "sharing.clock",
            "note",
            "The clock will differ between the systems",
            "The NT family keeps local time, the Linux family universal time: each start of one puts the other's clock wrong by hours. One of them changes.",
            tuple(one.call for _, one in planned.volumes() if one.holds),
            (Show("sheet", "Look at the sheet"),),
        )
