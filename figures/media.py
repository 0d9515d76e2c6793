"""Images: how long it takes to look into a large one, and how fast a checksum is beside the base utility's."""

from __future__ import annotations

import os
import random
import statistics
import subprocess
import time
from pathlib import Path

from inkshelf.core.media.packing import Item, Room, pack
from inkshelf.core.size import GB, GIB, MIB
from inkshelf.exchange.images import look
from inkshelf.exchange.sums import sum_of

from .report import line

FILES, FOLDERS = 2400, 60


def large_image(folder: Path) -> Path:
    """A disc of 8 GiB with some thousand files in it; behind its own end it is a hole, as if its largest file lay there."""
    tree = folder / "tree"
    for number in range(FOLDERS):
        (tree / f"folder-{number:03}").mkdir(parents=True)
        for name in range(FILES // FOLDERS):
            (tree / f"folder-{number:03}" / f"file-{name:03}.dat").write_bytes(bytes(64))
    path = folder / "large.iso"
    subprocess.run(["genisoimage", "-quiet", "-R", "-J", "-V", "LARGE", "-o", path, tree], check=True)
    os.truncate(path, 8 * GIB)
    return path


def measure_packing(_: Path) -> None:
    """Forty images on three sticks, a dozen times with others: the median, and whether each was proved."""
    took, proven = [], True
    for seed in range(12):
        dice = random.Random(seed)  # noqa: S311 - the same jobs each time
        items = tuple(Item(f"{at}", dice.randint(GIB // 2, 9 * GIB), GIB, dice.randint(1, 5)) for at in range(40))
        rooms = tuple(Room(f"{size}", size * GB) for size in (64, 32, 16))
        begun = time.perf_counter()
        proven = pack(items, rooms).proven and proven
        took.append((time.perf_counter() - begun) * 1000)
    median = statistics.median(took)
    words = f"{median:.0f} ms, at most {max(took):.0f}, {'all proved' if proven else 'NOT all proved'}"
    line("packing of 40 images on 3 sticks, median", words, "under 150 ms, proved", good=median < 150 and proven)


def measure_images(folder: Path) -> None:
    """Look into an image of 8 GiB; a checksum and the base utility's, in turns."""
    path = large_image(folder)
    took = []
    for _ in range(7):
        begun = time.perf_counter()
        assert look(path).image.files == FILES
        took.append((time.perf_counter() - begun) * 1000)
    median = statistics.median(took)
    line("look into an image of 8 GiB with 2,400 files", f"{median:.0f} ms", "under 100 ms", good=median < 100)
    data = folder / "data"
    data.write_bytes(os.urandom(MIB) * 512)
    ratios = []
    for _ in range(5):
        begun = time.perf_counter()
        sum_of(data, "sha256")
        ours = time.perf_counter() - begun
        begun = time.perf_counter()
        subprocess.run(["sha256sum", data], check=True, capture_output=True)
        ratios.append((time.perf_counter() - begun) / ours)
    ratio = statistics.median(ratios)
    line("sha256 of 512 MiB against the base utility", f"{ratio:.2f} of its speed", "at least 0.9", good=ratio >= 0.9)
