"""A system on its new volumes: what its installer leaves, how firmware finds it, how it comes to know the systems beside it."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.aims.volumes import New
from inkshelf.core.boot.own_files import entry_files, linux_files, nt_files
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.entries import entry_on, means
from inkshelf.core.machine.profiles import Profile
from inkshelf.core.machine.roles import root_uuid, startup_on
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.steps.kinds import AddEntry, Create, Install, Prepare, Regenerate, Retype, SetOrder, Step
from inkshelf.core.value import Value
from inkshelf.data import exact


class Startup(Value, frozen=True):
    """The EFI system partition that a system starts from; ``shared``: as found, ``None`` where it is a new one of its own."""

    call: str
    number: int
    guid: str
    start: int
    size: int
    serial: str
    shared: Volume | None = None


def startup_of(disk: Disk, new: New, mark: str = "") -> Startup | None:
    """Return the new EFI system partition, else the one with the lowest number that the disk has, else ``None``."""
    if f"esp{mark}" in new.calls:
        made: Create = new.made(f"esp{mark}")
        return Startup(made.call, made.number, made.guid, made.start, made.size, new.uuids[f"esp{mark}"])
    there = startup_on(disk)
    if there is None:
        return None
    serial = there.filesystem.uuid if there.filesystem else ""
    return Startup(there.call, there.number, there.guid, there.start, there.size, serial, there)


def install(kind: Profile, disk: Disk, new: New, startup: Startup | None, mark: str = "", *, fallback: bool = False) -> Install:
    """Return the installer's own work; ``startup`` is ``None`` the legacy way, where the loader goes to the disk's start.

    ``fallback``: the loader is put where firmware looks without an entry, too.
    """
    files: tuple[BootFile, ...] = ()
    if startup is not None:
        files = (
            _nt_files(new, startup, mark) if kind.family == "nt" else _linux_files(kind, new, startup, mark, fallback=fallback)
        )
    return Install(
        call=new.calls[f"root{mark}"],
        esp=startup.call if startup else "",
        title=kind.title,
        family=kind.family,
        installed_bytes=kind.installed,
        files=files,
        mounts=_mounts(new, startup, mark) if kind.family == "linux" else (),
        kernel_signed=kind.signed,
        loaders_bytes=kind.loaders,
        profile=kind.key,
        code_on="" if startup else disk.id,
    )


def loader_path(kind: Profile) -> str:
    """Return the file that a system's boot entry starts."""
    if kind.family == "nt":
        return exact("paths", "nt_loader")
    if kind.by_entries:
        return f"{exact('paths', 'entry_menu_folder')}\\{exact('paths', 'entry_menu_x64')}"
    return f"\\EFI\\{kind.folder}\\{exact('paths', 'first_stage_x64')}"


def _linux_files(kind: Profile, new: New, startup: Startup, mark: str, *, fallback: bool) -> tuple[BootFile, ...]:
    """Its menu lists itself only: looking for other systems is off in current menus."""
    if kind.by_entries:
        there = startup.shared is not None and startup.shared.boot_file(exact("paths", "entry_settings")) is not None
        return entry_files(kind.folder, new.uuids[f"root{mark}"], fallback=fallback, settings=not there)
    targets = tuple(new.uuids[one] for one in (f"boot{mark}", f"root{mark}") if one in new.uuids)
    return linux_files(kind.folder, targets, signed=kind.signed, fallback=fallback)


def _nt_files(new: New, startup: Startup, mark: str) -> tuple[BootFile, ...]:
    """Boot data of a system that is there stays in it; the new one begins by itself, as its own installer has it."""
    root = new.made(f"root{mark}")
    there = startup.shared.boot_file(exact("paths", "nt_boot_data")) if startup.shared else None
    return nt_files(tuple(dict.fromkeys((root.guid, *(there.targets if there else ())))))


def _mounts(new: New, startup: Startup | None, mark: str) -> tuple[tuple[str, str], ...]:
    mounts = [(f"UUID={new.uuids[f'root{mark}']}", "/")]
    mounts += [(f"UUID={new.uuids[f'boot{mark}']}", "/boot")] if f"boot{mark}" in new.uuids else []
    mounts += [(f"UUID={new.uuids[f'home{mark}']}", "/home")] if f"home{mark}" in new.uuids else []
    mounts += [(f"UUID={startup.serial}", "/boot/efi")] if startup else []
    mounts += [(f"UUID={new.uuids[f'swap{mark}']}", "none")] if f"swap{mark}" in new.uuids else []
    return tuple(mounts)


def finding_others(found: Machine, done: Install) -> list[Step]:
    """Where another system is there: let the new menu look for it, and make the menu anew once everything is back in its place."""
    if done.family != "linux" or done.by_entries():
        return []  # a menu of entry files lists what lies on its own volume, and looks nowhere else
    nt = exact("paths", "nt_loader")
    others = [
        root_uuid(volume)
        for _, volume in found.volumes()
        if volume.holds and volume.holds.family == "linux" and volume.filesystem and volume.call != done.call
    ]
    others += [nt] if any(volume.boot_file(nt) for _, volume in found.volumes()) else []
    if done.code_on:  # the legacy way the menu's configuration lies inside the system, where no state follows it
        old = any(volume.holds and volume.holds.family == "nt" for _, volume in found.volumes())
        return [Prepare(done.call, "finder_on"), Regenerate(done.call, "", ())] if others or old else []
    if not others:
        return []
    configs = tuple(
        BootFile(one.path, one.kind, one.size_bytes, None, tuple(dict.fromkeys((*one.targets, *others))))
        for one in done.files
        if one.kind == "menu-config"
    )
    return [Prepare(done.call, "finder_on"), *([Regenerate(done.call, done.esp, configs)] if configs else [])]


def entered(
    found: Machine,
    disk: Disk,
    kind: Profile,
    startup: Startup | None,
    numbers: tuple[int, ...] = (),
    by: Literal["installer", "person"] = "installer",
    *,
    keeps: bool = False,
) -> list[Step]:
    """Return the steps after which firmware has an entry for the system, first in its order; ``keeps``: behind what was first.

    ``numbers``: those of entries that other steps made meanwhile. An NT-family system that shares boot data with another has its entry.
    """
    if startup is None:
        return []
    path = loader_path(kind)
    firmware = found.firmware
    if any(means(one, disk, startup) and one.path.lower() == path.lower() for one in firmware.entries):
        return []
    used = {entry.number for entry in firmware.entries} | set(numbers)
    number = next(one for one in range(0x10000) if one not in used)
    entry = entry_on(disk, startup, number, kind.title, path)
    order = (*numbers, *firmware.order)
    if not order:
        return [AddEntry(entry, by=by)]
    first = SetOrder((number, *order), by="installer" if keeps or kind.family == "nt" else "person")
    return [AddEntry(entry, by=by), first, *([SetOrder((*order, number))] if keeps else [])]


def required_startup(disk: Disk, new: New, mode: str, mark: str = "") -> Startup | None:
    """Return what a system starts from in this mode; raises ``PlanError`` where UEFI has nothing to start from."""
    if mode == "legacy":
        return None
    startup = startup_of(disk, new, mark)
    if startup is None:
        raise PlanError("There is no EFI system partition for the loader.", "Choose an EFI system partition of its own.")
    return startup


def active(kind: Profile, disk: Disk, done: Install) -> tuple[Step, ...]:
    """On an MBR the NT family's code looks for the active volume; its installer marks it so."""
    if kind.family != "nt" or disk.table.kind != "mbr" or any(one.active for one in disk.volumes):
        return ()
    return (Retype(done.call, "0x07", 0, active=True),)
