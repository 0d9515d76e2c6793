"""Faults to plant in a sound machine: each breaks the start of one system in one way, as it is met in a shop."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from random import Random
from typing import TypeVar

from inkshelf.core.boot.mishaps import ForgotEntries, UpdatedNt
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import guid
from inkshelf.core.machine.state import BootEntry, BootFile, Machine, SystemRoot, Volume
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

Planting = Callable[[Machine, str, Random], Machine]
Found = TypeVar("Found")


class Fault(Value, frozen=True):
    """One fault. ``family``: of the system whose start it breaks; ``seen``: what its owner sees (a key of ``mending.sights``); ``mode``: of the
    firmware that it is met on; ``causes``: of ``mending`` that mend it, any of them."""

    key: str
    title: str
    family: str
    seen: str
    plant: Planting
    causes: tuple[str, ...]
    mode: str = "uefi"


def system_of(machine: Machine, family: str) -> str:
    """Return the call number of the first system of a family; raises ``KeyError`` where there is none."""
    for _, one in machine.volumes():
        if one.holds and one.holds.family == family:
            return one.call
    raise KeyError(family)


def _firmware(machine: Machine, **facts: object) -> Machine:
    return replace(machine, firmware=replace(machine.firmware, **facts))


def _own(machine: Machine, call: str) -> BootEntry:
    """The entry of a system: by the family's loader."""
    place = machine.find(call)
    nt = place is not None and place[1].holds is not None and place[1].holds.family == "nt"
    loader = exact("paths", "nt_loader").lower()
    return _first((one for one in machine.firmware.entries if (one.path.lower() == loader) == nt), "its entry")


def _first(found: Iterator[Found], what: str) -> Found:
    """The first of what a fault spoils; ``LookupError`` where an earlier fault has left none."""
    for one in found:
        return one
    raise LookupError(f"There is nothing left of {what} to spoil.")


def planted(fault: Fault, machine: Machine, call: str, draw: Random) -> Machine | None:
    """Return the machine with one more fault; ``None`` where an earlier one has taken away what this one spoils."""
    try:
        return fault.plant(machine, call, draw)
    except LookupError:
        return None


def _entry(machine: Machine, call: str, **facts: object) -> Machine:
    own = _own(machine, call)
    return _firmware(machine, entries=tuple(replace(one, **facts) if one == own else one for one in machine.firmware.entries))


def _files(machine: Machine, change: Callable[[BootFile], BootFile | None]) -> Machine:
    """Change start-up files wherever they lie; one that comes to nothing is gone."""
    for _, volume in tuple(machine.volumes()):
        if volume.boot_files:
            left = tuple(two for one in volume.boot_files if (two := change(one)) is not None)
            machine = machine.with_volume(volume.call, lambda one, left=left: replace(one, boot_files=left))  # type: ignore[misc]
    return machine


def _linux(one: BootFile) -> bool:
    return one.kind in {"first-stage", "menu", "menu-config"}


def _gone(*kinds: str) -> Planting:
    return lambda machine, _call, _draw: _files(machine, lambda one: None if one.kind in kinds else one)


def _spoilt(kind: str, **facts: object) -> Planting:
    return lambda machine, _call, _draw: _files(machine, lambda one: replace(one, **facts) if one.kind == kind else one)


def _last(machine: Machine, call: str, _draw: Random) -> Machine:
    own = _own(machine, call).number
    order = (*(one for one in machine.firmware.order if one != own), own)
    return _firmware(machine, order=order)


def _not_in_order(machine: Machine, call: str, _draw: Random) -> Machine:
    own = _own(machine, call).number
    return _firmware(machine, order=tuple(one for one in machine.firmware.order if one != own))


def _no_entry(machine: Machine, call: str, _draw: Random) -> Machine:
    own = _own(machine, call)
    machine = _not_in_order(machine, call, _draw)
    return _firmware(machine, entries=tuple(one for one in machine.firmware.entries if one != own))


def _elsewhere(machine: Machine, call: str, draw: Random) -> Machine:
    return _entry(machine, call, partition_guid=guid(f"lost {draw.random()}", "entry"))


def _number(machine: Machine, call: str, draw: Random) -> Machine:
    return _entry(machine, call, partition_number=_own(machine, call).partition_number + draw.randint(5, 9))


def _slashes(machine: Machine, call: str, _draw: Random) -> Machine:
    return _entry(machine, call, path=_own(machine, call).path.replace("\\", "/"))


def _once(machine: Machine, call: str, _draw: Random) -> Machine:
    own = _own(machine, call)
    other = _first((one.number for one in machine.firmware.entries if one != own), "other entries")
    return _firmware(machine, next=other)


