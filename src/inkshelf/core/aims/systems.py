"""What each family's systems need: their volumes, with the schools that a person chose."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from inkshelf.core.aims.base import Answer, Need, Question, held
from inkshelf.core.aims.shares import Swap, esp_bytes, swap_bytes, swap_file_bytes
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import Profile, figure, home_room, profile, profiles, reason, room_of
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.size import MIB
from inkshelf.core.steps.making import Divides
from inkshelf.core.value import Value

if TYPE_CHECKING:
    from inkshelf.core.aims.schools import Menu
    from inkshelf.core.aims.sealing import Encryption

Esp = Literal["shared", "own"]
Rooms = Literal["together", "apart", "subvolumes", "lvm"]


class Layout(Value, frozen=True):
    """How a system is laid out on a disk: ``own_esp`` with UEFI; the schools of swap and home; memory in bytes.

    ``divides``: by hand, or its installer by itself. ``groups``: names of volume groups that the machine has. ``sizes``: what a person
    locked. ``active``: the disk has an active volume, which starts the NT family.

    ``mark`` sets the parts and labels of one system apart from those of another; ``root_bytes``: root's size, where a person set it.
    """

    table: Literal["gpt", "mbr"] = "gpt"
    mode: Literal["uefi", "legacy"] = "uefi"
    sector: int = 512
    own_esp: bool = False
    swap: Swap = "sqrt"
    home: Rooms = "together"
    encryption: Encryption = "none"
    menu: Menu = "own"
    ram: int | None = None
    root_bytes: int = 0
    mark: str = ""
    sizes: tuple[tuple[str, int], ...] = ()
    groups: tuple[str, ...] = ()
    divides: Divides = "hand"
    active: bool = False


def layout_on(disk: Disk, found: Machine) -> Layout:
    """Return the plain layout that a disk and its machine call for."""
    return Layout(
        table="mbr" if disk.table.kind == "mbr" else "gpt",
        mode="legacy" if found.firmware.mode == "legacy" else "uefi",
        sector=disk.sector,
        ram=found.ram_bytes,
        active=any(one.active and not one.logical for one in disk.volumes),
        groups=tuple(one.filesystem.label for _, one in found.volumes() if one.filesystem and one.filesystem.kind == "lvm"),
    )


def needs_of(kind: Profile, layout: Layout) -> tuple[Need, ...]:
    """Return the volumes of a system; raises ``PlanError`` where it cannot be laid out so."""
    refuse_unfit(kind, layout)
    _refuse_apart(kind, layout)
    if kind.family == "nt":
        return held(_nt(kind, layout), layout.sizes)
    root = root_kind(layout)
    if root not in kind.lives_on:
        raise PlanError(f"{kind.title} does not live on {root}, which this plan makes.", "Choose linux-desktop.")
    return held(_linux(kind, layout), layout.sizes)


def root_kind(layout: Layout) -> str:
    """Return the file system of a Linux-family root: subvolumes are the Btrfs's."""
    return "btrfs" if layout.home == "subvolumes" else "ext4"


def refuse_unfit(kind: Profile, layout: Layout) -> None:
    """Refuse a system that cannot start in this mode, or from this table."""
    if kind.family == "apfs":
        raise PlanError(f"{kind.title} starts on its maker's own machines only, which divide their disks themselves.", "")
    if layout.mode == "uefi" and kind.takes_esp == "none":
        raise PlanError(f"{kind.title} starts the legacy way only, and this plan is for UEFI.", "Choose linux-desktop.")
    if layout.mode == "uefi" and kind.family == "nt" and layout.table == "mbr":
        raise PlanError(f"{kind.title} starts by UEFI from a GPT disk only.", "Choose a GPT, or the firmware's legacy mode.")
    if layout.mode == "legacy" and kind.family == "nt" and layout.table == "gpt":
        raise PlanError(
            f"{kind.title} does not start the legacy way from a GPT disk.",
            "Use a disk with an MBR, or the firmware's UEFI mode.",
        )


def _refuse_apart(kind: Profile, layout: Layout) -> None:
    """What a system with a menu of entry files is not planned with: the legacy way, and a root inside something else."""
    if not kind.by_entries:
        return
    if layout.mode == "legacy":
        raise PlanError(f"{kind.title} starts by UEFI only: its menu is a program of the firmware's.", "Choose linux-desktop.")
    if layout.home == "lvm" or layout.encryption in {"root", "all"}:
        raise PlanError(
            f"{kind.title} keeps its kernels on the EFI system partition; a root inside a container or a group is not planned with it.",
            "Choose linux-desktop, or leave root as it is.",
        )


