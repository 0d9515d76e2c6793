"""A long run of power cuts: random jobs by hand, each cut at random writes until it ends, every kept file proved afterwards.

soak.py [CUTS]     how many cuts to make (default 200); prints the seed of a failure and exits 1
"""

from __future__ import annotations

import random
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from inkshelf.bench import cut, demo
from inkshelf.bench.inker import resume
from inkshelf.bench.intake import take_in
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.steps.kinds import Prepare
from inkshelf.core.value import replace
from inkshelf.store import jobfile

VERBS = [
    ("resize", "S1", ("250GiB", "300GiB", "350GiB", "rest")),
    ("move", "R1", ("S1", "D1")),
    ("resize", "R1", ("1200MiB", "3GiB", "rest")),
    ("create", "A", ("300MiB", "2GiB")),
    ("format", "D1", ("ext4", "fat32", "swap")),
    ("label", "D1", ("PLATES", "INK")),
    ("label", "R1", ("RESCUE",)),
    ("move", "D1", ("R1", "S1")),
    ("delete", "D1", ("",)),
    ("label", "B1", ("START",)),
]
WORDS = {"resize": "size", "move": "after", "create": "size", "format": "fs", "label": "label", "delete": "name"}
CUT = "from pathlib import Path; import sys; from inkshelf.bench import cut; from inkshelf.bench.inker import ink, resume; "
CUT += "from inkshelf.store import jobfile; cut.arm(int(sys.argv[3])); "


def random_job(found: Job, dice: random.Random) -> Job:
    """Return a job of up to nine steps by hand, after waking the owner's volume; what is refused is left out."""
    woken = (Prepare("S1", "fast_startup_off"),)
    job = replace(found, by_hand=woken, steps=woken)
    for _ in range(dice.randint(3, 9)):
        verb, call, values = dice.choice(VERBS)
        try:
            job = change(job, verb, call, **{WORDS[verb]: dice.choice(values)})
        except InkshelfError:
            continue
    return job


def main() -> int:
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    made = jobs = 0
    with tempfile.TemporaryDirectory(prefix="inkshelf-soak-") as name:
        folder = Path(name)
        image, _ = demo.build(folder)
        found = take_in([image], mode="uefi", secure_boot="on", seed="soak")
        while made < wanted:
            jobs += 1
            dice = random.Random(jobs)  # noqa: S311 - the same jobs on every run
            path, bench = folder / "job.json", folder / "bench"
            shutil.rmtree(bench, ignore_errors=True)
            jobfile.save(random_job(found, dice), path)
            work = "ink(jobfile.load(Path(sys.argv[1])), Path(sys.argv[2]))"
            while made < wanted:
                after = dice.randint(1, 60)
                status = subprocess.run(
                    [sys.executable, "-c", CUT + work, str(path), str(bench), str(after)], capture_output=True, check=False
                ).returncode
                if status != cut.STATUS:
                    break
                made += 1
                work = "resume(Path(sys.argv[2]))" if (bench / "journal.json").exists() else work
            report = resume(bench)
            bad = [one for one in report.checks if not one.ok]
            print(f"job {jobs}: {made} cuts so far, {bad or 'all as predicted'}", flush=True)
            if bad:
                return 1
    print(f"{made} cuts in {jobs} jobs, every comparison as predicted")
    return 0


if __name__ == "__main__":
    sys.exit(main())
