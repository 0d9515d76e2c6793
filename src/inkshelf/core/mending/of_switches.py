"""Causes among the firmware's switches: Secure Boot, the mode, what is plugged in, what a fast start leaves out."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.trust import ALTERED, refusal
from inkshelf.core.machine.state import BootFile
from inkshelf.core.mending.base import Case, cause
from inkshelf.core.mending.repairs import entered, entered_anew, first_in_order
from inkshelf.core.mending.view import Loader, View, folder_of
from inkshelf.core.steps.kinds import Confirm, SetMode, SetSecureBoot
from inkshelf.core.steps.mending import SetSetting
from inkshelf.data import exact

REFUSED_AT_ONCE = {
    "again": "same",
    "one_time": "back",
    "disk_listed": "yes",
    "mode": "uefi",
    "secure_off": "starts",
    "folder": "whole",
}
"""What the looks find where firmware refuses a loader: the same, whatever it is refused for."""
NOTED = "Note first whether Secure Boot is on: then switch it off for one start."


def _secure(view: View) -> bool:
    return view.uefi and view.secure and not view.well


def _refused(one: Loader) -> bool:
    return one.reached.result == "refused"


@cause(
    "loader-unsigned",
    "Secure Boot is on, and its loader carries no trusted signature",
    "refused black other no-device",
    6,
    changed="settings firmware linux-update",
    **REFUSED_AT_ONCE,
)
def loader_unsigned(view: View) -> Iterator[Case]:
    """Somebody switched Secure Boot on, or factory defaults did."""
    spoilt = [
        one
        for one in view.mine
        if _refused(one) and not one.file.signed and not (one.file.kind == "menu" and _signed_before(one))
    ]
    if _secure(view) and spoilt and not view.good:
        one = spoilt[0]
        why = f"Secure Boot is on, and {one.file.path} on {one.volume.call} is not signed"
        yield Case(True, one.volume.call, why, (SetSecureBoot("off"),))
    if view.uefi and view.unread and view.firmware.secure_boot in {"on", None} and not view.well:
        steps = (SetSecureBoot("off"),) if view.secure else ()
        yield Case(False, view.call, "whether its loader is signed was not read", steps, NOTED)


@cause(
    "loader-untrusted",
    "Secure Boot is on, and nobody whom this firmware trusts signed its loader",
    "refused black other no-device",
    5,
    changed="settings firmware nt-update linux-update",
    **REFUSED_AT_ONCE,
)
def loader_untrusted(view: View) -> Iterator[Case]:
    """Its maker's key is not among the firmware's, or an update put it, or the program itself, among what is refused."""
    spoilt = [one for one in view.mine if _refused(one) and one.file.signed and refusal(view.firmware, one.file)]
    by_hand = "Secure Boot off, start it, update its first stage, Secure Boot on again; or factory keys, under Secure Boot."
    if view.uefi and view.unread and view.firmware.secure_boot in {"on", None} and not view.well:
        steps = (SetSecureBoot("off"),) if view.secure else ()
        yield Case(False, view.call, "who signed its loader was not read", steps, by_hand)
    if _secure(view) and spoilt and not view.good:
        one = spoilt[0]
        why = f"{one.file.path} on {one.volume.call}: {refusal(view.firmware, one.file)}"
        yield Case(True, one.volume.call, why, (SetSecureBoot("off"),), by_hand)


def _signed_before(one: Loader) -> BootFile | None:
    """The signed first stage beside a menu."""
    return next(
        (
            file
            for file in one.volume.boot_files
            if file.kind == "first-stage" and file.signed and folder_of(file).lower() == one.folder.lower()
        ),
        None,
    )


@cause(
    "stage-skipped",
    "Secure Boot is on, and its entry names the menu in the place of the signed first stage",
    "refused black other no-device",
    3,
    changed="settings linux-update firmware",
    **REFUSED_AT_ONCE,
)
def stage_skipped(view: View) -> Iterator[Case]:
    """The menu's key is known only to the first stage that lies beside it."""
    for one in view.mine if _secure(view) else ():
        named = [entry for entry in view.entries if entry.path.lower() == one.file.path.lower()]
        first = _signed_before(one)
        if one.file.kind == "menu" and _refused(one) and first and named:
            why = f"{named[0].variable} names {one.file.path}, which Secure Boot refuses; {first.path} beside it is signed"
            yield Case(True, named[0].variable, why, tuple(entered(view, one.disk, one.volume, first.path, named[0])))
            return
    if (
        view.uefi
        and view.linux
        and not view.firmware.entries_known
        and view.firmware.secure_boot in {"on", None}
        and not view.well
    ):
        yield Case(False, view.call, "the firmware's entries were not captured", tuple(entered_anew(view)))


