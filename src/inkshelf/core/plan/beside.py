"""The aim "beside": one more system on the disk that is there, as a list of steps in the order of the work."""

from __future__ import annotations

from inkshelf.core.disk.types import gpt_type, is_esp
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.state import BootEntry, BootFile, Disk, Machine, Role, Volume
from inkshelf.core.plan.aim import Aim, Profile, Shares, comfortable, divide, least, profile
from inkshelf.core.plan.draw import fat_serial, file_system_uuid, guid
from inkshelf.core.plan.fit import Fit, fit, possible
from inkshelf.core.size import MIB, align_up
from inkshelf.core.steps.kinds import AddEntry, Confirm, Create, Format, Install, Prepare, Prove, Retype, SetOrder, Shrink, Step
from inkshelf.core.value import Value
from inkshelf.data import exact

LOADER_BYTES = {"first-stage": 960 << 10, "menu": 2560 << 10, "menu-config": 4 << 10}


class _New(Value, frozen=True):
    """The new volumes by their part, with the steps that make them."""

    calls: dict[str, str]
    create: tuple[Create, ...]
    format: tuple[Format, ...]


def steps_beside(found: Machine, aim: Aim, seed: str) -> tuple[Step, ...]:
    """Return the steps; raises ``PlanError`` with what to do where this machine has no room or no way for it."""
    kind = profile(aim.system)
    if kind.family != "linux":
        raise PlanError("Only a Linux-family system can be planned beside another one yet.", "Choose linux-desktop.")
    disk = _suitable(found, aim)
    size = aim.size_bytes or comfortable_size(found, aim)
    place = fit(disk, size)
    shares = divide(aim, place.size, found.ram_bytes, disk.sector)
    new = _volumes(found, disk, place, shares, seed)
    shared = _startup(disk)
    esp = new.calls.get("esp", shared.call if shared else "")
    steps: list[Step] = [*_before(found, place.giver)]
    if place.giver is not None:
        steps.append(Shrink(place.giver.call, place.giver_bytes))
        if place.giver.holds:
            steps.append(Prove(place.giver.call, "after shrinking"))
    hidden = [one for one in disk.volumes if is_esp(one)] if aim.esp == "own" else []
    steps += [Retype(one.call, gpt_type("basic_data"), one.attributes) for one in hidden]
    for create, made in zip(new.create, new.format, strict=True):
        steps += [create, made]
    steps += [Confirm("summary"), _install(kind, new, esp, aim, disk, shared, seed)]
    steps += [Retype(one.call, one.type_id, one.attributes) for one in hidden]
    steps += _entries(found, disk, new, esp, kind, shared)
    steps += [Prove(new.calls["root"], "new"), *(Prove(one.call, "every old one") for _, one in found.volumes() if one.holds)]
    steps += [Prepare(call, "resume_encryption") for call in _protected(found)]
    return (*steps, Confirm("clock"), Confirm("tidy"))


def comfortable_size(found: Machine, aim: Aim) -> int:
    """Return the room for "as much as is comfortable": every volume comfortable, or what is possible, whole MiB."""
    most = possible(found.disk(aim.disk))
    wanted = comfortable(aim, found.ram_bytes)
    return max(min(wanted, most), min(least(aim, found.ram_bytes), wanted)) // MIB * MIB


def _suitable(found: Machine, aim: Aim) -> Disk:
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
    known = found.conditions
    steps: list[Step] = []
    steps += [Confirm("consent")] if not known.consent else []
    steps += [Confirm("backup")] if known.backup != "read back" else []
    steps += [Confirm("recovery_key")] if known.encrypted is not False and not known.recovery_key else []
    steps += [Confirm("mains")] if not known.mains else []
    steps += [Confirm("firmware_values"), Confirm("medium")]
    steps += [Prepare(call, "suspend_encryption") for call in _protected(found)]
    if giver is not None and giver.holds and giver.holds.family == "nt":
        steps += [Prepare(giver.call, "check_volume"), Prepare(giver.call, "fast_startup_off")]
    return steps


def _protected(found: Machine) -> list[str]:
    """NT-family systems whose encryption asks for its recovery key once loaders or their order change."""
    if not found.conditions.encrypted:
        return []
    return [volume.call for _, volume in found.volumes() if volume.holds and volume.holds.family == "nt"]


