"""Tables and partitions: exact places and numbers, what is typed, and how each is taken back."""

from __future__ import annotations

import shlex

from inkshelf.core.disk.types import type_key, type_name
from inkshelf.core.machine.calls import WORDS
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.sheet.telling.by_installer import made
from inkshelf.core.size import MIB, binary, both, grouped
from inkshelf.core.steps.kinds import Create, Delete, Enclose, NewTable, RepairTable, Retype
from inkshelf.core.texts import shown
from inkshelf.data import exact

MOUNTED = {"efi_system": "/boot/efi", "linux_root_x64": "/", "linux_home": "/home"}
ATTRIBUTES = {0: "RequiredPartition", 1: "NoBlockIOProtocol", 2: "LegacyBIOSBootable"}
SAVED = "table-before.dump"
CODE = "start-code-before"  # the first 440 bytes of a disk, which making a table takes away
SETTLE = "command -v udevadm > /dev/null && udevadm settle"


def attribute_words(attributes: int) -> str:
    """Return attribute bits as the partitioning utility takes them."""
    named = [word for bit, word in ATTRIBUTES.items() if attributes >> bit & 1]
    bits = ",".join(str(bit) for bit in range(3, 64) if attributes >> bit & 1)
    return " ".join([*named, *([f"GUID:{bits}"] if bits else [])])


def plain_word(text: str) -> str:
    """Return a GUID, type or identifier with nothing in it that a shell or the utility's input could take for something else."""
    return "".join(one for one in text if one.isascii() and (one.isalnum() or one == "-"))


def type_word(type_id: str) -> str:
    """Return a type as the partitioning utility takes it: a GUID, or two digits on an MBR."""
    return plain_word(type_id[2:].lower() if type_id.lower().startswith("0x") else type_id)


def resize_line(disk: str, number: int, size: int, sector: int) -> str:
    """Return the line that gives a partition another size and leaves its start where it is."""
    return f"echo ', {size // sector}' | sfdisk --no-reread -N {number} {disk}"


def field(text: str) -> str:
    """Return a name for the utility's input: it is quoted there, so what could end the quotation is left out."""
    return '"' + "".join(one for one in shown(text) if one not in '"\\\\') + '"'


@told.register
def _retype(step: Retype, scene: Scene) -> Words:
    place = scene.before.find(step.call)
    volume = place[1] if place else None
    if step.active is not None:
        return _marked(step, scene, volume)
    was, disk = volume.type_id if volume else "", scene.disk(step.call)
    number = volume.number if volume else 0
    lines = _retype_lines(disk, number, volume, step.type_id, step.attributes)
    back = _retype_lines(disk, number, volume, was, volume.attributes if volume else 0, from_type=step.type_id)
    changed = was != step.type_id
    values = (
        [("found", f"{type_name(was)}  {was}"), ("wanted", f"{type_name(step.type_id)}  {step.type_id}")] if changed else []
    )
    if volume and volume.attributes != step.attributes:
        values += [
            ("marks found", attribute_words(volume.attributes) or "none"),
            ("marks wanted", attribute_words(step.attributes) or "none"),
        ]
    return Words(
        "Partitions",
        f"Set the type of {step.call} to {type_name(step.type_id)}" if changed else f"Set the marks of {step.call}",
        tuple(values),
        "The list shows the new type; nothing inside has changed." if changed else "The list shows the new marks.",
        back_lines=back,
        commands=lines,
        scripted=True,
    )


def _retype_lines(
    disk: str, number: int, volume: Volume | None, type_id: str, attributes: int, from_type: str | None = None
) -> tuple[str, ...]:
    was = from_type if from_type is not None else (volume.type_id if volume else "")
    lines = [f"sfdisk --part-type {disk} {number} {type_word(type_id)}"] if was != type_id or from_type is not None else []
    if volume and (attributes != volume.attributes or from_type is not None) and not type_id.lower().startswith("0x"):
        lines.append(f"sfdisk --part-attrs {disk} {number} {shlex.quote(attribute_words(attributes))}")
    return tuple(lines)


