"""Who divides the disk for a new system: a person, or its installer in a gap that is there, or its installer's own divider."""

from __future__ import annotations

from inkshelf.core.aims.base import Answer, Need, Question, primary
from inkshelf.core.aims.systems import Layout
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit, Giver, fit, given_by, givers
from inkshelf.core.machine.profiles import Profile
from inkshelf.core.machine.roles import startup_on
from inkshelf.core.machine.state import Disk
from inkshelf.core.size import binary
from inkshelf.core.steps.making import Divides
from inkshelf.core.value import replace

ANSWERS = (
    Answer("hand", "hand", "Every volume as on the sheet, with its own identity; the most to type, the least to wonder at."),
    Answer("a gap made before", "gap", "Room is made in the owner's system; the installer fills it as it likes, in one piece."),
    Answer(
        "its own divider",
        "divider",
        "One slider does it all. It chooses the volume, it cannot be stopped half-way, and it shrinks what nobody looked at.",
    ),
)
WAYS = {"hand": {"hand", "partition"}, "gap": {"gap"}, "divider": {"divider"}}
"""Which ways of an installer, as profiles name them, serve an answer."""


def dividing_question(kind: Profile) -> Question:
    """Return the question who divides, with what this installer can do."""
    can = tuple(one for one in ANSWERS if WAYS[one.value] & set(kind.divides)) or ANSWERS[:1]
    return Question("divides", "Divided by", can, can[0].value, kind.reasons["divides"])


def by_itself(kind: Profile, layout: Layout, disk: Disk) -> Layout:
    """Return the layout that an installer makes by itself: one volume, or its own subvolumes; the EFI system partition that is there.

    Raises ``PlanError`` where this installer does not work so, or there is nothing for its loader.
    """
    if layout.divides == "hand":
        return layout
    if not WAYS[layout.divides] & set(kind.divides):
        raise PlanError(
            f"The installer of {kind.title} has no such way: {kind.reasons['divides']}.", "Let the disk be divided by hand."
        )
    if layout.mode == "uefi" and startup_on(disk) is None:
        raise PlanError(
            f"Disk {disk.id} has no EFI system partition that the installer would take.", "Let the disk be divided by hand."
        )
    home = "subvolumes" if "subvolumes" in kind.automatic else "together"
    return replace(layout, own_esp=False, home=home, swap="none", encryption="none", root_bytes=0)


def place_for(disk: Disk, kind: Profile, size: int, needs: tuple[Need, ...], divides: Divides) -> Fit:
    """Return where the new system goes. A divider takes the volume that it takes, whatever a person would choose."""
    place = fit(disk, size, primary=primary(needs))
    if divides != "divider" or place.giver is None:
        return place
    taken = divider_takes(disk)
    place = given_by(disk, taken, size)
    if place.giver_bytes < taken.smallest:
        raise PlanError(
            f"The divider stops at {binary(taken.smallest)} for {taken.volume.call}, and the plan asks for {binary(place.giver_bytes)}.",
            "Take less, or make the gap beforehand in its own system.",
        )
    if size < kind.floor:
        raise PlanError(
            f"The divider gives {kind.title} at least {binary(kind.floor)}.", "Take that, or let the disk be divided by hand."
        )
    return place


def divider_takes(disk: Disk) -> Giver:
    """Return the volume that a divider shrinks: with a system on it, and the most room free in it. The disk has a giver."""
    known = givers(disk)
    with_system = [one for one in known if one.volume.holds] or list(known)
    return max(with_system, key=lambda one: one.volume.size - one.smallest)
