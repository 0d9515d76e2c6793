"""How room is divided among the volumes that need it: floors, comforts, sizes that a person set. All sizes in bytes, whole MiB."""

from __future__ import annotations

import math
from typing import Literal

from inkshelf.core.aims.base import Need
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import figure
from inkshelf.core.size import GIB, MIB, binary
from inkshelf.data import table

Swap = Literal["none", "compressed", "sqrt", "equal", "hibernate", "file"]
WITHOUT_VOLUME = ("none", "compressed", "file")


def nominal_gib(ram_bytes: int) -> int:
    """Return memory rounded up to the GiB it was sold as."""
    return max(1, -(-ram_bytes // GIB))


def swap_bytes(school: Swap, ram_bytes: int | None) -> int:
    """Return the swap volume's size: none; the square root of the memory, 1 to 8 GiB; as much as the memory; or that plus its root for hibernation.

    Memory of 2 GiB or less takes twice its size, before the other rules. Unknown memory is taken as 8 GiB, and a finding says so.
    """
    return 0 if school in WITHOUT_VOLUME else _by_rule(school, ram_bytes)


def swap_file_bytes(school: Swap, ram_bytes: int | None) -> int:
    """Return the size of a swap file in root, where that is the school: by the square-root rule."""
    return _by_rule("sqrt", ram_bytes) if school == "file" else 0


def _by_rule(school: Swap, ram_bytes: int | None) -> int:
    ram = nominal_gib(ram_bytes if ram_bytes else 8 * GIB)
    if ram <= 2:
        return 2 * ram * GIB
    root = math.isqrt(ram - 1) + 1
    if school == "hibernate":
        return (ram + root) * GIB
    if school == "equal":
        return ram * GIB
    return min(max(root, 1), int(table("defaults")["swap"]["largest_sqrt"])) * GIB


def esp_bytes(sector: int) -> int:
    """Return the size of an EFI system partition of its own on a disk of this sector size."""
    return max(figure("efi_system", "comfortable"), figure("efi_system", "floor_4096") if sector == 4096 else 0)


def elastic(need: Need) -> bool:
    """Tell whether a volume's size is open."""
    return not need.fixed and (need.grows or need.comfort > need.floor)


def least(needs: tuple[Need, ...]) -> int:
    """Return the smallest room that keeps every floor."""
    return sum(max(need.floor, need.fixed) for need in needs)


def comfortable(needs: tuple[Need, ...]) -> int:
    """Return the room at which every volume is comfortable."""
    return sum(max(need.comfort, need.floor) if not need.fixed else max(need.fixed, need.floor) for need in needs)


def divide(needs: tuple[Need, ...], total: int) -> dict[str, int]:
    """Return the size of each volume by its part, ``total`` bytes in all; raises ``PlanError`` where nothing is left for the system.

    What is set stays. The others stand between floor and comfort all in the same proportion; what is beyond goes to those that grow.
    """
    open_ones = [need for need in needs if elastic(need)]
    sizes = {need.part: need.fixed or need.floor for need in needs}
    locked = sum(need.fixed for need in needs)
    if locked + MIB * len(open_ones) > total:
        names = ", ".join(f"{need.part} {binary(need.fixed)}" for need in needs if need.fixed)
        raise PlanError(f"{binary(total)} cannot hold what is locked: {names}.", "Unlock one of them, or give it more room.")
    if not open_ones and sum(sizes.values()) <= total:
        return sizes
    left = (total - sum(size for part, size in sizes.items() if part not in {one.part for one in open_ones})) // MIB * MIB
    if left < MIB * max(1, len(open_ones)):
        asked = sum(size for part, size in sizes.items())
        raise PlanError(
            "There is no room left for the system itself."
            if len(open_ones) == 1
            else f"{binary(total)} cannot hold {binary(asked)}.",
            "Give it more room, or choose less swap.",
        )
    if not open_ones:
        return sizes
    floors, comforts = sum(one.floor for one in open_ones), sum(one.comfort for one in open_ones)
    for need in open_ones:
        if left <= floors:
            share = left * need.floor // floors
        else:
            more = min(left, comforts) - floors
            share = need.floor + (more * (need.comfort - need.floor) // (comforts - floors) if comforts > floors else 0)
        sizes[need.part] = max(MIB, share // MIB * MIB)
    growing = [one for one in open_ones if one.grows] or open_ones[-1:]
    over = left - sum(sizes[one.part] for one in open_ones)
    weights = sum(max(1, one.comfort) for one in growing)
    for need in growing[:-1]:
        sizes[need.part] += max(0, over) * max(1, need.comfort) // weights // MIB * MIB
    others = sum(sizes[one.part] for one in open_ones if one is not growing[-1])
    sizes[growing[-1].part] = max(MIB, left - others)
    return sizes