def _marked(step: Retype, scene: Scene, volume: Volume | None) -> Words:
    mark, was = "active" if step.active else "not active", "active" if volume and volume.active else "not active"
    place = scene.at(step.call)
    others = [str(one.number) for one in (place[0].volumes if place else ()) if one.active]
    number = str(volume.number) if volume else "0"
    line = f"sfdisk --activate {scene.disk(step.call)} {number if step.active else '-'}"
    back = f"sfdisk --activate {scene.disk(step.call)} {' '.join(others) or '-'}"
    return Words(
        "Partitions",
        f"Mark {step.call} {mark}",
        (("found", was), ("wanted", mark)),
        "One volume of a disk is active at most.",
        back_lines=(back,),
        commands=(line,),
        scripted=True,
    )


@told.register
def _create(step: Create, scene: Scene) -> Words:
    if step.by:
        return made(step)
    disk = scene.before.disk(step.disk)
    sector = disk.sector
    values = (
        ("partition number", str(step.number)),
        ("start", f"{grouped(step.start)} B = sector {grouped(step.start // sector)}"),
        ("size, MiB box", str(step.size // MIB)),
        ("size", f"{grouped(step.size)} B = {both(step.size)}"),
        ("type", f"{type_name(step.type_id)}  {step.type_id}"),
        ("GUID", step.guid) if step.guid else ("kind", "logical" if step.logical else "primary"),
    )
    if step.role == "medium" and by_owner(scene):
        return _created_by_owner(step, scene, values)
    mounted = MOUNTED.get(type_key(step.type_id)) if not disk.stick else None
    return Words(
        "Partitions",
        f"Make {step.call}, {WORDS[step.role]}" + (f", for {mounted}" if mounted else ""),
        values,
        f"A new volume of {binary(step.size)} on disk {step.disk}{_renumbering(step, disk)}.",
        back_lines=(f"sfdisk --delete {scene.node(disk, None)} {step.number}",),
        commands=(_create_line(step, disk, scene.node(disk, None)), SETTLE),
        scripted=True,
    )


def by_owner(scene: Scene) -> bool:
    """Whether an NT-family system is there to do what a live system would: without a stick there is none yet."""
    return any(one.holds and one.holds.family == "nt" for _, one in scene.before.volumes())


def _created_by_owner(step: Create, scene: Scene, values: tuple[tuple[str, str], ...]) -> Words:
    disk = scene.before.disk(step.disk)
    own = (
        ("as administrator: which number N is it", exact("nt", "list_disks")),
        ("N by this serial and size", disk.identity()),
        ("then", exact("nt", "new_volume").format(start=step.start, mib=step.size // MIB)),
    )
    return Words(
        "Partitions",
        f"Make {step.call}, {WORDS[step.role]}, from inside the owner's system",
        (*own, *values[2:4]),
        f"A new volume of {binary(step.size)} at the end of the free room, with the letter S. Any number and GUID will do: it is given back.",
        back="take it away in the same place where it was made",
        minutes=2,
    )


def _create_line(step: Create, disk: Disk, device: str) -> str:
    sector = disk.sector
    spec = f"start={step.start // sector}, size={step.size // sector}, type={type_word(step.type_id)}"
    spec += f", uuid={plain_word(step.guid)}, name={field(step.name)}" if step.guid else ""
    return f"echo {shlex.quote(spec)} | sfdisk --wipe-partitions always --append --partno {step.number} {device}"


def _renumbering(step: Create, disk: Disk) -> str:
    later = [one.call for one in disk.volumes if one.logical and one.number >= step.number]
    return f"; {', '.join(later)} count one up" if step.logical and later else ""


@told.register
def _new_table(step: NewTable, scene: Scene) -> Words:
    disk = scene.before.disk(step.disk)
    calls = ", ".join(volume.call for volume in disk.volumes)
    identity = "GUID" if step.table == "gpt" else "signature"
    spec = f"label: {'gpt' if step.table == 'gpt' else 'dos'}\nlabel-id: {'' if step.table == 'gpt' else '0x'}{plain_word(step.identity)}"
    device, had = scene.node(disk, None), disk.table.kind != "none"
    make = f"printf '%s\\n' {' '.join(shlex.quote(one) for one in spec.splitlines())} | sfdisk --wipe always {device}"
    code = had and disk.table.boot_code is not False
    keep = (f"dd if={device} of={CODE} bs=440 count=1",) if code else ()
    bring = (f"dd if={CODE} of={device} bs=440 count=1 conv=notrunc",) if code else ()
    files = f"{SAVED} and {CODE} lie" if code else f"{SAVED} lies"
    return Words(
        "Partitions",
        f"Make a new {step.table.upper()} on disk {step.disk}",
        (("disk", disk.identity()), (identity, step.identity)),
        "The whole disk is free room now.",
        f"Everything on {calls} is given up." if calls else "",
        back=f"{files} in the live system's memory until copied off" if had else "there was no table before",
        back_lines=(f"sfdisk --wipe always {device} < {SAVED}" if had else f"wipefs --all {device}", *bring),
        commands=(*((f"sfdisk --dump {device} > {SAVED}",) if had else ()), *keep, make),
        scripted=True,
    )


@told.register
def _repair_table(step: RepairTable, scene: Scene) -> Words:
    disk = scene.before.disk(step.disk)
    values = (("disk", disk.identity()), ("found", shown(disk.table.fault) or f"backup at LBA {disk.table.backup_lba}"))
    look = "A checker of tables finds nothing wrong; the volumes are where they were."
    device = scene.node(disk, None)
    lines = (f"sfdisk --dump {device} > table.dump", f"sfdisk {device} < table.dump", f"sfdisk --verify {device}")
    return Words(
        "Partitions",
        f"Repair the table of disk {step.disk} from its good copy",
        values,
        look,
        back="nothing to take back: no volume changed its place",
        commands=lines,
        scripted=True,
    )


@told.register
def _enclose(step: Enclose, scene: Scene) -> Words:
    disk = scene.before.disk(step.disk)
    sector, old = disk.sector, disk.table.extended
    values = (
        ("partition number", str(step.number)),
        ("start", f"{grouped(step.start)} B = sector {grouped(step.start // sector)}"),
        ("size", f"{grouped(step.size)} B = {both(step.size)}"),
    )
    device = scene.node(disk, None)
    spec = f"{step.start // sector}, {step.size // sector}, {type_word(old.type_id if old else '0x0F')}"
    line = f"echo {shlex.quote(spec)} | sfdisk --no-reread {'-N ' + str(step.number) if old else '--append --partno ' + str(step.number)} {device}"
    was = f"{old.start // sector}, {old.size // sector}, {type_word(old.type_id)}" if old else ""
    back = (
        f"echo {shlex.quote(was)} | sfdisk --no-reread -N {step.number} {device}"
        if old
        else f"sfdisk --delete {device} {step.number}"
    )
    return Words(
        "Partitions",
        f"{'Change' if old else 'Make'} the extended partition of disk {step.disk}",
        values,
        "Logical volumes can be made inside.",
        back_lines=(back,),
        commands=(line,),
        scripted=True,
    )


@told.register
def _delete(step: Delete, scene: Scene) -> Words:
    place = scene.before.find(step.call)
    number = place[1].number if place else 0
    later = [one.call for one in place[0].volumes if one.logical and one.number > number] if place and place[1].logical else []
    look = "Its place is free room now." + (f" {', '.join(later)} count one down in the Linux family's names." if later else "")
    return Words(
        "Partitions",
        f"Remove {step.call}",
        (),
        look,
        f"Everything on {step.call} is given up.",
        back="only from the back-up",
        commands=(f"sfdisk --delete {scene.disk(step.call)} {number}",),
        scripted=True,
    )
