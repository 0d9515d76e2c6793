"""What changes inside volumes: shrink, grow, move, format, label, identity, logical volumes. Exact commands, and who may type them."""

from __future__ import annotations

import shlex

from inkshelf.core.disk.filesystems import title, used_beyond
from inkshelf.core.disk.kinds import KINDS, Make
from inkshelf.core.disk.kinds.base import Kind
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.sheet.telling.by_installer import divided, formatted
from inkshelf.core.sheet.telling.partitions import by_owner, plain_word, resize_line
from inkshelf.core.size import MIB, binary, both, grouped, mib_to_type
from inkshelf.core.steps.effort import copying_minutes
from inkshelf.core.steps.kinds import Format, Grow, Label, MakeLogical, Move, Renew, Shrink
from inkshelf.data import exact

FROM_LIVE = "Started from a live system; nothing of the disk is mounted."


def _kind(volume: Volume | None) -> Kind | None:
    return KINDS.get(volume.filesystem.kind) if volume and volume.filesystem else None


@told.register
def _shrink(step: Shrink, scene: Scene) -> Words:
    place = scene.before.find(step.call)
    volume = place[1] if place else None
    size = volume.size if volume else step.to_bytes
    kind = _kind(volume)
    relocates = used_beyond(volume.filesystem, step.to_bytes) if volume and volume.filesystem else 0
    exactly = ("exactly", f"{grouped(step.to_bytes)} B = {both(step.to_bytes)}")
    lines = _shrink_lines(step, scene, kind, place)
    took = 3.0 + copying_minutes(relocates)
    if step.by:
        return divided(step, scene, took)
    gap = binary(size - step.to_bytes + _behind(place))
    if kind is None or kind.own_shrink:
        return _by_its_own_system(step, size, gap, lines, took)
    return Words(
        "Room",
        f"Shrink {step.call} from a live system: what is inside first, then the partition",
        (("size before", both(size)), ("size after, MiB box", str(step.to_bytes // MIB)), exactly),
        f"The last line but one shows the new size before the partition follows; then {gap} are free behind {step.call}. {FROM_LIVE}",
        "Do not interrupt. If the check finds faults, or the size read back is larger than planned, stop here.",
        "cut in the middle: files need the back-up",
        commands=lines,
        scripted=True,
        minutes=took,
    )


def _by_its_own_system(step: Shrink, size: int, gap: str, lines: tuple[str, ...], minutes: float) -> Words:
    """The shrink box of the system that owns the volume: the four numbers that it shows or takes."""
    mib = mib_to_type(size - step.to_bytes)
    values = (
        ("size before, MB box", grouped(size // MIB)),
        ("type into the shrink box", str(mib)),
        ("size after, MB box", grouped(step.to_bytes // MIB)),
        ("exactly", f"{grouped(step.to_bytes)} B = {both(step.to_bytes)}"),
    )
    return Words(
        "Room",
        f"Shrink {step.call} from inside its own system",
        values,
        f"Unallocated room of {gap} behind {step.call}, in the unit that the screen may call GB. Normal: 1 to 10 minutes, with no bar that moves.",
        "Do not interrupt. If the box offers less than this number, stop here and plan again.",
        "cut in the middle: files need the back-up",
        commands=lines,
        minutes=minutes,
        where="instead of that, from outside: on a live system",
        instead=True,
    )


def _behind(place: tuple[Disk, Volume] | None) -> int:
    """Room that was free behind the volume already: the screen counts it in."""
    if place is None:
        return 0
    disk, volume = place
    return next((gap.size for gap in disk.gaps(1) if gap.start == volume.end), 0)


def _shrink_lines(step: Shrink, scene: Scene, kind: Kind | None, place: tuple[Disk, Volume] | None) -> tuple[str, ...]:
    if kind is None or kind.shrink_lines is None or place is None:
        return ()
    inside = kind.shrink_lines(scene.part(step.call), step.to_bytes)
    return (*inside, resize_line(scene.disk(step.call), place[1].number, step.to_bytes, place[0].sector))


@told.register
def _grow(step: Grow, scene: Scene) -> Words:
    place = scene.before.find(step.call)
    kind = _kind(place[1] if place else None)
    values: tuple[tuple[str, str], ...] = (
        ("size after, MiB box", str(step.to_bytes // MIB)),
        ("exactly", f"{grouped(step.to_bytes)} B = {both(step.to_bytes)}"),
    )
    part = scene.part(step.call)
    lines: tuple[str, ...] = ()
    if place:
        lines = (resize_line(scene.disk(step.call), place[1].number, step.to_bytes, place[0].sector),)
        lines += kind.grow_lines(part, step.to_bytes) if kind and kind.grow_lines else ()
    if kind and kind.grows_itself:
        values += (("then, mounted or unlocked, type", kind.grows_itself),)
    if kind and kind.key == "lvm":
        values += (("then, for a logical volume and what is in it", "lvextend --resizefs --size +SIZE GROUP/NAME"),)
    risk = f"cut in the middle: have {step.call} checked before it is used"
    look = f"{step.call} shows its new size. {FROM_LIVE}"
    alone = place is not None and (kind is None or kind.grow_lines is not None)  # else only where it is mounted or unlocked
    title_ = f"Grow {step.call} to {binary(step.to_bytes)}"
    return Words("Room", title_, values, look, risk=risk, commands=lines, scripted=alone, minutes=3)


@told.register
def _move(step: Move, scene: Scene) -> Words:
    place = scene.before.find(step.call)
    volume = place[1] if place else None
    sector = place[0].sector if place else 512
    after = scene.after.find(step.call)
    values = [
        (
            "start before",
            f"{grouped(volume.start if volume else 0)} B = sector {grouped((volume.start if volume else 0) // sector)}",
        ),
        ("start after", f"{grouped(step.start)} B = sector {grouped(step.start // sector)}"),
        ("bytes to copy, used or not", binary(volume.size if volume else 0)),
    ]
    lines = [
        f"echo '{step.start // sector},' | sfdisk --move-data --no-reread -N {volume.number if volume else 0} {scene.disk(step.call)}"
    ]
    if after and volume and volume.filesystem and after[1].filesystem:
        was, now = volume.filesystem.hidden_sectors, after[1].filesystem.hidden_sectors
        if was is not None and now is not None:
            values += [("sectors before it, found", grouped(was)), ("sectors before it, wanted", grouped(now))]
            lines += _hidden_lines(volume, scene.part(step.call), now)
    return Words(
        "Room",
        f"Move {step.call} to start at {binary(step.start, 2)}",
        tuple(values),
        f"Minutes to hours, by its size. {FROM_LIVE}",
        "Do not interrupt. Mains connected, back-up read back.",
        f"cut in the middle: {step.call} is whole in neither place and needs the back-up",
        commands=tuple(lines),
        scripted=True,
        minutes=2.0 + copying_minutes(volume.size if volume else 0),
    )


def _hidden_lines(volume: Volume, part: str, count: int) -> list[str]:
    """Put the number of sectors before the volume into its boot sector; the copy of it follows where the format has one."""
    raw = "".join(f"\\x{one:02x}" for one in count.to_bytes(4, "little"))
    system = volume.filesystem
    places = [28]
    if system and system.kind == "fat32":
        places.append(6 * system.sector_bytes + 28)
    elif system and system.kind == "ntfs":
        places.append(system.size_bytes - system.sector_bytes + 28)
    return [f"printf '{raw}' | dd of={part} bs=1 seek={at} conv=notrunc status=none" for at in places]


@told.register
def _format(step: Format, scene: Scene) -> Words:
    if step.by:
        return formatted(step)
    place = scene.before.find(step.call)
    volume = place[1] if place else None
    kind = KINDS.get(step.filesystem)
    lines: tuple[str, ...] = ()
    if kind and kind.make_lines and place and volume:
        made = Make(
            node=scene.part(step.call),
            label=step.label,
            uuid=shlex.quote(step.uuid),
            start=volume.start,
            size=volume.size,
            sector=place[0].sector,
            subvolumes=step.subvolumes,
        )
        lines = kind.make_lines(made)
    label = (("label", step.label),) if step.label else ()
    if volume and volume.role == "medium" and step.filesystem == "fat32" and by_owner(scene):
        line = exact("nt", "format_fat32").format(label=step.label)
        said = f"Format {step.call} as FAT32, from inside the owner's system"
        return Words("Partitions", said, (("as administrator", line), *label), "Seconds. Any serial will do: it is given back.")
    return Words(
        "Partitions",
        f"Format {step.call} as {title(step.filesystem)}",
        (*label, ("UUID", step.uuid)),
        "Seconds." if not step.subvolumes else "Seconds; the subvolumes are made once it is mounted, not on the bench.",
        f"Everything on {step.call} is given up." if volume and volume.filesystem else "",
        commands=lines,
        scripted=True,
    )


@told.register
def _label(step: Label, scene: Scene) -> Words:
    place = scene.before.find(step.call)
    volume = place[1] if place else None
    was = volume.filesystem.label if volume and volume.filesystem else ""
    kind = _kind(volume)
    lines = kind.label_lines(scene.part(step.call), shlex.quote(step.label)) if kind and kind.label_lines else ()
    back = kind.label_lines(scene.part(step.call), shlex.quote(was)) if kind and kind.label_lines else ()
    return Words(
        "Partitions",
        f"Label {step.call} “{step.label}”" if step.label else f"Take the label off {step.call}",
        (("found", was or "none"), ("wanted", step.label or "none")),
        "The list shows the new label." if step.label else "The list shows no label.",
        back_lines=back,
        commands=lines,
        scripted=bool(lines),
    )


@told.register
def _renew(step: Renew, scene: Scene) -> Words:
    place = scene.before.find(step.call)
    volume = place[1] if place else None
    was = volume.filesystem.uuid if volume and volume.filesystem else ""
    values = (("UUID found", was or "none"), ("UUID wanted", step.uuid or "none"), ("GUID wanted", step.guid or "as it is"))
    caution = "What names it by the old UUID does not find it any more: mount tables, menus, entries."
    return Words(
        "Partitions",
        f"Give {step.call} a new identity",
        values,
        "The list shows the new UUID.",
        caution,
        commands=_identity_lines(scene, volume, step.uuid, step.guid),
        scripted=True,
        back_lines=_identity_lines(scene, volume, was, volume.guid if volume and step.guid else ""),
    )


def _identity_lines(scene: Scene, volume: Volume | None, uuid: str, guid: str) -> tuple[str, ...]:
    kind = _kind(volume)
    if volume is None:
        return ()
    lines = kind.renew_lines(scene.part(volume.call), shlex.quote(uuid)) if kind and kind.renew_lines and uuid else ()
    if guid:
        lines += (f"sfdisk --part-uuid {scene.disk(volume.call)} {volume.number} {plain_word(guid)}",)
    return lines


@told.register
def _logical_volume(step: MakeLogical, scene: Scene) -> Words:
    place = scene.at(step.call)
    group = place[1].filesystem.label if place and place[1].filesystem else "group"
    return Words(
        "Partitions",
        f"Make the logical volume {step.name} in {step.call}",
        (("size", f"{grouped(step.size)} B = {both(step.size)}"),),
        "lvs lists it.",
        back_lines=(f"lvremove {shlex.quote(f'{group}/{step.name}')}",),
        commands=(f"lvcreate -n {shlex.quote(step.name)} -L {step.size}b {shlex.quote(group)}",),
        scripted=True,
    )
