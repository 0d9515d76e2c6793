"""Generated jobs on small disks, cut at random writes: what the property test runs by the hundred and the soak by the thousand."""

from __future__ import annotations

import os
import random
import shutil
from pathlib import Path
from typing import NamedTuple

from disks import answered, put_file_on_ntfs, put_volume
from inkshelf.bench import cut, sparse
from inkshelf.bench.demo import put_on_fat
from inkshelf.bench.inker import Report, ink, resume
from inkshelf.bench.intake import take_in
from inkshelf.bench.sparse import write_all
from inkshelf.core.disk import mbr_write
from inkshelf.core.disk.gpt import GptEntry, blank, encode
from inkshelf.core.disk.mbr import MbrEntry, MbrTable
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import guid
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.byhand import arrange, change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import MIB
from inkshelf.core.value import replace

SIZE = 420 * MIB
# start and size in MiB, the command that makes what is inside
VOLUMES = (
    (2, 50, ("mkfs.fat", "-F", "16", "-n", "FLYER")),
    (62, 60, ("mkfs.ntfs", "-F", "-Q", "-q", "-L", "OFFICE")),
    (142, 70, ("mkfs.ext4", "-F", "-q", "-L", "plates")),
    (223, 40, ("mkfs.ext4", "-F", "-q", "-L", "letters")),
)
LABELS, KINDS = ("INK", "PRESS", "PROOF"), ("ext4", "fat32", "swap", "exfat", "lvm", "ntfs")


def small_disk(folder: Path, kind: str, dice: random.Random) -> Path:
    """A disk with four volumes full of files; on an MBR the last two are logical."""
    path, tree = folder / f"{kind}.img", folder / "tree"
    shutil.rmtree(tree, ignore_errors=True)
    tree.mkdir(parents=True)
    for number in range(30):
        (tree / f"sheet {number}").write_bytes(dice.randbytes(dice.choice([0, 900, 70_000, 700_000])))
    with path.open("w+b") as out:
        out.truncate(SIZE)
        for offset, data in _table(kind):
            write_all(out.fileno(), data, offset)
        for start, size, command in VOLUMES:
            files = ("-d", str(tree)) if "ext4" in command[0] else ()
            put_volume(out.fileno(), folder, start * MIB, size * MIB, (*command, *files))
    put_on_fat(path, 2 * MIB, {rf"\flyers\{number}.txt": dice.randbytes(40_000) for number in range(12)})
    for number in range(4):
        put_file_on_ntfs(path, (62 * MIB, 60 * MIB), f"letter{number}.txt", dice.randbytes(60_000), folder)
    return path


def _table(kind: str) -> list[tuple[int, bytes]]:
    places = [(start * 2048, size * 2048) for start, size, _ in VOLUMES]
    if kind == "gpt":
        entries = tuple(
            GptEntry(number, gpt_type("basic_data"), guid("cut", str(number)), first, first + count - 1)
            for number, (first, count) in enumerate(places, 1)
        )
        return encode(replace(blank(SIZE, 512, guid("cut", "disk")), entries=entries))
    inside = MbrEntry(3, 0x0F, 140 * 2048, 270 * 2048)
    entries = [MbrEntry((1, 2, 5, 6)[at], 0x83, *place, logical=at > 1) for at, place in enumerate(places)]
    return mbr_write.encode(MbrTable("00c0ffee", (*entries, inside)), 512)


def random_job(found: Job, dice: random.Random) -> Job:
    """Return a job of up to eight steps by hand; what is refused is left out."""
    job = found
    for _ in range(dice.randint(3, 8)):
        volumes = read(job).plan.planned.disks[0].volumes
        call = dice.choice(volumes).call if volumes else "D1"
        size = f"{dice.randrange(34, 140)}MiB"
        verb, words = dice.choice(
            [
                ("resize", {"size": size}),
                ("resize", {"size": size}),
                ("move", {"at": f"{dice.randrange(1, 380)}MiB"}),
                ("move", {"at": f"{dice.randrange(1, 380)}MiB"}),
                ("create", {"size": size}),
                ("format", {"fs": dice.choice(KINDS)}),
                ("label", {"label": dice.choice(LABELS)}),
                ("renew", {}),
                ("delete", {}),
                ("arrange", {}),
            ]
        )
        try:
            if verb == "arrange":
                names = dice.sample([one.call for one in volumes], min(len(volumes), 3))
                job = arrange(job, "A", " ".join(names))
            else:
                job = change(job, verb, "A" if verb == "create" else call, **words)
        except InkshelfError:
            continue
    return job


