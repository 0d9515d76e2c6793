"""What may happen to a machine later, as values made of small parts: a job, a drill or a logbook can keep them."""

from functools import partial

from inkshelf.core.boot.uefi import without_entries
from inkshelf.core.machine.state import BootFile, Machine, SecureBoot, Volume
from inkshelf.core.texts import Key, Letter, Line
from inkshelf.core.value import Value, replace
from inkshelf.data import exact


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


def _with_files(files: tuple[BootFile, ...], volume: Volume) -> Volume:
    return replace(volume, boot_files=files)


class Mishap(Value, frozen=True):
    """Something that happens to a machine later: ``key`` for commands, ``title`` for screens, what it is made of, in order."""

    key: Key
    title: Line
    parts: tuple[SwitchedSecureBoot | LostFirstEntry | ForgotEntries | UpdatedNt | TookDiskOut, ...] = ()

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


def mishaps(machine: Machine) -> tuple[Mishap, ...]:
    """Return the mishaps that make sense for a machine: the standing ones, and each disk out where there are several."""
    several = machine.disks if len(machine.disks) > 1 else ()
    return STANDING + tuple(
        Mishap(f"disk-{one.id.lower()}-out", f"disk {one.id} out", (TookDiskOut(one.id),)) for one in several
    )
