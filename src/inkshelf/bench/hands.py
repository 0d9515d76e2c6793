"""What every step on the bench is done with: the images that are open for writing, and the ways to change them without loss."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from inkshelf.bench.contents import hidden_places
from inkshelf.bench.folder import Bench, FirmwareStore
from inkshelf.bench.handover import Written, flush, hand_over, take_back
from inkshelf.bench.image import ImageFile
from inkshelf.bench.journal import Journal
from inkshelf.bench.opening import identity, make_folder, open_own
from inkshelf.bench.pace import Pace
from inkshelf.bench.tablewriter import write_table
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk, Machine, Volume

HAND, VOLUME = "hand", "volume"  # the folder in which a utility works, and the one file in it


class Hands:
    """The open images of one inking. ``sources``: what must never be written; ``carried``: told of bytes as they are copied."""

    def __init__(self, bench: Bench, journal: Journal, sources: dict[str, Path], carried: Callable[[int], None]) -> None:
        self.bench, self.journal, self.sources, self.carried = bench, journal, sources, carried
        self.say: Callable[[str], None] = lambda _: None  # told what is waited for inside a step
        self.store = FirmwareStore(bench.folder)
        self.written = Written()
        self.fds: dict[str, int] = {}
        self.paces: dict[str, Pace] = {}  # of the simulated sticks among the disks

    def close(self) -> None:
        """Close every image."""
        for fd in self.fds.values():
            os.close(fd)

    def expect(self, fd: int, count: int) -> None:
        """So many bytes are to be written to an image: a stick reckons how long that takes."""
        for disk, own in self.fds.items():
            if own == fd and disk in self.paces:
                self.paces[disk].expect(count)

    def wrote(self, fd: int, count: int) -> None:
        """So many bytes were written to an image, zeros too: a stick's own clock goes on."""
        for disk, own in self.fds.items():
            if own == fd and disk in self.paces:
                self.paces[disk].passed(count)

    def sync(self) -> None:
        """Force every image to the disk."""
        for fd in self.fds.values():
            os.fsync(fd)

    def flush(self, fd: int) -> None:
        """Wait until everything that was written is on the stick, and say so: the last bytes take the longest."""
        self.say("waiting for the flush")
        os.fsync(fd)

    def open(self, path: Path, size: int) -> int:
        """Open a bench image for writing, never what a source is, by whatever name."""
        fd = open_for_writing(path, size)
        for source in self.sources.values():
            if source.exists() and (source.stat().st_dev, source.stat().st_ino) == identity(fd):
                os.close(fd)
                raise BenchError(f"{path} is the source itself.", "Ink again into an empty bench folder; nothing was written.")
        return fd

    def volume(self, machine: Machine, call: str) -> tuple[Disk, Volume, int]:
        """Return a volume with its disk and the image that holds it; raises ``BenchError`` where there is none."""
        found = machine.find(call)
        if found is None:
            raise BenchError(f"There is no volume {call}.", "Plan again.")
        return found[0], found[1], self.fds[found[0].id]

    def table(self, before: Machine, after: Machine, disk_id: str) -> None:
        """Write the table of a disk as it is after a step."""
        write_table(self.fds[disk_id], before.disk(disk_id), after.disk(disk_id), self.written)

    def write_hidden(self, fd: int, after: Machine, call: str) -> None:
        """Say in the boot sector and its copies how many sectors lie before the volume now."""
        disk, volume, _ = self.volume(after, call)
        system = volume.filesystem
        if system is None or system.hidden_sectors is None:
            return
        with ImageFile(self.bench.image(disk.id)) as image:
            places = hidden_places(volume, Slice(image, volume.start, volume.size))
        for at in places:
            self.written.put(fd, system.hidden_sectors.to_bytes(4, "little"), volume.start + at)

    def hand(
        self,
        volume: Volume,
        fd: int,
        work: Callable[[Path], None],
        part: int = 0,
        *,
        last: bool = True,
        size: int | None = None,
        blank: bool = False,
    ) -> None:
        """Let a utility work on the volume's bytes and bring back what it changed.

        The scratch file is complete and on the disk before the image is touched, and stays until the next checkpoint: a cut in
        between is made good by bringing it back again. ``last``: the step has no further part.
        """
        if self.journal.entry.part > part:
            return
        path = self.bench.folder / HAND / VOLUME
        if not (self.journal.entry.back and path.exists()):
            make_folder(self.bench.folder, HAND)
            hand_over(fd, path, volume, self.written, self.carried, blank=blank)
            work(path)
            flush(path)
            self.journal.note(back=True)
        before = self.written.image
        take_back(fd, path, volume, self.written, size)
        self.wrote(fd, self.written.image - before)
        if not last:
            os.fsync(fd)
            self.journal.note(back=False, part=part + 1)


def open_for_writing(path: Path, size: int) -> int:
    """Open a bench image and give it its length; links and devices are refused as everywhere."""
    fd = open_own(path.parent, path.name)
    os.ftruncate(fd, size)
    return fd
