"""Installing a system, and making its menu anew."""

from __future__ import annotations

import shlex

from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.disk.menus import ELSEWHERE
from inkshelf.core.machine.roles import root_uuid, uuids_of
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.sheet.telling.by_installer import chosen
from inkshelf.core.sheet.telling.mounts import in_subvolumes, mount_lines, wakes_from
from inkshelf.core.sheet.telling.people import installed
from inkshelf.core.sheet.telling.typed import installed_by_hand
from inkshelf.core.size import grouped
from inkshelf.core.steps.kinds import Install, Regenerate
from inkshelf.core.steps.making import WriteFile
from inkshelf.data import exact


@told.register
def _install(step: Install, scene: Scene) -> Words:
    if step.family == "nt":
        return _install_nt(step, scene)
    if step.typed:
        return installed_by_hand(step, scene)
    if step.divides != "hand":
        return _by_itself(step, scene)
    mounts = ", ".join(f"{'swap' if where == 'none' else where} on {what}" for what, where in step.mounts)
    loader, goes_to = _loader(step, scene)
    kernels = f", kernels on {step.boot}" if step.boot else ""
    return Words(
        "Install",
        f"Install {step.title} by hand-made partitions: root {'in' if _contained(step, scene) else 'on'} {step.call}{kernels}, loader on {loader}",
        (
            ("mount", mounts),
            ("loader goes to", goes_to),
            *_unlocked(step),
            *_grouped(step, scene),
            *_subvolumed(step),
            *_waking(step, scene),
            *_entered(step),
        ),
        f"Several restarts are normal; let it finish. {exact('linux', 'mount_table')} then holds the lines of this step, and nothing by device name.",
        f"Format nothing but what this sheet formats; the loader goes to {loader} and nowhere else.",
        paste=mount_lines(step.mounts, step.profile),
        into=exact("linux", "mount_table"),
        minutes=installed(step),
    )


def _entered(step: Install) -> tuple[tuple[str, str], ...]:
    """A menu of entry files reads its own volume only: there lie its kernels, and a file that names each of them."""
    said: list[tuple[str, str]] = []
    for one in step.files:
        if one.kind == "entry":
            said += [("its kernels go to", f"{step.esp}, below {one.program.rsplit(chr(92), 1)[0]}")]
            said += [("an entry file there, such as", one.path)]
            said += [("names it, and root by", f"linux {one.program.replace(chr(92), '/')}; root=UUID={one.targets[0]}")]
    return tuple(said)


def _contained(step: Install, scene: Scene) -> bool:
    place = scene.at(step.call)
    return bool(place and place[1].filesystem and KINDS[place[1].filesystem.kind].container)


def _grouped(step: Install, scene: Scene) -> tuple[tuple[str, str], ...]:
    """Without the group's own tools in its first image a system does not find its root; an installer that knows groups brings them."""
    place = scene.at(step.call)
    if not place or not place[1].filesystem or place[1].filesystem.kind != "lvm":
        return ()
    return (("the new system needs the package", exact("linux", "group_package")),)


def _subvolumed(step: Install) -> tuple[tuple[str, str], ...]:
    """Without its word the kernel mounts the top of the Btrfs, where no system lies."""
    inside = in_subvolumes(step.mounts)
    if not inside:
        return ()
    words = ", ".join(f"{name} is mounted as {where}" for where, name in inside.items())
    return (("subvolumes", words), ("a kernel's word", exact("linux", "root_subvolume").format(name=inside["/"])))


def _unlocked(step: Install) -> tuple[tuple[str, str], ...]:
    """What opens the containers at every start: without these lines the new system stops where it looks for its root."""
    if not step.unlocks:
        return ()
    table = exact("linux", "unlock_table")
    lines = [(f"in {table}", f"{name} UUID={uuid} none luks") for name, uuid in step.unlocks]
    renewed = (exact("linux", "renew_initial"), exact("linux", "renew_initial_other"))
    return (*lines, ("then, in the new system", renewed[0]), ("or, if it lacks that", renewed[1]))


