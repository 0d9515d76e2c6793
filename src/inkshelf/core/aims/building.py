"""Build one system on a site: its volumes, its installation, its entries; and the volume that all systems share."""

from __future__ import annotations

from inkshelf.core.aims.base import Need
from inkshelf.core.aims.grouping import fill_group, group_name
from inkshelf.core.aims.installing import active, entered, finding_others, install, required_startup
from inkshelf.core.aims.sealing import seal
from inkshelf.core.aims.shares import swap_bytes, swap_file_bytes
from inkshelf.core.aims.systems import Layout, plain_needs
from inkshelf.core.aims.volumes import New, make
from inkshelf.core.fit.room import Fit
from inkshelf.core.machine.profiles import Profile, figure, reason
from inkshelf.core.machine.state import Machine
from inkshelf.core.steps.kinds import Confirm, Install, Mount, Prepare, Step
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

SHARED = "/srv/shared"


class Site(Value, frozen=True):
    """Where a system is built: the machine at that moment, the disk's letter, the free stretch, seed, call numbers given away."""

    machine: Machine
    disk: str
    place: Fit
    seed: str
    taken: tuple[str, ...]


class Work(Value, frozen=True):
    """The steps of one system: volumes, the installation, what is set up in it, then what makes it known to firmware and menus.

    ``group``: it lies in that volume group.
    """

    new: New
    making: tuple[Step, ...]
    install: Install
    inside: tuple[Step, ...]
    entering: tuple[Step, ...]
    group: str = ""


def built(site: Site, kind: Profile, layout: Layout, needs: tuple[Need, ...], sizes: dict[str, int], *, fallback: bool) -> Work:
    """Return the work of one system. ``fallback``: its loader goes where firmware looks without an entry, too;"""
    disk, itself = site.machine.disk(site.disk), layout.divides != "hand"
    new = make(
        disk, site.place, tuple((need, sizes[need.part]) for need in needs), site.seed, site.taken, kind.key if itself else ""
    )
    startup = required_startup(disk, new, layout.mode, layout.mark)
    making: tuple[Step, ...] = new.steps
    if layout.encryption == "none" and (layout.home != "lvm" or kind.family != "linux"):
        done = install(kind, disk, new, startup, layout.mark, fallback=fallback)
    elif layout.encryption == "none":
        fill, inner_new = fill_group(layout, plain_needs(kind, layout), new, site.seed)
        making += (fill,)
        done = replace(
            install(kind, disk, inner_new, startup, layout.mark, fallback=fallback), boot=new.calls[f"boot{layout.mark}"]
        )
    else:
        inner = seal(kind, layout, plain_needs(kind, layout), new, site.seed)
        making += (inner.fill, Confirm("key_kept"))
        done = install(kind, disk, inner.new, startup, layout.mark, fallback=fallback)
        done = replace(done, boot=inner.boot, unlocks=inner.unlocks)
    if layout.home == "subvolumes" and kind.family == "linux":
        done = replace(done, mounts=with_home(done.mounts))
    done = replace(done, divides=layout.divides)
    known = entered(site.machine, disk, kind, startup, keeps=layout.menu == "old")
    others = finding_others(site.machine, done) if layout.menu == "own" else []
    grouped = kind.family == "linux" and (layout.encryption == "all" or (layout.encryption == "none" and layout.home == "lvm"))
    group = group_name(kind, layout) if grouped else ""
    inside = swapped(kind, layout, done)
    return Work(new, (*making, *active(kind, disk, done)), done, inside, (*inside, *others, *known), group)


def swapped(kind: Profile, layout: Layout, done: Install) -> tuple[Step, ...]:
    """Return what is set up in a new system where its swap is no volume: a file in root, or compressed memory."""
    if kind.family != "linux" or layout.divides != "hand":
        return ()  # what an installer lays out by itself has its swap from it
    if layout.swap == "compressed":
        return (Prepare(done.call, "swap_compressed"),)
    size = swap_file_bytes(layout.swap, layout.ram) or (layout.encryption == "root" and swap_bytes(layout.swap, layout.ram))
    return (Prepare(done.call, "swap_file", size),) if size else ()


def with_home(mounts: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
    """Home lies in the same Btrfs as root."""
    root = next(what for what, where in mounts if where == "/")
    return tuple(line for one in mounts for line in ((one, (root, "/home")) if one[1] == "/" else (one,)))


def share_need(share: str) -> tuple[Need, ...]:
    """Return the volume that all systems read and write, where one is wanted."""
    if share == "none":
        return ()
    return (
        Need(
            "share",
            "data",
            "basic_data",
            share,
            "SHARED",
            "shared_data",
            figure("shared_data", "floor"),
            figure("shared_data", "comfortable"),
            grows=True,
            reason=reason("shared_data"),
        ),
    )


def mounted_everywhere(machine: Machine, new: New) -> list[Step]:
    """Return the steps after which every Linux-family system mounts the shared volume; one on another disk does not wait for it."""
    if "share" not in new.calls:
        return []
    place = machine.find(new.calls["share"])
    steps: list[Step] = []
    for disk, volume in machine.volumes():
        system = volume.holds
        if place is None or system is None or system.family != "linux" or any(where == SHARED for _, where in system.mounts):
            continue
        kind = place[1].filesystem.kind if place[1].filesystem else "ntfs"
        options = exact("linux", f"shared_{kind}")
        late = f",{exact('linux', 'late_options')}" if disk.id != place[0].id or place[0].removable else ""
        steps.append(Mount(volume.call, place[1].call, SHARED, MOUNTED_AS[kind], options + late))
    return steps


MOUNTED_AS = {"ntfs": "ntfs3", "exfat": "exfat"}
