"""Causes on the EFI system partition: loaders, menus and boot data that are not there, not whole, or lead nowhere."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.rehearse import systems
from inkshelf.core.boot.uefi import is_unread, readable
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import fat_serial
from inkshelf.core.machine.entries import means
from inkshelf.core.machine.roles import is_esp, named_by_boot_data, nt_targets, own_uuids
from inkshelf.core.machine.state import Volume
from inkshelf.core.mending.base import Case, cause
from inkshelf.core.mending.repairs import all_files, entered, first_in_order, inside, loader_put, menu_anew, own_path
from inkshelf.core.mending.view import Loader, View
from inkshelf.core.steps.kinds import Format, Prepare, PutLoader, RepairTable, Retype, Step
from inkshelf.core.texts import few
from inkshelf.core.value import replace
from inkshelf.data import exact

UNREAD = "the files of its EFI system partition were not read"
SERIAL = len("0000-0000")
NO_START = "other no-device loop refused black"


def _not_read(view: View) -> Iterator[Case]:
    """What captured text does not show cannot be ruled out by it."""
    if view.uefi and view.unread and view.esp and not view.well:
        yield Case(False, view.esp[1].call, UNREAD, _put_again(view, view.esp[1]))


def _put_again(view: View, esp: Volume) -> tuple[Step, ...]:
    """Its loader put there again; an entry too, unless one names it already, which it does as soon as the file is there."""
    place = next((disk for disk, one in view.machine.volumes() if one.call == esp.call), view.disk)
    path = own_path(view)
    known = next(
        (
            one
            for one in view.firmware.entries
            if one.active and means(one, place, esp) and one.partition_number == esp.number and one.path.lower() == path.lower()
        ),
        None,
    )
    put = loader_put(view, esp, all_files(view, esp))
    if known is None:
        return (*put, *entered(view, place, esp, path))
    return (*put, *first_in_order(view.machine, known.number))


@cause(
    "loader-gone",
    "Its loader is gone from the EFI system partition",
    NO_START,
    7,
    changed="nt-update disks linux-update nothing",
    again="same",
    one_time="back not-listed",
    disk_listed="yes",
    mode="uefi",
    folder="none parts",
)
def loader_gone(view: View) -> Iterator[Case]:
    """Its folder was cleared: by an update of the other family, by an installer that formatted the volume, by hand."""
    if not view.uefi or view.esp is None or view.well:
        return
    disk, esp = view.esp
    if is_unread(disk, esp):
        yield from _not_read(view)
    elif not view.mine and readable(esp) and (view.linux or view.volume.guid):
        yield Case(True, esp.call, f"no loader of {view.system.title} is on {esp.call}", _put_again(view, esp))


@cause(
    "table-unseen",
    "Firmware sees no table on its disk",
    "no-device other",
    2,
    changed="disks nothing",
    again="same",
    one_time="back not-listed",
    disk_listed="yes",
    mode="uefi",
    folder="whole",
)
def table_unseen(view: View) -> Iterator[Case]:
    """The record in sector 0 that says that the disk is taken was overwritten: systems find the table behind it, firmware does not."""
    if view.uefi and view.disk.table.kind == "gpt" and not view.disk.table.protective:
        why = f"sector 0 of disk {view.disk.id} does not say that a GPT is behind it"
        yield Case(True, view.disk.id, why, (RepairTable(view.disk.id),))


@cause(
    "no-esp",
    "Its disk has no EFI system partition",
    "no-device other refused",
    2,
    changed="disks",
    again="same",
    one_time="not-listed back",
    disk_listed="yes",
    mode="uefi",
    folder="none",
)
def no_esp(view: View) -> Iterator[Case]:
    """It was deleted, or never came along when the system was copied."""
    if view.uefi and view.esp is None and not view.well:
        by_hand = "Make an EFI system partition first: the aim “table”, or a volume by hand under Shelf; then ask again."
        yield Case(True, view.disk.id, f"no volume of disk {view.disk.id} is an EFI system partition", (), by_hand)


@cause(
    "loader-broken",
    "Its loader's file is damaged",
    "other no-device loop",
    4,
    changed="nothing disks linux-update nt-update",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="uefi",
    folder="parts",
)
def loader_broken(view: View) -> Iterator[Case]:
    """The file is there and is no program: empty, cut short, overwritten."""
    yield from _unfit(view, {"no program"}, "is no program")


@cause(
    "other-processor",
    "Its loader is for another processor",
    "other no-device loop refused",
    2,
    changed="disks nothing linux-update",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="uefi",
    folder="whole parts",
)
def other_processor(view: View) -> Iterator[Case]:
    """The wrong file of an image was copied, or a disk comes from another kind of machine."""
    yield from _unfit(view, {"ia32", "aa64"}, "is a program for another processor")


def _unfit(view: View, kinds: set[str], words: str) -> Iterator[Case]:
    spoilt = [one for one in view.mine if one.file.unfit in kinds and not one.fallback]
    spoilt += [one for one in view.mine if one.file.unfit in kinds and one.fallback and not spoilt]
    if view.uefi and spoilt and view.machine.conditions.cpu_bits != 32 and not view.well:
        one = spoilt[0]
        yield Case(True, one.volume.call, f"{one.file.path} on {one.volume.call} {words}", _put_again(view, one.volume))
    yield from _not_read(view)


@cause(
    "menu-gone",
    "The menu beside its first stage is gone",
    "other no-device loop refused black",
    3,
    changed="linux-update nt-update nothing",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="uefi",
    folder="parts",
)
def menu_gone(view: View) -> Iterator[Case]:
    """The signed first stage starts, finds nothing to go on with, and comes back."""
    for one in view.mine if view.uefi else ():
        menu = f"{one.folder}\\{exact('paths', 'menu_x64')}"
        if one.file.kind == "first-stage" and one.volume.boot_file(menu) is None and not view.well:
            yield Case(True, one.volume.call, f"{menu} is not on {one.volume.call}", _put_again(view, one.volume))
            return
    yield from _not_read(view) if view.linux else ()


@cause(
    "config-gone",
    "The menu has no configuration",
    "prompt",
    5,
    changed="linux-update disks nothing",
    again="same",
    one_time="back",
    prompt_disks="all",
    disk_listed="yes",
    folder="parts",
)
def config_gone(view: View) -> Iterator[Case]:
    """The menu runs, finds no list, and waits at its prompt."""
    for one in _menus(view):
        config = f"{one.folder}\\{exact('paths', 'menu_config')}"
        if one.volume.boot_file(config) is None:
            yield Case(True, one.volume.call, f"{config} is not on {one.volume.call}", menu_anew(view, one, one.volume))
            return
    yield from _not_read(view) if view.linux else ()


@cause(
    "config-elsewhere",
    "The menu's configuration lies on a volume that is not there",
    "prompt",
    5,
    changed="disks linux-update",
    again="same",
    one_time="back",
    prompt_disks="missing all",
    folder="whole parts",
)
def config_elsewhere(view: View) -> Iterator[Case]:
    """A stub on the EFI system partition hands over to a volume that was removed, made anew, or is out."""
    there = {uuid for _, one in view.machine.volumes() if one.filesystem for uuid in (one.filesystem.uuid.lower(),)}
    for one in _menus(view):
        config = one.volume.boot_file(f"{one.folder}\\{exact('paths', 'menu_config')}")
        if config and config.hands_over and not there & set(config.hands_over):
            why = f"{config.path} hands over to {', '.join(config.hands_over)}, which is not there: plug its disk in, or make the menu anew"
            yield Case(True, one.volume.call, why, menu_anew(view, one, one.volume))
            return
    yield from _not_read(view) if view.linux else ()


@cause(
    "root-renewed",
    "The menu names a root that is not there",
    "prompt kernel-error emergency",
    5,
    changed="disks linux-update",
    again="same",
    one_time="back",
    prompt_disks="all",
    disk_listed="yes",
    folder="whole",
    kernel="yes",
)
def root_renewed(view: View) -> Iterator[Case]:
    """The root was formatted, copied or given another identity, and the menu was not made anew."""
    for one in _menus(view):
        config = one.volume.boot_file(f"{one.folder}\\{exact('paths', 'menu_config')}")
        if config is None or config.hands_over or own_uuids(view.volume) & {two.lower() for two in config.targets}:
            continue
        why = f"{config.path} on {one.volume.call} names {few(config.targets, 2) or 'nothing'}, and not the root on {view.call}"
        yield Case(True, one.volume.call, why, menu_anew(view, one, one.volume))
        return
    yield from _not_read(view) if view.linux else ()


def _menus(view: View) -> list[Loader]:
    """Its own first stages and menus that run as far as their configuration."""
    if not view.uefi or not view.linux or view.well:
        return []
    return [one for one in view.mine if one.reached.waits and one.file.kind in {"first-stage", "menu"}]


@cause(
    "type-hidden",
    "Its EFI system partition bears another type",
    "other no-device",
    3,
    changed="disks settings",
    again="same",
    one_time="not-listed back starts",
    disk_listed="yes",
    mode="uefi",
    folder="whole",
)
def type_hidden(view: View) -> Iterator[Case]:
    """It was hidden for an installation and not put back; some firmware looks at the type."""
    for one in view.mine if view.uefi else ():
        if not is_esp(one.volume) and one.volume.type_id and not one.disk.removable:
            right = gpt_type("efi_system") if one.disk.table.kind == "gpt" else "0xEF"
            why = f"{one.volume.call} holds its loader, and is no EFI system partition by its type"
            yield Case(True, one.volume.call, why, (Retype(one.volume.call, right, one.volume.attributes),))
            return


@cause(
    "esp-unreadable",
    "Firmware cannot read its EFI system partition",
    "other no-device",
    3,
    changed="disks nothing",
    again="same",
    one_time="back not-listed",
    disk_listed="yes",
    mode="uefi",
    folder="unreadable none",
)
def esp_unreadable(view: View) -> Iterator[Case]:
    """It has no file system, another one than FAT, or a FAT32 of too few clusters."""
    unread = [(one.disk, one.volume) for one in view.mine if not readable(one.volume)]
    if not unread and not view.mine:
        unread = [
            (disk, one) for disk, one in view.machine.volumes() if disk.id == view.disk.id and is_esp(one) and not readable(one)
        ]
    if not view.uefi or view.well:
        return
    if not unread:
        yield from _not_read(view)
        return
    disk, esp = unread[0]
    if is_unread(disk, esp) and esp.filesystem is not None and esp.filesystem.kind.startswith("fat"):
        yield from _not_read(view)  # of a listing nobody knows how many clusters it has
        return
    what = f"a {esp.filesystem.kind} that firmware does not read" if esp.filesystem else "no file system"
    made = Format(esp.call, "fat32", "BOOT", _serial(view, esp))
    empty = replace(esp, boot_files=())
    files = all_files(view, empty)
    path = own_path(view)
    known = any(means(one, disk, esp) and one.path.lower() == path.lower() for one in view.entries)
    steps = (made, *loader_put(view, empty, files), *_others(view, empty), *(() if known else entered(view, disk, esp, path)))
    yield Case(True, esp.call, f"{esp.call} has {what}", steps)


def _others(view: View, esp: Volume) -> Iterator[Step]:
    """What other systems had on a volume that is made anew goes there again."""
    for one in systems(view.machine):
        other = View(view.machine, one.call, view.seed, view.taken)
        if one.call != view.call and any(two.volume.call == esp.call and not two.fallback for two in other.mine):
            yield from loader_put(other, esp, all_files(other, esp))


def _serial(view: View, esp: Volume) -> str:
    """The serial number that it had, so that mount tables find it again."""
    had = esp.filesystem.uuid if esp.filesystem else ""
    return had if len(had) == SERIAL else fat_serial(view.seed, f"mended {esp.call}")


@cause(
    "esp-unclean",
    "Its EFI system partition asks for a check",
    "other no-device loop",
    2,
    changed="nothing disks",
    again="same starts",
    one_time="back",
    disk_listed="yes",
    mode="uefi",
    folder="parts unreadable",
)
def esp_unclean(view: View) -> Iterator[Case]:
    """It was not put away: power lost, or a stick pulled while something wrote to it."""
    if view.uefi and view.esp and view.esp[1].filesystem and view.esp[1].filesystem.dirty:
        esp = view.esp[1]
        yield Case(True, esp.call, f"{esp.call} is marked for a check", (Prepare(esp.call, "check_outside"),))
    elif view.uefi and view.esp and view.esp[1].filesystem and view.esp[1].filesystem.dirty is None:
        esp = view.esp[1]
        yield Case(
            False, esp.call, f"whether {esp.call} is marked for a check was not read", (Prepare(esp.call, "check_outside"),)
        )


@cause(
    "boot-data-gone",
    "The NT family's boot data is gone",
    "system-screen loop",
    5,
    changed="disks nothing nt-update",
    again="same",
    one_time="back",
    disk_listed="yes",
    folder="parts",
)
def boot_data_gone(view: View) -> Iterator[Case]:
    """Its loader runs and finds no boot data beside it."""
    for one in view.mine if view.nt and view.uefi else ():
        if one.volume.boot_file(exact("paths", "nt_boot_data")) is None and not one.file.unfit:
            why = f"{exact('paths', 'nt_boot_data')} is not on {one.volume.call}"
            yield Case(True, one.volume.call, why, _boot_data(view, one.volume))
            return
    yield from _not_read(view) if view.nt else ()


@cause(
    "boot-data-astray",
    "The NT family's boot data names a volume that is not there",
    "system-screen loop",
    5,
    changed="disks",
    again="same",
    one_time="back",
    disk_listed="yes",
    folder="whole",
)
def boot_data_astray(view: View) -> Iterator[Case]:
    """The system was copied, or its volume made anew: it has another GUID now."""
    for one in view.mine if view.nt and view.uefi else ():
        data = one.volume.boot_file(exact("paths", "nt_boot_data"))
        name = named_by_boot_data(view.disk, view.volume)
        if data is not None and name and name not in nt_targets(data):
            why = f"{data.path} on {one.volume.call} does not name {view.call}"
            yield Case(True, one.volume.call, why, _boot_data(view, one.volume))
            return
    yield from _not_read(view) if view.nt else ()


def _boot_data(view: View, esp: Volume) -> tuple[Step, ...]:
    return inside(view, PutLoader(view.call, esp.call, all_files(view, esp), live=True))