def _waking(step: Install, scene: Scene) -> tuple[tuple[str, str], ...]:
    uuid = wakes_from(step.mounts, scene)
    return (("to wake from hibernation, a kernel's word", exact("linux", "wake_from").format(uuid=uuid)),) if uuid else ()


def _loader(step: Install, scene: Scene) -> tuple[str, str]:
    """Where the loader goes, in short and as a person finds it: an EFI system partition, or the whole disk the legacy way."""
    if step.esp:
        return step.esp, scene.who(step.esp)
    disk = scene.before.disk(step.code_on)
    return f"disk {disk.id}", f"the whole disk {disk.id}, not a partition of it: {disk.identity()}"


def _by_itself(step: Install, scene: Scene) -> Words:
    """Its installer makes volumes, mount lines and swap of its own."""
    loader, goes_to = _loader(step, scene)
    how = "by its own divider" if step.divides == "divider" else "into the gap"
    return Words(
        "Install",
        f"Install {step.title} {how}: it lays {step.call} out by itself, loader on {loader}",
        (*chosen(step), ("loader goes to", goes_to)),
        f"Several restarts are normal; let it finish. {exact('linux', 'mount_table')} then holds its own lines, by UUID; its swap is a file.",
        f"The loader goes to {loader} and nowhere else: many installers take the first EFI system partition of all disks.",
        minutes=installed(step),
    )


def _install_nt(step: Install, scene: Scene) -> Words:
    """Its installer lists volumes and gaps; it is pointed at the one that this sheet made, and makes none of its own then."""
    if step.divides != "hand":
        return _nt_in_gap(step, scene)
    place = scene.at(step.call)
    number = str(place[1].number) if place else ""
    loader, goes_to = _loader(step, scene)
    return Words(
        "Install",
        f"Install {step.title} on {step.call}",
        (
            ("choose", "the way that lets you pick where it goes"),
            ("in its list", f"partition {number}: {scene.who(step.call)}"),
            ("its start-up files go to", goes_to),
        ),
        "It copies for some minutes, restarts several times, and asks its questions at the end. Take the stick out at the first restart.",
        f"Press none of its buttons that delete, format or make partitions: {step.call} is made already. "
        f"Unplug or hide every EFI system partition that is not on {loader}: it takes the first it finds.",
        minutes=installed(step),
    )


def _nt_in_gap(step: Install, scene: Scene) -> Words:
    place = scene.at(step.call)
    loader, goes_to = _loader(step, scene)
    return Words(
        "Install",
        f"Install {step.title} into the gap: it makes {step.call} and what belongs to it by itself",
        (
            ("choose", "the way that lets you pick where it goes"),
            (
                "in its list",
                f"the unallocated room of disk {place[0].id if place else ''}, of the size of the volumes above together",
            ),
            ("its start-up files go to", goes_to),
        ),
        "It copies for some minutes, restarts several times, and asks its questions at the end. Take the stick out at the first restart.",
        f"Press none of its buttons that delete or format. Every EFI system partition that is not {loader} is unplugged: it takes the first it finds.",
        minutes=installed(step),
    )


@told.register
def _write_file(step: WriteFile, scene: Scene) -> Words:
    folder, name = step.path.rsplit("/", 1)
    place = f'"$MOUNTED"{shlex.quote(folder)}' if folder else '"$MOUNTED"'
    lines = " ".join(shlex.quote(line) for line in step.lines)
    return Words(
        "Install",
        f"Write {step.path} into {step.call}",
        (("size", f"{grouped(len(step.contents))} B"),),
        f"The last line but one shows {len(step.lines)} line(s), as they stand here.",
        f"A file of that name in {step.call} is written over.",
        back=f"remove {step.path}, or bring the old one back from the back-up",
        commands=(
            f'MOUNTED=$(mktemp -d) && mount {scene.part(step.call)} "$MOUNTED"',
            f"mkdir -p {place} && printf '%s\\n' {lines} > {place}/{shlex.quote(name)}",
            f"sync && cat {place}/{shlex.quote(name)}",
            'umount "$MOUNTED" && rmdir "$MOUNTED"',
        ),
        paste=step.lines,
        into=step.path,
        minutes=2,
    )


