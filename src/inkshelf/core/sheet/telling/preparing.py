"""What is done inside a system before or after the work: its volume checked, sleep and protection off, swap and finder set up."""

from __future__ import annotations

from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.machine.state import Volume
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.size import MIB, binary
from inkshelf.core.steps.kinds import Prepare
from inkshelf.data import exact, table


@told.register
def _prepare(step: Prepare, scene: Scene) -> Words:
    place = scene.at(step.call)
    volume = place[1] if place else None
    kind = KINDS.get(volume.filesystem.kind) if volume and volume.filesystem else None
    if step.what in {"check_volume", "check_outside"} and kind is not None and kind.check_lines is not None:
        return _check_from_outside(step.call, kind.check_lines(scene.part(step.call)))
    if (
        step.what == "check_outside"
        and volume
        and volume.filesystem
        and volume.filesystem.kind in table("exact_strings")["checkers"]
    ):
        return _check_from_outside(step.call, (exact("checkers", volume.filesystem.kind).format(part=scene.part(step.call)),))
    if step.what == "swap_file":
        return _swap_file(step.call, step.size, volume)
    return PREPARE[step.what](step.call, volume)


def _check_from_outside(call: str, lines: tuple[str, ...]) -> Words:
    return Words(
        "Room",
        f"Check {call} from a live system",
        (),
        "It ends with a count, or says that nothing is wrong. If it asks whether to repair something, stop and bring the back-up to mind first.",
        commands=lines,
        minutes=5,
    )


def _check_volume(call: str, volume: Volume | None) -> Words:
    """A volume that is marked for a check is repaired at a restart; looking for faults while it runs repairs nothing."""
    dirty = bool(volume and volume.filesystem and volume.filesystem.dirty)
    letter = "" if volume and volume.holds else "; put the volume's own letter in the place of C"
    if dirty:
        return Words(
            "Room",
            f"Let the owner's system repair {call}, at a restart",
            (
                ("type, as administrator", exact("nt", "repair_volume")),
                ("answer", "yes, at the next restart"),
                ("then", exact("nt", "restart")),
            ),
            f"The check runs before the log-in, with a percentage; minutes on an SSD, an hour on a slow full disk{letter}.",
            minutes=20,
        )
    return Words(
        "Room",
        f"Let the owner's system check {call}",
        (("type, as administrator", exact("nt", "check_volume")),),
        f"“No problems found”; minutes on an SSD, longer on a full one{letter}. If it finds some: {exact('nt', 'repair_volume')}, and restart.",
        minutes=5,
    )


def _fast_startup_off(call: str, volume: Volume | None) -> Words:
    return Words(
        "Room",
        f"Fast start-up of {call} off, then a full shutdown",
        (("type, as administrator", exact("nt", "fast_startup_off")), ("then", exact("nt", "full_shutdown"))),
        "The machine switches off; a restart is not enough.",
        back_lines=(exact("nt", "fast_startup_on"),),
        minutes=3,
    )


def _suspend(call: str, volume: Volume | None) -> Words:
    return Words(
        "Safety",
        f"Suspend the protection of {call}",
        (("type, as administrator", exact("nt", "protection_suspend")),),
        "It says that protection is off; the data stays encrypted.",
        back_lines=(exact("nt", "protection_resume"),),
    )


def _resume(call: str, volume: Volume | None) -> Words:
    return Words(
        "Tidy",
        f"Resume the protection of {call}",
        (("type, as administrator", exact("nt", "protection_resume")),),
        "It says that protection is on.",
    )


def _swap_file(call: str, size: int, volume: Volume | None) -> Words:
    """A copy-on-write file system wants a subvolume of its own for it, so that no snapshot holds the file."""
    system = volume.filesystem if volume else None
    on_btrfs = "btrfs" in {system.kind, *(one.kind for one in system.inside)} if system else False
    more = "_btrfs" if on_btrfs else ""
    return Words(
        "Install",
        f"In the new system on {call}: a swap file of {binary(size)}",
        (
            ("as root", exact("linux", f"swap_file{more}").format(mib=size // MIB)),
            (f"then this line in {exact('linux', 'mount_table')}", exact("linux", f"swap_file_line{more}")),
            ("look", exact("linux", "swap_listing")),
        ),
        f"The list shows one file of {binary(size)}; it is there again after a restart.",
        "It is not on the bench: a person makes it in the running system.",
        minutes=3,
    )


def _swap_compressed(call: str, _: Volume | None) -> Words:
    lines = exact("linux", "compressed_lines").splitlines()
    return Words(
        "Install",
        f"In the new system on {call}: compressed memory in the place of swap",
        (
            ("the package, network first", exact("linux", "compressed_package")),
            ("or, if it is not called so", exact("linux", "compressed_package_other")),
            ("in the file", exact("linux", "compressed_file")),
            *((("these lines", one) if not at else ("", one)) for at, one in enumerate(lines)),
            ("then, as root", exact("linux", "compressed_start")),
            ("look", exact("linux", "swap_listing")),
        ),
        "The list shows one device of half the memory's size, of no disk.",
        minutes=3,
    )


def _finder_on(call: str, volume: Volume | None) -> Words:
    return Words(
        "Entries",
        f"In the system on {call}: let its menu look for other systems",
        (("in the file", exact("linux", "menu_defaults")), ("this line", exact("linux", "finder_on"))),
        "The finder itself must be installed; where it is not, install it from the system's own packages, network first.",
        back=f"take the line out of {exact('linux', 'menu_defaults')} again",
        minutes=3,
    )


def _check_outside(call: str, volume: Volume | None) -> Words:
    return Words(
        "Room",
        f"Let the NT family's recovery repair {call}",
        (("on its command line; C: is its letter there, look first", exact("nt", "repair_volume")),),
        "It counts through five stages and says that it has made corrections, or found nothing.",
        "It repairs the table of files, not files: what was being written when the power went is lost.",
        minutes=20,
    )


def _names_apart(call: str, volume: Volume | None) -> Words:
    """Which names clash is listed by the folder that the volume is mounted at; renaming is the owner's to decide."""
    known = volume.filesystem.clashes if volume and volume.filesystem else ()
    return Words(
        "Room",
        f"Rename on {call} what differs by capitals only",
        (
            ("from the Linux family, in the folder that it is mounted at", exact("linux", "clashes_listing")),
            *((("seen in the image", one) if not at else ("", one)) for at, one in enumerate(known)),
            ("rename, one of each pair", exact("linux", "rename")),
        ),
        "Asked again, the listing shows nothing. Ask the owner which one is which before a name is changed.",
        back="give the file its old name again: the Linux family reaches both",
        minutes=5,
    )


PREPARE = {
    "check_outside": _check_outside,
    "check_volume": _check_volume,
    "fast_startup_off": _fast_startup_off,
    "suspend_encryption": _suspend,
    "resume_encryption": _resume,
    "finder_on": _finder_on,
    "swap_compressed": _swap_compressed,
    "names_apart": _names_apart,
}
