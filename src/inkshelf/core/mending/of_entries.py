"""Causes among the firmware's entries and their order."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.uefi import entry_leads_to
from inkshelf.core.machine.entries import known_by, named_by
from inkshelf.core.machine.state import BootEntry
from inkshelf.core.mending.base import Case, cause
from inkshelf.core.mending.repairs import entered_anew, fallback_files, first_in_order, loader_put
from inkshelf.core.mending.view import View
from inkshelf.core.steps.mending import ForgetNext, SwitchEntry
from inkshelf.core.value import replace
from inkshelf.data import exact

UNKNOWN = "the firmware's entries were not captured"
FILES_WELL = {"disk_listed": "yes", "mode": "uefi", "folder": "whole"}
"""What the looks find where only the firmware's own list is wrong."""
ELSEWHERE = "other loop no-device prompt not-listed"


def _not_captured(view: View) -> Iterator[Case]:
    """Entries that nobody captured may be wrong in every way."""
    if view.uefi and not view.firmware.entries_known and not view.well:
        yield Case(False, view.call, UNKNOWN, tuple(entered_anew(view)))


def _ends(view: View) -> str:
    """Where the start goes instead, in words."""
    return f"“{view.first.entry.title}” comes first" if view.first else "nothing before it starts"


@cause(
    "order",
    "Another entry comes first",
    "other prompt not-listed? loop",
    9,
    changed="nt-update linux-update firmware nothing",
    again="same",
    one_time="starts",
    **FILES_WELL,
)
def order(view: View) -> Iterator[Case]:
    """An entry of its own works and is on, and one before it starts something."""
    if not view.uefi or _only_once(view):
        return
    tried = [one for one in view.ways if view.call in one.systems and not one.entry.automatic]
    for route in tried:
        if view.first is not None and route is not view.first and route.entry in view.entries:
            why = f"{route.entry.variable} “{route.entry.title}” starts {view.call}; {_ends(view)}"
            yield Case(True, route.entry.variable, why, tuple(first_in_order(view.machine, route.entry.number)))
            return
    yield from _not_captured(view)


def _only_once(view: View) -> bool:
    """Whether it would start, were nothing named for the next start only."""
    if view.firmware.next is None:
        return False
    return View(replace(view.machine, firmware=replace(view.firmware, next=None)), view.call).well


@cause(
    "not-in-order",
    "Its entry is there, and not in the order",
    ELSEWHERE,
    4,
    changed="nt-update linux-update firmware settings nothing",
    again="same",
    one_time="starts",
    **FILES_WELL,
)
def not_in_order(view: View) -> Iterator[Case]:
    """The list of entries has it, the variable BootOrder does not."""
    for entry in view.entries if view.uefi else ():
        if entry.number not in view.firmware.order and entry.active and view.works(entry):
            why = f"{entry.variable} “{entry.title}” leads to {view.call} and stands nowhere in the order"
            yield Case(True, entry.variable, why, tuple(first_in_order(view.machine, entry.number)))
            return
    yield from _not_captured(view)


@cause(
    "entry-off",
    "Its entry is switched off",
    ELSEWHERE,
    3,
    changed="firmware settings nt-update nothing",
    again="same",
    one_time="starts not-listed",
    **FILES_WELL,
)
def entry_off(view: View) -> Iterator[Case]:
    """It has no active mark, and firmware passes it over."""
    for entry in view.entries if view.uefi else ():
        if not entry.active and view.works(entry):
            why = f"{entry.variable} “{entry.title}” leads to {view.call}, and is switched off"
            steps = (SwitchEntry(entry.number), *first_in_order(view.machine, entry.number))
            yield Case(True, entry.variable, why, steps)
            return
    yield from _not_captured(view)


@cause(
    "no-entry",
    "The firmware has no entry for it",
    ELSEWHERE,
    8,
    changed="firmware disks nt-update settings",
    again="same",
    one_time="not-listed",
    **FILES_WELL,
)
def no_entry(view: View) -> Iterator[Case]:
    """Its loader is there, and nothing names it: an entry is lost when a board forgets, or a disk moves to another machine."""
    if not view.uefi or view.well:
        return
    if view.firmware.entries_known and view.good and not view.entries:
        best = view.good[0]
        why = f"no entry names {best.file.path} on {best.volume.call}, which starts {view.call}"
        yield Case(True, view.call, why, tuple(entered_anew(view)))
        return
    yield from _not_captured(view)


