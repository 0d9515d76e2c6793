"""A system that is put there by commands: what a person types, part by part, in one shell on a live system."""

from __future__ import annotations

import shlex
from collections.abc import Callable
from pathlib import PurePosixPath

from inkshelf.core.machine.profiles import profile
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.sheet.telling.mounts import in_subvolumes, mount_lines, wakes_from
from inkshelf.core.steps.kinds import Install, TypeIn
from inkshelf.data import exact, table

ONE_SHELL = "All of it in one shell: words that begin with a dollar sign were named in its first lines."


def _of(step: TypeIn | Install, key: str, **words: str) -> str:
    return exact("typed", key).format(**words) if words else exact("typed", key)


def _by_depth(mounts: tuple[tuple[str, str], ...]) -> list[tuple[str, str]]:
    """Parents before what is mounted in them."""
    places = [(what.removeprefix("UUID="), where) for what, where in mounts if where.startswith("/")]
    return sorted(places, key=lambda one: len(PurePosixPath(one[1]).parts))


def _swap(step: TypeIn) -> str:
    return next((what.removeprefix("UUID=") for what, where in step.mounts if where == "none"), "")


def _uefi(step: TypeIn | Install) -> bool:
    return any(where == "/boot/efi" for _, where in step.mounts)


def _ready(step: TypeIn, scene: Scene) -> Words:
    names = ("target", "mirror", "release", "zone", "locale", "host", "person")
    return Words(
        "Install",
        f"Take the live system's network up, and name what {profile(step.profile).title} is made from",
        (("to be put in", "its mirror's address, its release, zone, locale, the machine's name, the owner's log-in"),),
        "“the mirror is found”, and a date and hour that are right: without them nothing that is fetched is trusted.",
        ONE_SHELL,
        commands=(*(_of(step, one) for one in names), *(_of(step, one) for one in ("reach", "clock", "tools"))),
        minutes=6,
    )


def _mount(step: TypeIn, scene: Scene) -> Words:
    inside = in_subvolumes(step.mounts)
    lines = [_of(step, "open", name=shlex.quote(name), uuid=uuid) for name, uuid in step.unlocks]
    lines += [_of(step, "group_on", group=shlex.quote(step.group))] if step.group else []
    for uuid, where in _by_depth(step.mounts):
        options = f"-o subvol={inside[where]} " if where in inside else ""
        place = "" if where == "/" else where
        lines += [_of(step, "folder", where=place), _of(step, "mount", options=options, uuid=uuid, where=place)]
    lines += [_of(step, "swap", uuid=_swap(step))] if _swap(step) else []
    return Words(
        "Install",
        f"Mount what {step.call} is made of, parents first",
        (),
        "The last line shows every folder with the volume that it is on; none is missing, none twice.",
        back="unmount it again",
        back_lines=(_of(step, "unmount"),),
        commands=(*lines, _of(step, "mounted")),
        minutes=4,
    )


def _base(step: TypeIn, scene: Scene) -> Words:
    kind = profile(step.profile)
    ways = "packages_uefi" if _uefi(step) else "packages_legacy_32" if kind.cpu_bits == 32 else "packages_legacy"
    packages = [_of(step, "packages"), _of(step, ways), table("exact_strings")["typed"].get(f"packages_{step.profile}", "")]
    packages += [_of(step, "packages_group")] if step.group else []
    packages += [_of(step, "packages_sealed")] if step.unlocks else []
    packages += [_of(step, "packages_subvolumes")] if in_subvolumes(step.mounts) else []
    width = "i386" if kind.cpu_bits == 32 else "amd64"
    return Words(
        "Install",
        f"Fetch the base system into {step.call}, and add its packages",
        (),
        "No line begins with E: or ends in “failed”. It is the longest part: what is fetched is written twice.",
        back="empty the volume: nothing of it starts yet",
        commands=(
            _of(step, "fetch", width=width),
            _of(step, "bind"),
            _of(step, "names"),
            _of(step, "update"),
            _of(step, "add", packages=" ".join(filter(None, packages))),
        ),
        minutes=25,
    )


def written(lines: tuple[str, ...], path: str) -> str:
    """Return the command that makes a file of these lines, below the new system's root."""
    return exact("typed", "lines").format(lines=" ".join(shlex.quote(one) for one in lines), into=">", path=path)


