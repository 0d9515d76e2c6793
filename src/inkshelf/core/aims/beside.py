"""The aim "beside": one more system on the disk that is there, as a list of steps in the order of the work."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import AimBase, Answer, Need, Question
from inkshelf.core.aims.shares import Shares, Swap, comfortable, divide, esp_bytes, least, swap_bytes
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import fat_serial, file_system_uuid, guid
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit, fit, possible
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.profiles import Profile, home_room, profile, room_of
from inkshelf.core.machine.roles import is_esp
from inkshelf.core.machine.state import BootEntry, BootFile, Disk, Machine, Volume
from inkshelf.core.size import MIB, align_up
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import (
    AddEntry,
    Confirm,
    Create,
    Format,
    Install,
    Prepare,
    Prove,
    Regenerate,
    Retype,
    SetOrder,
    Shrink,
    Step,
)
from inkshelf.core.texts import Count, Key, Letter
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

Esp = Literal["shared", "own"]
Home = Literal["together", "apart"]
LOADER_BYTES = {"first-stage": 960 << 10, "menu": 2560 << 10, "menu-config": 4 << 10}

ESP = Need(
    part="esp",
    role="startup",
    type_key="efi_system",
    filesystem="fat32",
    label="LINUX-BOOT",
    name="efi_system",
    floor=0,
    comfort=0,
)
ROOT = Need(
    part="root",
    role="system",
    type_key="linux_root_x64",
    filesystem="ext4",
    label="linux-root",
    name="linux_root",
    floor=0,
    comfort=0,
)
SWAP = Need(
    part="swap",
    role="swap",
    type_key="linux_swap",
    filesystem="swap",
    label="linux-swap",
    name="linux_swap",
    floor=0,
    comfort=0,
)
HOME = Need(
    part="home",
    role="data",
    type_key="linux_home",
    filesystem="ext4",
    label="linux-home",
    name="linux_home",
    floor=0,
    comfort=0,
)


class Beside(AimBase, frozen=True, tag="beside"):
    """One more system beside the one that is there.

    ``size_bytes`` is all of its volumes together (``None``: comfortable); ``root_bytes`` the root volume where home is apart
    (``None``: by the default shares).
    """

    title: ClassVar[str] = "One more system beside the one that is there"

    system: Key = "linux-desktop"
    size_bytes: Count | None = None
    esp: Esp = "shared"
    swap: Swap = "sqrt"
    home: Home = "together"
    disk: Letter = "A"
    root_bytes: Count | None = None

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the three schools; the usual answer follows from this machine."""
        locked = found.firmware.secure_boot == "on"
        return (
            Question(
                "esp", "EFI system partition", ESP_ANSWERS, "own", "the other system's repairs and updates leave it alone"
            ),
            Question("home", "Root and home", HOME_ANSWERS, "together", "nothing to size wrongly"),
            Question(
                "swap",
                "Swap",
                SWAP_ANSWERS,
                "sqrt",
                "with Secure Boot on most kernels refuse to hibernate"
                if locked
                else "enough for a desktop that does not hibernate",
            ),
        )

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the new volumes with their floors and comforts."""
        apart = self.home == "apart"
        sector = next((disk.sector for disk in found.disks if disk.id == self.disk), 512)
        swap, esp = swap_bytes(self.swap, found.ram_bytes), esp_bytes(sector)
        room, home = room_of(self.system, apart=apart), home_room()
        wanted = [replace(ESP, floor=esp, comfort=esp)] if self.esp == "own" else []
        wanted.append(replace(ROOT, floor=room.floor, comfort=room.comfort, grows=not apart))
        wanted += [replace(SWAP, floor=swap, comfort=swap)] if swap else []
        wanted += [replace(HOME, floor=home.floor, comfort=home.comfort, grows=True)] if apart else []
        return tuple(wanted)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` with what to do where this machine has no room or no way for it."""
        kind = profile(self.system)
        if kind.family != "linux":
            raise PlanError("Only a Linux-family system can be planned beside another one yet.", "Choose linux-desktop.")
        if kind.takes_esp == "none":
            raise PlanError(f"{kind.title} starts the legacy way only, and this plan is for UEFI.", "Choose linux-desktop.")
        if "ext4" not in kind.lives_on:
            raise PlanError(f"{kind.title} does not live on ext4, which this plan makes.", "Choose linux-desktop.")
        disk = _suitable(found, self)
        place = fit(disk, self.size_bytes or comfortable_size(found, self))
        shares = divide(self, place.size, found.ram_bytes, disk.sector)
        new = _volumes(found, disk, place, shares, self.needs(found), seed, taken)
        return identified(tuple(_in_order(found, self, kind, disk, place, new, seed)), self.id)