@cause(
    "entry-nowhere",
    "Its entry names a partition that is not there",
    ELSEWHERE,
    5,
    changed="disks firmware",
    again="same",
    one_time="back",
    **FILES_WELL,
)
def entry_nowhere(view: View) -> Iterator[Case]:
    """The partition was made anew, or the disk copied to another: its GUID is another one now."""
    for entry in _broken(view):
        if entry_leads_to(view.machine, entry) is None and not _numbered(view, entry):
            why = f"{entry.variable} “{entry.title}” names {_named(entry)}, which is on no disk"
            yield Case(True, entry.variable, why, tuple(entered_anew(view, entry)))
            return
    yield from _not_captured(view)


@cause(
    "entry-number",
    "Its entry names an old partition number",
    ELSEWHERE,
    3,
    changed="disks",
    again="same",
    one_time="back",
    **FILES_WELL,
)
def entry_number(view: View) -> Iterator[Case]:
    """The GUID is right, the number another one: firmware looks at both."""
    for entry in _broken(view):
        if _numbered(view, entry):
            why = f"{entry.variable} “{entry.title}” says partition {entry.partition_number}, and its GUID is that of another number now"
            yield Case(True, entry.variable, why, tuple(entered_anew(view, entry)))
            return
    yield from _not_captured(view)


@cause(
    "entry-path",
    "Its entry names a file that is not there",
    ELSEWHERE,
    4,
    changed="linux-update nt-update settings nothing",
    again="same",
    one_time="back",
    **FILES_WELL,
)
def entry_path(view: View) -> Iterator[Case]:
    """The partition is right, and the file's path is not: another folder, another name, strokes where backslashes belong."""
    for entry in _broken(view):
        found = entry_leads_to(view.machine, entry)
        if found is not None and not view.works(entry) and found[1].call in {one.volume.call for one in view.good}:
            known = found[1].boot_file(found[2])
            if known is None:
                why = f"{entry.variable} “{entry.title}” names {entry.path}, which is not on {found[1].call}"
                yield Case(True, entry.variable, why, tuple(entered_anew(view, entry)))
                return
    yield from _not_captured(view)


def _broken(view: View) -> list[BootEntry]:
    """Entries of its own that do not come to it, where a loader of its own would."""
    if not view.uefi or not view.good:
        return []
    return [one for one in view.entries if one.active and not view.works(one)]


def _named(entry: BootEntry) -> str:
    return f"partition {entry.partition_number}, {known_by(entry)}" if named_by(entry) else "a partition"


def _numbered(view: View, entry: BootEntry) -> bool:
    return any(
        bool(one.guid) and one.guid.upper() == entry.partition_guid.upper() and one.number != entry.partition_number
        for _, one in view.machine.volumes()
    )


@cause(
    "next-once",
    "Another start was asked for, once",
    "other loop no-device not-listed",
    2,
    again="starts",
    one_time="starts",
    changed="settings nt-update linux-update firmware nothing",
    disk_listed="yes",
    folder="whole",
)
def next_once(view: View) -> Iterator[Case]:
    """The variable BootNext names it: firmware forgets that at the next start, some board does not."""
    number = view.firmware.next
    if view.uefi and number is not None and not view.well:
        entry = view.firmware.entry(number)
        title = f" “{entry.title}”" if entry else ""
        yield Case(True, f"Boot{number:04X}", f"the next start is to be Boot{number:04X}{title}, once", (ForgetNext(),))
    elif view.uefi and not view.firmware.entries_known:
        yield Case(False, view.call, UNKNOWN, (), "Restart once more: what is named for once is forgotten then.")


@cause(
    "fallback-gone",
    "Nothing lies where firmware looks without an entry",
    "no-device other loop",
    4,
    changed="firmware disks nt-update",
    again="same",
    one_time="not-listed back",
    **FILES_WELL,
)
def fallback_gone(view: View) -> Iterator[Case]:
    """A disk that travels, or a board that forgets entries, starts by the fallback file alone."""
    path = exact("paths", "fallback_x64")
    if not view.uefi or view.well or not view.good or any(one.fallback for one in view.mine):
        return
    best = view.good[0]
    by_entry = view.entries and not best.disk.removable and not view.machine.conditions.known_paths_only
    if best.volume.boot_file(path) or by_entry:
        return
    why = f"{best.volume.call} has the loader of {view.call}, and no {path}"
    yield Case(True, best.volume.call, why, loader_put(view, best.volume, fallback_files(view, best.volume)))
