"""What a menu loads: its own configuration, the one on a root volume that it hands over to, kernels by UUID, other loaders in a chain.

A menu that runs never returns by itself: where its configuration, a root or a kernel is missing it waits at a prompt
(see docs/firmware-rules.md).
"""

from __future__ import annotations

from inkshelf.core.boot.routes import Reached, Station
from inkshelf.core.boot.trust import ALTERED
from inkshelf.core.disk.entry_files import beginning
from inkshelf.core.disk.menus import ELSEWHERE
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.roles import named_by_boot_data, spelt, uuids_of
from inkshelf.core.machine.state import BootFile, Disk, Machine, Volume, as_volume
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

GONE = "what the menu starts by itself is not there"
GONE_NT = "what its boot data starts by itself is not there; its menu lists the others"
UNREAD_NT = "which one begins by itself was not read from its boot data"
HIDES_CONTENTS = {"luks", "lvm", "nt-encrypted", "unknown", "damaged"}


def load_nt(machine: Machine, volume: Volume, stop: Station) -> Reached:
    """The NT family's loader: it starts what its boot data names, with a menu where it names several, and shows a screen of its own where none is there."""
    data = volume.boot_file(exact("paths", "nt_boot_data"))
    if data is None:
        return Reached((stop,), broken=f"its boot data is not on {volume.call}; it waits at a screen of its own", waits=True)
    named = _named(machine, volume, data)
    if not named:
        return Reached(
            (stop,), broken="its boot data names a volume that is not there; it waits at a screen of its own", waits=True
        )
    default = spelt(data.begins or data.targets[0])
    first = [one for target, one in named if target == default]
    asks = "" if first else UNREAD_NT if data.begins == ELSEWHERE else GONE_NT
    ordered = [*first, *(one for target, one in named if target != default)]
    menu = (Station("menu", "menu", f"lists {len(ordered)}", volume.call),) if len(data.targets) > 1 else ()
    head = ordered[0]
    title, place = head.holds.title if head.holds else "", f"on {head.call}" if head.number else f"in {head.name}"
    stations = (stop, *menu, Station("system", title, place, head.call))
    return Reached(stations, tuple(one.call for one in ordered), by_itself=not asks, asks=asks)


def _named(machine: Machine, volume: Volume, data: BootFile) -> list[tuple[str, Volume]]:
    """The systems that are there of those that boot data names, in its order, each with the target that names it.

    Of volumes with one name, a disk and its copy, the loader finds one: that on its own disk, else the first.
    """
    found: dict[str, Volume] = {}
    for disk in sorted(machine.disks, key=lambda one: volume not in one.volumes):
        for one in disk.volumes:
            if one.holds and one.holds.family == "nt" and (name := named_by_boot_data(disk, one)):
                found.setdefault(name, one)
            for file in one.disk_files:
                if file.holds:
                    found.setdefault(spelt(file.path), as_volume(one, file))
    return [(target, found[target]) for target in dict.fromkeys(map(spelt, data.targets)) if target in found]


def load_menu(machine: Machine, disk: Disk, volume: Volume, file: BootFile, stop: Station) -> Reached:
    """A menu, by way of its signed first stage where that is what was started."""
    folder = file.path.rsplit("\\", 1)[0]
    if file.kind == "first-stage":
        menu = volume.boot_file(f"{folder}\\{exact('paths', 'menu_x64')}")
        if menu is None:
            return Reached((stop,), broken="the menu it loads is not beside it")
        if machine.firmware.secure_boot == "on" and menu.signed is False:
            return Reached((stop,), broken="Secure Boot: the first stage refuses the menu, which is not signed")
        if machine.firmware.secure_boot == "on" and menu.altered:
            return Reached((stop,), broken=f"Secure Boot: the first stage refuses the menu: {ALTERED}")
    config = volume.boot_file(f"{folder}\\{exact('paths', 'menu_config')}")
    if config is None:
        return _waits(stop, volume, "no configuration", "the menu has no configuration and waits at a prompt")
    if config.hands_over:
        return _handed_over(machine, disk, volume, config, stop)
    return _listed(machine, disk, volume, (config,), stop)


def load_entries(machine: Machine, disk: Disk, volume: Volume, stop: Station) -> Reached:
    """A menu of entry files (Boot Loader Specification): those of its own volume, and of an extended boot partition of the same disk.

    Their kernels lie beside them. An NT-family loader on its own volume is listed too, behind them; nothing on other disks is.
    """
    apart = [one for one in disk.volumes if one.type_id.upper() == gpt_type("linux_extended_boot") and one.call != volume.call]
    entries = tuple(file for place in (volume, *apart) for file in place.boot_files if file.kind == "entry")
    entries = beginning(entries, next((one for one in volume.boot_files if one.kind == "entry-config"), None))
    reached = _listed(machine, disk, volume, entries, stop, beside=True) if entries else None
    nt = load_nt(machine, volume, stop) if volume.boot_file(exact("paths", "nt_loader")) else None
    more = tuple(one for one in nt.systems if reached is None or one not in reached.systems) if nt else ()
    if reached is not None and reached.systems:
        shown = replace(reached.stations[1], detail=f"lists {len(reached.systems) + len(more)}")
        return replace(reached, stations=(reached.stations[0], shown, *reached.stations[2:]), systems=(*reached.systems, *more))
    if more and nt:
        return replace(nt, stations=(stop, Station("menu", "menu", f"lists {len(more)}", volume.call), nt.stations[-1]))
    if reached is not None and reached.broken.startswith("Secure Boot"):
        return reached
    return Reached(
        (stop,), broken="none of its entry files leads to a system that is there; what it does then is not known", unclear=True
    )


