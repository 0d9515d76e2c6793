"""What stands on the sheet for each kind of step: what to do, the exact values, what you will see."""

from __future__ import annotations

import shlex
from functools import singledispatch

from inkshelf.core.disk.filesystems import GROWN_BY_ITS_OWN_SYSTEM, title
from inkshelf.core.disk.types import type_key, type_name
from inkshelf.core.machine.calls import WORDS
from inkshelf.core.machine.state import Machine
from inkshelf.core.size import MIB, binary, both, decimal, grouped
from inkshelf.core.steps.kinds import (
    AddEntry,
    Confirm,
    Create,
    Delete,
    Enclose,
    Format,
    Grow,
    Install,
    Label,
    MakeLogical,
    Move,
    NewTable,
    Prepare,
    Prove,
    Renew,
    RepairTable,
    Retype,
    SetOrder,
    SetSecureBoot,
    Shrink,
)
from inkshelf.core.value import Value
from inkshelf.data import exact


class Words(Value, frozen=True):
    """One row's text; ``values`` are (what, exact value) pairs, ``caution`` stands in red, ``risk`` is what a cut in its middle does."""

    stage: str
    title: str
    values: tuple[tuple[str, str], ...] = ()
    look: str = ""
    caution: str = ""
    risk: str = ""


CONFIRM = {
    "consent": Words(
        "Safety", "The owner agrees in writing to what this sheet says", (), "Name, date, signature at the foot of the sheet."
    ),
    "backup": Words(
        "Safety",
        "Back-up made and read back",
        (("open from it", "three files of different kinds"),),
        "They open on another machine.",
        "A copy that nobody has opened is not a back-up.",
    ),
    "recovery_key": Words(
        "Safety",
        "Encryption looked up; recovery key at hand if there is any",
        (("key kept", "on paper, away from this machine"),),
        "The key's first eight digits match the identifier that the machine shows.",
    ),
    "mains": Words("Safety", "Mains connected, battery charging", (), "The charging light is on."),
    "firmware_values": Words(
        "Firmware",
        "Write down what the firmware says, change nothing that is right",
        (("note", "Secure Boot, fast boot, boot order, which key opened it"),),
        "Leave without saving.",
    ),
    "medium": Words(
        "Medium",
        "Installer stick made and checked; every other removable unplugged",
        (("note", "image, checksum, size of the stick"),),
        "The stick's own check passes.",
    ),
    "summary": Words(
        "Install",
        "Compare the installer's own summary with this sheet, line by line",
        (),
        "Every volume and size is the same; nothing else is ticked to be formatted.",
        "Do not press the last button before every line agrees.",
    ),
    "clock": Words(
        "Tidy",
        "One clock convention for all systems",
        (("in the NT family", exact("nt", "clock_utc")),),
        "Both systems show the right time after a restart.",
    ),
    "tidy": Words(
        "Tidy",
        "Tidy up",
        (("put away", "the stick, the notes of firmware values, temporary passwords"),),
        "The machine starts with nothing plugged in.",
    ),
}
PREPARE = {
    "check_volume": (
        "Room",
        "Let the owner's system check {call}",
        (("type, as administrator", exact("nt", "check_volume")),),
        "“No problems found”; minutes on an SSD, longer on a full one.",
    ),
    "fast_startup_off": (
        "Room",
        "Fast start-up off, then a full shutdown",
        (("type, as administrator", exact("nt", "fast_startup_off")), ("then", exact("nt", "full_shutdown"))),
        "The machine switches off; a restart is not enough.",
    ),
    "suspend_encryption": (
        "Safety",
        "Suspend the protection of {call}",
        (("type, as administrator", exact("nt", "protection_suspend")),),
        "It says that protection is off; the data stays encrypted.",
    ),
    "resume_encryption": (
        "Tidy",
        "Resume the protection of {call}",
        (("type, as administrator", exact("nt", "protection_resume")),),
        "It says that protection is on.",
    ),
}
MOUNTED = {"efi_system": "/boot/efi", "linux_root_x64": "/", "linux_home": "/home"}


@singledispatch
def words(step: object, before: Machine) -> Words:
    """Return the row's text for a step, from the state it meets."""
    raise TypeError(f"no words for {type(step).__name__}")


@words.register
def _confirm(step: Confirm, before: Machine) -> Words:
    return CONFIRM[step.subject]


@words.register
def _prepare(step: Prepare, before: Machine) -> Words:
    stage, text, values, look = PREPARE[step.what]
    return Words(stage, text.format(call=step.call), values, look)


@words.register
def _secure_boot(step: SetSecureBoot, before: Machine) -> Words:
    return Words(
        "Firmware",
        f"Secure Boot {step.state}",
        (("found", str(before.firmware.secure_boot)), ("wanted", step.state)),
        "Start the old system once after this change.",
    )


