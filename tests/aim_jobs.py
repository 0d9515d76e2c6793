"""Generated jobs over every aim, on machines with real tables and file systems, cut at random writes."""

from __future__ import annotations

import random
from pathlib import Path

import machines
from cut_jobs import CutJobs
from inkshelf.bench.intake import take_in
from inkshelf.core.aims import every_aim
from inkshelf.core.aims.asking import answered
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, and_aim, left_by
from inkshelf.core.size import GIB

MACHINES = ("one", "one", "two", "two", "nt", "crowded", "blank", "old")


def random_wishes(found: Job, dice: random.Random, most: int = 3) -> Job:
    """Return the job with one to ``most`` aims that can be planned, each with answers at random among those that its questions offer."""
    job = found
    for _ in range(dice.randint(1, most)):
        state = left_by(job)
        aim = dice.choice(every_aim()).usual_on(state)
        for key in [one.key for one in aim.questions(state)]:
            question = next((one for one in aim.questions(state) if one.key == key), None)
            if question is None or dice.random() < 0.5:
                continue
            values = [one.value for one in question.answers]
            if question.kind == "size" and key != "image":
                values.append(f"{dice.randint(20, 120)}GiB")
            if question.kind == "systems":
                values = [",".join(dice.choices(values, k=dice.randint(1, 4)))]
            try:
                aim = answered(aim, state, key, dice.choice(values)) if values else aim
            except InkshelfError:
                continue
        wider = and_aim(job, aim)
        job = job if wider.plan_fault else wider
    return job


class AimJobs(CutJobs):
    """Jobs of aims instead of steps by hand."""

    def _taken_in(self, key: str) -> Job:
        folder = self.folder / key
        folder.mkdir(exist_ok=True)
        if key == "one":
            return machines.one_disk(folder)
        if key == "two":
            return machines.two_disks(folder)
        if key == "blank":
            image = machines.blank(folder / "blank.img", 180 * 10**9)
            return take_in([image], mode="uefi", secure_boot="off", ram_bytes=4 * GIB, seed=key)
        if key == "old":
            images = [machines.blank(folder / f"{letter}.img", size * 10**9) for letter, size in (("a", 120), ("b", 250))]
            return take_in(images, mode="legacy", ram_bytes=4 * GIB, seed=key)
        made = machines.crowded_mbr(folder) if key == "crowded" else machines.nt_on_mbr(folder)
        return take_in([Path(made)], mode="legacy", ram_bytes=8 * GIB, seed=key)

    def job(self, dice: random.Random) -> Job:
        """Return a job of aims."""
        job = random_wishes(self.found(dice.choice(MACHINES)), dice)
        assert document.load(document.dump(job)) == job, "what is saved can be opened again"
        return job