def _waits(stop: Station, volume: Volume, detail: str, why: str) -> Reached:
    return Reached((stop, Station("menu", "menu", detail, volume.call)), broken=why, waits=True)


def _handed_over(machine: Machine, disk: Disk, volume: Volume, config: BootFile, stop: Station) -> Reached:
    """The configuration beside the loader only says where the real one lies."""
    for _, other in machine.volumes():
        if other.filesystem and other.filesystem.uuid.lower() in config.hands_over:
            configs = tuple(one for one in other.boot_files if one.kind in {"menu-config", "entry"})
            if configs:
                return _listed(machine, disk, other, configs, stop)
            return _waits(stop, other, "no configuration", f"its configuration is not on {other.call}; it waits at a prompt")
    shut = _shut(machine)
    if shut and any(_may_hold(machine, one) for one in config.hands_over):
        why = f"no key slot of {shut} is of the kind that the menu opens (PBKDF2); it waits at a prompt"
        return _waits(stop, volume, "behind a lock", why)
    if any(_may_hold(machine, one) for one in config.hands_over):
        return Reached((stop,), broken="its configuration lies in a volume that cannot be looked into")
    return _waits(
        stop, volume, "no configuration", "the volume that holds its configuration is not there; it waits at a prompt"
    )


class _Led(Value, frozen=True):
    """What one target of a menu leads to: ``systems``; why it is ``refused``; ``gone``: it is not there."""

    systems: tuple[str, ...] = ()
    refused: str = ""
    gone: bool = False


def _listed(
    machine: Machine, disk: Disk, volume: Volume, configs: tuple[BootFile, ...], stop: Station, *, beside: bool = False
) -> Reached:
    """What the menu's entries lead to, in their order, what it starts by itself first; where that is gone a person must choose.

    ``beside``: the kernels lie where the menu does, and not in the roots.
    """
    systems: list[str] = []
    refused, gone = "", False
    for target in (one for config in configs for one in config.targets):
        led = _led(machine, disk, configs, target, beside=beside)
        refused = led.refused or refused
        gone = gone or (led.gone and not systems)
        systems += [call for call in led.systems if call not in systems]
    shown = (stop, Station("menu", "menu", f"lists {len(systems)}", volume.call))
    if not systems:
        return Reached(shown, broken=refused or "nothing that the menu lists is there; it waits at a prompt", waits=True)
    asks = GONE if gone else ""
    begins = next((one.begins for one in configs if one.begins), "")
    if begins == ELSEWHERE:
        asks = "which one the menu starts by itself was not read from it"
    elif begins:
        led = _led(machine, disk, configs, begins, beside=beside)
        systems.sort(key=lambda one: one not in led.systems)  # stays in order beside that
        asks = "" if led.systems else GONE
    if any(one.stays for one in configs):
        asks = asks or "the menu waits for a person, without a limit"
    first = machine.find(systems[0])
    last = (Station("system", first[1].holds.title, f"on {systems[0]}", systems[0]),) if first and first[1].holds else ()
    return Reached((*shown, *last), tuple(systems), by_itself=not asks, asks=asks)


def _led(machine: Machine, disk: Disk, configs: tuple[BootFile, ...], target: str, *, beside: bool) -> _Led:
    if target.startswith("\\"):
        return _Led(_chained(machine, disk, target))
    found = [one for _, one in machine.volumes() if target.lower() in uuids_of(one)]
    if not found:
        return _Led(gone=not _may_hold(machine, target))
    root = min(found, key=lambda one: one not in disk.volumes)  # of a copy and its original, the one beside the menu
    if root.holds is None:
        return _Led()
    if machine.firmware.secure_boot == "on" and root.holds.kernel_signed is False:
        return _Led(refused=f"Secure Boot: the kernel on {root.call} is not signed")
    if root.holds.kernels == 0 and not beside and not _kernels_elsewhere(machine, configs, root):
        return _Led(gone=True)
    return _Led((root.call,))


def _kernels_elsewhere(machine: Machine, configs: tuple[BootFile, ...], root: Volume) -> bool:
    """Whether a boot volume of its own, that the menu names too, may hold the kernels of a root that has none."""
    named = {target.lower() for config in configs for target in config.targets}
    return any(
        one.call != root.call and one.holds is None and one.filesystem and one.filesystem.uuid.lower() in named
        for _, one in machine.volumes()
    )


def _shut(machine: Machine) -> str:
    """The containers that the menu cannot open, where nothing else is there that hides what it holds; empty otherwise."""
    hiding = [one for _, one in machine.volumes() if one.filesystem and one.filesystem.kind in HIDES_CONTENTS]
    shut = [one for one in hiding if one.filesystem and one.filesystem.slots and "pbkdf2" not in one.filesystem.slots]
    return ", ".join(one.call for one in shut) if shut == hiding else ""


def _may_hold(machine: Machine, uuid: str) -> bool:
    """Whether a file system that is not seen may be inside something that cannot be looked into."""
    for _, volume in machine.volumes():
        system = volume.filesystem
        if system and (system.kind in HIDES_CONTENTS or any(one.uuid.lower() == uuid.lower() for one in system.inside)):
            return True
    return False


def _chained(machine: Machine, disk: Disk, path: str) -> tuple[str, ...]:
    """Chain-load another loader: the first volume, this disk first, that has the file and starts something."""
    for other in sorted(machine.disks, key=lambda one: one.id != disk.id):
        for volume in other.volumes:
            file = volume.boot_file(path)
            if file and file.kind == "nt-loader":
                reached = load_nt(machine, volume, Station("loader", "", "", volume.call))
                if reached.systems:
                    return reached.systems
    return ()