@words.register
def _shrink(step: Shrink, before: Machine) -> Words:
    found = before.find(step.call)
    size = found[1].size if found else step.to_bytes
    mib = -(-(size - step.to_bytes) // MIB)
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
        f"Unallocated room of {decimal(size - step.to_bytes)} behind {step.call}. Normal: 1 to 10 minutes, with no bar that moves.",
        "Do not interrupt. If the box offers less than this number, stop here and plan again.",
        "cut in the middle: files need the back-up",
    )


@words.register
def _move(step: Move, before: Machine) -> Words:
    found = before.find(step.call)
    values = (
        ("start before", f"{grouped(found[1].start if found else 0)} B"),
        ("start after", f"{grouped(step.start)} B"),
        ("used bytes to copy", binary((found[1].used or found[1].size) if found else 0)),
    )
    return Words(
        "Room",
        f"Move {step.call} to start at {binary(step.start)}",
        values,
        "Minutes to hours, by the bytes in use.",
        "Do not interrupt. Mains connected, back-up read back.",
        f"cut in the middle: {step.call} is whole in neither place and needs the back-up",
    )


@words.register
def _grow(step: Grow, before: Machine) -> Words:
    values: tuple[tuple[str, str], ...] = (
        ("size after, MiB box", str(step.to_bytes // MIB)),
        ("exactly", f"{grouped(step.to_bytes)} B = {both(step.to_bytes)}"),
    )
    found = before.find(step.call)
    kind = found[1].filesystem.kind if found and found[1].filesystem else ""
    inside = GROWN_BY_ITS_OWN_SYSTEM.get(kind)
    values += (("then, mounted or unlocked, type", inside),) if inside else ()
    risk = f"cut in the middle: have {step.call} checked before it is used"
    return Words("Room", f"Grow {step.call} to {binary(step.to_bytes)}", values, f"{step.call} shows its new size.", risk=risk)


@words.register
def _renew(step: Renew, before: Machine) -> Words:
    found = before.find(step.call)
    was = found[1].filesystem.uuid if found and found[1].filesystem else "none"
    values = (("UUID found", was), ("UUID wanted", step.uuid or "none"), ("GUID wanted", step.guid or "as it is"))
    caution = "What names it by the old UUID does not find it any more: mount tables, menus, entries."
    return Words("Partitions", f"Give {step.call} a new identity", values, "The list shows the new UUID.", caution)


@words.register
def _logical_volume(step: MakeLogical, before: Machine) -> Words:
    found = before.find(step.call)
    group = found[1].filesystem.label if found and found[1].filesystem else "group"
    values = (
        ("size", f"{grouped(step.size)} B = {both(step.size)}"),
        ("type, as root", f"lvcreate -n {shlex.quote(step.name)} -L {step.size}b {shlex.quote(group)}"),
    )
    return Words("Partitions", f"Make the logical volume {step.name} in {step.call}", values, "lvs lists it.")


@words.register
def _label(step: Label, before: Machine) -> Words:
    found = before.find(step.call)
    was = found[1].filesystem.label if found and found[1].filesystem else ""
    return Words(
        "Partitions",
        f"Label {step.call} “{step.label}”" if step.label else f"Take the label off {step.call}",
        (("found", was or "none"), ("wanted", step.label or "none")),
        "The list shows the new label." if step.label else "The list shows no label.",
    )


@words.register
def _retype(step: Retype, before: Machine) -> Words:
    found = before.find(step.call)
    was = found[1].type_id if found else ""
    if step.active is not None:
        mark = "active" if step.active else "not active"
        values = (("found", "active" if found and found[1].active else "not active"), ("wanted", mark))
        return Words("Partitions", f"Mark {step.call} {mark}", values, "One volume of a disk is active at most.")
    return Words(
        "Partitions",
        f"Set the type of {step.call} to {type_name(step.type_id)}",
        (("found", f"{type_name(was)}  {was}"), ("wanted", f"{type_name(step.type_id)}  {step.type_id}")),
        "The list shows the new type; nothing inside has changed.",
    )


@words.register
def _create(step: Create, before: Machine) -> Words:
    sector = before.disk(step.disk).sector
    values = (
        ("partition number", str(step.number)),
        ("start", f"{grouped(step.start)} B = sector {grouped(step.start // sector)}"),
        ("size, MiB box", str(step.size // MIB)),
        ("size", f"{grouped(step.size)} B = {both(step.size)}"),
        ("type", f"{type_name(step.type_id)}  {step.type_id}"),
        ("GUID", step.guid) if step.guid else ("kind", "logical" if step.logical else "primary"),
    )
    return Words(
        "Partitions",
        f"Make {step.call}, {WORDS[step.role]}"
        + (f", for {MOUNTED[type_key(step.type_id)]}" if type_key(step.type_id) in MOUNTED else ""),
        values,
        f"A new volume of {decimal(step.size)} on disk {step.disk}.",
    )


@words.register
def _new_table(step: NewTable, before: Machine) -> Words:
    disk = before.disk(step.disk)
    calls = ", ".join(volume.call for volume in disk.volumes)
    identity = "GUID" if step.table == "gpt" else "signature"
    return Words(
        "Partitions",
        f"Make a new {step.table.upper()} on disk {step.disk}",
        (("disk", disk.identity()), (identity, step.identity)),
        "The whole disk is free room now.",
        f"Everything on {calls} is given up." if calls else "",
    )


@words.register
def _repair_table(step: RepairTable, before: Machine) -> Words:
    disk = before.disk(step.disk)
    values = (("disk", disk.identity()), ("found", disk.table.fault or f"backup at LBA {disk.table.backup_lba}"))
    look = "A checker of tables finds nothing wrong; the volumes are where they were."
    return Words("Partitions", f"Repair the table of disk {step.disk} from its good copy", values, look)


@words.register
def _enclose(step: Enclose, before: Machine) -> Words:
    sector, old = before.disk(step.disk).sector, before.disk(step.disk).table.extended
    values = (
        ("partition number", str(step.number)),
        ("start", f"{grouped(step.start)} B = sector {grouped(step.start // sector)}"),
        ("size", f"{grouped(step.size)} B = {both(step.size)}"),
    )
    done = "Change" if old else "Make"
    return Words(
        "Partitions", f"{done} the extended partition of disk {step.disk}", values, "Logical volumes can be made inside."
    )


@words.register
def _delete(step: Delete, before: Machine) -> Words:
    return Words(
        "Partitions", f"Remove {step.call}", (), "Its place is free room now.", f"Everything on {step.call} is given up."
    )


@words.register
def _format(step: Format, before: Machine) -> Words:
    found = before.find(step.call)
    holds = bool(found and found[1].filesystem)
    label = "" if not step.label else step.label
    subvolumes = tuple((f"subvolume {name}", f"btrfs subvolume create MOUNTED/{shlex.quote(name)}") for name in step.subvolumes)
    return Words(
        "Partitions",
        f"Format {step.call} as {title(step.filesystem)}",
        (*((("label", label),) if label else ()), ("UUID", step.uuid), *subvolumes),
        "Seconds." if not subvolumes else "Seconds; the subvolumes are made once it is mounted, not on the bench.",
        f"Everything on {step.call} is given up." if holds else "",
    )


@words.register
def _install(step: Install, before: Machine) -> Words:
    mounts = ", ".join(f"{where} on {what}" for what, where in step.mounts)
    return Words(
        "Install",
        f"Install {step.title} by hand-made partitions: root on {step.call}, loader on {step.esp}",
        (("mount", mounts), ("loader goes to", step.esp)),
        "Several restarts are normal; let it finish.",
        f"Format nothing but what this sheet formats; the loader goes to {step.esp} and nowhere else.",
    )


@words.register
def _add_entry(step: AddEntry, before: Machine) -> Words:
    entry = step.entry
    device = next((disk.device for disk in before.disks if disk.id == entry.disk and disk.device), "/dev/THE-DISK")
    values = (
        ("variable", entry.variable),
        ("partition", f"{entry.partition_number}, GUID {entry.partition_guid}"),
        ("file", entry.path),
        (
            "if it is ever lost, as root",
            f"efibootmgr --create --disk {device} --part {entry.partition_number} --label {shlex.quote(entry.title)} --loader {shlex.quote(entry.path)}",
        ),
    )
    return Words(
        "Entries",
        f"Boot entry “{entry.title}” is there",
        values,
        "The installer makes it; check it with efibootmgr -v, by GUID and path, not by name.",
    )


@words.register
def _set_order(step: SetOrder, before: Machine) -> Words:
    order = ",".join(f"{number:04X}" for number in step.order)
    names = [entry.title for number in step.order if (entry := before.firmware.entry(number))]
    found = ",".join(f"{number:04X}" for number in before.firmware.order)
    return Words(
        "Entries",
        "Boot order: " + ", then ".join(names),
        (("found", found), ("wanted", order), ("type, as root", f"efibootmgr -o {order}")),
        "The machine starts into the menu.",
    )


@words.register
def _prove(step: Prove, before: Machine) -> Words:
    found = before.find(step.call)
    name = found[1].holds.title if found and found[1].holds else step.call
    if step.when == "after shrinking":
        return Words(
            "Room",
            f"Start {name} ({step.call}) once and look",
            (),
            "It may check its disk once. Log in, open two files, shut down fully.",
        )
    if step.when == "new":
        return Words("Proof", f"Start {name} ({step.call})", (), "Log in; network, sound, video; free space as on the sheet.")
    return Words(
        "Proof", f"Start {name} ({step.call}) from the menu", (), "Open old files and programs; its free space is as planned."
    )
