"""Small repairs, as steps: what several causes are mended by."""

from __future__ import annotations

from inkshelf.core.boot.entries import entry_to
from inkshelf.core.boot.own_files import folder_word, linux_files, nt_files, own_file
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.machine.roles import named_by_boot_data, own_uuids, root_uuid, spelt, uuids_of
from inkshelf.core.machine.state import BootEntry, Disk, Machine, Volume
from inkshelf.core.mending.view import FALLBACK_FOLDER, Loader, View, folder_of
from inkshelf.core.steps.kinds import AddEntry, EnterSystem, LeaveSystem, PutLoader, Regenerate, RemoveEntry, SetOrder, Step
from inkshelf.core.value import replace
from inkshelf.data import exact

OPENED = ("/", "/boot", "/boot/efi", "/usr", "/var")
DEPTH = 3  # backslashes in the path of a loader in a folder of its own


def first_in_order(machine: Machine, number: int) -> list[Step]:
    """Return the step that puts an entry first, everything else behind it as it stands."""
    now = machine.firmware.order
    order = (number, *(one for one in now if one != number))
    return [] if order == now else [SetOrder(order)]


def entered(view: View, disk: Disk, volume: Volume, path: str, instead: BootEntry | None = None) -> list[Step]:
    """Return the steps that make an entry for a file and put it first; ``instead``: the entry that it takes the place of."""
    entry = entry_to(view.machine, disk, volume, path, view.system.title)
    left = tuple(one for one in view.firmware.order if instead is None or one != instead.number)
    gone: list[Step] = [RemoveEntry(instead.number)] if instead else []
    order: list[Step] = [SetOrder((entry.number, *left))] if left else []
    return [*gone, AddEntry(entry, by="person"), *order]


def entered_anew(view: View, instead: BootEntry | None = None) -> list[Step]:
    """Return the steps that make an entry for the best loader of the system; where nobody read its files, for where that family's tools put it."""
    if view.good:
        best = view.good[0]
        return entered(view, best.disk, best.volume, best.file.path, instead)
    if view.esp is None or not view.unread:
        return []
    return entered(view, *view.esp, own_path(view), instead)


def own_path(view: View) -> str:
    """Return where the system's own tools put its loader."""
    return exact("paths", "nt_loader") if view.nt else f"\\EFI\\{own_folder(view)}\\{exact('paths', 'first_stage_x64')}"


def inside(view: View, *steps: Step) -> tuple[Step, ...]:
    """Return steps that are typed in a Linux-family system which does not start, with a live system opening and closing it."""
    if not view.linux:
        return steps
    esp = view.esp
    places = {
        where: what.removeprefix("UUID=").strip('"')
        for what, where in view.system.mounts
        if where in OPENED and what.startswith("UUID=")
    }
    places["/"] = root_uuid(view.volume)
    if (
        view.volume.filesystem
        and view.volume.filesystem.kind == "btrfs"
        and any(where == "/home" for _, where in view.system.mounts)
    ):
        places["/home"] = places["/"]  # of one file system: the root is a subvolume then
    if esp and esp[1].filesystem and view.uefi:
        places["/boot/efi"] = esp[1].filesystem.uuid
    there = _there(view)
    mounts = tuple(
        (uuid, where)
        for where, uuid in sorted(places.items(), key=lambda one: (one[0].count("/"), len(one[0])))
        if uuid.lower() in there
    )
    sealed = view.volume.filesystem is not None and view.volume.filesystem.kind == "luks"
    unlocks = (("opened", view.volume.filesystem.uuid),) if sealed and view.volume.filesystem else ()
    return (EnterSystem(view.call, mounts, unlocks), *steps, LeaveSystem(view.call, unlocks))


def _there(view: View) -> set[str]:
    """What the file systems on all disks are called by."""
    return {uuid for _, volume in view.machine.volumes() for uuid in uuids_of(volume)}


def loader_put(view: View, esp: Volume, files: tuple[BootFile, ...]) -> tuple[Step, ...]:
    """Return the steps that put start-up files of the system on a volume, from a live system or its family's recovery."""
    return inside(view, PutLoader(view.call, esp.call, files, live=True))


def own_folder(view: View) -> str:
    """Return the name of the folder that the system's loader lies in, or lay in as its entry says, or would go to."""
    apart = [one.folder for one in view.mine if one.folder.lower() != FALLBACK_FOLDER]
    apart += [one.path.rsplit("\\", 1)[0] for one in view.entries if one.path.count("\\") == DEPTH]
    named = [one.split("\\")[-1] for one in apart]
    return named[0] if named else folder_word(view.system.title)


def all_files(view: View, esp: Volume) -> tuple[BootFile, ...]:
    """Return what the system's own tools put on a start-up volume; boot data and menus that are there keep what else they name."""
    if view.nt:
        there = esp.boot_file(exact("paths", "nt_boot_data"))
        alive = {named_by_boot_data(disk, one) for disk, one in view.machine.volumes()} - {""}
        kept = tuple(one for one in (there.targets if there else ()) if spelt(one) in alive or one.startswith("\\"))
        own = named_by_boot_data(view.disk, view.volume)
        return nt_files(tuple(dict.fromkeys((own, *kept))))
    twice = any(one.fallback and one.volume.call == esp.call for one in view.mine)
    return linux_files(own_folder(view), menu_targets(view), signed=True, fallback=twice)


def fallback_files(view: View, esp: Volume) -> tuple[BootFile, ...]:
    """Return the files that lie where firmware looks without an entry."""
    if view.nt:
        return tuple(one for one in all_files(view, esp) if one.path == exact("paths", "fallback_x64"))
    made = linux_files(own_folder(view), menu_targets(view), signed=True, fallback=True)
    return tuple(one for one in made if folder_of(one).lower() == "\\efi\\boot")


def menu_targets(view: View, config: BootFile | None = None) -> tuple[str, ...]:
    """Return what a menu of the system leads to: itself first, then what ``config`` lists and is there."""
    root = root_uuid(view.volume)
    apart = tuple(one for one in own_uuids(view.volume) if one != root)
    own = (*apart, root)
    there = _there(view)
    others = tuple(
        one
        for one in (config.targets if config else ())
        if one.lower() not in own and (one.startswith("\\") or one.lower() in there)
    )
    return (*own, *others)


def menu_anew(view: View, loader: Loader | None, esp: Volume, *more: str) -> tuple[Step, ...]:
    """Return the steps after which the system's own menu lists it, what it listed and is there, and ``more``."""
    folder = loader.folder if loader else f"\\EFI\\{own_folder(view)}"
    path = f"{folder}\\{exact('paths', 'menu_config')}"
    was = esp.boot_file(path)
    targets = tuple(dict.fromkeys((*menu_targets(view, was), *more)))
    made = replace(was, targets=targets, hands_over=()) if was else own_file(path, "menu-config", None, targets)
    return inside(view, Regenerate(view.call, esp.call, (made,), live=True))


__all__ = [
    "all_files",
    "entered",
    "entered_anew",
    "first_in_order",
    "folder_of",
    "inside",
    "loader_put",
    "menu_anew",
    "menu_targets",
    "own_folder",
    "own_path",
]
