"""What may happen to a machine later, as values made of small parts: a job, a drill or a logbook can keep them."""

from functools import partial
from typing import Literal

from inkshelf.core.boot.uefi import without_entries
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.state import BootFile, Firmware, Machine, SecureBoot, SystemRoot, Table, Volume
from inkshelf.core.size import MIB
from inkshelf.core.texts import Key, Letter, Line
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

KERNEL_BYTES = 300 * MIB  # a kernel, its first image, and what is written beside them while they are made


class Part(Value, frozen=True, tag_field="kind"):
    """One small thing that happens."""

    def befall(self, machine: Machine) -> Machine:
        """Return the machine afterwards."""
        raise NotImplementedError(type(self).__name__)


class SwitchedSecureBoot(Part, frozen=True, tag="secure-boot"):
    """Secure Boot is switched; a firmware without it stays as it is."""

    to: SecureBoot

    def befall(self, machine: Machine) -> Machine:
        """Return the machine with the switch so."""
        if machine.firmware.secure_boot == "absent":
            return machine
        return replace(machine, firmware=replace(machine.firmware, secure_boot=self.to))


class LostFirstEntry(Part, frozen=True, tag="first-entry-lost"):
    """Some firmware drops the first entry when it re-sorts its list."""

    def befall(self, machine: Machine) -> Machine:
        """Return the machine without the first entry of its order."""
        return replace(machine, firmware=replace(machine.firmware, order=machine.firmware.order[1:]))


class ForgotEntries(Part, frozen=True, tag="firmware-reset"):
    """The firmware forgets every entry that somebody made."""

    def befall(self, machine: Machine) -> Machine:
        """Return the machine with automatic entries only."""
        return without_entries(machine)


class UpdatedNt(Part, frozen=True, tag="nt-updated"):
    """The NT family's larger updates put their loader into the fallback place again and their entry first."""

    def befall(self, machine: Machine) -> Machine:
        """Return the machine after such an update."""
        loader, fallback = exact("paths", "nt_loader"), exact("paths", "fallback_x64")
        for _, volume in tuple(machine.volumes()):
            own = volume.boot_file(loader)
            if own:
                others = (one for one in volume.boot_files if one.path.lower() != fallback.lower())
                machine = machine.with_volume(volume.call, partial(_with_files, (*others, replace(own, path=fallback))))
        firmware = machine.firmware
        first = [one.number for one in firmware.entries if one.path.lower() == loader.lower()]
        order = (*first, *(one for one in firmware.order if one not in first))
        return replace(machine, firmware=replace(firmware, order=order))


class TookDiskOut(Part, frozen=True, tag="disk-out"):
    """A disk is not there."""

    disk: Letter

    def befall(self, machine: Machine) -> Machine:
        """Return the machine without the disk."""
        return replace(machine, disks=tuple(one for one in machine.disks if one.id != self.disk))


class DiedDisk(Part, frozen=True, tag="disk-dead"):
    """A disk is there and answers no more: nothing of it can be read."""

    disk: Letter

    def befall(self, machine: Machine) -> Machine:
        """Return the machine with nothing on the disk."""
        dead = tuple(
            replace(one, table=Table("none", boot_code=False), volumes=()) if one.id == self.disk else one
            for one in machine.disks
        )
        return replace(machine, disks=dead)


class SwitchedMode(Part, frozen=True, tag="firmware-mode"):
    """The firmware starts the other way: its compatibility module (CSM) is switched on, or off."""

    to: Literal["uefi", "legacy"]

    def befall(self, machine: Machine) -> Machine:
        """Return the machine in that mode; with the module on, Secure Boot is hidden."""
        firmware = replace(machine.firmware, mode=self.to)
        if self.to == "legacy" and firmware.secure_boot == "on":
            firmware = replace(firmware, secure_boot="hidden")
        return replace(machine, firmware=firmware)


class SwappedDisks(Part, frozen=True, tag="disks-swapped"):
    """The disks that are built in change their ports: the firmware meets them the other way round."""

    def befall(self, machine: Machine) -> Machine:
        """Return the machine with them in the other order; what can be taken out stays where it is."""
        turned = iter(one for one in reversed(machine.disks) if not one.removable)
        return replace(machine, disks=tuple(one if one.removable else next(turned) for one in machine.disks))


class WentElsewhere(Part, frozen=True, tag="disk-elsewhere"):
    """A disk is plugged into another machine, which has no entry for it and no disk of its own that starts."""

    disk: Letter
    mode: Literal["uefi", "legacy"]
    secure_boot: SecureBoot

    def befall(self, machine: Machine) -> Machine:
        """Return that machine."""
        kept = tuple(one for one in machine.disks if one.id == self.disk)
        return replace(machine, disks=kept, firmware=Firmware(self.mode, self.secure_boot, entries_known=True))


class PluggedInCopy(Part, frozen=True, tag="disk-copied"):
    """A copy of a disk, made bit by bit, is plugged in, and the firmware meets it first."""

    disk: Letter

    def befall(self, machine: Machine) -> Machine:
        """Return the machine with both; the copy's volumes have the same identities and call numbers of their own."""
        source = next((one for one in machine.disks if one.id == self.disk), None)
        if source is None:
            return machine
        taken = list(machine.calls())
        volumes = []
        for volume in source.volumes:
            taken.append(next_call(volume.role, taken))
            volumes.append(replace(volume, call=taken[-1], disk_files=()))
        letter = next(chr(one) for one in range(ord("Z"), ord("A"), -1) if chr(one) not in {disk.id for disk in machine.disks})
        copy = replace(source, id=letter, removable=True, volumes=tuple(volumes))
        return replace(machine, disks=(copy, *machine.disks))


