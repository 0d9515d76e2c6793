"""What is a system's own: its volumes, its loader's folders, its boot entries; and nothing that another system needs."""

from __future__ import annotations

from inkshelf.core.disk.contents import BootFile
from inkshelf.core.machine.entries import means
from inkshelf.core.machine.roles import is_esp, own_uuids, root_uuid, systems_named
from inkshelf.core.machine.state import Machine, Volume
from inkshelf.core.value import Value
from inkshelf.data import exact

HOMES = ("/home", "/srv")
OWN = ("/boot", "/var", "/usr", "/opt")  # where a system keeps what is its own


class Belongings(Value, frozen=True):
    """Call numbers of volumes; (start-up volume, paths) of loaders that go off volumes which stay; numbers of boot entries."""

    volumes: tuple[str, ...]
    files: tuple[tuple[str, tuple[str, ...]], ...]
    entries: tuple[int, ...]


def belongings(found: Machine, root: Volume, *, with_files: bool) -> Belongings:
    """Return what goes with the system on ``root``; ``with_files``: the volume with the owner's files of that system, too."""
    volumes = [root.call, *_mounted(found, root, with_files=with_files)]
    if root.holds and root.holds.family == "nt":
        volumes += _beside_nt(found, root)
    loaders = {
        volume.call: _folders(found, volume, root) for _, volume in found.volumes() if is_esp(volume) or volume.boot_files
    }
    # an EFI system partition that holds nothing of anybody else goes as a whole, where it is the system's own by its mount table
    for _, volume in found.volumes():
        if (
            is_esp(volume)
            and loaders.get(volume.call)
            and _holds_only(volume, loaders[volume.call])
            and _spare(found, volume, root)
        ):
            volumes.append(volume.call)
    files = tuple((call, paths) for call, paths in loaders.items() if paths and call not in volumes)
    return Belongings(tuple(dict.fromkeys(volumes)), files, _entries(found, tuple(volumes), files))


def _uuid(volume: Volume) -> str:
    return root_uuid(volume)


def _mounts(volume: Volume) -> dict[str, str]:
    """Where a system mounts each volume, by UUID."""
    pairs = volume.holds.mounts if volume.holds else ()
    return {what.removeprefix("UUID=").strip('"').lower(): where for what, where in pairs if what.startswith("UUID=")}


def _mounted(found: Machine, root: Volume, *, with_files: bool) -> list[str]:
    """Volumes that this system mounts and no other one does; those with the owner's files only where they are to go."""
    own = _mounts(root)
    others = {uuid for _, one in found.volumes() if one.holds and one.call != root.call for uuid in _mounts(one)}
    calls = []
    for _, volume in found.volumes():
        where = own.get(_uuid(volume), "") if _uuid(volume) else ""
        if not where or volume.call == root.call or is_esp(volume) or _uuid(volume) in others or volume.holds:
            continue
        if where.startswith(HOMES) and not with_files:
            continue
        if where == "none" or where.startswith((*OWN, *HOMES)):
            calls.append(volume.call)
    return calls


def _beside_nt(found: Machine, root: Volume) -> list[str]:
    """Its reserved and recovery volumes, where no other system of the family is on the disk."""
    disk = next(disk for disk, one in found.volumes() if one.call == root.call)
    if any(one.holds and one.holds.family == "nt" and one.call != root.call for one in disk.volumes):
        return []
    return [one.call for one in disk.volumes if one.role in {"reserved", "recovery"}]


def _folders(found: Machine, volume: Volume, root: Volume) -> tuple[str, ...]:
    """Folders and files on a start-up volume that start this system and nothing else."""
    if root.holds and root.holds.family == "nt":
        data = volume.boot_file(exact("paths", "nt_boot_data"))
        if data is None or systems_named(found, data) != [root.call]:
            return ()
        folder = "\\".join(data.path.split("\\")[:3])
        fallback = volume.boot_file(exact("paths", "fallback_x64"))
        return (folder, *((fallback.path,) if fallback and fallback.kind == "nt-loader" else ()))
    if not is_esp(volume):
        return ()
    own, folders = own_uuids(root), []
    for file in volume.boot_files:
        leads = {one.lower() for one in (*file.targets[:1], *file.hands_over)}
        if file.kind == "menu-config" and own & leads:
            folders.append(file.path.rsplit("\\", 1)[0])
    return tuple(dict.fromkeys((*folders, *_of_entries(volume, own))))


def _of_entries(volume: Volume, own: frozenset[str]) -> list[str]:
    """Its entry files with the folders of their kernels; the menu and its settings, too, where they list nobody else."""
    entries = [one for one in volume.boot_files if one.kind == "entry"]
    mine = [one for one in entries if own & {two.lower() for two in one.targets}]
    theirs = {_kernels(one) for one in entries if one not in mine}
    found = [path for one in mine for path in (one.path, _kernels(one)) if path and path not in theirs]
    if mine and mine == entries and volume.boot_file(exact("paths", "nt_loader")) is None:
        loaders = [one for one in volume.boot_files if one.kind in {"entry-menu", "entry-config"}]
        found += [one.path for one in loaders]
    return found


def _kernels(entry: BootFile) -> str:
    """The folder of an entry's kernel (empty: it lies where everything does)."""
    return entry.program.rsplit("\\", 1)[0]


def _holds_only(volume: Volume, paths: tuple[str, ...]) -> bool:
    lows = tuple(one.lower() for one in paths)
    return all(
        one.path.lower() in lows or one.path.lower().startswith(tuple(f"{low}\\" for low in lows)) for one in volume.boot_files
    )


def _spare(found: Machine, volume: Volume, root: Volume) -> bool:
    """Whether no other system mounts it, and its disk has another EFI system partition or no other system."""
    uuid = _uuid(volume)
    others = [one for _, one in found.volumes() if one.holds and one.call != root.call]
    if any(uuid in _mounts(one) for one in others):
        return False
    disk = next(disk for disk, one in found.volumes() if one.call == volume.call)
    return any(is_esp(one) and one.call != volume.call for one in disk.volumes) or not any(
        one.call != root.call and one.holds for one in disk.volumes
    )


def _entries(found: Machine, volumes: tuple[str, ...], files: tuple[tuple[str, tuple[str, ...]], ...]) -> tuple[int, ...]:
    """Entries that name a volume which goes, or a file that goes."""
    by_call = {pair[1].call: pair for pair in found.volumes()}
    whole = [by_call[call] for call in volumes if call in by_call]
    gone = []
    for entry in found.firmware.entries:
        low = entry.path.lower()
        for call, paths in files:
            below = any(low == path.lower() or low.startswith(f"{path.lower()}\\") for path in paths)
            if below and means(entry, *by_call[call]):
                gone.append(entry.number)
        if any(means(entry, *pair) for pair in whole):
            gone.append(entry.number)
    return tuple(dict.fromkeys(gone))
