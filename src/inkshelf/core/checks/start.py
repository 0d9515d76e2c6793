"""Findings about starting: EFI system partitions, entries, and systems that would not start."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.rehearse import Outcome
from inkshelf.core.checks.registry import ChangeAim, Finding, Know, MendStart, Show, check
from inkshelf.core.disk.filesystems import named_label
from inkshelf.core.disk.kinds.fat import LEAST_CLUSTERS
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.roles import is_esp
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import binary
from inkshelf.core.steps.kinds import Format, Install, Retype
from inkshelf.data import exact


def _outcomes(reading: Reading, mishap: str) -> dict[str, Outcome]:
    return {one.system: one for one in reading.after if one.mishap == mishap}


@check
def does_not_start(reading: Reading) -> Iterator[Finding]:
    """A system that would not start at the end of the plan."""
    if reading.plan.found.firmware.mode is None:
        return
    for call, one in _outcomes(reading, "none").items():
        if not one.sure:
            continue
        if not one.starts:
            yield Finding(
                f"start.none.{call}",
                "stop",
                f"{call} would not start",
                f"{one.why}.",
                (call,),
                (*_mending(reading, call), Show("start", "Look at the start map")),
            )
        elif one.by_hand:
            yield Finding(
                f"start.hand.{call}",
                "stop" if one.stuck else "warn",
                f"{call} starts by hand only",
                f"{one.why}.",
                (call,),
                (*(_mending(reading, call) if one.stuck else ()), Show("start", "Look at the start map")),
            )


def _mending(reading: Reading, call: str) -> tuple[MendStart, ...]:
    """The smallest repair, where one is known that the plan can do."""
    from inkshelf.core.mending.narrowing import smallest  # late: most machines start

    found = smallest(reading.plan.planned, call)
    return (MendStart(call, found.cause.key, "Mend it"),) if found else ()


@check
def not_read(reading: Reading) -> Iterator[Finding]:
    """What starts hangs on a loader that nobody read."""
    unsure = [one for one in _outcomes(reading, "none").values() if not one.sure]
    if not unsure or reading.plan.found.firmware.mode is None:
        return
    calls = tuple(one.system for one in unsure)
    yield Finding(
        "start.not-read",
        "note",
        f"What starts {' and '.join(calls)} was not read" if len(calls) < 3 else "What starts was not read",
        f"Not read: {unsure[0].why}. The machine starts as it does today; a disk image would show it, or say which entry starts what.",
        calls,
        (Show("intake", "Say what starts it"),),
    )


@check
def after_mishaps(reading: Reading) -> Iterator[Finding]:
    """A system that starts now, but not after something ordinary happens."""
    now = _outcomes(reading, "none")
    for mishap, words in (("firmware-reset", "the firmware is reset"), ("nt-updated", "the NT family's system is updated")):
        for call, one in _outcomes(reading, mishap).items():
            if now.get(call) and now[call].starts and one.sure and not one.starts:
                yield Finding(
                    f"start.{mishap}.{call}",
                    "note",
                    f"{call} does not start when {words}",
                    "Its entry is gone then, and the fallback file belongs to another system; "
                    "the sheet says how to make the entry again.",
                    (call,),
                    (Show("start", "Look at the start map"),),
                )


@check
def system_partitions(reading: Reading) -> Iterator[Finding]:
    """EFI system partitions: none, unreadable by firmware, or two on one disk."""
    planned = reading.plan.planned
    if planned.firmware.mode != "uefi":
        return
    holders = [(disk, volume) for disk, volume in planned.volumes() if is_esp(volume)]
    if not holders and any(volume.holds for _, volume in planned.volumes()):
        yield Finding(
            "start.no-esp",
            "stop",
            "No EFI system partition",
            "UEFI firmware has nothing to start from.",
            (),
            (ChangeAim("esp", "own", "Plan one of its own"),) if reading.job.aim else (Show("aim", "Look at the aim"),),
        )
    for _, volume in holders:
        system = volume.filesystem
        if system and system.kind == "fat32" and system.clusters < LEAST_CLUSTERS:
            yield Finding(
                f"start.small-esp.{volume.call}",
                "stop",
                f"Firmware cannot read {volume.call}",
                f"Its FAT32 has {system.clusters} clusters; below 65,525 firmware does not mount it.",
                (volume.call,),
                (Show("shelf", "Make it larger"),),
            )
    for disk in planned.disks:
        here = sorted((volume for other, volume in holders if other.id == disk.id), key=lambda one: one.number)
        if len(here) > 1:
            yield Finding(
                f"start.two-esp.{disk.id}",
                "note",
                "Two EFI system partitions",
                f"{here[0].call} wins where firmware looks for the fallback file: it has the lower partition number.",
                tuple(one.call for one in here),
                (Show("start", "Look at the start map"),),
            )


@check
def loaders_fit(reading: Reading) -> Iterator[Finding]:
    """The loaders do not fit the free room of the EFI system partition they go to."""
    for number, step in enumerate(reading.job.steps, 1):
        if isinstance(step, Install) and number <= len(reading.plan.machines):
            before = reading.plan.machines[number - 1].find(step.esp)
            need = max(step.loaders_bytes, sum(file.size_bytes for file in step.files))
            system = before[1].filesystem if before else None
            if system and system.used_bytes is not None and system.size_bytes - system.used_bytes < need:
                yield Finding(
                    f"start.full.{step.esp}",
                    "stop",
                    f"{step.esp} is too full",
                    f"The loaders need {binary(need)}; {binary(system.size_bytes - system.used_bytes)} are free.",
                    (step.esp,),
                    (ChangeAim("esp", "own", "Give the new system its own"),)
                    if reading.job.aim and step.id.startswith(f"{reading.job.aim.id}.")
                    else (Show("aim", "Choose another aim"),),
                )


@check
def assumed_entries(reading: Reading) -> Iterator[Finding]:
    """Boot variables that were not captured are assumptions."""
    firmware = reading.plan.found.firmware
    if firmware.mode == "uefi" and not firmware.entries_known and firmware.entries:
        yield Finding(
            "start.assumed",
            "note",
            "Boot entries not captured",
            (
                "Their order and titles are as a system listed them; numbers and partitions are not in that."
                if firmware.listed
                else "One entry per loader is assumed."
            )
            + " On the machine, efibootmgr -v shows what is really there.",
            (),
            (Show("start", "See what is assumed"),),
        )


@check
def put_back(reading: Reading) -> Iterator[Finding]:
    """Something is changed for the time of the work and must be put back."""
    retyped = [(number, step) for number, step in enumerate(reading.job.steps, 1) if isinstance(step, Retype)]
    for call in dict.fromkeys(step.call for _, step in retyped):
        last = max(number for number, step in retyped if step.call == call)
        places = [machine.find(call) for machine in (reading.plan.found, *reading.plan.machines)]
        types = [place[1].type_id for place in places if place]
        if len(set(types)) < 2 or types[0] != types[-1]:
            continue
        yield Finding(
            f"start.put-back.{call}",
            "note",
            f"{call} is hidden during the work",
            "So that the installer does not take it; while it is, some firmware does not start the old system. "
            f"Step {last} puts its type back.",
            (call,),
            (Show("sheet", f"Show step {last}", last),),
        )


@check
def nothing_starts_meanwhile(reading: Reading) -> Iterator[Finding]:
    """From one step to another no system starts, not even by hand: who is interrupted there has a stick, or a machine that is dark."""
    rows = reading.stops
    if reading.plan.found.firmware.mode is None or reading.plan.fault or not _any(rows[0]) or not _any(rows[-1]):
        return
    dark = [at for at, row in enumerate(rows) if not _any(row)]
    if not dark:
        return
    first = dark[0]
    last = next((at for at in range(first, len(rows)) if _any(rows[at])), len(rows)) - 1
    kept = any(one.holds and one.call not in reading.ledger.lost for _, one in reading.plan.found.volumes())
    yield Finding(
        "start.dark",
        "warn" if kept else "note",
        f"Nothing starts between step {first} and step {last + 1}",
        "If the work stops there, only a stick starts this machine. Keep the live stick in, and the charger.",
        (),
        (Show("sheet", f"Show step {first}", first),),
    )


def _any(row: tuple[Outcome, ...]) -> bool:
    """Whether a system starts, by itself or by hand, or perhaps does."""
    return any(one.starts or not one.sure for one in row)


@check
def two_roots(reading: Reading) -> Iterator[Finding]:
    """Two root volumes of one discoverable type on a disk."""
    for disk in reading.plan.planned.disks:
        roots = tuple(
            volume.call
            for volume in disk.volumes
            if volume.type_id == gpt_type("linux_root_x64") and not volume.attributes >> 63 & 1
        )
        if len(roots) > 1:
            yield Finding(
                f"start.roots.{disk.id}",
                "warn",
                "Two roots of one type",
                "Current systems mount a root by its type without a mount table and may take the wrong one; "
                "bit 63 on one of them stops that.",
                roots,
                (Show("shelf", "Look at the shelf"),),
            )


@check
def labels(reading: Reading) -> Iterator[Finding]:
    """A label that its file system refuses."""
    for step in reading.job.steps:
        if isinstance(step, Format) and (fault := named_label(step.filesystem, step.label)):
            yield Finding(
                f"fs.label.{step.call}",
                "stop",
                f"The label of {step.call} is refused",
                f"{fault}.",
                (step.call,),
                (Show("shelf", "Change the label"),),
            )


@check
def firmware_state(reading: Reading) -> Iterator[Finding]:
    """Firmware facts that are not known yet, or that hide something."""
    firmware = reading.plan.found.firmware
    if firmware.mode is None:
        yield Finding(
            "firmware.mode",
            "warn",
            "Firmware mode not known yet",
            "It decides how every system here starts. Look inside the running system first.",
            (),
            (Know("mode", "uefi", "It is UEFI"), Know("mode", "legacy", "It is legacy")),
        )
    elif firmware.mode == "uefi" and firmware.secure_boot is None:
        yield Finding(
            "firmware.secure-boot",
            "warn",
            "Secure Boot not known yet",
            "Absent, off, on or hidden: the rehearsal shows both for now.",
            (),
            (Know("secure_boot", "on", "It is on"), Know("secure_boot", "off", "It is off")),
        )
    elif firmware.secure_boot == "hidden":
        yield Finding(
            "firmware.hidden",
            "warn",
            "Secure Boot is hidden",
            "A compatibility module (CSM) hides the option; a system that starts the legacy way would stop starting when it goes off.",
            (),
            (Show("intake", "Look at the firmware"),),
        )


@check
def moved_on_mbr(reading: Reading) -> Iterator[Finding]:
    """On an MBR disk the NT family's boot data names the disk's signature and the volume's first byte: a move makes both untrue."""
    for disk, volume in reading.plan.found.volumes():
        after = reading.plan.planned.find(volume.call)
        starts = volume.active or (volume.holds is not None and volume.holds.family == "nt")
        if disk.table.kind != "mbr" or not starts or after is None or after[1].start == volume.start:
            continue
        if not any(one.holds and one.holds.family == "nt" for one in disk.volumes):
            continue
        yield Finding(
            f"start.moved.{volume.call}",
            "stop",
            f"{volume.call} is moved, and its system would not find it",
            "On an MBR disk the boot data of the NT family names the volume by the disk's signature and its first byte; "
            f"after the move that system starts only once {exact('nt', 'boot_files')} has written them anew from its recovery.",
            (volume.call,),
            (Show("shelf", "Leave it where it stands"),),
        )
