"""Causes behind the loader: a menu that does not list the system, kernels, mounts, volumes that ask for a check, encryption, pictures."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.machine.roles import root_uuid, uuids_of
from inkshelf.core.machine.state import BootFile
from inkshelf.core.mending.base import Case, cause
from inkshelf.core.mending.repairs import inside, menu_targets
from inkshelf.core.mending.view import View
from inkshelf.core.steps.kinds import Confirm, Prepare, Regenerate
from inkshelf.core.steps.mending import LetMissing, PutKernel
from inkshelf.core.texts import is_folder
from inkshelf.core.value import replace
from inkshelf.data import exact


@cause(
    "not-listed",
    "The menu that comes does not list it",
    "not-listed other",
    7,
    changed="linux-update nt-update disks",
    again="same",
    one_time="starts",
    disk_listed="yes",
    folder="whole",
)
def not_listed(view: View) -> Iterator[Case]:
    """Current menus do not look for other systems by themselves; one made while a volume was hidden or out lacks it."""
    if not view.uefi or view.first is None or view.call in view.first.systems or not view.first.systems:
        return
    place = view.machine.find(view.first.systems[0])
    menus = [one for one in view.first.stations if one.place == "menu" and one.call]
    if place is None or place[1].holds is None or place[1].holds.family != "linux" or not menus:
        return
    own = View(view.machine, place[1].call)
    volume = view.machine.find(menus[0].call)
    configs = tuple(one for one in volume[1].boot_files if one.kind == "menu-config" and _is_of(own, one)) if volume else ()
    if configs and volume:
        line = exact("paths", "nt_loader") if view.nt else root_uuid(view.volume)
        files = tuple(replace(one, targets=tuple(dict.fromkeys((*one.targets, line)))) for one in configs)
        why = f"the menu of {own.call} on {volume[1].call} comes first, and lists {', '.join(view.first.systems)} only"
        yield Case(True, own.call, why, (Prepare(own.call, "finder_on"), Regenerate(own.call, volume[1].call, files)))


def _is_of(view: View, config: BootFile) -> bool:
    return bool(set(menu_targets(view)) & {one.lower() for one in config.targets[:1]})


@cause(
    "kernel-gone",
    "Its boot folder holds no kernel",
    "kernel-error prompt",
    5,
    changed="linux-update nothing",
    again="same",
    one_time="back",
    disk_listed="yes",
    folder="whole",
    kernel="no",
)
def kernel_gone(view: View) -> Iterator[Case]:
    """An update broke off, or its boot volume was full; the menu still names what was there."""
    apart = any(where == exact("linux", "boot_folder") for _, where in view.system.mounts)
    if view.linux and view.system.kernels == 0 and not apart:
        yield Case(
            True,
            view.call,
            f"no kernel lies in {exact('linux', 'boot_folder')} of {view.call}",
            inside(view, PutKernel(view.call)),
        )
    elif view.linux and view.system.kernels is None:
        yield Case(False, view.call, f"whether {view.call} has a kernel was not read", inside(view, PutKernel(view.call)))


@cause(
    "waits-for-volume",
    "Its start waits for a volume that is not there",
    "emergency black",
    7,
    changed="disks",
    again="same",
    one_time="back",
    disk_listed="yes",
    waits_for="volume",
    folder="whole",
    kernel="yes",
)
def waits_for_volume(view: View) -> Iterator[Case]:
    """A line of its mount table names a volume that was made anew or is out, and does not say that it may be missing."""
    there = {uuid for _, one in view.machine.volumes() for uuid in uuids_of(one)}
    for what, where in view.system.mounts:
        uuid = what.removeprefix("UUID=").strip('"').lower()
        if where in view.system.waits and what.startswith("UUID=") and uuid not in there and is_folder(where):
            why = f"{exact('linux', 'mount_table')} on {view.call} mounts {what} in {where}, which is on no disk"
            yield Case(True, view.call, why, inside(view, LetMissing(view.call, where)))
            return
    if view.linux and not view.system.mounts:
        by_hand = "The lines before its shell name the volume: plug it in, or let its line in the mount table say that it may be missing."
        yield Case(False, view.call, f"the mount table of {view.call} was not read", (), by_hand)


@cause(
    "check-needed",
    "Its volume asks for a check",
    "emergency system-screen loop black",
    5,
    changed="nothing disks",
    again="same starts",
    one_time="back",
    disk_listed="yes",
    waits_for="check",
)
def check_needed(view: View) -> Iterator[Case]:
    """Power was lost while it wrote, or its disk reports errors."""
    system = view.volume.filesystem
    if system is not None and system.dirty:
        yield Case(True, view.call, f"{view.call} is marked for a check", (Prepare(view.call, "check_outside"),))
    elif system is not None and system.dirty is None and view.volume.number:
        yield Case(
            False, view.call, f"whether {view.call} is marked for a check was not read", (Prepare(view.call, "check_outside"),)
        )


@cause(
    "half-asleep",
    "It sleeps, and cannot wake",
    "system-screen loop black",
    3,
    changed="disks nothing linux-update",
    again="same",
    one_time="back",
    disk_listed="yes",
)
def half_asleep(view: View) -> Iterator[Case]:
    """It was put to sleep, and something changed on its disks meanwhile: what it remembers is no longer so."""
    system = view.volume.filesystem
    if view.nt and system is not None and system.hibernated:
        by_hand = "At its own screen choose to go on without the session that sleeps; what was not saved is lost."
        steps = (Prepare(view.call, "fast_startup_off"),)
        yield Case(True, view.call, f"{view.call} holds the image of a session that sleeps", steps, by_hand)
    elif view.nt and (system is None or system.hibernated is None):
        yield Case(False, view.call, f"whether {view.call} sleeps was not read", (Prepare(view.call, "fast_startup_off"),))


@cause(
    "locked",
    "Its encryption asks for the recovery key because what starts has changed",
    "recovery-key",
    9,
    changed="firmware settings linux-update nt-update disks",
    again="same",
    one_time="starts back",
    disk_listed="yes",
    mode="uefi",
)
def locked(view: View) -> Iterator[Case]:
    """The trust module has noted another loader, order or switch: once the key is given, protection is suspended and taken up anew."""
    kind = view.volume.filesystem.kind if view.volume.filesystem else ""
    if view.nt and (kind == "nt-encrypted" or view.machine.conditions.encrypted is not False):
        sure = kind == "nt-encrypted" or bool(view.machine.conditions.encrypted)
        why = f"{view.call} is encrypted" if sure else f"whether {view.call} is encrypted was not noted"
        steps = (Confirm("recovery_key"), Prepare(view.call, "suspend_encryption"), Prepare(view.call, "resume_encryption"))
        yield Case(sure, view.call, why, steps)


@cause(
    "graphics",
    "Its picture does not come up",
    "black loop",
    5,
    changed="linux-update nt-update firmware nothing",
    again="same",
    one_time="back",
    disk_listed="yes",
    plain="starts",
    folder="whole",
    kernel="yes",
)
def graphics(view: View) -> Iterator[Case]:
    """The system starts, and its graphics driver does not; no capture shows that."""
    yield Case(False, view.call, "what becomes of the picture is in no capture", (Confirm("plain_graphics"),))


@cause(
    "disk-failing",
    "Its disk reports errors of its own",
    "emergency loop black system-screen no-device kernel-error",
    3,
    changed="nothing",
    again="same starts",
    one_time="back",
    disk_listed="yes no",
    waits_for="volume check",
    folder="parts unreadable",
)
def disk_failing(view: View) -> Iterator[Case]:
    """Nothing is repaired on a dying disk before its files are elsewhere."""
    if view.disk.failing:
        by_hand = "Copy what is wanted to another disk first; then the aim “own-disk” or “clean” on the new one."
        yield Case(True, view.disk.id, f"disk {view.disk.id} reports errors", (Confirm("backup"),), by_hand)
    elif view.disk.failing is None:
        yield Case(False, view.disk.id, f"whether disk {view.disk.id} reports errors was not captured", (Confirm("backup"),))