def _volumes(found: Machine, disk: Disk, place: Fit, shares: Shares, seed: str) -> _New:
    parts: list[tuple[str, int, Role, str, str, str]] = [
        ("esp", shares.esp, "startup", "efi_system", "fat32", "LINUX-BOOT"),
        ("root", shares.root, "system", "linux_root_x64", "ext4", "linux-root"),
        ("swap", shares.swap, "swap", "linux_swap", "swap", "linux-swap"),
        ("home", shares.home, "data", "linux_home", "ext4", "linux-home"),
    ]
    names = {"esp": "efi_system", "root": "linux_root", "swap": "linux_swap", "home": "linux_home"}
    taken = [volume.call for _, volume in found.volumes()]
    numbers = {volume.number for volume in disk.volumes}
    calls: dict[str, str] = {}
    creates, formats, at = [], [], place.start
    for part, size, role, type_key, kind, label in parts:
        if not size:
            continue
        call = next_call(role, taken)
        number = next(one for one in range(1, 1024) if one not in numbers)
        taken.append(call)
        numbers.add(number)
        calls[part] = call
        creates.append(
            Create(disk.id, call, number, at, size, gpt_type(type_key), guid(seed, part), role, exact("gpt_names", names[part]))
        )
        formats.append(Format(call, kind, label, fat_serial(seed, part) if kind == "fat32" else file_system_uuid(seed, part)))
        at += align_up(size, MIB)
    return _New(calls, tuple(creates), tuple(formats))


def _install(kind: Profile, new: _New, esp: str, aim: Aim, disk: Disk, shared: Volume | None, seed: str) -> Install:
    root = file_system_uuid(seed, "root")
    nt_loader = exact("paths", "nt_loader")
    others = tuple(dict.fromkeys(nt_loader for volume in disk.volumes if volume.boot_file(nt_loader)))
    folders = [f"\\EFI\\{kind.folder}"] + (["\\EFI\\BOOT"] if aim.esp == "own" else [])
    files = []
    for folder in folders:
        first = exact("paths", "fallback_x64") if folder == "\\EFI\\BOOT" else f"{folder}\\{exact('paths', 'first_stage_x64')}"
        files += [
            BootFile(first, "first-stage", LOADER_BYTES["first-stage"], kind.signed),
            BootFile(f"{folder}\\{exact('paths', 'menu_x64')}", "menu", LOADER_BYTES["menu"], kind.signed),
            BootFile(
                f"{folder}\\{exact('paths', 'menu_config')}", "menu-config", LOADER_BYTES["menu-config"], None, (root, *others)
            ),
        ]
    serial = fat_serial(seed, "esp") if "esp" in new.calls else (shared.filesystem.uuid if shared and shared.filesystem else "")
    mounts = [(f"UUID={root}", "/")]
    mounts += [(f"UUID={file_system_uuid(seed, 'home')}", "/home")] if "home" in new.calls else []
    mounts += [(f"UUID={serial}", "/boot/efi")]
    mounts += [(f"UUID={file_system_uuid(seed, 'swap')}", "none")] if "swap" in new.calls else []
    return Install(
        new.calls["root"], esp, kind.title, kind.family, kind.installed_bytes, tuple(files), tuple(mounts), kind.signed
    )


def _entries(found: Machine, disk: Disk, new: _New, esp: str, kind: Profile, shared: Volume | None) -> list[Step]:
    used = {entry.number for entry in found.firmware.entries}
    number = next(one for one in range(0x10000) if one not in used)
    own = next((one for one in new.create if one.call == esp), None)
    holder = own or shared
    if holder is None:
        raise PlanError("There is no EFI system partition for the loader.", "Choose an EFI system partition of its own.")
    path = f"\\EFI\\{kind.folder}\\{exact('paths', 'first_stage_x64')}"
    entry = BootEntry(
        number, kind.title, disk.id, holder.number, holder.guid, holder.start // disk.sector, holder.size // disk.sector, path
    )
    return [AddEntry(entry), SetOrder((number, *found.firmware.order))]
