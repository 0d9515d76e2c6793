"""Menus of systems that stay: which configuration lists what, and the steps that make one anew."""

from __future__ import annotations

from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.menus import ELSEWHERE
from inkshelf.core.machine.roles import own_uuids, root_uuid
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.mending.repairs import inside
from inkshelf.core.mending.view import View
from inkshelf.core.steps.kinds import Prepare, Regenerate, Step, WriteStartCode
from inkshelf.core.value import replace
from inkshelf.data import exact


def configs_of(found: Machine, system: Volume) -> tuple[str, tuple[BootFile, ...]]:
    """Return where the menu of a Linux-family system lies, by call number, and its files; an empty call where no menu names it."""
    own = own_uuids(system)
    for _, volume in found.volumes():
        files = tuple(
            one for one in volume.boot_files if one.kind == "menu-config" and one.targets[:1] and one.targets[0].lower() in own
        )
        if files:
            return volume.call, files
    return "", ()


def menus_anew(found: Machine, disk: Disk) -> list[Step]:
    """Return the steps after which the menus of Linux-family systems on a disk list an NT-family system that came beside them."""
    loader, steps = exact("paths", "nt_loader"), []
    for volume in disk.volumes:
        if volume.holds is None or volume.holds.family != "linux":
            continue
        call, files = configs_of(found, volume)
        fuller = tuple(
            replace(one, targets=(*one.targets, loader))
            for one in files
            if loader.lower() not in [two.lower() for two in one.targets]
        )
        if fuller:
            steps += [Prepare(volume.call, "finder_on"), Regenerate(volume.call, call, fuller)]
    return list(steps)


def code_again(found: Machine, disk: Disk) -> list[Step]:
    """Return the steps that put a menu's start code back, from a live system, where an NT-family installer covered it the legacy way.

    None where no system of the Linux family is on the disk.
    """
    linux = next((one for one in disk.volumes if one.holds and one.holds.family == "linux"), None)
    if found.firmware.mode != "legacy" or linux is None:
        return []
    again = inside(View(found, linux.call), WriteStartCode(disk.id, "linux", live=True))
    return [*again, *(menus_anew(found, disk) or [Prepare(linux.call, "finder_on"), Regenerate(linux.call, "", ())])]


def without(found: Machine, gone: tuple[Volume, ...]) -> list[Step]:
    """Return the steps that make the menus of the systems that stay anew, without those on the volumes that go."""
    uuids = {root_uuid(one) for one in gone}
    loaders = {exact("paths", "nt_loader").lower()} if any(one.holds and one.holds.family == "nt" for one in gone) else set()
    calls = {one.call for one in gone}
    steps: list[Step] = []
    for _, volume in found.volumes():
        if volume.holds is None or volume.holds.family != "linux" or volume.call in calls:
            continue
        call, files = configs_of(found, volume)
        left_out = uuids | loaders
        shorter = tuple(
            replace(
                one,
                targets=tuple(two for two in one.targets if two.lower() not in left_out),
                begins=ELSEWHERE if one.begins.lower() in left_out - {""} else one.begins,  # its number means another one then
            )
            for one in files
        )
        if shorter != files and call not in calls:
            steps.append(Regenerate(volume.call, call, shorter))
    return steps
