"""Causes of the legacy way: code in the first sector, the active mark, room for a loader's core, the order of disks."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.legacy import boot_data, names, of_another
from inkshelf.core.boot.own_files import own_file
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import guid
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.roles import named_by_boot_data
from inkshelf.core.machine.state import Gap, Volume
from inkshelf.core.mending.base import Case, cause
from inkshelf.core.mending.repairs import inside
from inkshelf.core.mending.view import View
from inkshelf.core.size import MIB, align_up
from inkshelf.core.steps.kinds import Confirm, Create, PutLoader, Retype, SetMode, Step, WriteStartCode

NOTHING = "no-device one-line loop"


@cause(
    "no-start-code",
    "No code lies in the first sector of its disk",
    NOTHING,
    5,
    changed="disks linux-update nothing",
    again="same",
    one_time="back not-listed",
    disk_listed="yes",
    mode="legacy",
    flag="right none",
)
def no_start_code(view: View) -> Iterator[Case]:
    """The table was made anew, or the disk copied volume by volume."""
    through_uefi = view.disk.table.kind == "gpt" and any(view.call in one.reached.systems for one in view.mine)
    if view.legacy and view.disk.table.boot_code is False and not _nt_on_gpt(view) and not through_uefi:
        why = f"sector 0 of disk {view.disk.id} has no code"
        yield Case(True, view.disk.id, why, _code(view))


@cause(
    "other-start-code",
    "The first sector holds another system's code",
    "other one-line prompt",
    6,
    changed="nt-update linux-update disks",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="legacy",
    flag="right none other",
)
def other_start_code(view: View) -> Iterator[Case]:
    """One family's installer writes its code over the other's; whose it is was not followed here."""
    if not view.legacy or view.disk.table.boot_code is False or _nt_on_gpt(view):
        return
    if view.disk.table.code_of == "nt" and not view.nt:
        why = f"the code in sector 0 of disk {view.disk.id} is the NT family's, which starts the active volume and nothing else"
        yield Case(True, view.disk.id, why, _code(view))
    elif not view.disk.table.code_of:
        why = "whose code lies in the first sector is not followed"
        yield Case(False, view.disk.id, why, _code(view))


@cause(
    "not-active",
    "No volume of its disk is marked active",
    NOTHING,
    5,
    changed="disks linux-update",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="legacy",
    flag="none",
)
def not_active(view: View) -> Iterator[Case]:
    """The NT family's code looks for the active volume, and finds none."""
    if _wants_mark(view) and not any(one.active for one in view.disk.volumes):
        yield Case(True, view.disk.id, f"no volume of disk {view.disk.id} is marked active", _marked(view))


@cause(
    "active-twice",
    "More than one volume, or the wrong one, is marked active",
    "no-device one-line loop other",
    3,
    changed="disks linux-update",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="legacy",
    flag="other",
)
def active_twice(view: View) -> Iterator[Case]:
    """Code that finds two stops; with the wrong one it starts what lies there."""
    active = [one for one in view.disk.volumes if one.active]
    marked = [one.call for one in active]
    wrong = len(marked) > 1 or (len(marked) == 1 and marked != [_starter(view).call])
    if _wants_mark(view) and wrong:
        yield Case(
            len(marked) > 1 or (view.disk.table.code_of == "nt" and of_another(active[0])),
            view.disk.id,
            f"{' and '.join(marked)} {'are' if len(marked) > 1 else 'is'} marked active",
            _marked(view),
        )


@cause(
    "no-core",
    "Its loader has no room for its core",
    "prompt one-line no-device",
    4,
    changed="disks linux-update",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="legacy",
)
def no_core(view: View) -> Iterator[Case]:
    """The legacy way from a GPT needs a BIOS boot partition, which is not there."""
    if view.legacy and view.linux and view.disk.table.kind == "gpt" and not _has_core(view) and view.disk.table.boot_code:
        steps = _core(view)
        by_hand = "" if steps else f"There is no free MiB on disk {view.disk.id}: make room first."
        made = _code(view) if steps else ()
        yield Case(True, view.disk.id, f"disk {view.disk.id} is GPT and has no BIOS boot partition", made, by_hand)


