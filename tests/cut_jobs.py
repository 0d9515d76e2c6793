"""Generated jobs on small disks, cut at random writes: what the property test runs by the hundred and the soak by the thousand."""

from __future__ import annotations

import os
import random
import shutil
from functools import cache
from pathlib import Path
from typing import NamedTuple

from disks import answered
from foreign import KINDS as DISKS
from foreign import foreign_disk
from inkshelf.bench import cut
from inkshelf.bench.inker import Report, ink, resume
from inkshelf.bench.intake import take_in
from inkshelf.core.errors import BenchError, InkshelfError
from inkshelf.core.plan.byhand import arrange, change, exactly
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.steps.making import WriteFile
from lossy import LossyDisk

LABELS = ("INK", "PRESS", "PROOF")
KINDS = ("ext4", "fat32", "swap", "exfat", "lvm", "ntfs", "f2fs", "luks", "btrfs", "xfs")


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
                ("flag", {"flag": dice.choice(["hidden", "required", "active"]), "state": dice.choice(["on", "off"])}),
                ("type", {"type": dice.choice(["linux_data", "basic_data", "linux_swap"])}),
                ("arrange", {}),
                ("write", {}),
            ]
        )
        try:
            if verb == "arrange":
                names = dice.sample([one.call for one in volumes], min(len(volumes), 3))
                job = arrange(job, "A", " ".join(names))
            elif verb == "write":
                job = exactly(job, WriteFile(call, f"/kept{dice.randrange(3)}.txt", ("a line", str(dice.random()))))
            else:
                job = change(job, verb, "A" if verb == "create" else call, **words)
        except InkshelfError:
            continue
    return job


class Done(NamedTuple):
    """The last report, and the kinds of the steps and of the aims."""

    report: Report
    kinds: list[str]
    aims: list[str]


class CutJobs:
    """Small disks taken in once; jobs are made, cut and gone on with from them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.found = cache(self._taken_in)

    def _taken_in(self, key: str) -> Job:
        return take_in([foreign_disk(self.folder / key, key, random.Random(key))], seed=key)

    def job(self, dice: random.Random) -> Job:
        """Return the job of some dice."""
        return random_job(self.found(dice.choice(DISKS)), dice)

    def run(self, seed: int) -> tuple[Done | None, int]:
        """Ink the job of ``seed``, cut up to three times; return what was done and how many cuts there were."""
        dice = random.Random(seed)
        job = answered(self.job(dice))
        if not job.steps:
            return None, 0
        bench, cuts = self.folder / f"bench of job {seed}", 0
        bench.mkdir()
        for _ in range(dice.randint(1, 3)):
            after = dice.choice([dice.randint(0, 12), dice.randint(0, 150)])
            if not _dies(lambda: go_on(job, bench), bench, after, dice):
                break
            cuts += 1
        report = go_on(job, bench)
        shutil.rmtree(bench)
        return Done(report, [step.kind for step in job.steps], [aim.kind for aim in job.aims]), cuts


def go_on(job: Job, bench: Path) -> Report:
    """Go on as somebody does who does what he is told: forward where that can be, from the beginning where it says so."""
    if not (bench / "journal.json").exists():
        return ink(job, bench)
    try:
        return resume(bench)
    except BenchError as error:
        if not error.remedy.startswith("Ink "):
            raise
        return ink(job, bench)


def _dies(work: object, folder: Path, after: int, dice: random.Random) -> bool:
    """Do the work in a process of its own that dies hard after that many writes; tell whether it did."""
    child = os.fork()
    if child == 0:
        try:
            cut.arm(after)
            LossyDisk(folder, dice)
            work()  # type: ignore[operator]
        finally:
            os._exit(0)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == cut.STATUS
