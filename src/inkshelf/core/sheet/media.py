"""The sticks of a job as everything shows them: what lies where, what does not fit and why, what stays free, how long it takes, what to start."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.aims.sticks import StickAim
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.media.material import Image, starts_from_file
from inkshelf.core.media.speed import good_for
from inkshelf.core.media.times import passes, rate
from inkshelf.core.plan.job import found_by
from inkshelf.core.plan.reading import Reading
from inkshelf.core.steps.kinds import CopyFiles, Eject, KeepFile, PutImage, Step, WriteImage
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

ROOT = "files in its root"


class OnStick(Value, frozen=True):
    """One image of the pile. ``volume``: the call number of where it lies (empty: nowhere), ``path`` as which file; ``why``: it does not.

    ``bytes``: what of it is carried; ``starts``: whether the stick's menu starts it, empty: it does, else why not.
    ``instead``: of one that is on no stick, the smallest one on the stick in whose place it would fit (empty: there is none). ``parts``: the
    bytes of it by volume; ``map``: of one that lies on two volumes, which folder of its root is where.
    """

    name: str
    size: int
    bytes: int
    volume: str
    path: str
    fits: bool
    why: str
    checked: str
    told: bool
    starts: str
    instead: str = ""
    parts: tuple[tuple[str, int], ...] = ()
    map: tuple[tuple[str, str], ...] = ()


class Start(Value, frozen=True):
    """What is chosen in the firmware's own menu: the volume, and under which name it is shown there."""

    call: str
    shown_as: str


class StickPlan(Value, frozen=True):
    """One stick as it is planned. Sizes in bytes, times in seconds; ``free``: for more images, ``largest_next``: the largest one that still fits;
    ``rate``: bytes a second that port and stick allow."""

    disk: str
    identity: str
    size: int
    good_for: str
    aim: str
    volumes: tuple[Volume, ...]
    images: tuple[OnStick, ...]
    free: int
    largest_next: int
    rate: int
    write: float
    check: float
    measured: bool
    start: Start


def media(reading: Reading) -> tuple[StickPlan, ...]:
    """Return every stick that an aim of the job makes, in the order of the aims."""
    found: list[StickPlan] = []
    for aim in reading.job.aims:
        if isinstance(aim, StickAim):
            steps = tuple(one for one in reading.job.planned if one.id.split(".")[0] == aim.id)
            before = found_by(reading.job, aim.id)
            found += _of_aim(aim, steps, before, reading)
    return tuple(found)


def on_sticks(reading: Reading) -> frozenset[str]:
    """Return the names of the images that lie on a stick once the plan is done."""
    return frozenset(one.name for plan in media(reading) for one in plan.images if one.fits)


def _of_aim(aim: StickAim, steps: tuple[Step, ...], before: Machine, reading: Reading) -> Iterator[StickPlan]:
    left = aim.left_out(before) if steps else {}
    rooms = aim.next_room(before) if steps else {}
    for letter in aim.letters():
        disk = next((one for one in reading.plan.planned.disks if one.id == letter), None)
        if disk is None:
            continue
        own = tuple(one for one in steps if _on(one, disk))
        images = tuple(_images(aim, own, left, first=letter == aim.letters()[0]))
        carried = sum(one.bytes for one in images if one.fits) + sum(one.size for one in own if isinstance(one, KeepFile))
        taken = passes(disk, carried)
        free, following = rooms.get(letter, _free(disk, own))
        images = tuple(_with_place(one, images, free) for one in images)
        yield StickPlan(
            letter,
            disk.identity(),
            disk.size,
            good_for(disk),
            aim.id,
            disk.volumes,
            images,
            free,
            following,
            round(rate(disk)),
            taken.write,
            taken.check,
            taken.measured,
            _start(own, disk),
        )


def _on(step: Step, disk: Disk) -> bool:
    calls = {one.call for one in disk.volumes}
    return getattr(step, "disk", "") == disk.id or getattr(step, "call", "") in calls


def _images(aim: StickAim, steps: tuple[Step, ...], left: dict[str, str], *, first: bool) -> Iterator[OnStick]:
    """Those that lie on the stick; beside the first one those that lie on none."""
    for image in aim.images:
        mine = [one for one in steps if isinstance(one, CopyFiles | PutImage | WriteImage) and one.image.name == image.name]
        if mine:
            yield _put(image, mine)
        elif first and (image.name in left or not steps):
            why = left.get(image.name, "nothing is planned")
            yield OnStick(
                image.name, image.size, 0, "", "", fits=False, why=why, checked=image.checked, told=image.told, starts=""
            )


def _with_place(one: OnStick, images: tuple[OnStick, ...], free: int) -> OnStick:
    """An image that is left out, with the one that could make room for it."""
    enough = [other for other in images if other.fits and not one.fits and other.bytes + free >= one.size]
    return replace(one, instead=min(enough, key=lambda other: other.bytes).name) if enough else one


def _put(image: Image, steps: list[CopyFiles | PutImage | WriteImage]) -> OnStick:
    one = steps[0]
    volume = one.calls[0] if isinstance(one, WriteImage) and one.calls else getattr(one, "call", "")
    path = one.path if isinstance(one, PutImage) else ""
    parts = tuple((str(getattr(step, "call", volume)), _carried(step)) for step in steps)
    copies = [step for step in steps if isinstance(step, CopyFiles)]
    found = [(name or ROOT, step.call) for step in copies for name in step.tops or ()] if len(copies) > 1 else []
    return OnStick(
        image.name,
        image.size,
        sum(size for _, size in parts),
        volume,
        path,
        fits=True,
        why="",
        checked=image.checked,
        told=image.told,
        starts=starts_from_file(image) if path else "",
        parts=parts,
        map=tuple(found),
    )


def _carried(step: CopyFiles | PutImage | WriteImage) -> int:
    if isinstance(step, CopyFiles):
        return sum(one.payload for one in step.image.tops if step.tops is None or one.name in step.tops)
    return step.image.size


def _free(disk: Disk, steps: tuple[Step, ...]) -> tuple[int, int]:
    """Bytes that are free in the volume that files go to; nothing more is added to an image that is written as it is."""
    calls = {one.call for one in steps if isinstance(one, CopyFiles)}
    free = [
        one.filesystem.size_bytes - (one.filesystem.used_bytes or 0)
        for one in disk.volumes
        if one.call in calls and one.filesystem
    ]
    return max(free, default=0), 0


def _start(steps: tuple[Step, ...], disk: Disk) -> Start:
    call = next((one.call for one in steps if isinstance(one, Eject)), "")
    number = next((one.number for one in disk.volumes if one.call == call), 1)
    return (
        Start(call, exact("media", "shown_as").format(model=disk.model or "its model", number=number))
        if call
        else Start("", "")
    )
