"""What is told of the steps that mend a start: an entry switched, a system opened from outside, a kernel, a mount that may be missing."""

from __future__ import annotations

import shlex

from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.settings import unlocking
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.sheet.telling.firmware import NOT_CAPTURED, named, numbers
from inkshelf.core.sheet.telling.mounts import in_subvolumes
from inkshelf.core.steps.kinds import (
    EnterSystem,
    ForgetNext,
    LeaveSystem,
    LetMissing,
    PutKernel,
    RenameEntry,
    SetSetting,
    SetTimeout,
    SwitchEntry,
)
from inkshelf.core.value import replace
from inkshelf.data import exact

SETTINGS = {"fast_boot": "Fast boot", "external_start": "Start from external disks"}
AGAIN = {True: "on", False: "off", None: "not known"}


@told.register
def _switch_entry(step: SwitchEntry, scene: Scene) -> Words:
    entry = scene.before.firmware.entry(step.number)
    known = scene.found.firmware.entries_known
    number = f"{step.number:04X}" if known else "NNNN"
    word, back = ("active", "inactive") if step.active else ("inactive", "active")
    return Words(
        "Entries",
        f"Switch the boot entry “{entry.title if entry else number}” {'on' if step.active else 'off'}",
        (("variable", f"Boot{number}"), *(() if known else (("its number", NOT_CAPTURED),))),
        "efibootmgr shows a star behind its number." if step.active else "efibootmgr shows no star behind its number.",
        back_lines=(f"efibootmgr --bootnum {number} --{back}",),
        commands=(f"efibootmgr --bootnum {number} --{word}",),
        minutes=2,
    )


@told.register
def _rename(step: RenameEntry, scene: Scene) -> Words:
    """No utility renames an entry: it is taken away and made again under its number, which loses what else is handed to its loader."""
    entry = scene.before.firmware.entry(step.number)
    disk = next((one for one in scene.before.disks if entry and one.id == entry.disk), None)
    old = entry.title if entry else f"Boot{step.number:04X}"
    if entry is None or not entry.partition_number or not entry.path:
        values: tuple[tuple[str, str], ...] = (
            ("in the firmware's own settings", "what it does not start from a file there has no other way"),
        )
        return Words(
            "Entries", f"Call the boot entry “{old}” “{step.title}”", values, "efibootmgr -v lists it under its new title."
        )
    if entry.path.lower() == exact("paths", "nt_loader").lower():
        return Words(
            "Entries",
            f"Call the boot entry “{old}” “{step.title}”, from inside the NT family",
            (("as administrator", exact("nt", "rename_manager").format(title=step.title)),),
            f"{exact('nt', 'entries_listing')} lists it under its new title.",
            "An update of that family may give it its own title again.",
            back_lines=(exact("nt", "rename_manager").format(title=old),),
            minutes=2,
        )
    known = scene.found.firmware.entries_known
    number = f"{step.number:04X}" if known else "NNNN"
    place = "in its old place of the order" if known else "and first in the order: put that back"
    node = scene.node(disk, None) if disk else "/dev/THE-DISK"

    def lines(title: str) -> tuple[str, ...]:
        made = named(replace(entry, title=title), node)
        order = (f"efibootmgr -o {numbers(scene.before.firmware.order)}",) if scene.before.firmware.order and known else ()
        return (f"efibootmgr --bootnum {number} --delete-bootnum", f"efibootmgr --create --bootnum {number} {made}", *order)

    return Words(
        "Entries",
        f"Call the boot entry “{old}” “{step.title}”",
        (("variable", f"Boot{number}"), *(() if known else (("its number", NOT_CAPTURED),))),
        f"efibootmgr -v lists it under its new title, with the same partition and file, {place}.",
        back_lines=lines(old),
        commands=lines(step.title),
        minutes=3,
    )


@told.register
def _timeout(step: SetTimeout, scene: Scene) -> Words:
    was = scene.before.firmware.timeout
    return Words(
        "Entries",
        f"Let the firmware's own menu wait {step.seconds} seconds",
        (("found", "not known" if was is None else f"{was} s"), ("wanted", f"{step.seconds} s")),
        "efibootmgr prints Timeout with that number. Many boards do not go by it.",
        back="" if was is not None else "the number that efibootmgr printed before",
        back_lines=(f"efibootmgr --timeout {was}",) if was is not None else (),
        commands=(f"efibootmgr --timeout {step.seconds}",),
        minutes=1,
    )