def _changed(step: Regenerate, scene: Scene) -> tuple[BootFile | None, BootFile | None]:
    """The menu's configuration as it was and as it is to be; neither where it was not read."""
    place = scene.at(step.esp or step.call)
    before = {one.path: one for one in place[1].boot_files} if place else {}
    config = next((one for one in step.files if one.kind == "menu-config" and one.path in before), None)
    return (before[config.path], config) if config else (None, None)


def _begins_otherwise(was: BootFile | None, config: BootFile | None) -> bool:
    return was is not None and config is not None and config.begins not in {was.begins, ELSEWHERE}


def _default(step: Regenerate, scene: Scene) -> tuple[tuple[str, str], ...]:
    """What is written into the menu's defaults where it is to start another one by itself, or to wait otherwise."""
    was, config = _changed(step, scene)
    lines: list[tuple[str, str]] = []
    if config is not None and _begins_otherwise(was, config):
        lines += [
            ("list what it has, each with its number", exact("linux", "list_menu")),
            ("in the file", exact("linux", "menu_defaults")),
            (f"this line; N: the number of {_whose(config, scene)}", exact("linux", "default_line").format(number="N")),
        ]
    if step.seconds is not None:
        lines += [
            ("in the file", exact("linux", "menu_defaults")),
            ("this line", exact("linux", "limit_line").format(seconds=step.seconds)),
        ]
    return tuple(lines)


def _what_for(step: Regenerate, scene: Scene) -> str:
    """What a menu is made anew for, where that is not what it lists."""
    was, config = _changed(step, scene)
    if was is None or config is None or config.targets != was.targets:
        return ""
    if _begins_otherwise(was, config):
        return f"Let the menu of {step.call} start {_whose(config, scene)} by itself"
    if step.seconds is not None:
        return f"Let the menu of {step.call} wait {f'{step.seconds} seconds' if step.seconds >= 0 else 'without a limit'}"
    return ""


def _whose(config: BootFile, scene: Scene) -> str:
    """The system that a menu starts by itself, in words."""
    target = (config.begins or next(iter(config.targets), "")).lower()
    if target.startswith("\\"):
        return "the NT family"
    found = next((volume for _, volume in scene.before.volumes() if target in uuids_of(volume)), None)
    return f"{found.holds.title} ({found.call})" if found and found.holds else "its own system"


def _opened(step: Regenerate, scene: Scene) -> tuple[tuple[str, str], ...]:
    """What is locked the finder cannot look into: the containers of the systems that are to be listed (of all, where nobody read the menu)."""
    listed = {target.lower() for one in step.files if one.kind == "menu-config" for target in one.targets}
    lines: list[tuple[str, str]] = []
    for _, volume in scene.before.volumes():
        locked = volume.filesystem is not None and volume.filesystem.kind == "luks" and volume.call != step.call
        if locked and (not step.files or root_uuid(volume).lower() in listed):
            asked = f"{volume.call} is locked: open it first, or it is not found"
            lines += [(asked, f"cryptsetup open {scene.part(volume.call)} opened-{volume.call}")]
            lines += [("and where a group lies in it", exact("typed", "groups_on"))]
    return tuple(lines)


@told.register
def _regenerate(step: Regenerate, scene: Scene) -> Words:
    """One function for a menu that gains an entry, one that loses some, and one that starts another one by itself."""
    ways: tuple[tuple[str, str], ...] = (("or, if it lacks that", exact("typed", "menu_other")),)
    if not step.live:
        ways = (
            ("as root, in the system itself", exact("linux", "regenerate_menu")),
            ("or, if it lacks that", exact("linux", "regenerate_menu_other")),
        )
    defaults = _default(step, scene)
    back = "the line as it was" if defaults else f"take the finder's line out of {exact('linux', 'menu_defaults')}"
    return Words(
        "Entries",
        _what_for(step, scene) or f"Make the menu of {step.call} anew: it lists what is there now",
        (*defaults, *_opened(step, scene), *ways),
        "It names every system it found, and no other; one that is missing is not in the menu either. That is what the next start shows.",
        back=f"{back} and make the menu anew",
        commands=(exact("typed", "menu"),) if step.live else (),
        minutes=2,
    )
