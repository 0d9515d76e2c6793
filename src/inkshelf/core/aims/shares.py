"""How the room of a new system is divided among its volumes: floors, comforts, swap by its school. All sizes in bytes."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Literal

from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import figure, home_room, room_of
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import Value
from inkshelf.data import table

if TYPE_CHECKING:
    from inkshelf.core.aims.beside import Beside

Swap = Literal["none", "sqrt", "hibernate"]


def nominal_gib(ram_bytes: int) -> int:
    """Return memory rounded up to the GiB it was sold as."""
    return max(1, -(-ram_bytes // GIB))


def swap_bytes(school: Swap, ram_bytes: int | None) -> int:
    """Return the swap volume's size: none; the square root of the memory, 1 to 8 GiB; or memory plus its root for hibernation.

    Memory of 2 GiB or less takes twice its size, before the other rules. Unknown memory is taken as 8 GiB, and a finding says so.
    """
    if school == "none":
        return 0
    ram = nominal_gib(ram_bytes if ram_bytes else 8 * GIB)
    if ram <= 2:
        return 2 * ram * GIB
    root = math.isqrt(ram - 1) + 1
    if school == "hibernate":
        return (ram + root) * GIB
    return min(max(root, 1), int(table("defaults")["swap"]["largest_sqrt"])) * GIB


class Shares(Value, frozen=True):
    """How the room is divided, in bytes; 0 means there is no such volume."""

    esp: int
    root: int
    swap: int
    home: int

    @property
    def total(self) -> int:
        """All of it."""
        return self.esp + self.root + self.swap + self.home


def esp_bytes(sector: int) -> int:
    """Return the size of an EFI system partition of its own on a disk of this sector size."""
    return max(figure("efi_system", "comfortable"), figure("efi_system", "floor_4096") if sector == 4096 else 0)


def divide(aim: Beside, total: int, ram_bytes: int | None, sector: int = 512) -> Shares:
    """Divide ``total`` bytes among the new volumes, in whole MiB; home grows, so it takes the rest."""
    esp = esp_bytes(sector) if aim.esp == "own" else 0
    swap = swap_bytes(aim.swap, ram_bytes)
    left = (total - esp - swap) // MIB * MIB
    if left <= 0:
        raise PlanError("There is no room left for the system itself.", "Give it more room, or choose less swap.")
    if aim.home == "together":
        return Shares(esp, left, swap, 0)
    root = aim.root_bytes or _root_share(left, aim.system)
    root = max(MIB, min(root, left - MIB)) // MIB * MIB
    return Shares(esp, root, swap, left - root)


def _root_share(left: int, system: str) -> int:
    """Root's part of what root and home share: its comfort where both reach theirs, in proportion between floors and comforts."""
    root, home = room_of(system, apart=True), home_room()
    low, more, home_more = root.floor, root.comfort - root.floor, home.comfort - home.floor
    if left <= low + home.floor:
        return left * low // (low + home.floor)
    return low + min(more, (left - low - home.floor) * more // max(1, more + home_more))


def least(aim: Beside, ram_bytes: int | None) -> int:
    """Return the smallest room that keeps every floor, in bytes."""
    room = room_of(aim.system, apart=aim.home == "apart")
    if aim.home == "apart" and aim.root_bytes:
        shares = max(aim.root_bytes, room.floor) + home_room().floor
    elif aim.home == "apart":
        shares = room.floor + home_room().floor
    else:
        shares = room.floor
    own = figure("efi_system", "comfortable") if aim.esp == "own" else 0
    return shares + own + swap_bytes(aim.swap, ram_bytes)


def comfortable(aim: Beside, ram_bytes: int | None) -> int:
    """Return the room at which every volume is comfortable, in bytes."""
    apart = aim.home == "apart"
    shares = room_of(aim.system, apart=apart).comfort + (home_room().comfort if apart else 0)
    own = figure("efi_system", "comfortable") if aim.esp == "own" else 0
    return shares + own + swap_bytes(aim.swap, ram_bytes)
