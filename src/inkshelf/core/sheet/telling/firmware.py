"""Boot variables and firmware switches: found and wanted side by side, what is typed, how it is taken back."""

from __future__ import annotations

import shlex

from inkshelf.core.machine.entries import known_by, means
from inkshelf.core.machine.state import BootEntry, Machine
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.settings import unlocking
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.sheet.telling.partitions import by_owner
from inkshelf.core.steps.kinds import AddEntry, SetOrder, SetSecureBoot
from inkshelf.data import exact

NOT_CAPTURED = "the entries were not captured: see first what efibootmgr -v prints, and add it to the job"
PUT_LAST = "efibootmgr -o \"$(efibootmgr | sed -n 's/^BootOrder: //p'),NNNN\"  # NNNN: the number that the line before printed"
PUT_FIRST = "efibootmgr -o \"NNNN,$(efibootmgr | sed -n 's/^BootOrder: //p' | sed 's/,*NNNN//g; s/^,//')\""


@told.register
def _secure_boot(step: SetSecureBoot, scene: Scene) -> Words:
    found = scene.before.firmware.secure_boot or "not known"
    return Words(
        "Firmware",
        f"Secure Boot {step.state}",
        (("found", found), ("wanted", step.state), *unlocking("secure_boot", step.state)),
        "Start the old system once after this change.",
        back=f"set it to {found} again",
        minutes=3,
    )


@told.register
def _add_entry(step: AddEntry, scene: Scene) -> Words:
    entry = step.entry
    disk = next((one for one in scene.before.disks if one.id == entry.disk), None)
    device = scene.node(disk, None) if disk else "/dev/THE-DISK"
    known = scene.found.firmware.entries_known
    number = f"{entry.number:04X}" if known else "NNNN"
    create = f"efibootmgr --create {named(entry, device)}"
    mark = "GUID" if entry.partition_guid else "signature"
    values = (
        ("variable", entry.variable if known else "any number the firmware gives; " + NOT_CAPTURED),
        ("partition", f"{entry.partition_number}, {known_by(entry)}"),
        ("file", entry.path),
        ("if it is ever lost, as root", create),
    )
    if step.by == "person" and of_staging(entry, scene):
        return _by_owner(entry, values)
    if step.by == "person":
        return Words(
            "Entries",
            f"Make the boot entry “{entry.title}”",
            values[:-1],
            f"efibootmgr -v lists it with this partition's number, this {mark} and this file, last in the order.",
            back="" if known else "NNNN stands for its number",
            back_lines=(f"efibootmgr --bootnum {number} --delete-bootnum",),
            commands=made_last(entry, device, numbers(scene.after.firmware.order) if known else ""),
            where="in a system of the Linux family",
            minutes=2,
        )
    nt = entry.path.lower() == exact("paths", "nt_loader").lower()
    lists = exact("nt", "entries_listing") if nt else "efibootmgr -v"
    return Words(
        "Entries",
        f"Boot entry “{entry.title}” is there",
        values,
        f"It comes with the loader; {lists} lists it: compare {'the file' if nt else f'{mark} and file'}, not the name.",
        back="" if known else "NNNN stands for its number; from a system of the Linux family",
        back_lines=(f"efibootmgr --bootnum {number} --delete-bootnum",),
    )


def named(entry: BootEntry, device: str) -> str:
    """What the utility is told of an entry: disk, partition, title and file."""
    path = entry.path or exact("paths", "fallback_x64")
    return f"--disk {device} --part {entry.partition_number} --label {shlex.quote(entry.title)} --loader {shlex.quote(path)}"


def made_last(entry: BootEntry, device: str, order: str) -> tuple[str, ...]:
    """The lines that make an entry behind all others: left to itself, the utility puts it first. ``order``: the whole, empty where nobody read it."""
    if order:
        return (f"efibootmgr --create-only --bootnum {entry.number:04X} {named(entry, device)}", f"efibootmgr -o {order}")
    return (f"efibootmgr --create-only {named(entry, device)}", PUT_LAST)


def of_staging(entry: BootEntry, scene: Scene) -> bool:
    """Whether it starts an installer from the disk itself, made from inside an NT-family system: no live system is there yet."""
    place = next((one for disk, one in scene.before.volumes() if means(entry, disk, one)), None)
    return place is not None and place.role == "medium" and by_owner(scene)


def _by_owner(entry: BootEntry, values: tuple[tuple[str, str], ...]) -> Words:
    return Words(
        "Entries",
        f"Make the boot entry “{entry.title}”, from inside the owner's system",
        (
            ("as administrator", exact("nt", "entry_copy").format(title=entry.title)),
            ("ID: what that printed, in braces", exact("nt", "entry_device")),
            ("then", exact("nt", "entry_path").format(path=entry.path)),
            ("for the next start only", exact("nt", "entry_once")),
            *values[1:3],
        ),
        "Each line says that it was done. Where the firmware drops the entry, its one-time menu finds the file by partition.",
        back_lines=(exact("nt", "entry_off"),),
        minutes=3,
    )


@told.register
def _set_order(step: SetOrder, scene: Scene) -> Words:
    names = [_name(scene.before, number) for number in step.order]
    if step.by == "installer":
        return _put_itself_first(names)
    if not scene.found.firmware.entries_known:
        return _put_first(step, scene.before, names)
    order, found = numbers(step.order), numbers(scene.found.firmware.order)
    return Words(
        "Entries",
        "Boot order: " + ", then ".join(names),
        (("found", found or "empty"), ("wanted", order), ("type, as root", f"efibootmgr -o {order}")),
        "The next start begins with the first of them.",
        back_lines=(f"efibootmgr -o {found}" if found else "efibootmgr --delete-bootorder",),
    )


def _put_itself_first(names: list[str]) -> Words:
    """What happens without anybody's doing; a later step puts the order as it is wanted."""
    return Words(
        "Entries",
        f"The installer puts its own entry first: {', then '.join(names)}",
        (),
        "Nothing to type here: until the order is put right below, the machine starts into it.",
        back="the order that was found, as below",
    )


def _put_first(step: SetOrder, before: Machine, names: list[str]) -> Words:
    """No whole list is printed where none was read: it would drop what nobody knows of, such as network and USB entries."""
    first = before.firmware.entry(step.order[0]) if step.order else None
    wanted = f"“{first.title}” first, everything else as it is" if first else "as it is"
    values = (("found", NOT_CAPTURED), ("wanted", wanted), ("as root; NNNN: its number", PUT_FIRST))
    return Words(
        "Entries",
        f"Put {names[0] if names else 'the new entry'} first in the boot order",
        values,
        "efibootmgr shows it first, and every other entry behind it, none missing. The next start begins with it.",
        "Note the whole order before you change it.",
        back="efibootmgr -o and the order that you noted",
    )


def numbers(order: tuple[int, ...]) -> str:
    """Return an order as it is typed."""
    return ",".join(f"{number:04X}" for number in order)


def _name(machine: Machine, number: int) -> str:
    entry: BootEntry | None = machine.firmware.entry(number)
    return entry.title if entry else f"Boot{number:04X}"