def _skipped(machine: Machine, call: str, _draw: Random) -> Machine:
    files = (file for _, volume in machine.volumes() for file in volume.boot_files)
    menu = _first((one.path for one in files if one.kind == "menu" and "\\BOOT\\" not in one.path.upper()), "the menu")
    return _entry(machine, call, path=menu)


def _renewed(machine: Machine, _call: str, draw: Random) -> Machine:
    lost = guid(f"lost {draw.random()}", "root").lower()
    return _files(machine, lambda one: replace(one, targets=(lost,)) if one.kind == "menu-config" else one)


def _handed(machine: Machine, _call: str, draw: Random) -> Machine:
    lost = guid(f"lost {draw.random()}", "menu").lower()
    return _files(machine, lambda one: replace(one, targets=(), hands_over=(lost,)) if one.kind == "menu-config" else one)


def _hidden(machine: Machine, _call: str, _draw: Random) -> Machine:
    machine = replace(machine, conditions=replace(machine.conditions, type_insisted=True))  # of a board that says so
    return _each(machine, lambda one: replace(one, type_id=gpt_type("basic_data")) if one.role == "startup" else one)


def _each(machine: Machine, change: Callable[[Volume], Volume]) -> Machine:
    return replace(
        machine, disks=tuple(replace(disk, volumes=tuple(change(one) for one in disk.volumes)) for disk in machine.disks)
    )


def _small(machine: Machine, _call: str, _draw: Random) -> Machine:
    def change(one: Volume) -> Volume:
        held = one.filesystem
        return replace(one, filesystem=replace(held, clusters=65_524)) if held and held.kind == "fat32" else one

    return _each(machine, change)


def _kernel(machine: Machine, call: str, _draw: Random) -> Machine:
    return machine.with_volume(call, lambda one: replace(one, holds=_held(one, kernels=0)))


def _held(volume: Volume, **facts: object) -> SystemRoot | None:
    return replace(volume.holds, **facts) if volume.holds else None


def _old_stage(machine: Machine, call: str, draw: Random) -> Machine:
    least = draw.randint(3, 5)
    machine = _spoilt("first-stage", generation=least - 1)(machine, call, draw)
    return replace(machine, conditions=replace(machine.conditions, least_generation=least))


def _no_boot_data(machine: Machine, call: str, draw: Random) -> Machine:
    return _nt_alone(_gone("nt-boot-data")(machine, call, draw), call)


def _boot_data_astray(machine: Machine, call: str, draw: Random) -> Machine:
    lost = guid(f"lost {draw.random()}", "boot data")
    return _nt_alone(_spoilt("nt-boot-data", targets=(lost,))(machine, call, draw), call)


def _nt_alone(machine: Machine, call: str) -> Machine:
    """The NT family's entry first, and no menu that lists it."""
    own = _own(machine, call).number
    machine = _firmware(machine, order=(own, *(one for one in machine.firmware.order if one != own)))
    return _unlisted(machine)


def _unlisted(machine: Machine) -> Machine:
    def change(one: BootFile) -> BootFile:
        return replace(one, targets=tuple(two for two in one.targets if not two.startswith("\\")))

    return _files(machine, lambda one: change(one) if one.kind == "menu-config" else one)


def _not_listed(machine: Machine, call: str, _draw: Random) -> Machine:
    """The menu comes first and does not list the system."""
    others = tuple(one for one in machine.firmware.order if one != _own(machine, call).number)
    return _unlisted(_firmware(machine, order=(*others, _own(machine, call).number)))


def _updated(machine: Machine, _call: str, _draw: Random) -> Machine:
    return UpdatedNt().befall(machine)


def _reset(machine: Machine, _call: str, _draw: Random) -> Machine:
    return ForgotEntries().befall(machine)


def _no_code(machine: Machine, _call: str, _draw: Random) -> Machine:
    disk = machine.disks[0]
    return machine.with_disk(replace(disk, table=replace(disk.table, boot_code=False, code_of="", core_lba=None)))


def _active(*wanted: str) -> Planting:
    """Only these families' volumes are marked active, and the NT family's own code lies in the first sector."""

    def plant(machine: Machine, _call: str, _draw: Random) -> Machine:
        disk = machine.disks[0]
        machine = machine.with_disk(replace(disk, table=replace(disk.table, boot_code=True, code_of="nt", core_lba=None)))
        return _each(machine, lambda one: replace(one, active=bool(one.holds and one.holds.family in wanted)))

    return plant


