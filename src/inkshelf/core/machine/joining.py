"""Join what is known of a machine with what was read anew: letters, call numbers and facts stay; what contradicts is said."""

from __future__ import annotations

from msgspec import NODEFAULT
from msgspec.structs import fields

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.assemble import LETTERS, infer_entries, with_locked_systems
from inkshelf.core.machine.calls import number_volumes
from inkshelf.core.machine.captured import merge_identity, placed, same_disk
from inkshelf.core.machine.contradiction import Contradiction
from inkshelf.core.machine.entries import mark_of, named_by
from inkshelf.core.machine.state import BootEntry, Disk, DiskFile, Firmware, Machine, Volume
from inkshelf.core.machine.told import as_read, carried
from inkshelf.core.size import MIB, align_down, binary, both
from inkshelf.core.value import Value, replace


class Joined(Value, frozen=True):
    """The machine with what was read anew; the letters of the disks that were read, in their order; what contradicts."""

    machine: Machine
    letters: tuple[str, ...]
    contradictions: tuple[Contradiction, ...] = ()


def join_images(known: Machine, read: tuple[Disk, ...], before: tuple[str, ...] = ()) -> Joined:
    """Return the machine with disks read from images. An image says all that is on its disk; what it cannot say stays as known.

    ``before``: the letter that each one's file bore when it was read last (empty: it was not): nothing else may tell an empty disk.
    """
    return _join(known, read, _from_image, before)


def join_listings(known: Machine, read: tuple[Disk, ...], imaged: frozenset[str]) -> Joined:
    """Return the machine with disks from captured text. ``imaged``: letters of disks that an image was read of, whose contents stay."""

    def from_listing(old: Disk, new: Disk) -> Disk:
        named, whole = merge_identity(old, new), placed(old, new)
        return named if old.id in imaged else replace(named, volumes=_volumes(old, whole, add=True), table=whole.table)

    return _join(known, read, from_listing)


def join_variables(known: Machine, captured: Firmware) -> Machine:
    """Return the machine with captured boot variables in the place of what was known; each is tied to the disk of its partition."""
    entries = _tied(known, captured.entries)
    firmware = replace(
        known.firmware,
        mode="uefi",
        secure_boot=captured.secure_boot or known.firmware.secure_boot,  # a listing does not say it, the variables do
        entries=entries,
        order=captured.order,
        next=captured.next,
        entries_known=True,
        timeout=known.firmware.timeout if captured.timeout is None else captured.timeout,
        keys=captured.keys or known.firmware.keys,
    )
    return replace(known, firmware=firmware)


def join_listed(known: Machine, listed: tuple[BootEntry, ...]) -> Machine:
    """Return the machine with the order in which a system listed the firmware's entries."""
    return infer_entries(replace(known, firmware=replace(known.firmware, listed=listed or known.firmware.listed)))


def _tied(machine: Machine, entries: tuple[BootEntry, ...]) -> tuple[BootEntry, ...]:
    """Each entry with the letter of the disk that its partition is on, or none."""
    by_mark = {mark_of(disk, volume): disk.id for disk, volume in machine.volumes()} | {"": ""}
    return tuple(replace(one, disk=by_mark.get(named_by(one), "")) for one in entries)


def _join(known: Machine, read: tuple[Disk, ...], how: object, before: tuple[str, ...] = ()) -> Joined:
    disks = list(known.disks)
    letters: list[str] = []
    said: list[Contradiction] = []
    for at, new in enumerate(read):
        place = _place(disks, new, letters, before[at] if before else "", alone=len(read) == 1)
        if place is None:
            letter = next((one for one in LETTERS if one not in {disk.id for disk in disks}), "")
            if not letter:
                raise PlanError(
                    f"{len(disks) + 1} disks are more than one machine holds here.", f"Take in at most {len(LETTERS)}."
                )
            disks.append(replace(new, id=letter))
            letters.append(letter)
            continue
        old = disks[place]
        said += [Contradiction(old.id, what) for what in contradictions(old, new)]
        joined = how(old, new)  # type: ignore[operator]
        disks[place], differ = _with_what_was_said(old, joined)
        said += [Contradiction(old.id, what) for what in differ]
        letters.append(old.id)
    machine = number_volumes(with_locked_systems(replace(known, disks=tuple(disks))))
    if machine.firmware.entries_known:
        machine = replace(machine, firmware=replace(machine.firmware, entries=_tied(machine, machine.firmware.entries)))
    return Joined(infer_entries(machine), tuple(letters), tuple(said))


def _place(disks: list[Disk], new: Disk, taken: list[str], before: str, *, alone: bool) -> int | None:
    """The known disk that a reading speaks of: the same table, else the one of its file, else the only one of its size."""
    free = [(at, disk) for at, disk in enumerate(disks) if disk.id not in taken]
    found = next((at for at, disk in free if same_disk(disk, new)), None)
    if found is None:
        found = next((at for at, disk in free if disk.id == before and disk.size == new.size), None)
    if found is None and alone and len(disks) == 1 and free and _image_and_listing(free[0][1], new):
        return free[0][0]
    return found


def _image_and_listing(one: Disk, other: Disk) -> bool:
    """One reading that knows which disk it is and one that does not, of one size: an image, and what was listed of the machine."""
    named = [bool(disk.serial or disk.model) for disk in (one, other)]
    return named[0] != named[1] and align_down(one.size, MIB) == align_down(other.size, MIB)