def _esp(layout: Layout, label: str) -> list[Need]:
    if not layout.own_esp or layout.mode != "uefi":
        return []
    size = esp_bytes(layout.sector)
    esp = _need(f"esp{layout.mark}", "startup", "efi_system", "fat32", label, "efi_system", size, size, reason("efi_system"))
    return [_changed(esp, slot="better")]


def _linux(kind: Profile, layout: Layout) -> tuple[Need, ...]:
    needs = _esp(layout, f"{kind.folder.upper()[:6]}-BOOT")
    if layout.mode == "legacy" and layout.table == "gpt":
        needs.append(_need(f"core{layout.mark}", "startup", "bios_boot", "", "", "", MIB, MIB, "the legacy loader's core"))
    first = tuple(needs)
    plain = _own(kind, layout)
    if layout.encryption != "none":
        from inkshelf.core.aims.sealing import sealed  # late: most systems lie in no container

        return (*first, *sealed(kind, layout, plain))
    if layout.home == "lvm":
        from inkshelf.core.aims.grouping import grouped

        return (*first, *grouped(kind, layout, plain))
    return (*first, *plain)


def _own(kind: Profile, layout: Layout) -> tuple[Need, ...]:
    """Root, swap and home of a Linux-family system."""
    apart, mark, folder = layout.home in {"apart", "lvm"}, layout.mark, kind.folder
    room, home, swap = room_of(kind.key, apart=apart), home_room(), swap_bytes(layout.swap, layout.ram)
    file = swap_file_bytes(layout.swap, layout.ram)
    needs: list[Need] = []
    root = _need(
        f"root{mark}",
        "system",
        "linux_root_x64",
        root_kind(layout),
        f"{folder}{mark}-root",
        "linux_root",
        room.floor + file,
        room.comfort + file,
        room.reason,
    )
    needs.append(_changed(root, grows=not apart, fixed=layout.root_bytes if apart else 0))
    if swap:
        needs.append(_need(f"swap{mark}", "swap", "linux_swap", "swap", f"{folder}{mark}-swap", "linux_swap", swap, swap, ""))
    if apart:
        data = _need(
            f"home{mark}",
            "data",
            "linux_home",
            "ext4",
            f"{folder}{mark}-home",
            "linux_home",
            home.floor,
            home.comfort,
            home.reason,
        )
        needs.append(_changed(data, grows=True))
    return held(tuple(needs), layout.sizes)


def _nt(kind: Profile, layout: Layout) -> tuple[Need, ...]:
    """As its installer makes them; on an MBR its start-up files lie on the system volume, which is the active one."""
    mark, room = layout.mark, room_of(kind.key, apart=False)
    needs = _esp(layout, "NT-BOOT")
    if layout.table == "gpt":
        size = figure("nt_reserved", "floor")
        needs.append(
            _need(f"reserved{mark}", "reserved", "nt_reserved", "", "", "nt_reserved", size, size, reason("nt_reserved"))
        )
    system = _need(f"root{mark}", "system", "basic_data", "ntfs", "SYSTEM", "nt_system", room.floor, room.comfort, room.reason)
    starts_there = layout.table == "mbr" and not layout.active
    needs.append(_changed(system, grows=True, slot="primary" if starts_there else "any"))
    size = figure("nt_recovery", "comfortable")
    recovery = _need(f"recovery{mark}", "recovery", "nt_recovery", "ntfs", "RECOVERY", "", size, size, reason("nt_recovery"))
    needs.append(_changed(recovery, attributes=1 << 63 | 1, behind=system.part))
    return tuple(needs)


def _need(
    part: str, role: object, type_key: str, filesystem: str, label: str, name: str, floor: int, comfort: int, why: str
) -> Need:
    return Need(part, role, type_key, filesystem, label, name, floor, comfort, reason=why)  # type: ignore[arg-type]


def _changed(need: Need, **fields: object) -> Need:
    from inkshelf.core.value import replace

    return replace(need, **fields)


