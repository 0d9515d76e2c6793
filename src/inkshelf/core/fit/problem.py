"""From a machine to the question that the fit answers: usable stretches, what stands there, how far each may give or move. Whole MiB."""

from __future__ import annotations

from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.fit.question import Held, Piece, Problem, Shelf
from inkshelf.core.fit.room import givers
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.size import MIB

FIXED = frozenset({"unknown", "damaged", "nt-encrypted"})


def problem_of(machine: Machine, pieces: tuple[Piece, ...], *, moves: bool) -> Problem:
    """Return the question over every GPT disk of a machine; ``moves``: volumes in the way may be moved."""
    return Problem(tuple(shelf_of(one, moves=moves) for one in machine.disks if one.table.kind == "gpt"), pieces)


def shelf_of(disk: Disk, *, moves: bool) -> Shelf:
    """Return one disk as the fit sees it: edges of volumes are rounded away from the free room."""
    kept = {one.volume.call: (max(one.smallest, one.kept), _why(one.volume, one.smallest, one.kept)) for one in givers(disk)}
    held = []
    for volume in disk.volumes:
        start, end = volume.start // MIB, -(-volume.end // MIB)
        size = end - start
        least, why = kept.get(volume.call, (size * MIB, ""))
        used = volume.size if volume.used is None else volume.used
        smallest = min(size, -(-least // MIB) + 1)  # the box takes whole MiB
        held.append(Held(volume.call, start, size, -(-used // MIB), smallest, moves and _may_move(disk, volume), why))
    return Shelf(disk.id, -(-disk.usable_start // MIB), disk.usable_end // MIB, tuple(held))


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