@told.register
def _forget_next(step: ForgetNext, scene: Scene) -> Words:
    number = scene.before.firmware.next
    name = f"{number:04X}" if number is not None else "none"
    return Words(
        "Entries",
        f"Forget that Boot{name} was to start once",
        (("found", f"BootNext {name}"), ("wanted", "no BootNext")),
        "efibootmgr prints no line that begins with BootNext.",
        back_lines=(f"efibootmgr --bootnext {name}",) if number is not None else (),
        commands=("efibootmgr --delete-bootnext",),
        minutes=1,
    )


@told.register
def _setting(step: SetSetting, scene: Scene) -> Words:
    title, was = SETTINGS[step.setting], AGAIN[getattr(scene.before.conditions, step.setting)]
    return Words(
        "Firmware",
        f"{title}: {AGAIN[step.to]}",
        (("found", was), ("wanted", AGAIN[step.to]), *unlocking(step.setting, AGAIN[step.to])),
        "Look at it once more after it was saved.",
        "Some boards change other settings with it: compare them with what was written down.",
        back=f"set it to {was} again" if was != "not known" else "set it to what you noted",
        minutes=3,
    )


@told.register
def _enter(step: EnterSystem, scene: Scene) -> Words:
    inside = in_subvolumes(step.mounts)
    lines = [exact("typed", "target")]
    lines += [exact("typed", "open").format(name=shlex.quote(name), uuid=uuid) for name, uuid in step.unlocks]
    place = scene.at(step.call)
    grouped = bool(place and place[1].filesystem and place[1].filesystem.kind in {"lvm", "luks"})
    lines += [exact("typed", "groups_on")] if grouped else []
    for uuid, where in step.mounts:
        options = f"-o subvol={inside[where]} " if where in inside else ""
        below = "" if where == "/" else where
        lines += [exact("typed", "folder").format(where=below)] if where == "/" else []
        lines += [exact("typed", "mount").format(options=options, uuid=uuid, where=below)]
    lines += [exact("typed", "bind"), exact("typed", "names"), exact("typed", "mounted")]
    return Words(
        "Entries",
        f"Open {_name(step.call, scene)} from the live system, so that its own tools can be called",
        (("volume", scene.who(step.call)),),
        "The last line shows each folder with the volume that it is on; none is missing.",
        "Where the root is a subvolume, mount that one: a folder without etc and boot is the wrong one.",
        back="close it again",
        back_lines=(exact("typed", "unmount"),),
        commands=tuple(lines),
        minutes=4,
    )


@told.register
def _leave(step: LeaveSystem, scene: Scene) -> Words:
    lines = [exact("typed", "flush"), exact("typed", "unmount")]
    lines += [exact("typed", "close").format(name=shlex.quote(name)) for name, _ in step.unlocks]
    return Words(
        "Entries",
        f"Close {_name(step.call, scene)} again",
        (),
        "No line says “busy”. What is busy is a shell that still stands in it.",
        commands=tuple(lines),
        minutes=2,
    )


@told.register
def _put_kernel(step: PutKernel, scene: Scene) -> Words:
    folder = exact("linux", "boot_folder")
    return Words(
        "Entries",
        f"Put the kernel of {_name(step.call, scene)} in its place again",
        (
            ("where its family has other tools", "put the package of its kernel in again with them"),
            ("room", f"about 150 MiB in its folder {folder}: look first, a full one is why most are lost"),
        ),
        f"The last line names a kernel and a first image in {folder}.",
        "The network has to be up: the kernel comes from the system's own archive.",
        back="nothing is to be taken back: a kernel more harms nobody",
        commands=(
            f'df -h "$TARGET"{folder}',
            exact("typed", "kernel_again"),
            exact("typed", "image"),
            exact("typed", "menu"),
            f'ls "$TARGET"{folder}',
        ),
        minutes=8,
    )


@told.register
def _let_missing(step: LetMissing, scene: Scene) -> Words:
    table = exact("linux", "mount_table")
    return Words(
        "Entries",
        f"Let {_name(step.call, scene)} start without what it mounts in {step.folder}",
        (("the word that is added", exact("linux", "late_options")), ("in the line of", step.folder)),
        f"The last line shows the line of {step.folder} with the word in it, and every other line as it was.",
        "The volume itself is not brought back by that: where it is only unplugged, plug it in.",
        back_lines=(f'cp "$TARGET"{table}.before "$TARGET"{table}',),
        commands=(
            f'cp "$TARGET"{table} "$TARGET"{table}.before',
            exact("typed", "may_be_missing").format(folder=shlex.quote(step.folder), options=exact("linux", "late_options")),
            f'diff "$TARGET"{table}.before "$TARGET"{table}; grep -F {shlex.quote(step.folder)} "$TARGET"{table}',
        ),
        minutes=3,
    )


def _name(call: str, scene: Scene) -> str:
    place = scene.at(call)
    return f"{place[1].holds.title} ({call})" if place and place[1].holds else call
