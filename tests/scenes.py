"""Machines with one thing broken, each in one way: what a person meets who is asked to mend a start."""

from __future__ import annotations

from collections.abc import Callable

from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.state import (
    BootEntry,
    BootFile,
    Conditions,
    Disk,
    FileSystem,
    Firmware,
    KeyList,
    Machine,
    SystemRoot,
    Table,
    Volume,
)
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace
from inkshelf.data import exact

Scene = Callable[[Machine], Machine]
LOST = "00000000-0000-4000-8000-00000000dead"


def firmware(machine: Machine, **facts: object) -> Machine:
    return replace(machine, firmware=replace(machine.firmware, **facts))


def entry(machine: Machine, number: int, **facts: object) -> Machine:
    entries = tuple(replace(one, **facts) if one.number == number else one for one in machine.firmware.entries)
    return firmware(machine, entries=entries)


def without(machine: Machine, call: str, *ends: str) -> Machine:
    def left(volume: Volume) -> Volume:
        kept = tuple(one for one in volume.boot_files if not one.path.lower().endswith(tuple(end.lower() for end in ends)))
        return replace(volume, boot_files=kept)

    return machine.with_volume(call, left)


def spoilt(machine: Machine, call: str, kind: str, **facts: object) -> Machine:
    def change(volume: Volume) -> Volume:
        return replace(
            volume, boot_files=tuple(replace(one, **facts) if one.kind == kind else one for one in volume.boot_files)
        )

    return machine.with_volume(call, change)


def held(machine: Machine, call: str, **facts: object) -> Machine:
    return machine.with_volume(call, lambda one: replace(one, holds=replace(one.holds, **facts)))


def filed(machine: Machine, call: str, **facts: object) -> Machine:
    return machine.with_volume(call, lambda one: replace(one, filesystem=replace(one.filesystem, **facts)))


def waiting(machine: Machine) -> Machine:
    system = machine.find("S2")[1].holds
    return held(machine, "S2", mounts=(*system.mounts, (f"UUID={LOST}", "/srv/plates")), waits=(*system.waits, "/srv/plates"))


def unlisted(machine: Machine) -> Machine:
    def left(volume: Volume) -> Volume:
        made = (
            replace(one, targets=tuple(two for two in one.targets if not two.startswith("\\")))
            if one.kind == "menu-config"
            else one
            for one in volume.boot_files
        )
        return replace(volume, boot_files=tuple(made))

    return machine.with_volume("B2", left)


def direct(machine: Machine) -> Machine:
    path = next(one.path for one in machine.find("B2")[1].boot_files if one.kind == "menu" and "BOOT" not in one.path)
    return entry(machine, 1, path=path)


def with_stick(machine: Machine) -> Machine:
    """An installer's stick that was left in, first in the order."""
    loader = BootFile(exact("paths", "fallback_x64"), "loader", 900_000, True)
    fat = FileSystem("fat32", 4 * GIB, uuid="1234-5678", used_bytes=GIB, cluster_bytes=4096, clusters=1_000_000)
    volume = Volume("M1", 1, MIB, 4 * GIB, "0x0C", "medium", filesystem=fat, boot_files=(loader,))
    stick = Disk("U", 8 * GIB, removable=True, transport="usb", table=Table("mbr", signature="11223344"), volumes=(volume,))
    more = BootEntry(7, "USB stick", "U", leads="device")
    firm = replace(machine.firmware, entries=(*machine.firmware.entries, more), order=(7, *machine.firmware.order))
    return replace(machine, disks=(*machine.disks, stick), firmware=firm)


def travelling(machine: Machine) -> Machine:
    """The Linux family alone, on a disk that travels, on a machine that has no entry for it."""
    disk = machine.disks[0]
    kept = tuple(one for one in disk.volumes if one.call in {"B2", "S2", "D1"})
    alone = replace(machine, disks=(replace(disk, removable=True, volumes=kept),))
    left = alone.with_volume(
        "B2", lambda one: replace(one, boot_files=tuple(f for f in one.boot_files if "BOOT" not in f.path.split("\\")[2]))
    )
    return replace(
        left, firmware=Firmware("uefi", "on", entries_known=True), conditions=Conditions(external_start=True, fast_boot=False)
    )


