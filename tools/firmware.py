"""Hold the rehearsal against real firmware: every case of the suite, then so many drawn ones; the table goes to docs/firmware-agreement.md.

python tools/firmware.py [DRAWN [FIRST]]
"""

from __future__ import annotations

import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from firmware_cases import Case, drawn, judged
from firmware_suite import CASES

from inkshelf.bench.emulator import missing
from inkshelf.core.boot.firmware import Start

OUT = Path("docs/firmware-agreement.md")
HEAD = """# Prediction and real firmware

Each line is a machine that was built, predicted, and started in an emulator with the firmware of the package `ovmf`, by `make firmware`.

| machine | predicted | agree |
|---|---|---|
"""


def predicted_words(predicted: Start) -> str:
    """Return what a start comes to, in few words."""
    last = predicted.tried[-1] if predicted.started else None
    return f"{last.variable or last.title}, {last.path}" if last else f"nothing: {predicted.ends}"


def row(case: Case) -> tuple[str, str, str]:
    """Return the title, what was predicted, and where they differ (empty: nowhere)."""
    with tempfile.TemporaryDirectory(prefix="inkshelf-firmware-") as folder:
        differs, predicted, _ = judged(case, Path(folder))
    return case.title, predicted_words(predicted), differs


def main() -> int:
    """Run; status 1 where anything differs."""
    if missing():
        print(f"install {missing()}", file=sys.stderr)
        return 2
    count, first = (int(one) for one in ([*sys.argv[1:], "0", "0"][:2] if len(sys.argv) != 2 else [sys.argv[1], "0"]))
    every = [*CASES, *(drawn(seed) for seed in range(first, first + count))]
    differing = 0
    with ThreadPoolExecutor(2) as pool:
        lines = []
        for title, predicted, differs in pool.map(row, every):
            differing += bool(differs)
            print(f"{'DIFFERS' if differs else 'agree  '} {title}: {differs or predicted}", flush=True)
            if not title.startswith("drawn "):
                lines.append(f"| {title} | `{predicted}` | {differs or 'yes'} |")
    OUT.write_text(
        f"{HEAD}{chr(10).join(lines)}\n\nDrawn machines compared beside them: {count}, from seed {first}.\n", encoding="utf-8"
    )
    print(f"{len(every)} compared, {differing} differ")
    return 1 if differing else 0


if __name__ == "__main__":
    sys.exit(main())