def _settings(step: TypeIn, scene: Scene) -> Words:
    unlocks = tuple(f"{name} UUID={uuid} none luks" for name, uuid in step.unlocks)
    wakes = wakes_from(step.mounts, scene)
    files = [written(mount_lines(step.mounts, step.profile), exact("linux", "mount_table"))]
    files += [written(unlocks, exact("linux", "unlock_table"))] if unlocks else []
    files += [written((_of(step, "resume", uuid=wakes),), _of(step, "resume_file"))] if wakes else []
    names = ("set_zone", "set_locale", "use_locale", "set_host", "know_host")
    return Words(
        "Install",
        f"Write what {step.call} mounts, its zone, locale and name",
        (),
        "No line complains. The locale is made, which takes some seconds.",
        "Mount lines name volumes by their UUIDs, none by a device.",
        back="each file is written anew by its own line",
        commands=(*files, *(_of(step, one) for one in names)),
        minutes=3,
    )


def _people(step: TypeIn, scene: Scene) -> Words:
    return Words(
        "Install",
        f"Make the owner's log-in in {step.call}",
        (),
        "“password updated successfully”.",
        "The owner types the password; it is noted nowhere. Without a log-in nobody comes in.",
        commands=tuple(_of(step, one) for one in ("person_add", "person_key", "root_off")),
        minutes=2,
    )


def _check(step: TypeIn, scene: Scene) -> Words:
    lines = [_of(step, f"lacks_{one}") for one in ("network", "person", "key", "locale", "table", "kernel")]
    lines += [_of(step, "lacks_swap", uuid=_swap(step))] if _swap(step) else []
    lines += [_of(step, "lacks_loader", folder=profile(step.profile).folder)] if _uefi(step) else []
    return Words(
        "Install",
        f"Look through {step.call} for what is forgotten most, before the restart",
        (),
        "“looked through”, and before it no line that begins with LACKS. What one names is put right now: it takes a minute here, and a live stick later.",
        commands=(*lines, _of(step, "table_good"), _of(step, "looked")),
        minutes=3,
    )


def _leave(step: TypeIn, scene: Scene) -> Words:
    lines = [_of(step, "flush"), _of(step, "unmount"), *([_of(step, "swap_off")] if _swap(step) else [])]
    lines += [_of(step, "group_off", group=shlex.quote(step.group))] if step.group else []
    lines += [_of(step, "close", name=shlex.quote(name)) for name, _ in step.unlocks]
    return Words(
        "Install",
        f"Flush, and unmount {step.call}",
        (),
        "No line says “busy”. What is busy is a shell that still stands in it.",
        commands=tuple(lines),
        minutes=2,
    )


PARTS: dict[str, Callable[[TypeIn, Scene], Words]] = {
    "ready": _ready,
    "mount": _mount,
    "base": _base,
    "settings": _settings,
    "people": _people,
    "check": _check,
    "leave": _leave,
}


@told.register
def _type_in(step: TypeIn, scene: Scene) -> Words:
    return PARTS[step.part](step, scene)


def installed_by_hand(step: Install, scene: Scene) -> Words:
    """The part with which the system starts: initial image, loader, menu, services."""
    kind = profile(step.profile)
    if step.esp:
        loader = [exact("typed", "loader_uefi").format(folder=kind.folder)]
        twice = any(one.path.lower() == exact("paths", "fallback_x64").lower() for one in step.files)
        loader += [exact("typed", "loader_fallback")] if twice else []
    else:
        loader = [exact("typed", "loader_legacy").format(disk=scene.node(scene.before.disk(step.code_on), None))]
    goes_to = scene.who(step.esp) if step.esp else f"the start of disk {step.code_on}"
    return Words(
        "Install",
        f"Make the first image of {step.title} on {step.call}, put its loader in place, make its menu",
        (("loader goes to", goes_to),),
        "“Installation finished. No error reported.”, and a menu that names a kernel.",
        "The loader goes there and nowhere else.",
        commands=(exact("typed", "image"), *loader, exact("typed", "menu"), exact("typed", "services")),
        minutes=5,
    )
