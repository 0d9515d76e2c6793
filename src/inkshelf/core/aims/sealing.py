"""A Linux-family system behind a passphrase: root, or all of it, in a LUKS2 container, with the kernels outside where the menu reads them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from inkshelf.core.aims.base import Answer, Need, Question
from inkshelf.core.aims.grouping import OVERHEAD as IN_GROUP
from inkshelf.core.aims.grouping import boot_need, group_name, logical
from inkshelf.core.disk.contents import Inside
from inkshelf.core.draw import file_system_uuid
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import Profile
from inkshelf.core.steps.containers import FillContainer, room_inside
from inkshelf.core.value import Value, replace

if TYPE_CHECKING:
    from inkshelf.core.aims.systems import Layout
    from inkshelf.core.aims.volumes import New

Encryption = Literal["none", "root", "all", "home"]
OVERHEAD = (16 << 20) + IN_GROUP  # its header; a group in it
ANSWERS = (
    Answer("nothing", "none", "Whoever takes the disk reads it; nobody is locked out by a forgotten passphrase."),
    Answer("root", "root", "One container, one passphrase; swap is a file in it. A home of its own stays readable."),
    Answer("everything", "all", "Root, swap and home in one container: the most that is hidden, and hibernation works."),
    Answer(
        "home only",
        "home",
        "The owner's files alone; the system starts without a passphrase up to there. Swap may hold parts of them.",
    ),
)


def encryption_question(*, portable: bool = False) -> Question:
    """Return the question what is encrypted. A lost machine stands against a lost key, and the owner decides."""
    why = "portable disks get lost, and so do passphrases: ask the owner" if portable else "a key that is lost loses every file"
    return Question("encryption", "Encrypted", ANSWERS, "none", why)


def refuse_sealed(kind: Profile, encryption: Encryption) -> None:
    """Refuse to put an NT-family system into a container: it encrypts itself, once it runs."""
    if kind.family == "nt" and encryption != "none":
        raise PlanError(
            f"{kind.title} encrypts itself, from inside, once it runs.",
            "Choose to encrypt nothing here, and note its key there.",
        )


def sealed(kind: Profile, layout: Layout, plain: tuple[Need, ...]) -> tuple[Need, ...]:
    """Return the needs of a system with its ``plain`` ones in a container: the boot volume, the container, what stays outside.

    Where home alone is in one, menu and kernels are read without it.
    """
    inner, outer = parted(layout, plain)
    first = inner[0]
    container = replace(
        first,
        role="container",
        type_key="linux_luks",
        filesystem="luks",
        label=f"{kind.folder}{layout.mark}-locked",
        name="",
        floor=sum(max(one.floor, one.fixed) for one in inner) + OVERHEAD,
        comfort=sum(max(one.comfort, one.fixed) for one in inner) + OVERHEAD,
        grows=any(one.grows for one in inner),
        fixed=first.fixed + OVERHEAD if first.fixed and len(inner) == 1 else 0,
    )
    return (*outer, container) if layout.encryption == "home" else (boot_need(kind, layout), container, *outer)


def parted(layout: Layout, plain: tuple[Need, ...]) -> tuple[tuple[Need, ...], tuple[Need, ...]]:
    """Return what lies in the container, and what lies outside."""
    if layout.encryption == "all":
        return plain, ()
    if layout.encryption == "home":
        home = tuple(one for one in plain if one.part == f"home{layout.mark}")
        if not home or layout.home == "lvm":
            raise PlanError("Only a home of its own can be encrypted alone.", "Put root and home apart.")
        return home, tuple(one for one in plain if one not in home)
    if layout.home == "lvm":
        raise PlanError(
            "A volume group lies in the container here, or there is none.",
            "Encrypt everything, or put root and home otherwise.",
        )
    if layout.swap == "hibernate":
        raise PlanError(
            "Hibernation writes the memory to the swap, which is not in the container here.",
            "Encrypt everything, or choose less swap.",
        )
    inner = [one for one in plain if one.part == f"root{layout.mark}"]
    swap = sum(one.comfort for one in plain if one.part == f"swap{layout.mark}")
    root = replace(inner[0], floor=inner[0].floor + swap, comfort=inner[0].comfort + swap)
    return (root,), tuple(one for one in plain if one.part == f"home{layout.mark}")


class Sealed(Value, frozen=True):
    """A container's steps, and the new volumes with the identities that the system mounts: those inside."""

    fill: FillContainer
    new: New
    boot: str
    unlocks: tuple[tuple[str, str], ...]


def seal(kind: Profile, layout: Layout, plain: tuple[Need, ...], new: New, seed: str) -> Sealed:
    """Return what fills the container that was made for a system. Its mapping is called after the container's label."""
    mark = layout.mark
    inner, _ = parted(layout, plain)
    first = inner[0]
    made = new.made(first.part)
    grouped = layout.encryption == "all"
    room = room_inside(made.size, grouped=grouped)
    name = first.part.removesuffix(mark)
    alone = Inside(name, room, first.filesystem, first.label, file_system_uuid(seed, f"inside {first.part}"))
    holds = logical(inner, room, mark, seed) if grouped else (alone,)
    uuids = {one.part: held.uuid for one, held in zip(inner, holds, strict=True)}
    return Sealed(
        FillContainer(made.call, holds, group_name(kind, layout) if grouped else ""),
        replace(new, uuids={**new.uuids, **uuids}),
        new.calls.get(f"boot{mark}", ""),
        ((f"{kind.folder}{mark}-locked", new.uuids[first.part]),),
    )