def copied(machine: Machine) -> Machine:
    """The disk was copied: every partition has another GUID."""
    disk = machine.disks[0]
    volumes = tuple(replace(one, guid=f"{number:08X}-1111-4111-8111-111111111111") for number, one in enumerate(disk.volumes))
    return machine.with_disk(replace(disk, volumes=volumes))


def legacy(kind: str = "mbr", *, code: bool | None = True) -> Machine:
    """A machine that starts the legacy way: both families on one disk."""
    ntfs = FileSystem("ntfs", 60 * GIB, uuid="7A3C91D2E8B40561", used_bytes=20 * GIB, dirty=False, hibernated=False)
    ext = FileSystem("ext4", 40 * GIB, uuid="0f0f0f0f-1111-4222-8333-444444444444", used_bytes=9 * GIB, dirty=False)
    root = (f"UUID={ext.uuid}", "/")
    types = ("0x07", "0x83") if kind == "mbr" else (gpt_type("basic_data"), gpt_type("linux_root_x64"))
    first = Volume(
        "S1",
        1,
        2 * MIB,
        60 * GIB,
        types[0],
        "system",
        active=kind == "mbr",
        filesystem=ntfs,
        holds=SystemRoot("nt", "NT family"),
    )
    second = Volume(
        "S2",
        2,
        60 * GIB + 2 * MIB,
        40 * GIB,
        types[1],
        "system",
        filesystem=ext,
        holds=SystemRoot("linux", "Linux light", True, (root,), kernels=1),
    )
    if kind == "gpt":
        first, second = (replace(one, guid=f"{one.number}2345678-1234-4123-8123-123456789ABC") for one in (first, second))
    table = Table(
        kind,
        signature="0badcafe" if kind == "mbr" else "",
        boot_code=code,
        first_usable=34,
        last_usable=240 * 10**9 // 512 - 34,
    )
    disk = Disk("A", 240 * 10**9, model="Wren SA-240", serial="WS24-0071", table=table, volumes=(first, second))
    return Machine(Firmware("legacy", "absent"), (disk,), 4 * GIB, Conditions(encrypted=False))


def marked(machine: Machine, *calls: str) -> Machine:
    disk = machine.disks[0]
    return machine.with_disk(replace(disk, volumes=tuple(replace(one, active=one.call in calls) for one in disk.volumes)))


def behind(machine: Machine) -> Machine:
    """Another disk was put before the system's own."""
    other = Disk("B", 500 * 10**9, model="Plover 500", serial="P5-1", table=Table("mbr", signature="00aa00aa", boot_code=True))
    return replace(machine, disks=(other, *machine.disks))