ESP_ANSWERS = (
    Answer("shared", "shared", "Simple. A repair of the old system may overwrite the new one's loader."),
    Answer("its own", "own", "Survives the other system's repairs. The old one is hidden during the work and put back."),
)
HOME_ANSWERS = (
    Answer("together", "together", "One volume, nothing to size wrongly."),
    Answer("apart", "apart", "The system can be reinstalled without touching the owner's files."),
)
SWAP_ANSWERS = (
    Answer("none", "none", "Memory is all there is; compressed memory may be switched on in the system."),
    Answer("square root", "sqrt", "The square root of the memory, at most 8 GiB. No hibernation."),
    Answer("hibernate", "hibernate", "Memory and its root. Most kernels refuse to hibernate with Secure Boot on."),
)


class _New(Value, frozen=True):
    """The new volumes by their part, with the steps that make them."""

    calls: dict[str, str]
    create: tuple[Create, ...]
    format: tuple[Format, ...]


def _in_order(found: Machine, aim: Beside, kind: Profile, disk: Disk, place: Fit, new: _New, seed: str) -> list[Step]:
    shared = _startup(disk)
    esp = new.calls.get("esp", shared.call if shared else "")
    steps: list[Step] = [*_before(found, place.giver)]
    if place.giver is not None:
        steps.append(Shrink(place.giver.call, place.giver_bytes))
        if place.giver.holds:
            steps.append(Prove(place.giver.call, "after shrinking"))
    hidden = [one for _, one in found.volumes() if is_esp(one)] if aim.esp == "own" else []
    steps += [Retype(one.call, gpt_type("basic_data"), one.attributes) for one in hidden]
    for create, made in zip(new.create, new.format, strict=True):
        steps += [create, made]
    install = _install(kind, new, esp, aim, shared, seed)
    steps += [Confirm("summary"), install]
    steps += [Retype(one.call, one.type_id, one.attributes) for one in hidden]
    steps += _menu(found, install)
    steps += _entries(found, disk, new, esp, kind, shared)
    steps += [Prove(new.calls["root"], "new"), *(Prove(one.call, "every old one") for _, one in found.volumes() if one.holds)]
    steps += [Prepare(call, "resume_encryption") for call in protected(found)]
    steps += [Confirm("clock")] if any(one.holds and one.holds.family == "nt" for _, one in found.volumes()) else []
    return [*steps, Confirm("tidy")]


def comfortable_size(found: Machine, aim: Beside) -> int:
    """Return the room for "as much as is comfortable": every volume comfortable, or what is possible, whole MiB."""
    most = possible(found.disk(aim.disk))
    wanted = comfortable(aim, found.ram_bytes)
    return max(min(wanted, most), min(least(aim, found.ram_bytes), wanted)) // MIB * MIB


def _suitable(found: Machine, aim: Beside) -> Disk:
    try:
        disk = found.disk(aim.disk)
    except KeyError:
        raise PlanError(f"There is no disk {aim.disk} in this job.", "Take a disk in first.") from None
    if disk.table.kind != "gpt":
        raise PlanError(
            f"Disk {disk.id} has no GPT; a system beside another one is planned on GPT disks only, for now.",
            "Choose another disk.",
        )
    if found.firmware.mode == "legacy":
        raise PlanError(
            "The firmware starts the legacy way, and the disk is GPT.",
            "Set the firmware mode to UEFI under Intake, if that is what it is.",
        )
    if aim.esp == "shared" and _startup(disk) is None:
        raise PlanError(f"Disk {disk.id} has no EFI system partition to share.", "Choose an EFI system partition of its own.")
    return disk


def _startup(disk: Disk) -> Volume | None:
    found = [one for one in disk.volumes if is_esp(one)]
    return min(found, key=lambda one: one.number) if found else None


def _before(found: Machine, giver: Volume | None) -> list[Step]:
    """What a person makes sure of first; what is known to be in order already is left out."""
    known, locked = found.conditions, protected(found)
    steps: list[Step] = []
    steps += [Confirm("consent")] if not known.consent else []
    steps += [Confirm("backup")] if known.backup != "read back" else []
    steps += [Confirm("recovery_key")] if (known.encrypted is not False or locked) and not known.recovery_key else []
    steps += [Confirm("mains")] if not known.mains else []
    steps += [Confirm("firmware_values"), Confirm("medium")]
    steps += [Prepare(call, "suspend_encryption") for call in locked]
    system = giver.filesystem if giver else None
    if giver and system and (system.dirty or (system.kind == "ntfs" and giver.holds)):
        steps.append(Prepare(giver.call, "check_volume"))
    # a system that sleeps leaves its volumes half open: the new one must neither resize nor read them then
    sleepy = [one.call for _, one in found.volumes() if one.holds and one.holds.family == "nt"]
    if giver and system and system.hibernated and giver.call not in sleepy:
        sleepy.append(giver.call)
    return [*steps, *(Prepare(call, "fast_startup_off") for call in sleepy)]