ESP_ANSWERS = (
    Answer("shared", "shared", "Simple. A repair of the old system may overwrite the new one's loader."),
    Answer("its own", "own", "Survives the other system's repairs. The old one is hidden during the work and put back."),
)
ESP_QUESTION = Question(
    "esp", "EFI system partition", ESP_ANSWERS, "own", "the other system's repairs and updates leave it alone"
)
HOME_ANSWERS = (
    Answer("together", "together", "One volume, nothing to size wrongly."),
    Answer("apart", "apart", "The system can be reinstalled without touching the owner's files."),
)
SUBVOLUME_ANSWER = Answer(
    "subvolumes",
    "subvolumes",
    "One Btrfs: both share its room, and snapshots undo a bad day. A disk that dies takes them along.",
)
GROUP_ANSWER = Answer(
    "volume group", "lvm", "Sizes change later while all is in use, over several disks too; only its own family looks in."
)
SWAP_ANSWERS = (
    Answer("none", "none", "Memory is all there is; what does not fit ends programs."),
    Answer(
        "compressed memory", "compressed", "No disk is worn and none is needed; a third to a half more fits, not everything."
    ),
    Answer("square root", "sqrt", "The square root of the memory, at most 8 GiB. No hibernation."),
    Answer(
        "as much as the memory",
        "equal",
        "What older guides ask for; large on machines with much memory, and still no hibernation.",
    ),
    Answer("a file in root", "file", "No volume of its own, its size is changed at any time. No hibernation as planned here."),
    Answer("hibernate", "hibernate", "Memory and its root. Most kernels refuse to hibernate with Secure Boot on."),
)


def home_question(system: str = "") -> Question:
    """Return the question how root and home lie to each other. A ``system`` whose own layout sets one of these schools has it as usual."""
    own = profile(system).automatic if system else ()
    usual = next((one for one in ("subvolumes", "lvm") if one in own), "together")
    why = "nothing to size wrongly" if usual == "together" else "as its own layout has it; replaced by hand, that is lost"
    return Question("home", "Root and home", (*HOME_ANSWERS, SUBVOLUME_ANSWER, GROUP_ANSWER), usual, why)


def swap_question(found: Machine) -> Question:
    """Return the question of swap; the reason follows from this machine."""
    locked = found.firmware.secure_boot == "on"
    why = "with Secure Boot on most kernels refuse to hibernate" if locked else "enough for a desktop that does not hibernate"
    return Question("swap", "Swap", SWAP_ANSWERS, "sqrt", why)


def system_question(usual: str, why: str, families: tuple[str, ...] = ("linux", "nt")) -> Question:
    """Return the question which system it is."""
    known = tuple(
        Answer(one.title, one.key, f"{room_of(one.key, apart=False).reason}") for one in profiles() if one.family in families
    )
    return Question("system", "System", known, usual, why, "system")


def built_in(found: Machine) -> tuple[Disk, ...]:
    """Return the disks that are no sticks: what is installed goes there as usual, not onto its own medium. All, where there are no others."""
    return tuple(one for one in found.disks if not one.stick) or found.disks


def disk_question(found: Machine, usual: str, why: str) -> Question:
    """Return the question on which disk; each answer names it by size, model and serial."""
    known = tuple(Answer(f"disk {one.id}", one.id, one.identity()) for one in found.disks)
    return Question("disk", "Disk", known, usual, why, "disk")


def known_system(key: str, families: tuple[str, ...]) -> Profile:
    """Return a profile of one of the families; raises ``PlanError`` for another."""
    kind = profile(key)
    if kind.family not in families:
        raise PlanError(f"{kind.title} cannot be planned here.", "Choose linux-desktop.")
    return kind


SHARE_ANSWERS = (
    Answer("nothing shared", "none", "What is left goes to the system, or stays free."),
    Answer("NTFS", "ntfs", "Journalled; every current system reads and writes it when its owner shut down fully."),
    Answer("exFAT", "exfat", "The simplest for all; no journal, no owners of files."),
)
KEEP_ANSWERS = (
    Answer("keep what is there", "keep", "Only free room of the disk is used."),
    Answer("erase the disk", "erase", "Everything on it is given up: a new table."),
)
COMFORTABLE = (Answer("as much as is comfortable", "comfortable", "Every volume comfortable, or what is possible."),)


def size_question(title: str, why: str = "every volume reaches its comfort") -> Question:
    """Return the question how much room there is to be; without a figure, as much as is comfortable."""
    return Question("size", title, COMFORTABLE, "comfortable", why, "size", "size_bytes")


def share_question(title: str) -> Question:
    """Return the question whether there is a volume that others read, too."""
    return Question("share", title, SHARE_ANSWERS, "none", "the simplest; it can be made later")


def there_question(found: Machine, letter: str) -> Question:
    """Return the question what becomes of what is on a disk; an empty one is erased, where nobody loses anything."""
    mine = next((one for one in found.disks if one.id == letter), None)
    empty = mine is None or not mine.volumes
    usual, why = ("erase", "nothing is on it") if empty else ("keep", "nobody loses a file")
    return Question("there", "What is on that disk", KEEP_ANSWERS, usual, why, field="what_is_there")


def plain_needs(kind: Profile, layout: Layout) -> tuple[Need, ...]:
    """Return what a Linux-family system wants for itself, whether it lies in a container or not."""
    return _own(kind, layout)