UEFI: dict[str, tuple[str, str, Scene]] = {
    "order": ("S2", "other", lambda m: firmware(m, order=(0, 1))),
    "not-in-order": ("S2", "other", lambda m: firmware(m, order=(0,))),
    "entry-off": ("S2", "other", lambda m: entry(m, 1, active=False)),
    "no-entry": ("S2", "other", lambda m: firmware(m, entries=m.firmware.entries[:1], order=(0,))),
    "entry-nowhere": ("S2", "other", lambda m: entry(m, 1, partition_guid=LOST.upper())),
    "entry-number": ("S2", "other", lambda m: entry(m, 1, partition_number=9)),
    "entry-path": ("S2", "other", lambda m: entry(m, 1, path="/EFI/linux/shimx64.efi")),
    "next-once": ("S2", "other", lambda m: firmware(m, next=0)),
    "fallback-gone": ("S2", "no-device", travelling),
    "loader-gone": ("S2", "other", lambda m: m.with_volume("B2", lambda one: replace(one, boot_files=()))),
    "loader-broken": ("S2", "other", lambda m: spoilt(m, "B2", "first-stage", unfit="no program")),
    "other-processor": ("S2", "other", lambda m: spoilt(m, "B2", "first-stage", unfit="aa64")),
    "menu-gone": ("S2", "other", lambda m: without(m, "B2", "grubx64.efi")),
    "config-gone": ("S2", "prompt", lambda m: without(m, "B2", "grub.cfg")),
    "config-elsewhere": ("S2", "prompt", lambda m: spoilt(m, "B2", "menu-config", targets=(), hands_over=(LOST,))),
    "root-renewed": ("S2", "prompt", lambda m: spoilt(m, "B2", "menu-config", targets=(LOST,))),
    "table-unseen": (
        "S2",
        "no-device",
        lambda m: m.with_disk(replace(m.disks[0], table=replace(m.disks[0].table, protective=False))),
    ),
    "esp-unreadable": ("S2", "other", lambda m: filed(m, "B2", clusters=65_524)),
    "kernel-gone": ("S2", "kernel-error", lambda m: held(m, "S2", kernels=0)),
    "kernel-unsigned": ("S2", "refused", lambda m: held(m, "S2", kernel_signed=False)),
    "loader-unsigned": ("S2", "refused", lambda m: spoilt(m, "B2", "first-stage", signed=False)),
    "loader-untrusted": (
        "S2",
        "refused",
        lambda m: firmware(
            spoilt(m, "B2", "first-stage", signer="a stranger", marks=("ab" * 32,)), keys=(KeyList("db", marks=("cd" * 32,)),)
        ),
    ),
    "menu-unsigned": ("S2", "refused", lambda m: spoilt(m, "B2", "menu", signed=False)),
    "stage-skipped": ("S2", "refused", direct),
    "revoked": (
        "S2",
        "refused",
        lambda m: replace(spoilt(m, "B2", "first-stage", generation=2), conditions=replace(m.conditions, least_generation=4)),
    ),
    "mode-legacy": ("S2", "no-device", lambda m: firmware(m, mode="legacy")),
    "not-listed": ("S1", "not-listed", unlisted),
    "boot-data-gone": ("S1", "system-screen", lambda m: unlisted(without(firmware(m, order=(0, 1)), "B1", "bcd"))),
    "boot-data-astray": (
        "S1",
        "system-screen",
        lambda m: unlisted(spoilt(firmware(m, order=(0, 1)), "B1", "nt-boot-data", targets=(LOST.upper(),))),
    ),
    "medium-in": ("S2", "loop", with_stick),
}
"""Scenes on the demo's planned machine: the system that no longer starts by itself, what is seen, how it is broken."""

LEGACY: dict[str, tuple[str, str, Callable[[], Machine]]] = {
    "no-start-code": ("S2", "no-device", lambda: legacy(code=False)),
    "not-active": ("S1", "one-line", lambda: marked(legacy())),
    "active-twice": ("S1", "one-line", lambda: marked(legacy(), "S1", "S2")),
    "no-core": ("S2", "prompt", lambda: legacy("gpt")),
    "mode-uefi": ("S2", "no-device", lambda: firmware(legacy(), mode="uefi", entries_known=True)),
}
"""Scenes on a machine that starts the legacy way."""

BEHIND: dict[str, tuple[str, str, Scene]] = {
    "waits-for-volume": ("S2", "emergency", waiting),
    "check-needed": ("S2", "emergency", lambda m: filed(m, "S2", dirty=True)),
    "half-asleep": ("S1", "system-screen", lambda m: filed(m, "S1", hibernated=True)),
    "type-hidden": ("S2", "no-device", lambda m: m.with_volume("B2", lambda one: replace(one, type_id=gpt_type("basic_data")))),
    "esp-unclean": ("S2", "no-device", lambda m: filed(m, "B2", dirty=True)),
    "locked": ("S1", "recovery-key", lambda m: replace(m, conditions=replace(m.conditions, encrypted=True))),
    "disk-failing": ("S1", "loop", lambda m: m.with_disk(replace(m.disks[0], failing=True))),
    "external-start": (
        "S2",
        "no-device",
        lambda m: replace(travelling(m), conditions=Conditions(external_start=False, fast_boot=False)),
    ),
    "fast-boot": (
        "S2",
        "no-device",
        lambda m: replace(travelling(m), conditions=Conditions(external_start=True, fast_boot=True)),
    ),
}
"""What is captured and shows behind the firmware: the rehearsal of a start does not see it, or some firmware only."""