class Done(NamedTuple):
    """The last report, and the kinds of the steps."""

    report: Report
    kinds: list[str]


class CutJobs:
    """Two small disks taken in once; jobs are made, cut and gone on with from them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        dice = random.Random(5)
        self.found = [take_in([small_disk(folder, kind, dice)], seed=kind) for kind in ("gpt", "mbr")]

    def run(self, seed: int) -> tuple[Done | None, int]:
        """Ink the job of ``seed``, cut up to three times; return what was done and how many cuts there were."""
        dice = random.Random(seed)
        job = answered(random_job(dice.choice(self.found), dice))
        if not job.steps:
            return None, 0
        bench, cuts = self.folder / f"bench of job {seed}", 0
        for _ in range(dice.randint(1, 3)):
            begun = (bench / "journal.json").exists()
            if not _dies(
                lambda again=begun: resume(bench) if again else ink(job, bench),
                dice.choice([dice.randint(0, 12), dice.randint(0, 150)]),
                dice,
            ):
                break
            cuts += 1
        begun = (bench / "journal.json").exists()
        report = resume(bench) if begun else ink(job, bench)
        shutil.rmtree(bench)
        return Done(report, [step.kind for step in job.steps]), cuts


def _path(fd: int) -> str:
    return str(Path(f"/proc/self/fd/{fd}").readlink())


class LossyDisk:
    """Stands between this process and the bench images: when it dies, writes that were not flushed may be lost, in sectors."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice
        self.pending: dict[str, list[tuple[int, bytes]]] = {}
        self.real = {name: getattr(os, name) for name in ("pwrite", "copy_file_range", "fsync", "fdatasync", "_exit")}
        os.pwrite, os.copy_file_range, os._exit = self.pwrite, self.copy, self.go_off
        os.fsync = os.fdatasync = self.fsync
        self.real_hole, sparse.deallocate = sparse.deallocate, self.hole

    def _remember(self, fd: int, at: int, length: int) -> None:
        path = _path(fd)
        if path.endswith(".img"):
            self.pending.setdefault(path, []).append((at, os.pread(fd, length, at)))

    def pwrite(self, fd: int, data: bytes, at: int) -> int:
        self._remember(fd, at, len(data))
        return self.real["pwrite"](fd, data, at)

    def copy(self, source: int, target: int, count: int, low: int, at: int) -> int:
        self._remember(target, at, count)
        return self.real["copy_file_range"](source, target, count, low, at)

    def hole(self, fd: int, start: int, size: int) -> bool:
        if size <= 32 * MIB:  # larger ones are given back at the end, when all is over
            self._remember(fd, start, size)
        return self.real_hole(fd, start, size)

    def fsync(self, fd: int) -> None:
        self.pending.pop(_path(fd), None)

    def go_off(self, status: int) -> None:
        for path, lost in self.pending.items() if status == cut.STATUS else ():
            fd = os.open(path, os.O_RDWR)
            for at, old in reversed(lost):
                for sector in range(0, len(old), 512 if len(old) < MIB else 1 << 16):
                    if self.dice.random() < 0.3:
                        self.real["pwrite"](fd, old[sector : sector + 512], at + sector)
        self.real["_exit"](status)


def _dies(work: object, after: int, dice: random.Random) -> bool:
    """Do the work in a process of its own that dies hard after that many writes; tell whether it did."""
    child = os.fork()
    if child == 0:
        try:
            cut.arm(after)
            LossyDisk(dice)
            work()  # type: ignore[operator]
        finally:
            os._exit(0)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == cut.STATUS
