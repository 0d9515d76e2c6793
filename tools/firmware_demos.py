"""Every demo job inked, and its starts under real firmware beside the prediction, after every mishap that writes no file.

python tools/firmware_demos.py [KEY ...]: only demos of these keys. The table goes to docs/firmware-demos.md.
"""

from __future__ import annotations

import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

from firmware import predicted_words

from inkshelf.bench.emulator import missing
from inkshelf.bench.inker import ink
from inkshelf.bench.watching import SHOWN, watch
from inkshelf.core.boot.mishaps import Mishap, mishaps
from inkshelf.core.checks import findings
from inkshelf.core.plan.job import Job, Override
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.ui.demo import DEMOS, first_day

OUT = Path("docs/firmware-demos.md")
HEAD = """# The demo jobs under real firmware

Each demo job was inked, and started in an emulator after every mishap that writes no file, by `make firmware`.

| demo | mishap | predicted | agree |
|---|---|---|---|
"""


def inked(key: str, folder: Path) -> Job:
    """Return a demo job that was inked in ``folder``, its stops answered for."""
    job = first_day(folder / "demo", key)
    stops = tuple(Override(one.key, "a demo") for one in findings(read(job)) if one.severity == "stop" and not one.final)
    job = replace(job, overrides=(*job.overrides, *stops))
    if not ink(job, folder / "bench").verified:
        raise SystemExit(f"{key} did not come out as planned")
    return job


def row(key: str, job: Job, bench: Path, mishap: Mishap) -> tuple[str, str]:
    """Return a line of the table, and where prediction and firmware differ (empty: nowhere)."""
    seen = watch(job, bench, mishap)
    variable, _, file = predicted_words(seen.predicted).partition(", ")
    words = (
        f"{variable}, {file.rpartition(chr(92))[2]}" if file else variable
    )  # the file's name will do: its folders are other people's
    return f"| {key} | {mishap.title} | `{words}` | {seen.differs or 'yes'} |", seen.differs


def main() -> int:
    """Run; status 1 where anything differs."""
    if missing():
        print(f"install {missing()}", file=sys.stderr)
        return 2
    wanted = sys.argv[1:] or [one.key for one in DEMOS if one.key != "sticks"]
    lines, differing = [], 0
    for key in wanted:
        with tempfile.TemporaryDirectory(prefix="inkshelf-demo-") as name, ThreadPoolExecutor(2) as pool:
            job = inked(key, Path(name))
            known = [one for one in mishaps(read(job).plan.planned) if all(isinstance(part, SHOWN) for part in one.parts)]
            for line, differs in pool.map(partial(row, key, job, Path(name) / "bench"), known):
                print(f"{'DIFFERS' if differs else 'agree  '} {line}", flush=True)
                differing += bool(differs)
                lines.append(line)
    if not sys.argv[1:]:
        OUT.write_text(HEAD + "\n".join(lines) + "\n", encoding="utf-8")
    print(f"{len(lines)} starts of demo jobs compared, {differing} differ")
    return 1 if differing else 0


if __name__ == "__main__":
    sys.exit(main())
