"""Findings about what an aim asks for, and what it leaves behind: memory, room that is kept, a staging volume, a disk that travels."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from inkshelf.core.checks.registry import ChangeAim, Finding, Show, check
from inkshelf.core.fit.room import stretches
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Volume
from inkshelf.core.plan.job import found_by
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import GIB, binary
from inkshelf.core.steps.kinds import Install

if TYPE_CHECKING:  # a kind's module is loaded only where a job holds the kind
    from inkshelf.core.aims.in_file import InFile
    from inkshelf.core.aims.owning import OwnDisk
    from inkshelf.core.aims.removing import Remove
    from inkshelf.core.aims.stickless import NoStick
    from inkshelf.core.aims.travelling import Travelling

LIGHT, PLAIN = "linux-light", "linux-desktop"


def _planned(reading: Reading, kind: str) -> Iterator[Any]:
    """The aims of one kind, where the plan holds."""
    return (one for one in reading.job.aims if one.kind == kind and reading.job.steps)


@check
def memory_for_systems(reading: Reading) -> Iterator[Finding]:
    """A system that needs more memory than the machine has."""
    ram = reading.plan.found.ram_bytes
    for step in reading.job.steps:
        if not isinstance(step, Install) or not step.profile or ram is None:
            continue
        kind = profile(step.profile)
        if ram >= kind.ram:
            continue
        aim = next((one for one in reading.job.aims if step.id.startswith(f"{one.id}.")), None)
        lighter = (
            (ChangeAim("system", LIGHT, "Take the light Linux desktop", aim.id),)
            if aim is not None
            and getattr(aim, "system", LIGHT) != LIGHT
            and profile(LIGHT).ram <= ram
            and kind.family == "linux"
            else ()
        )
        yield Finding(
            f"people.memory.{step.call}",
            "warn",
            f"{kind.title} wants more memory",
            f"It needs {binary(kind.ram)}, and this machine has {binary(ram)}: {kind.reasons['ram']}.",
            (step.call,),
            (*lighter, Show("aim", "Choose another system")),
        )


SCHOOL = {"subvolumes": "subvolumes", "compression": "subvolumes", "lvm": "lvm"}
"""Which answer to the question of root and home keeps what a system's own layout sets."""


@check
def own_layout_lost(reading: Reading) -> Iterator[Finding]:
    """What a system's own installer sets by itself is lost where its volumes are made by hand, and nobody notices for months."""
    for step in reading.job.steps:
        place = reading.plan.planned.find(step.call) if isinstance(step, Install) and step.profile else None
        if place is None or not isinstance(step, Install):
            continue
        kind = profile(step.profile)
        lost = [one for one in kind.automatic if one not in _kept(step, place[1])]
        aim = next((one for one in reading.job.aims if step.id.startswith(f"{one.id}.")), None)
        if not lost or aim is None:
            continue
        offered = {two.value for one in aim.asked(found_by(reading.job, aim.id)) if one.key == "home" for two in one.answers}
        school = next((SCHOOL[one] for one in lost if SCHOOL.get(one) in offered), "")
        yield Finding(
            f"wish.automatic.{step.call}",
            "note",
            f"{kind.title} would set {' and '.join(lost)} by itself",
            f"Made by hand as planned, that is lost: {kind.reasons['automatic']}.",
            (step.call,),
            (
                *((ChangeAim("home", school, f"Lay it out with {school}", aim.id),) if school else ()),
                *((ChangeAim("system", PLAIN, "Take a desktop that sets nothing", aim.id),) if hasattr(aim, "system") else ()),
                Show("aim", "Choose how root and home lie"),
            ),
        )


def _kept(step: Install, volume: Volume) -> set[str]:
    by_place = {where: what for what, where in step.mounts}
    one = "/home" in by_place and by_place.get("/") == by_place["/home"]
    system = volume.filesystem
    group = system is not None and (system.kind == "lvm" or len(system.inside) > 1)
    return {
        *(("subvolumes", "compression") if one else ()),
        *(("lvm",) if group else ()),
        *(("encryption",) if step.unlocks else ()),
    }


