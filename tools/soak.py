"""A long run of power cuts on disks that base utilities made, every kept byte proved afterwards; then every property, deep and at random.

soak.py [JOBS [FIRST]]     how many jobs by hand (default 2000) and, a fifth of that, of aims and about sticks, from which seed; prints the seed of a failure and exits 1
"""

from __future__ import annotations

import collections
import os
import subprocess
import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from aim_jobs import AimJobs
from cut_jobs import CutJobs
from inkshelf.core.errors import InkshelfError
from stick_jobs import StickJobs

ROOT = Path(__file__).parents[1]
WORKERS, BATCH = 2, 50
Said = tuple[int, list[str], collections.Counter[str]]
KINDS: dict[str, type[CutJobs]] = {"by hand": CutJobs, "of aims": AimJobs, "about sticks": StickJobs}
AIM_SHARE = 5  # one job of aims for so many by hand: their disks are of real size
made: dict[str, CutJobs] = {}
"""What this worker has: its own disks, by the kind of jobs."""


def batch(kind: str, folder: str, first: int, jobs: int) -> Said:
    """Ink some jobs; return how many cuts there were, what failed, and which kinds of steps and aims were done."""
    if kind not in made:
        made[kind] = KINDS[kind](Path(tempfile.mkdtemp(dir=folder)))
    cuts, failed, said = 0, [], collections.Counter[str]()
    for seed in range(first, first + jobs):
        try:
            report, more = made[kind].run(seed)
        except (InkshelfError, OSError) as error:
            failed.append(f"seed {seed}: {error!r}")
            continue
        cuts += more
        said.update([*report.kinds, *(f"aim {one}" for one in report.aims)] if report else ["nothing to do"])
        bad = [one for one in report.report.checks if not one.ok] if report else []
        failed += [f"seed {seed}: {bad}"] if bad else []
    return cuts, failed, said


def cut_jobs(kind: str, first: int, jobs: int) -> int:
    """Return how many jobs of a kind failed."""
    done = cuts = failed = 0
    said: collections.Counter[str] = collections.Counter()
    with tempfile.TemporaryDirectory(prefix="inkshelf-soak-") as folder, ProcessPoolExecutor(WORKERS) as pool:
        places = range(first, first + jobs, BATCH)
        counts = [min(BATCH, first + jobs - at) for at in places]
        for count, (more, bad, kinds) in zip(
            counts, pool.map(batch, [kind] * len(counts), [folder] * len(counts), places, counts), strict=True
        ):
            done, cuts, failed = done + count, cuts + more, failed + len(bad)
            said.update(kinds)
            print(*bad, sep="\n", end="\n" if bad else "", flush=True)
            print(f"{done} jobs {kind}, {cuts} cuts, {failed} failed", flush=True)
    print(f"steps: {dict(said)}", flush=True)
    return failed


def properties() -> int:
    """Return the exit status of all property tests, a thousand examples each, drawn at random."""
    where = {**os.environ, "INKSHELF_TESTS": "soak", "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "pytest", "-q", "-n", str(WORKERS), "-m", "hypothesis"]
    return subprocess.run(command, cwd=ROOT, env=where, check=False).returncode


def main() -> int:
    jobs = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    failed = cut_jobs("by hand", first, jobs) + cut_jobs("of aims", first, max(1, jobs // AIM_SHARE))
    failed += cut_jobs("about sticks", first, max(1, jobs // AIM_SHARE))
    return 1 if properties() or failed else 0


if __name__ == "__main__":
    sys.exit(main())
