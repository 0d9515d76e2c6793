"""What starts a system: loaders put and taken away, code in the first sector, a table that becomes another, the installer without a stick."""

from __future__ import annotations

import shlex

from inkshelf.core.machine.entries import means
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.settings import unlocking
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.sheet.telling.firmware import made_last, named, numbers
from inkshelf.core.sheet.telling.partitions import CODE, SAVED, by_owner, plain_word, type_word
from inkshelf.core.size import both, grouped
from inkshelf.core.steps.effort import copying_minutes
from inkshelf.core.steps.kinds import ConvertTable, Mount, PutLoader, RemoveEntry, RemoveFiles, SetMode, Stage, WriteStartCode
from inkshelf.data import exact

MOUNT = 'MOUNTED=$(mktemp -d) && mount {part} "$MOUNTED"'
LISTED = '(cd {folder} && find . -type f -exec sha256sum {{}} + | sort > "$HOME/{into}")'
UNMOUNT = 'umount "$MOUNTED" && rmdir "$MOUNTED"'


def on_volume(path: str) -> str:
    """Return a firmware's path as it is typed below the folder that the volume is mounted in."""
    return f'"$MOUNTED"{shlex.quote(path.replace(chr(92), "/"))}'


@told.register
def _remove_files(step: RemoveFiles, scene: Scene) -> Words:
    places = " ".join(on_volume(path) for path in step.paths)
    return Words(
        "Partitions",
        f"Take the loader off {step.call}: {', '.join(step.paths)}",
        (("on", scene.who(step.call)),),
        "The last list shows the folders of the systems that stay, and none of those named here.",
        "Only these folders go. A copy is kept beside you until everything else has started.",
        back=f"copy the folder loader-before back onto {step.call}",
        commands=(
            MOUNT.format(part=scene.part(step.call)),
            f"mkdir -p loader-before && cp -r --parents {places} loader-before/",
            f"rm -r {places} && ls {on_volume(chr(92) + 'EFI')}",
            f"sync && {UNMOUNT}",
        ),
        minutes=3,
    )


@told.register
def _remove_entry(step: RemoveEntry, scene: Scene) -> Words:
    entry = scene.before.firmware.entry(step.number)
    known = scene.found.firmware.entries_known
    number = f"{step.number:04X}" if known else "NNNN"
    title = entry.title if entry else number
    values: tuple[tuple[str, str], ...] = (
        ("variable", f"Boot{number}"),
        ("found", f"“{title}”, {entry.path if entry else ''}"),
    )
    if not known:
        values = (*values, ("its number", "the entries were not captured: look it up with efibootmgr -v, by GUID and path"))
    disk = next((one for one in scene.before.disks if entry and one.id == entry.disk), None)
    device = scene.node(disk, None) if disk else "/dev/THE-DISK"
    order = numbers(scene.before.firmware.order)
    back: tuple[str, ...] = ()
    if entry and known and order:
        back = made_last(entry, device, order)
    elif entry:
        back = (f"efibootmgr --create {named(entry, device)}",)
    return Words(
        "Entries",
        f"Take the boot entry “{title}” away",
        values,
        "efibootmgr -v does not list it any more; every other entry is where it was.",
        back="" if known else "it is first in the order then: put that back",
        back_lines=back,
        commands=(f"efibootmgr --bootnum {number} --delete-bootnum",),
        minutes=2,
    )


def _folder(step: PutLoader) -> str:
    """The folder that the plan's files lie in: without it the tool takes the name of its own system."""
    return next((file.path.split("\\")[2] for file in step.files if file.path.count("\\") > 2), "linux")


@told.register
def _put_loader(step: PutLoader, scene: Scene) -> Words:
    place, esp = scene.at(step.call), scene.before.find(step.esp)
    nt = place is not None and place[1].holds is not None and place[1].holds.family == "nt"
    there = {one.path.lower() for one in esp[1].boot_files} if esp else set()
    over = [one.path for one in step.files if one.path.lower() in there]
    fresh = [one.path for one in step.files if one.path not in over]
    values, back_lines = _by_nt(step, scene, over) if nt else (_by_linux(step, scene), ())
    copies = [one for one in over if not (nt and one == _store(step))]
    first = (("first: copies elsewhere of", ", ".join(copies)),) if copies else ()
    back = "; ".join(
        [f"remove {', '.join(fresh)} from {step.esp}"] * bool(fresh) + [f"copy {', '.join(copies)} back"] * bool(copies)
    )
    only_data = {one.kind for one in step.files} == {"nt-boot-data"}
    return Words(
        "Entries",
        f"Write the boot data of {step.call} anew" if only_data else f"Put the loader of {step.call} on {step.esp}",
        (*first, *values, ("afterwards there", ", ".join(file.path for file in step.files))),
        "It says that the boot files were made; the folder is on the volume.",
        "Nothing is erased: a file of the same name is written over.",
        back=back,
        back_lines=back_lines,
        commands=_from_outside(step, scene),
        minutes=5,
    )


