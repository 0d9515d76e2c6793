"""What an installer does to the disk by itself: nothing to type, and everything to compare with what its summary shows."""

from __future__ import annotations

from inkshelf.core.disk.filesystems import title
from inkshelf.core.fit.room import givers
from inkshelf.core.machine.calls import WORDS
from inkshelf.core.machine.profiles import profile
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words
from inkshelf.core.size import GB, GIB, binary, both, grouped
from inkshelf.core.steps.kinds import Create, Format, Install, Shrink

OWN_IDENTITIES = "Number, GUID and UUID are its own: take the disk in again afterwards, so that the record has them."


def shown_by(size: int, unit: str) -> str:
    """Return a size as an installer's screen has it; one that counts in binary labels it GB all the same."""
    return f"{size / GB:.1f} GB" if unit == "GB" else f"{size / GIB:.1f} GB on its screen, which are GiB"


def divided(step: Shrink, scene: Scene, minutes: float) -> Words:
    """A divider: which volume it takes, where its handle stops on both sides, and the number that either side shows."""
    kind, place = profile(step.by), scene.before.find(step.call)
    disk, volume = place if place else (None, None)
    giver = next((one for one in (givers(disk) if disk else ()) if one.volume.call == step.call), None)
    whole = (volume.size if volume else step.to_bytes) + (giver.behind if giver else 0)
    least = giver.smallest if giver else step.to_bytes
    values = (
        ("it takes by itself", scene.who(step.call)),
        ("drag until the new side shows", shown_by(whole - step.to_bytes, kind.shows)),
        (f"then the side of {step.call} shows", shown_by(step.to_bytes, kind.shows)),
        (f"the handle stops: {step.call} at least", shown_by(least, kind.shows)),
        ("the new system at least", shown_by(kind.floor, kind.shows)),
        ("exactly, as planned", f"{grouped(step.to_bytes)} B = {both(step.to_bytes)}"),
    )
    return Words(
        "Room",
        f"Let the divider of the installer of {kind.title} shrink {step.call}",
        values,
        "Nothing moves on the screen for minutes. Its summary names this volume, and no other one, before the last button.",
        "It cannot be stopped half-way. If it offers another volume, or stops before this number, go back and plan again.",
        "cut in the middle: files need the back-up",
        minutes=minutes,
    )


def made(step: Create) -> Words:
    """A volume that it makes by itself."""
    return Words(
        "Partitions",
        f"The installer makes {step.call}, {WORDS[step.role]}, by itself",
        (("size, about", both(step.size)), ("where", f"in the free room of disk {step.disk}, from {binary(step.start, 2)}")),
        f"Its summary shows a new volume of about {binary(step.size)}. {OWN_IDENTITIES}",
        back=f"remove {step.call}: it is the one of this size, and new",
    )


def formatted(step: Format) -> Words:
    """The file system that it puts into it."""
    below = ", with subvolumes of its own" if step.subvolumes else ""
    return Words(
        "Partitions",
        f"The installer formats {step.call} as {title(step.filesystem)}{below}",
        (),
        "Its summary ticks this volume to be formatted, and no other one.",
    )


def chosen(step: Install) -> tuple[tuple[str, str], ...]:
    """What is chosen in it, in general words: every installer has its own."""
    if step.divides == "divider":
        return (("choose", "the way that puts it beside the system that is there; its divider is the step above"),)
    return (("choose", "the way that takes the free room; where it offers several gaps, the one of this size"),)