@cause(
    "menu-unsigned",
    "Secure Boot is on, and the first stage refuses its menu",
    "refused black other no-device",
    4,
    changed="settings linux-update firmware",
    **REFUSED_AT_ONCE,
)
def menu_unsigned(view: View) -> Iterator[Case]:
    """A menu built by hand, or of another maker, took the place of the signed one."""
    for one in view.mine if _secure(view) else ():
        menu = one.volume.boot_file(f"{one.folder}\\{exact('paths', 'menu_x64')}")
        if one.file.kind == "first-stage" and one.file.signed and menu is not None and (menu.signed is False or menu.altered):
            said = ALTERED if menu.altered else "it is not signed"
            yield Case(True, one.volume.call, f"{menu.path} on {one.volume.call}: {said}", (SetSecureBoot("off"),))
            return


@cause(
    "kernel-unsigned",
    "Secure Boot is on, and its kernel is not signed",
    "refused kernel-error prompt black",
    5,
    changed="settings linux-update firmware",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="uefi",
    secure_off="starts",
    kernel="yes",
)
def kernel_unsigned(view: View) -> Iterator[Case]:
    """The menu starts, and its kernel is refused: one built by hand, or one older than the signature."""
    if _secure(view) and view.system.kernel_signed is False:
        yield Case(True, view.call, f"the kernel on {view.call} is not signed", (SetSecureBoot("off"),))
    elif (
        view.linux
        and view.uefi
        and view.firmware.secure_boot in {"on", None}
        and view.system.kernel_signed is None
        and not view.well
    ):
        steps = (SetSecureBoot("off"),) if view.secure else ()
        yield Case(False, view.call, f"whether the kernel on {view.call} is signed was not read", steps, NOTED)


@cause(
    "revoked",
    "Its first stage is too old for this firmware",
    "refused black other no-device",
    4,
    changed="nt-update linux-update firmware",
    **REFUSED_AT_ONCE,
)
def revoked(view: View) -> Iterator[Case]:
    """An update of another system put it on the list of what no longer starts; a capture of text shows no file's generation."""
    stages = [one for one in view.mine if one.file.kind == "first-stage"]
    if not view.uefi or not view.linux or view.firmware.secure_boot not in {"on", None}:
        return
    if not (stages or view.unread):
        return
    by_hand = "Secure Boot off, start it, update its first stage, Secure Boot on again."
    steps = (SetSecureBoot("off"),) if view.secure else ()
    known = stages[0].file.generation if stages else None
    least = view.machine.conditions.least_generation
    if known is not None and least is not None:
        if known < least:
            why = f"{stages[0].file.path} is of generation {known}, and this firmware starts none below {least}"
            yield Case(True, stages[0].volume.call, why, steps, by_hand)
        return
    why = "the generation of its first stage, or the least that this firmware starts, was not captured"
    yield Case(False, view.call, why, steps, by_hand)


@cause(
    "mode-legacy",
    "The firmware starts the legacy way, and the system needs UEFI",
    "no-device one-line other loop",
    6,
    changed="firmware settings",
    again="same",
    one_time="not-listed back",
    disk_listed="yes",
    mode="legacy",
)
def mode_legacy(view: View) -> Iterator[Case]:
    """A reset board, or somebody who looked for another setting."""
    if not view.legacy or not view.mine or not any(view.call in one.reached.systems for one in view.mine):
        return
    one = next(one for one in view.mine if view.call in one.reached.systems)
    why = f"the firmware starts the legacy way; {one.file.path} on {one.volume.call} starts {view.call} through UEFI"
    yield Case(True, view.disk.id, why, (SetMode("uefi"),))