@check
def kept_on_purpose(reading: Reading) -> Iterator[Finding]:
    """A gap that a removal leaves is said, so that nobody takes it for forgotten."""
    aim: Remove
    for aim in _planned(reading, "remove"):
        if aim.room != "keep":
            continue
        place = found_by(reading.job, aim.id).find(aim.system)
        disk = next((one for one in reading.plan.planned.disks if place and one.id == place[0].id), None)
        gap = max((one.size for one in stretches(disk)), default=0) if disk else 0
        if gap >= GIB:
            yield Finding(
                f"room.kept.{aim.id}",
                "note",
                f"{binary(gap)} are kept as a gap",
                f"That is what was asked for when {aim.system} goes; another system, or a neighbour, can have it later.",
                (),
                (ChangeAim("room", "grow", "Give it to a neighbour", aim.id), Show("shelf", "Look at the shelf")),
            )


@check
def staging_left(reading: Reading) -> Iterator[Finding]:
    """A staging volume that stays is easily forgotten."""
    aim: NoStick
    for aim in _planned(reading, "no-stick"):
        if aim.staging == "no":
            yield Finding(
                f"room.staging.{aim.id}",
                "note",
                "The installer's volume stays",
                "Nobody uses it once the system is installed, and whoever finds it later wonders what it is.",
                (),
                (ChangeAim("staging", "yes", "Give it back", aim.id),),
            )


@check
def travels_in_the_open(reading: Reading) -> Iterator[Finding]:
    """A portable disk gets lost."""
    aim: Travelling
    for aim in _planned(reading, "travelling"):
        if aim.encryption == "none":
            yield Finding(
                f"people.travels.{aim.id}",
                "note",
                f"Disk {aim.disk} can get lost",
                "Whoever finds it reads everything on it: it is not encrypted. A back-up of it stays at home.",
                (),
                (ChangeAim("encryption", "all", "Encrypt everything on it", aim.id), Show("sheet", "Look at the sheet")),
            )


@check
def edition_chosen(reading: Reading) -> Iterator[Finding]:
    """Which edition goes into a file is a number that no two images need agree on."""
    aim: InFile
    for aim in _planned(reading, "in-file"):
        if aim.chosen:
            continue
        many = len(aim.editions)
        yield Finding(
            f"wish.edition.{aim.id}",
            "warn",
            "No edition is chosen",
            f"The image holds {many}, each with a number of its own: choose one."
            if many
            else "The numbers differ from image to image: read them from the install image that is used.",
            (),
            (
                *(ChangeAim("edition", one.index, f"{one.index}: {one.name}", aim.id) for one in aim.editions[:2]),
                Show("aim", "Go to the aim"),
            ),
        )


@check
def own_disk_is_external(reading: Reading) -> Iterator[Finding]:
    """A system is put on a disk that can be out."""
    aim: OwnDisk
    for aim in _planned(reading, "own-disk"):
        disk = next((one for one in reading.plan.found.disks if one.id == aim.disk), None)
        if disk is None or not disk.removable:
            continue
        inside = [one.id for one in reading.plan.found.disks if not one.removable and not any(two.holds for two in one.volumes)]
        yield Finding(
            f"people.external.{aim.id}",
            "warn",
            f"Disk {disk.id} is external",
            "Its system does not start while the disk is out; a system that is meant to travel leaves nothing on the machine.",
            (),
            (
                *(ChangeAim("disk", one, f"Use disk {one}", aim.id) for one in inside[:1]),
                Show("aim", "Make it one that travels"),
            ),
        )


@check
def not_proved_best(reading: Reading) -> Iterator[Finding]:
    """A placement that was found in the time there was, and not proved to be the best."""
    for identity in reading.job.unproved if reading.job.steps else ():
        yield Finding(
            f"wish.unproved.{identity}",
            "note",
            "There may be a better way to place these systems",
            "Everything fits, and no limit is broken; whether fewer bytes could be moved there was no time to work out.",
            (),
            (Show("aim", "Take fewer at once"),),
        )