def protected(found: Machine) -> list[str]:
    """NT-family systems whose encryption asks for its recovery key once loaders or their order change."""
    return [
        volume.call
        for _, volume in found.volumes()
        if volume.holds
        and volume.holds.family == "nt"
        and (found.conditions.encrypted or (volume.filesystem is not None and volume.filesystem.kind == "nt-encrypted"))
    ]


def _volumes(
    found: Machine, disk: Disk, place: Fit, shares: Shares, needs: tuple[Need, ...], seed: str, given: tuple[str, ...]
) -> _New:
    taken = [*given, *(volume.call for _, volume in found.volumes())]
    numbers = {volume.number for volume in disk.volumes}
    calls: dict[str, str] = {}
    creates, formats, at = [], [], place.start
    for need in needs:
        size = int(getattr(shares, need.part))
        call = next_call(need.role, taken)
        number = next(one for one in range(1, 1024) if one not in numbers)
        taken.append(call)
        numbers.add(number)
        calls[need.part] = call
        name = exact("gpt_names", need.name)
        creates.append(
            Create(
                disk=disk.id,
                call=call,
                number=number,
                start=at,
                size=size,
                type_id=need.type_id,
                guid=guid(seed, need.part),
                role=need.role,
                name=name,
            )
        )
        drawn = fat_serial if need.filesystem == "fat32" else file_system_uuid
        formats.append(Format(call, need.filesystem, need.label, drawn(seed, need.part)))
        at += align_up(size, MIB)
    return _New(calls, tuple(creates), tuple(formats))


def _install(kind: Profile, new: _New, esp: str, aim: Beside, shared: Volume | None, seed: str) -> Install:
    """The installer's own work. Its menu lists itself only: looking for other systems is off in current menus."""
    root = file_system_uuid(seed, "root")
    folders = [f"\\EFI\\{kind.folder}"] + (["\\EFI\\BOOT"] if aim.esp == "own" else [])
    files = []
    for folder in folders:
        first = exact("paths", "fallback_x64") if folder == "\\EFI\\BOOT" else f"{folder}\\{exact('paths', 'first_stage_x64')}"
        files += [
            BootFile(first, "first-stage", LOADER_BYTES["first-stage"], kind.signed),
            BootFile(f"{folder}\\{exact('paths', 'menu_x64')}", "menu", LOADER_BYTES["menu"], kind.signed),
            BootFile(f"{folder}\\{exact('paths', 'menu_config')}", "menu-config", LOADER_BYTES["menu-config"], None, (root,)),
        ]
    serial = fat_serial(seed, "esp") if "esp" in new.calls else (shared.filesystem.uuid if shared and shared.filesystem else "")
    mounts = [(f"UUID={root}", "/")]
    mounts += [(f"UUID={file_system_uuid(seed, 'home')}", "/home")] if "home" in new.calls else []
    mounts += [(f"UUID={serial}", "/boot/efi")]
    mounts += [(f"UUID={file_system_uuid(seed, 'swap')}", "none")] if "swap" in new.calls else []
    return Install(
        call=new.calls["root"],
        esp=esp,
        title=kind.title,
        family=kind.family,
        installed_bytes=kind.installed,
        files=tuple(files),
        mounts=tuple(mounts),
        kernel_signed=kind.signed,
        loaders_bytes=kind.loaders,
        profile=kind.key,
    )


def _menu(found: Machine, install: Install) -> list[Step]:
    """Where another system is there: let the menu look for it, and make the menu anew once everything is back in its place."""
    loader = exact("paths", "nt_loader")
    if not any(volume.boot_file(loader) for _, volume in found.volumes()):
        return []
    configs = tuple(
        BootFile(one.path, one.kind, one.size_bytes, None, (*one.targets, loader))
        for one in install.files
        if one.kind == "menu-config"
    )
    return [Prepare(install.call, "finder_on"), Regenerate(install.call, install.esp, configs)]


def _entries(found: Machine, disk: Disk, new: _New, esp: str, kind: Profile, shared: Volume | None) -> list[Step]:
    used = {entry.number for entry in found.firmware.entries}
    number = next(one for one in range(0x10000) if one not in used)
    own = next((one for one in new.create if one.call == esp), None)
    holder = own or shared
    if holder is None:
        raise PlanError("There is no EFI system partition for the loader.", "Choose an EFI system partition of its own.")
    path = f"\\EFI\\{kind.folder}\\{exact('paths', 'first_stage_x64')}"
    entry = BootEntry(
        number=number,
        title=kind.title,
        disk=disk.id,
        partition_number=holder.number,
        partition_guid=holder.guid,
        start_lba=holder.start // disk.sector,
        size_lba=holder.size // disk.sector,
        path=path,
    )
    first = [SetOrder((number, *found.firmware.order))] if found.firmware.order else []
    return [AddEntry(entry), *first]