FAULTS = (
    Fault("order", "The other system was put first", "linux", "other", _last, ("order",)),
    Fault("not-in-order", "The entry fell out of the order", "linux", "other", _not_in_order, ("not-in-order",)),
    Fault(
        "entry-off", "The entry was switched off", "linux", "other", lambda m, c, _: _entry(m, c, active=False), ("entry-off",)
    ),
    Fault("no-entry", "The entry is gone", "linux", "other", _no_entry, ("no-entry",)),
    Fault("reset", "The firmware was reset", "linux", "other", _reset, ("no-entry",)),
    Fault("entry-nowhere", "The entry names a partition of another disk", "linux", "other", _elsewhere, ("entry-nowhere",)),
    Fault("entry-number", "A number slip in the entry", "linux", "other", _number, ("entry-number",)),
    Fault("entry-path", "Slashes the wrong way", "linux", "other", _slashes, ("entry-path",)),
    Fault("next-once", "Another start was asked for, once", "linux", "other", _once, ("next-once",)),
    Fault("nt-update", "An update put its own loader first", "linux", "other", _updated, ("order",)),
    Fault(
        "loader-gone",
        "Somebody tidied the EFI system partition",
        "linux",
        "other",
        _gone("first-stage", "menu", "menu-config"),
        ("loader-gone",),
    ),
    Fault(
        "loader-broken",
        "A loader that is no program",
        "linux",
        "other",
        _spoilt("first-stage", unfit="no program"),
        ("loader-broken",),
    ),
    Fault(
        "other-processor",
        "A loader for another processor",
        "linux",
        "other",
        _spoilt("first-stage", unfit="aa64"),
        ("other-processor",),
    ),
    Fault("menu-gone", "The menu beside the first stage is gone", "linux", "other", _gone("menu"), ("menu-gone",)),
    Fault("config-gone", "A menu without its configuration", "linux", "prompt", _gone("menu-config"), ("config-gone",)),
    Fault(
        "config-elsewhere", "The configuration lies on a disk that is out", "linux", "prompt", _handed, ("config-elsewhere",)
    ),
    Fault("root-renewed", "The root was made anew, the menu was not", "linux", "prompt", _renewed, ("root-renewed",)),
    Fault("kernel-gone", "No kernel was left whole", "linux", "kernel-error", _kernel, ("kernel-gone",)),
    Fault(
        "loader-unsigned",
        "Secure Boot against a loader without a signature",
        "linux",
        "refused",
        _spoilt("first-stage", signed=False),
        ("loader-unsigned",),
    ),
    Fault(
        "menu-unsigned",
        "Secure Boot against a menu without a signature",
        "linux",
        "refused",
        _spoilt("menu", signed=False),
        ("menu-unsigned",),
    ),
    Fault("stage-skipped", "The entry goes past the signed first stage", "linux", "refused", _skipped, ("stage-skipped",)),
    Fault("revoked", "A first stage that is too old", "linux", "refused", _old_stage, ("revoked",)),
    Fault("type-hidden", "The EFI system partition bears another type", "linux", "no-device", _hidden, ("type-hidden",)),
    Fault("esp-small", "Too few clusters for firmware to read", "linux", "no-device", _small, ("esp-unreadable",)),
    Fault("not-listed", "A menu without the system", "nt", "not-listed", _not_listed, ("not-listed",)),
    Fault("boot-data-gone", "The boot data is gone", "nt", "system-screen", _no_boot_data, ("boot-data-gone",)),
    Fault(
        "boot-data-astray",
        "The boot data names another volume",
        "nt",
        "system-screen",
        _boot_data_astray,
        ("boot-data-astray",),
    ),
    Fault("no-code", "No code in the first sector", "nt", "no-device", _no_code, ("no-start-code",), "legacy"),
    Fault("not-active", "No volume is marked active", "nt", "one-line", _active(), ("not-active",), "legacy"),
    Fault(
        "wrong-active",
        "The wrong flag: another volume is marked active",
        "nt",
        "one-line",
        _active("linux"),
        ("active-twice", "not-active"),
        "legacy",
    ),
    Fault(
        "mode-uefi",
        "The firmware was switched to UEFI",
        "nt",
        "no-device",
        lambda m, _c, _d: _firmware(m, mode="uefi", entries_known=True),
        ("mode-uefi",),
        "legacy",
    ),
)
"""Every fault that is planted, in the order in which they are learned."""


def fault_of(key: str) -> Fault:
    """Return a fault; raises ``KeyError`` for one that is not there."""
    found = {one.key: one for one in FAULTS}
    if key not in found:
        raise KeyError(f"There is no fault “{key}”.")
    return found[key]