def _store(step: PutLoader) -> str:
    """The path of the boot data among the files (empty: none of them is)."""
    return next((one.path for one in step.files if one.kind == "nt-boot-data"), "")


def _by_nt(step: PutLoader, scene: Scene, over: list[str]) -> tuple[tuple[tuple[str, str], ...], tuple[str, ...]]:
    """What is typed in the NT family's recovery, and how boot data that was there comes back: its tool keeps no copy of it."""
    if not step.live and len(step.files) == 1 and _store(step):  # the system itself, which runs, puts its own line first
        keep = ("as administrator, in that system: a copy first", exact("nt", "keep_boot_data").format(call=step.call))
        again = ("then: it is what begins by itself from now on", exact("nt", "own_boot_files"))
        return (keep, again), (exact("nt", "boot_data_back").format(call=step.call),)
    legacy = _store(step) == exact("paths", "nt_boot_data_legacy")
    apart = step.esp != step.call
    letter = "S:" if apart else "C:"
    how = ("boot_files_legacy_on" if apart else "boot_files_legacy") if legacy else "boot_files_uefi"
    store = f"{letter}{_store(step)}"
    values = [("from its recovery's command line", exact("nt", how))]
    back: tuple[str, ...] = ()
    if _store(step) in over:
        values.insert(0, ("first: keep the boot data", exact("nt", "keep_store").format(store=store, call=step.call)))
        back = (exact("nt", "store_shown").format(store=store), exact("nt", "store_back").format(store=store, call=step.call))
    values.append(("C: is", f"the letter that the recovery gives to {scene.who(step.call)}: look first"))
    if apart:
        values.append(("S: is", f"a letter for {scene.who(step.esp)}; take it off again afterwards"))
    return tuple(values), back


def _by_linux(step: PutLoader, scene: Scene) -> tuple[tuple[str, str], ...]:
    mounted = ("mounted at /boot/efi", scene.who(step.esp))
    if step.live:
        return (mounted,)
    return (("as root, in the system", f"{exact('linux', 'install_loader_uefi')} --bootloader-id={_folder(step)}"), mounted)


def _from_outside(step: PutLoader, scene: Scene) -> tuple[str, ...]:
    """What a live system types, which has opened the system before."""
    place = scene.at(step.call)
    if not step.live or (place and place[1].holds and place[1].holds.family == "nt"):
        return ()
    at_fallback = [one for one in step.files if one.path.upper().startswith("\\EFI\\BOOT\\")]
    lines = (
        [exact("typed", "loader_uefi").format(folder=shlex.quote(_folder(step)))] if len(at_fallback) < len(step.files) else []
    )
    lines += [exact("typed", "loader_fallback")] if at_fallback else []
    return (*lines, exact("typed", "menu"))


@told.register
def _start_code(step: WriteStartCode, scene: Scene) -> Words:
    disk = scene.before.disk(step.disk)
    device = scene.node(disk, None)
    nt = step.family == "nt"
    how: tuple[tuple[str, str], ...] = (("from its recovery's command line", exact("nt", "write_start_code")),)
    if not nt:
        how = () if step.live else (("as root, in the system", f"{exact('linux', 'install_loader_legacy')} {device}"),)
    return Words(
        "Entries",
        f"Write the {'NT' if nt else 'Linux'} family's start code to disk {step.disk}",
        (("disk", disk.identity()), ("first, as root: keep what is there", f"dd if={device} of={CODE} bs=440 count=1"), *how),
        "It says that it was done; the records of the partitions behind the code stay as they are.",
        "Code of another family in that sector is written over: what it started then starts only through the new one.",
        back=f"the old code lies in {CODE}",
        commands=(exact("typed", "loader_legacy").format(disk=device),) if step.live and not nt else (),
        back_lines=(f"dd if={CODE} of={device} bs=440 count=1 conv=notrunc",),
        minutes=3,
    )


def _between(before: Machine, disk: Disk) -> str:
    """What a stop right behind a change of the table leaves: nothing of it starts, where something did."""
    entered = any(means(one, disk, volume) for one in before.firmware.entries for volume in disk.volumes)
    if before.firmware.mode == "uefi":
        until = "its boot entries are made anew" if entered else ""
    else:
        until = "the firmware is switched too" if any(one.holds for one in disk.volumes) else ""
    return f"Until {until}, nothing on this disk starts: do not stop between this step and that one." if until else ""