@cause(
    "nt-on-gpt",
    "The NT family does not start the legacy way from a GPT",
    NOTHING + " other",
    3,
    changed="firmware settings disks",
    again="same",
    one_time="back not-listed",
    disk_listed="yes",
    mode="legacy",
)
def nt_on_gpt(view: View) -> Iterator[Case]:
    """Its disk is GPT, and the firmware starts the legacy way."""
    if view.legacy and _nt_on_gpt(view) and not any(view.call in one.reached.systems for one in view.mine):
        by_hand = "Switch the firmware to UEFI; its EFI system partition then needs its loader: ask again afterwards."
        yield Case(True, view.disk.id, f"disk {view.disk.id} is GPT", (SetMode("uefi"),), by_hand)


@cause(
    "disk-order",
    "Another disk comes first",
    "other no-device one-line prompt",
    6,
    changed="disks firmware settings",
    again="same",
    one_time="starts",
    disk_listed="yes",
    mode="legacy",
    flag="right",
)
def disk_order(view: View) -> Iterator[Case]:
    """A BIOS takes the first disk of its list and no other."""
    if view.legacy and len(view.machine.disks) > 1:
        first = view.machine.disks[0]
        if first.id != view.disk.id:
            yield Case(True, view.disk.id, f"disk {first.id} was captured as the first", (Confirm("disk_first"),))


@cause(
    "moved-start",
    "Its boot data names the place where its volume stood before",
    "system-screen one-line",
    4,
    changed="disks",
    again="same",
    one_time="back",
    disk_listed="yes",
    mode="legacy",
    flag="right",
)
def moved_start(view: View) -> Iterator[Case]:
    """On an MBR the NT family's boot data holds the disk's signature and the volume's first byte."""
    if not view.legacy or not view.nt or view.disk.table.kind != "mbr":
        return
    read = boot_data(view.disk)
    if read is None:
        yield Case(False, view.call, "what its boot data says was not read", (Confirm("boot_files_anew"),))
    elif not names(read[1], view.disk, view.volume):
        made = own_file(read[1].path, "nt-boot-data", None, (named_by_boot_data(view.disk, view.volume),))
        why = f"{read[1].path} on {read[0].call} does not name the place of {view.call}"
        yield Case(True, view.call, why, (PutLoader(view.call, read[0].call, (made,), live=True),))


def _nt_on_gpt(view: View) -> bool:
    return view.nt and view.disk.table.kind == "gpt"


def _wants_mark(view: View) -> bool:
    return view.legacy and view.nt and view.disk.table.kind == "mbr" and not _starter(view).logical


def _starter(view: View) -> Volume:
    """The volume that the system's code starts: a small one before it that holds no system and no files of its owner, else its own."""
    small = [
        one
        for one in view.disk.volumes
        if not one.logical
        and not one.holds
        and one.filesystem
        and one.filesystem.kind == "ntfs"
        and one.size < 1 << 30
        and one.start < view.volume.start
    ]
    return small[0] if small else view.volume


def _marked(view: View) -> tuple[Step, ...]:
    right = _starter(view)
    return (Retype(right.call, right.type_id, right.attributes, active=True),)


def _has_core(view: View) -> bool:
    return any(one.type_id.upper() == gpt_type("bios_boot") for one in view.disk.volumes)


def _core(view: View) -> tuple[Step, ...]:
    """A BIOS boot partition in the first gap that has room, where one is needed."""
    if not view.linux or view.disk.table.kind != "gpt" or _has_core(view):
        return ()
    place = next((gap for gap in view.disk.gaps() if _start(gap) + MIB <= gap.end), None)
    if place is None:
        return ()
    numbers = {one.number for one in view.disk.volumes}
    number = next(one for one in range(1, 129) if one not in numbers)
    call = next_call("startup", (*view.machine.calls(), *view.taken))
    identity = guid(view.seed, f"core {call}")
    made = Create(view.disk.id, call, number, _start(place), MIB, gpt_type("bios_boot"), identity, "startup", name="BIOS boot")
    return (made,)


def _code(view: View) -> tuple[Step, ...]:
    """A start code for the system, put there by a live system or its family's recovery; room for its core first, where it needs some.

    Beside a Linux-family system on the same disk it is that one's: its menu lists both, and the NT family's starts the active volume only.
    """
    beside = next((one for one in view.disk.volumes if view.nt and one.holds and one.holds.family == "linux"), None)
    if beside is not None and view.disk.table.kind == "mbr":
        own = View(view.machine, beside.call)
        return inside(own, WriteStartCode(view.disk.id, "linux", live=True))
    return (*_core(view), *inside(view, WriteStartCode(view.disk.id, view.system.family, live=True)))


def _start(gap: Gap) -> int:
    return align_up(gap.start, MIB)
