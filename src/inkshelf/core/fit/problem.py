"""From a machine to the question that the fit answers: usable stretches, what stands there, how far each may give or move. Whole MiB."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.fit.question import Held, Piece, Problem, Shelf
from inkshelf.core.fit.room import free_slots, givers
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.size import MIB
from inkshelf.core.value import replace

FIXED = frozenset({"unknown", "damaged", "nt-encrypted"})


def problem_of(machine: Machine, pieces: tuple[Piece, ...], *, moves: bool, table: Literal["gpt", "mbr"] = "gpt") -> Problem:
    """Return the question over every disk of a machine with this kind of table; ``moves``: volumes in the way may be moved."""
    shelves = (shelf for one in machine.disks if one.table.kind == table for shelf in shelves_of(one, moves=moves))
    return Problem(tuple(shelves), pieces)


def shelves_of(disk: Disk, *, moves: bool) -> tuple[Shelf, ...]:
    """Return one disk as the fit sees it; the stretch of an extended partition is a shelf of its own, and a wall of the other."""
    if disk.table.kind != "mbr":
        return (shelf_of(disk, moves=moves),)
    extended = disk.table.extended
    outer = shelf_of(disk, moves=moves, slots=free_slots(disk), encloses=extended is None)
    if extended is None:
        return (outer,)
    start, end = extended.start // MIB, -(-(extended.start + extended.size) // MIB)
    wall = Held(f"the extended partition of disk {disk.id}", start, end - start, end - start, end - start)
    inner = replace(shelf_of(disk, moves=moves, inside=True), start=-(-extended.start // MIB), end=end)
    return (replace(outer, held=tuple(sorted((*outer.held, wall), key=lambda one: one.start))), inner)


def shelf_of(disk: Disk, *, moves: bool, slots: int | None = None, encloses: bool = False, inside: bool = False) -> Shelf:
    """Return what stands on a disk, or ``inside`` its extended partition: edges of volumes are rounded away from the free room."""
    kept = {one.volume.call: (max(one.smallest, one.kept), _why(one.volume, one.smallest, one.kept)) for one in givers(disk)}
    held = []
    for volume in disk.volumes:
        if volume.logical != inside:
            continue
        start, end = volume.start // MIB, -(-volume.end // MIB)
        size = end - start
        least, why = kept.get(volume.call, (size * MIB, ""))
        used = volume.size if volume.used is None else volume.used
        smallest = min(size, -(-least // MIB) + 1)  # the box takes whole MiB
        held.append(Held(volume.call, start, size, -(-used // MIB), smallest, moves and _may_move(disk, volume), why))
    start, end = -(-disk.usable_start // MIB), disk.usable_end // MIB
    return Shelf(disk.id, start, end, tuple(held), slots, encloses, inside)


def _why(volume: Volume, smallest: int, kept: int) -> str:
    if kept >= smallest:
        return "the owner keeps the reserve free"
    return volume.filesystem.smallest_why if volume.filesystem else ""


def _may_move(disk: Disk, volume: Volume) -> bool:
    """What can be read may be moved on a GPT, where systems are named by GUID; what is asleep or of another family's own may not."""
    system = volume.filesystem
    if system is None:
        return volume.role == "reserved"
    return system.kind in KINDS and system.kind not in FIXED and volume.used is not None and disk.table.kind == "gpt"