@cause(
    "mode-uefi",
    "The firmware starts through UEFI, and the system needs the legacy way",
    "no-device other",
    5,
    changed="firmware settings",
    again="same",
    one_time="not-listed",
    disk_listed="yes",
    mode="uefi",
    folder="none",
)
def mode_uefi(view: View) -> Iterator[Case]:
    """Its disk has start code and an MBR, and no EFI system partition leads to it."""
    if view.uefi and view.disk.table.kind == "mbr" and view.disk.table.boot_code and not view.mine and view.esp is None:
        why = f"disk {view.disk.id} has code in its first sector and no EFI system partition"
        yield Case(True, view.disk.id, why, (SetMode("legacy"),))


@cause(
    "medium-in",
    "Something plugged in starts first",
    "loop no-device other prompt one-line black",
    6,
    changed="disks nothing settings",
    again="starts",
    one_time="starts",
    disk_listed="yes",
)
def medium_in(view: View) -> Iterator[Case]:
    """An installer's stick that is still in starts again, and looks like a loop; a data stick may end at a line of text."""
    removable = [one for one in view.machine.disks if one.removable and one.id != view.disk.id]
    if view.well or not removable:
        return
    first = view.started.started
    hit = next((one for one in removable if first and first[0] == one.id), None)
    if view.legacy and view.machine.disks[0].removable and view.machine.disks[0].id != view.disk.id:
        hit = view.machine.disks[0]
    own = next((one for one in view.ways if view.call in one.systems and one.entry in view.entries), None)
    if hit is not None:
        steps = (*first_in_order(view.machine, own.entry.number),) if own and view.uefi else ()
        by_hand = "Take it out, restart; where it stays in, put the system's own entry before it."
        yield Case(True, hit.id, f"disk {hit.id}, which can be taken out, starts first", steps, by_hand)


@cause(
    "disk-out",
    "The system's disk, or one that its start leads through, is not there",
    "other no-device prompt emergency one-line not-listed",
    4,
    changed="disks nothing",
    again="same",
    one_time="not-listed back",
    disk_listed="no",
    prompt_disks="missing",
    waits_for="volume",
)
def disk_out(view: View) -> Iterator[Case]:
    """A cable, a cage, a disk that died or was left at home. A capture shows what was plugged in when it was made."""
    yield Case(
        False, view.disk.id, f"whether disk {view.disk.id} is seen by the firmware was not captured", (Confirm("disk_seated"),)
    )


@cause(
    "external-start",
    "The firmware does not start from outside",
    "other no-device",
    3,
    changed="firmware settings",
    again="same",
    one_time="not-listed",
    disk_listed="yes",
    folder="whole",
)
def external_start(view: View) -> Iterator[Case]:
    """External disks are listed, and no start from them is allowed."""
    known = view.machine.conditions.external_start
    if view.disk.removable and known is not True:
        why = "start from outside is not allowed" if known is False else "whether start from outside is allowed was not noted"
        yield Case(known is False, view.disk.id, why, (SetSetting("external_start", to=True),))


@cause(
    "fast-boot",
    "Fast boot leaves out what it starts from, or the keys",
    "other no-device not-listed",
    2,
    changed="firmware settings",
    again="same",
    one_time="not-listed",
    disk_listed="yes",
    folder="whole",
)
def fast_boot(view: View) -> Iterator[Case]:
    """Ports and disks that are not the usual one are not looked at, and the one-time menu's key is not either."""
    known = view.machine.conditions.fast_boot
    if view.disk.removable and known is not False:
        why = "fast boot is on" if known else "whether fast boot is on was not noted"
        yield Case(bool(known), view.disk.id, why, (SetSetting("fast_boot", to=False),))
