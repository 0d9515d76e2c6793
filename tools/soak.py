"""A long run of power cuts: generated jobs, each cut at random writes, every kept byte proved afterwards.

soak.py [JOBS [FIRST]]     how many jobs (default 3000), from which seed; prints the seed of a failure and exits 1
"""

from __future__ import annotations

import collections
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from cut_jobs import CutJobs
from inkshelf.core.errors import InkshelfError


def main() -> int:
    jobs = int(sys.argv[1]) if len(sys.argv) > 1 else 3000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    cuts, failed = 0, 0
    said: collections.Counter[str] = collections.Counter()
    with tempfile.TemporaryDirectory(prefix="inkshelf-soak-") as name:
        made = CutJobs(Path(name))
        for seed in range(first, first + jobs):
            try:
                report, more = made.run(seed)
            except (InkshelfError, OSError) as error:
                failed += 1
                print(f"seed {seed}: {error!r}", flush=True)
                continue
            cuts += more
            said.update(report.kinds if report else ["nothing to do"])
            bad = [one for one in report.report.checks if not one.ok] if report else []
            if bad:
                failed += 1
                print(f"seed {seed}: {bad}", flush=True)
            if (seed - first + 1) % 100 == 0:
                print(f"{seed - first + 1} jobs, {cuts} cuts, {failed} failed; steps: {dict(said)}", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