@told.register
def _convert(step: ConvertTable, scene: Scene) -> Words:
    disk = scene.before.disk(step.disk)
    lines = _table_lines(step, disk, scene.after.disk(step.disk))
    device = scene.node(disk, None)
    return Words(
        "Partitions",
        f"Turn the {disk.table.kind.upper()} of disk {step.disk} into a {step.table.upper()}, every volume where it stands",
        (("disk", disk.identity()), ("GUID" if step.table == "gpt" else "signature", step.identity)),
        f"{len(disk.volumes)} volumes, each with the same start and size as before; what is in them has not changed.",
        _between(scene.before, disk),
        risk="The old table can be put back from its copy.",
        back=f"{SAVED} and {CODE} lie in the live system's memory until you copy them off",
        back_lines=(
            f"sfdisk --wipe always --wipe-partitions never {device} < {SAVED}",
            f"dd if={CODE} of={device} bs=440 count=1 conv=notrunc",
        ),
        commands=(
            f"sfdisk --dump {device} > {SAVED}",
            f"dd if={device} of={CODE} bs=440 count=1",
            (
                f"printf '%s\\n' {' '.join(shlex.quote(one) for one in lines)} "
                f"| sfdisk --no-reread --wipe always --wipe-partitions never {device}"
            ),
        ),
        minutes=5,
    )


def _table_lines(step: ConvertTable, was: Disk, disk: Disk) -> list[str]:
    sector = was.sector
    head = (
        ["label: gpt", f"label-id: {plain_word(step.identity)}", f"first-lba: {disk.table.first_usable}"]
        if step.table == "gpt"
        else ["label: dos", f"label-id: 0x{plain_word(step.identity)}"]
    )
    for one in sorted(disk.volumes, key=lambda volume: volume.number):
        line = f"{one.number} : start={one.start // sector}, size={one.size // sector}, type={type_word(one.type_id)}"
        head.append(line + (f", uuid={plain_word(one.guid)}" if one.guid else ""))
    return head


@told.register
def _stage(step: Stage, scene: Scene) -> Words:
    own = by_owner(scene)
    return Words(
        "Medium",
        f"Copy the installer of {step.title} onto {step.call}",
        (
            ("from", "the mounted image, hidden files too"),
            ("contents", f"{grouped(step.contents_bytes)} B = {both(step.contents_bytes)}, no file of 4 GiB or more"),
            ("onto", scene.who(step.call)),
            ("compare", "the count of files, the bytes in all, and the hash of every file, on both sides"),
            *(_staged_by_owner() if own else ()),
        ),
        "Both lists of hashes are the same, line by line."
        if not own
        else "The last line prints nothing: both lists are the same.",
        "A copy that fails at one file starts, and fails in the middle of the installation: compare before you go on.",
        back=f"format {step.call} again",
        commands=()
        if own
        else (
            MOUNT.format(part=scene.part(step.call)),
            'cp -r /path/to/the/mounted/image/. "$MOUNTED"/ && sync',
            LISTED.format(folder="/path/to/the/mounted/image", into="there"),
            LISTED.format(folder='"$MOUNTED"', into="here"),
            'diff "$HOME/there" "$HOME/here" && wc -l "$HOME/here"',
            UNMOUNT,
        ),
        minutes=2 + 2 * copying_minutes(step.contents_bytes),
    )


def _staged_by_owner() -> tuple[tuple[str, str], ...]:
    """There is no stick, so there is no live system yet: the owner's NT-family system does it, in its own shell."""
    return (
        ("as administrator: open the image", exact("nt", "mount_image")),
        ("E: is the image, S: the volume", exact("nt", "copy_all")),
        ("list of the image", exact("nt", "hashes").format(drive="E:\\", into="there.txt")),
        ("list of the copy", exact("nt", "hashes").format(drive="S:\\", into="here.txt")),
        ("compare", exact("nt", "compare_hashes")),
        ("letter off again", exact("nt", "letter_off")),
    )


@told.register
def _mode(step: SetMode, scene: Scene) -> Words:
    was = scene.before.firmware.mode or "not known"
    return Words(
        "Firmware",
        f"Switch the firmware to {step.mode.upper() if step.mode == 'uefi' else step.mode} start",
        (("found", was), ("wanted", step.mode), *unlocking("mode", step.mode)),
        "The machine starts into the system that is proved in the next step.",
        "In the same session as the change of the table: the other mode does not start this disk any more.",
        back=f"set it to {was} again; it starts only with the old table put back too",
        minutes=4,
    )


@told.register
def _mount(step: Mount, scene: Scene) -> Words:
    place = scene.at(step.of)
    uuid = place[1].filesystem.uuid if place and place[1].filesystem else ""
    line = f"UUID={uuid} {step.folder} {step.filesystem} {step.options} 0 0"
    return Words(
        "Tidy",
        f"Mount {step.of} at every start of {step.call}",
        (("folder, made first", f"mkdir -p {step.folder}"), ("once by hand", f"mount {step.folder}")),
        "Mount it by hand once, look at the files, write one, take it away again; then restart and see that it is there.",
        "Never a volume that a sleeping system holds: fast start-up off on the other side first.",
        back=f"take the line out of {exact('linux', 'mount_table')} again",
        paste=(line,),
        into=exact("linux", "mount_table"),
        minutes=4,
    )