class UpdatedLinux(Part, frozen=True, tag="linux-updated"):
    """The Linux family updates itself: its entry comes first again, and a kernel more has to find room where its kernels lie."""

    def befall(self, machine: Machine) -> Machine:
        """Return the machine after such an update; a kernel that found no room is not whole, and is what the menu starts."""
        for _, volume in tuple(machine.volumes()):
            system = volume.holds
            if system and system.family == "linux" and system.kernels and _no_room(volume):
                machine = machine.with_volume(volume.call, partial(_with_system, replace(system, kernels=0)))
        firmware, first = machine.firmware, exact("paths", "first_stage_x64").lower()
        own = [one for one in firmware.order if (entry := firmware.entry(one)) and entry.path.lower().endswith(first)][:1]
        order = (*own, *(one for one in firmware.order if one not in own))
        return replace(machine, firmware=replace(firmware, order=order))


def _no_room(volume: Volume) -> bool:
    system = volume.filesystem
    return system is not None and system.used_bytes is not None and system.size_bytes - system.used_bytes < KERNEL_BYTES


def _with_system(system: SystemRoot, volume: Volume) -> Volume:
    return replace(volume, holds=system)


def _with_files(files: tuple[BootFile, ...], volume: Volume) -> Volume:
    return replace(volume, boot_files=files)


PARTS = (
    SwitchedSecureBoot,
    LostFirstEntry,
    ForgotEntries,
    UpdatedNt,
    TookDiskOut,
    DiedDisk,
    SwitchedMode,
    SwappedDisks,
    WentElsewhere,
    PluggedInCopy,
    UpdatedLinux,
)
AnyPart = (
    SwitchedSecureBoot
    | LostFirstEntry
    | ForgotEntries
    | UpdatedNt
    | TookDiskOut
    | DiedDisk
    | SwitchedMode
    | SwappedDisks
    | WentElsewhere
    | PluggedInCopy
    | UpdatedLinux
)


class Mishap(Value, frozen=True):
    """Something that happens to a machine later: ``key`` for commands, ``title`` for screens, what it is made of, in order."""

    key: Key
    title: Line
    parts: tuple[AnyPart, ...] = ()

    def befall(self, machine: Machine) -> Machine:
        """Return the machine afterwards."""
        for part in self.parts:
            machine = part.befall(machine)
        return machine


STANDING = (
    Mishap("none", "nothing"),
    Mishap("secure-boot-on", "Secure Boot on", (SwitchedSecureBoot("on"),)),
    Mishap("secure-boot-off", "Secure Boot off", (SwitchedSecureBoot("off"),)),
    Mishap("first-entry-lost", "first entry lost", (LostFirstEntry(),)),
    Mishap("firmware-reset", "firmware reset", (ForgotEntries(),)),
    Mishap("nt-updated", "NT updated", (UpdatedNt(),)),
)


def mishaps(machine: Machine, own: tuple[Mishap, ...] = ()) -> tuple[Mishap, ...]:
    """Return the mishaps that make sense for a machine: the standing ones, those of its systems, mode and disks; then a person's ``own``."""
    linux = any(one.holds and one.holds.family == "linux" for _, one in machine.volumes())
    updated = (Mishap("linux-updated", "Linux updated", (UpdatedLinux(),)),) if linux else ()
    switched = {
        "uefi": (Mishap("csm-on", "CSM on", (SwitchedMode("legacy"),)),),
        "legacy": (Mishap("csm-off", "CSM off", (SwitchedMode("uefi"),)),),
        None: (),
    }[machine.firmware.mode]
    return (*STANDING, *updated, *switched, *_of_disks(machine), *own)


def _of_disks(machine: Machine) -> tuple[Mishap, ...]:
    """What happens to disks: out, dead, in other ports, elsewhere, copied."""
    several = machine.disks if len(machine.disks) > 1 else ()
    holding = [one for one in machine.disks if any(volume.holds for volume in one.volumes)]
    found = [Mishap(f"disk-{one.id.lower()}-out", f"disk {one.id} out", (TookDiskOut(one.id),)) for one in several]
    found += [
        Mishap(f"disk-{one.id.lower()}-dead", f"disk {one.id} dead", (DiedDisk(one.id),))
        for one in several
        if not one.removable
    ]
    if sum(not one.removable for one in several) > 1:
        found.append(Mishap("disks-swapped", "disks swapped between ports", (SwappedDisks(),)))
    found += [
        Mishap(f"disk-{one.id.lower()}-copied", f"a copy of disk {one.id} plugged in", (PluggedInCopy(one.id),))
        for one in holding
    ]
    others: tuple[tuple[str, str, Literal["uefi", "legacy"], SecureBoot], ...] = (
        ("elsewhere", "elsewhere: UEFI", "uefi", "off"),
        ("elsewhere-secure", "elsewhere: Secure Boot on", "uefi", "on"),
        ("elsewhere-legacy", "elsewhere: legacy only", "legacy", "absent"),
    )
    found += [
        Mishap(f"disk-{one.id.lower()}-{key}", f"disk {one.id} {words}", (WentElsewhere(one.id, mode, secure),))
        for one in holding
        if one.removable
        for key, words, mode, secure in others
    ]
    return tuple(found)