def _from_image(old: Disk, new: Disk) -> Disk:
    named = merge_identity(replace(new, id=old.id), old)
    return replace(named, id=old.id, shown_sector=old.sector if old.sector != new.sector else 0, volumes=_volumes(old, new))


def _volumes(old: Disk, new: Disk, *, add: bool = False) -> tuple[Volume, ...]:
    """The volumes as read anew, each with the call number it had; ``add``: what only the older reading knows of it stays."""
    twins = {one.guid or str(one.start): one for one in old.volumes}
    volumes = []
    for volume in new.volumes:
        twin = twins.get(volume.guid or str(volume.start)) or next(
            (one for one in old.volumes if one.start == volume.start), None
        )
        if twin is None:
            volumes.append(volume)
            continue
        fuller = _fuller(as_read(twin), volume) if add else _with_use(as_read(twin), volume)
        files = tuple(_called(one, twin.disk_files) for one in fuller.disk_files) or (twin.disk_files if add else ())
        images = fuller.images or (twin.images if add else ())
        volumes.append(replace(fuller, call=twin.call, role=as_read(twin).role, disk_files=files, images=images))
    return tuple(volumes)


def _called(file: DiskFile, before: tuple[DiskFile, ...]) -> DiskFile:
    return replace(file, call=next((one.call for one in before if one.path.lower() == file.path.lower()), file.call))


def _with_what_was_said(old: Disk, new: Disk) -> tuple[Disk, list[str]]:
    """What a person said of a volume stays with its call number, as long as no reading says otherwise."""
    before = {one.call: one for one in old.volumes if one.told and one.call}
    volumes, differ = [], []
    for volume in new.volumes:
        twin = before.get(volume.call)
        made, said = carried(twin, replace(volume, told=(), as_read=None)) if twin else (volume, [])
        volumes.append(made)
        differ += said
    return replace(new, volumes=tuple(volumes)), differ


def _with_use(old: Volume, new: Volume) -> Volume:
    """An image that cannot say how full a volume is leaves what a listing said of it."""
    if new.filesystem is None or old.filesystem is None or new.filesystem.used_bytes is not None:
        return new
    if new.filesystem.kind != old.filesystem.kind:
        return new
    holds = new.holds or old.holds
    return replace(new, holds=holds, filesystem=replace(new.filesystem, used_bytes=old.filesystem.used_bytes))


def _fuller(old: Volume, new: Volume) -> Volume:
    """Captured text of one volume twice: what either knows."""
    system = old.filesystem or new.filesystem
    if new.filesystem is not None and new.filesystem.kind != "unknown":
        system = new.filesystem if old.filesystem is None else _fuller_system(old.filesystem, new.filesystem)
    return replace(
        new,
        name=new.name or old.name,
        filesystem=system,
        holds=new.holds or old.holds,
        boot_files=new.boot_files or old.boot_files,
    )


def _fuller_system(old: FileSystem, new: FileSystem) -> FileSystem:
    """The newer reading, and what only the older one said: each listing tells of one file system what another does not."""
    another = new.kind != old.kind or new.size_bytes != old.size_bytes or (new.uuid and old.uuid and new.uuid != old.uuid)
    if another:
        return new
    silent = [one.name for one in fields(FileSystem) if one.default is not NODEFAULT and getattr(new, one.name) == one.default]
    return replace(new, **{name: getattr(old, name) for name in silent})


def contradictions(old: Disk, new: Disk) -> list[str]:
    """Return in words what two readings of one disk disagree in: size, identity, places of volumes, what they hold."""
    found = []
    if align_down(old.size, MIB) != align_down(new.size, MIB) and not _without_size(old, new):
        found.append(f"its size: {both(old.size)} and {both(new.size)}")
    for what, was, now in (("model", old.model, new.model), ("serial", old.serial, new.serial)):
        if was and now and was != now:
            found.append(f"its {what}: {was} and {now}")
    places = {one.number: one for one in old.volumes}
    for volume in new.volumes:
        twin = places.pop(volume.number, None)
        if twin is None:
            found.append(f"partition {volume.number} is in one reading only")
        else:
            found += _differ(twin, volume)
    return found + [f"partition {number} is in one reading only" for number in places]


def _without_size(old: Disk, new: Disk) -> bool:
    """A table listing of an MBR disk does not say how large the disk is."""
    return "mbr" in {old.table.kind, new.table.kind}


def _differ(old: Volume, new: Volume) -> list[str]:
    named = f"partition {new.number}"
    if new.start and old.start and old.start != new.start:
        return [f"{named} starts at {binary(old.start, 2)} and at {binary(new.start, 2)}"]
    if old.size != new.size:
        return [f"{named} has {binary(old.size, 2)} and {binary(new.size, 2)}"]
    was, now = (one.filesystem.kind if one.filesystem else "" for one in (old, new))
    if was and now and "unknown" not in {was, now} and was != now:
        return [f"{named} holds {was} and {now}"]
    marks = [(one.filesystem.uuid if one.filesystem else "") for one in (old, new)]
    if all(marks) and marks[0].lower() != marks[1].lower() and was == now:
        return [f"{named} bears the identity {marks[0]} and {marks[1]}"]
    return []
