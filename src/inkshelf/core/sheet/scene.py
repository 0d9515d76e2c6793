"""What a step meets, for telling it: the state found, before and after, and what a volume is called where a command is typed."""

from __future__ import annotations

import shlex
from collections.abc import Callable, Iterator

from inkshelf.core.disk.filesystems import title
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import binary
from inkshelf.core.steps.kinds import Step
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

Node = Callable[[Disk, int | None], str]


def sheet_node(disk: Disk, number: int | None = None) -> str:
    """Return how a disk, or a partition of it, is named on the sheet: as captured, or with a word to replace; quoted for a shell."""
    device = disk.device or f"/dev/THE-DISK-{disk.id}"
    if number is None:
        return shlex.quote(device)
    return shlex.quote(f"{device}p{number}" if device[-1].isdigit() else f"{device}{number}")


class Scene(Value, frozen=True):
    """The machine as found, before the step and after it (the same where it cannot be done)."""

    found: Machine
    before: Machine
    after: Machine
    node: Node = sheet_node

    def at(self, call: str) -> tuple[Disk, Volume] | None:
        """Return the disk and volume of a call number as the step meets them, or as it leaves them."""
        return self.before.system(call) or self.after.system(call)

    def part(self, call: str) -> str:
        """Return what the partition of a volume is called in a command."""
        place = self.at(call)
        return self.node(place[0], place[1].number) if place else "THE-VOLUME"

    def disk(self, call: str) -> str:
        """Return what the disk of a volume is called in a command."""
        place = self.at(call)
        return self.node(place[0], None) if place else "/dev/THE-DISK"

    def who(self, call: str) -> str:
        """Return a volume as a person finds it on the machine: partition number, label, size, file system, place, disk."""
        place = self.at(call)
        if place is None:
            return call
        disk, volume = place
        system = volume.filesystem
        named = (
            f"“{shown(system.label)}”" if system and system.label else f"“{shown(volume.name)}”" if volume.name else "no label"
        )
        holds = title(system.kind) if system else "no file system"
        if not volume.number and not volume.type_id and volume.name.startswith("\\"):
            return f"{call}: the file {shown(volume.name)} on disk {disk.id}, {binary(volume.size)} at its full size"
        number = f"partition {volume.number}" if volume.number else "the whole disk"
        return f"{call}: {number} of disk {disk.id}, {named}, {binary(volume.size)}, {holds}, from {binary(volume.start, 2)}"


def scenes(reading: Reading, node: Node = sheet_node) -> Iterator[tuple[int, Step, Scene]]:
    """Yield every step that can be done, with its number and scene; and the one that cannot, as it would meet the last state."""
    machines = reading.plan.machines
    for number, (step, before) in enumerate(zip(reading.job.steps, machines, strict=False), 1):
        yield number, step, Scene(reading.plan.found, before, machines[number] if number < len(machines) else before, node)
