"""A Linux-family system in a volume group: root, swap and home are logical volumes, the kernels lie outside where every menu reads them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.aims.base import Need
from inkshelf.core.aims.shares import divide
from inkshelf.core.disk.contents import Inside
from inkshelf.core.disk.lvm_extents import DATA_START, EXTENT
from inkshelf.core.draw import file_system_uuid
from inkshelf.core.machine.profiles import Profile, figure, reason
from inkshelf.core.size import align_down
from inkshelf.core.steps.containers import FillGroup, room_inside
from inkshelf.core.value import replace

if TYPE_CHECKING:
    from inkshelf.core.aims.systems import Layout
    from inkshelf.core.aims.volumes import New

OVERHEAD = DATA_START + EXTENT  # what a group needs beside its logical volumes


def boot_need(kind: Profile, layout: Layout) -> Need:
    """Return the volume of its own that holds the kernels of a system in a container."""
    return Need(
        f"boot{layout.mark}",
        "startup",
        "linux_data",
        "ext4",
        f"{kind.folder}{layout.mark}-boot",
        "",
        figure("linux_boot", "floor"),
        figure("linux_boot", "comfortable"),
        reason=reason("linux_boot"),
    )


def group_name(kind: Profile, layout: Layout) -> str:
    """Return a name for a system's volume group: never that of one that the machine has, whose volumes its lines would reach."""
    own = f"{kind.folder}{layout.mark}"
    return next(
        one
        for number in range(1, len(layout.groups) + 3)
        if (one := f"{own}{number if number > 1 else ''}") not in layout.groups
    )


def grouped(kind: Profile, layout: Layout, plain: tuple[Need, ...]) -> tuple[Need, ...]:
    """Return the needs of a system with its ``plain`` ones in a volume group: the boot volume, and the physical volume."""
    root = next(one for one in plain if one.part == f"root{layout.mark}")
    physical = replace(
        root,
        role="container",
        type_key="linux_lvm",
        filesystem="lvm",
        label=group_name(kind, layout),
        name="",
        floor=sum(max(one.floor, one.fixed) for one in plain) + OVERHEAD,
        comfort=sum(max(one.comfort, one.fixed) for one in plain) + OVERHEAD,
        grows=any(one.grows for one in plain),
        fixed=0,
    )
    return boot_need(kind, layout), physical


def fill_group(layout: Layout, plain: tuple[Need, ...], new: New, seed: str) -> tuple[FillGroup, New]:
    """Return what fills the group that was made for a system, and the new volumes with the identities that the system mounts: those inside."""
    made = new.made(f"root{layout.mark}")
    holds = logical(plain, room_inside(made.size, grouped=True, payload=0), layout.mark, seed)
    uuids = {one.part: inner.uuid for one, inner in zip(plain, holds, strict=True)}
    return FillGroup(made.call, holds), replace(new, uuids={**new.uuids, **uuids})


def logical(inner: tuple[Need, ...], room: int, mark: str, seed: str) -> tuple[Inside, ...]:
    """Return logical volumes of whole extents, ``room`` bytes in all; what rounding leaves goes to the one that grows."""
    sizes = {part: max(EXTENT, align_down(size, EXTENT)) for part, size in divide(inner, room).items()}
    grows = next((one.part for one in reversed(inner) if one.grows), inner[0].part)
    sizes[grows] += room - sum(sizes.values())
    return tuple(
        Inside(
            one.part.removesuffix(mark),
            sizes[one.part],
            one.filesystem,
            one.label,
            file_system_uuid(seed, f"inside {one.part}"),
        )
        for one in inner
    )
