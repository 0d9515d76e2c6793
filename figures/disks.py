"""Figures about disks: moving, hashing, many disks at once, a very large one, tables by the thousand."""

from __future__ import annotations

import os
import random
import statistics
import subprocess
import time
from pathlib import Path

from inkshelf.bench import contents
from inkshelf.bench.image import ImageFile, inspect
from inkshelf.bench.intake import take_in
from inkshelf.bench.sparse import data_ranges
from inkshelf.core.checks import findings
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB

from .images import large_disk, wide_disk
from .report import line


def scattered(path: Path, size: int, data: int, seed: int) -> None:
    """A sparse file with ``data`` bytes that are not zero, in stretches of 1 to 64 MiB with holes between them."""
    dice = random.Random(seed)  # noqa: S311
    block = dice.randbytes(8 * MIB)
    with path.open("wb") as out:
        out.truncate(size)
        left, at = data, 0
        while left > 0:
            length = min(left, dice.randint(1, 64) * MIB)
            for low in range(at, at + length, 8 * MIB):
                os.pwrite(out.fileno(), block[: min(8 * MIB, at + length - low)], low)
            left -= length
            at += length + dice.randint(1, 16) * MIB
        os.fsync(out.fileno())


def measure_move(folder: Path) -> None:
    """Moving 2 GiB of data inside an image, against ``cp --sparse=always`` of the same extents; both flushed to the disk."""
    for words, shift, least in (
        ("apart", 5 * GIB, 0.8),
        ("overlapping, 64 MiB", 64 * MIB, 0.8),
        ("overlapping, 4 MiB", 4 * MIB, 0.8),
        ("overlapping, 1 MiB", MIB, 0.6),
    ):
        pairs = [_turn(folder, shift, turn) for turn in range(5)]
        bare, ours = (statistics.median(one) for one in zip(*pairs, strict=True))
        ratio = statistics.median(one / other for one, other in pairs)
        figure = f"{2 / ours:.2f} / {2 / bare:.2f} GiB/s = {ratio:.2f}"
        line(f"moving 2 GiB inside an image, {words}", figure, f"at least {least} of cp", good=ratio >= least)


def _turn(folder: Path, shift: int, turn: int) -> tuple[float, float]:
    """Seconds of the utility and of the move, in turns: on a shared disk the second of two is the slower one."""
    image, copy = folder / "move.img", folder / "copy.img"
    took = {}
    for what in ("bare", "ours") if turn % 2 else ("ours", "bare"):
        scattered(image, 11 * GIB, 2 * GIB, turn)
        os.sync()
        if what == "ours":
            took[what] = _moved(image, folder, shift)
        else:
            begun = time.perf_counter()
            subprocess.run(["cp", "--sparse=always", image, copy], check=True)
            flush(copy)
            took[what] = time.perf_counter() - begun
        image.unlink()
        copy.unlink(missing_ok=True)
        os.sync()
    return took["bare"], took["ours"]


def flush(path: Path) -> None:
    fd = os.open(path, os.O_RDONLY)
    os.fsync(fd)
    os.close(fd)


def _moved(image: Path, folder: Path, shift: int) -> float:
    """The move as the inker makes it, with its journal."""
    from inkshelf.bench.journal import Journal
    from inkshelf.bench.mover import Mover

    begun = time.perf_counter()
    fd = os.open(image, os.O_RDWR)
    journal = Journal(folder)
    Mover(fd, journal, folder).move(0, 5 * GIB, shift)
    os.fsync(fd)
    os.close(fd)
    return time.perf_counter() - begun


def measure_hash(folder: Path) -> None:
    """Hashing 2 GiB of data, against ``sha256sum`` of the same bytes."""
    image = folder / "hash.img"
    scattered(image, 3 * GIB, GIB, 7)
    packed = folder / "packed"
    with image.open("rb") as source, packed.open("wb") as out:
        for low, high in data_ranges(source.fileno(), 0, 3 * GIB):
            for at in range(low, high, 8 * MIB):
                out.write(os.pread(source.fileno(), min(8 * MIB, high - at), at))
    pairs = []
    for _ in range(3):
        begun = time.perf_counter()
        subprocess.run(["sha256sum", packed], check=True, capture_output=True)
        bare = time.perf_counter() - begun
        begun = time.perf_counter()
        with ImageFile(image) as source:
            contents.digest(source, 0, source.size)
        pairs.append((bare, time.perf_counter() - begun))
    bare, ours = (statistics.median(one) for one in zip(*pairs, strict=True))
    line(
        "hashing 1 GiB of data in a sparse image",
        f"{1 / ours:.2f} / {1 / bare:.2f} GiB/s = {bare / ours:.2f}",
        "at least 0.9 of sha256sum",
        good=bare >= 0.9 * ours,
    )
    image.unlink()
    packed.unlink()


def measure_many(folder: Path) -> None:
    """Ten disks of six volumes at once, and one of 18 TB with sixty volumes: inspected, and planned on."""
    paths = [folder / f"disk-{number}.img" for number in range(10)]
    large_disk(paths[0])
    for number, path in enumerate(paths[1:], 1):
        subprocess.run(["cp", "--sparse=always", paths[0], path], check=True)
        with path.open("r+b") as out:
            os.pwrite(out.fileno(), number.to_bytes(4, "little"), 440)
    took = []
    for _ in range(5):
        begun = time.perf_counter()
        for path in paths:
            inspect(path)
        took.append(time.perf_counter() - begun)
    line(
        "inspecting ten disks with six volumes each",
        f"{statistics.median(took) * 1000:.0f} ms",
        "under 500 ms",
        good=statistics.median(took) < 0.5,
    )
    small = timed(lambda: inspect(paths[0]))
    for path in paths:
        path.unlink()
    measure_wide(small)


def measure_wide(small: float) -> None:
    """18 TB with sixty volumes; in memory, because many file systems hold no file of that length."""
    place = Path("/dev/shm")  # noqa: S108
    if not place.is_dir():
        print("not measured: 18 TB with sixty volumes needs /dev/shm")
        return
    wide = place / f"inkshelf-wide-{os.getpid()}.img"
    try:
        wide_disk(wide)
        large = timed(lambda: inspect(wide))
        figure = f"{large * 1000:.0f} / {small * 1000:.0f} ms"
        line(
            "inspecting 18 TB with 60 volumes, against 2 TB with 6",
            figure,
            "as fast, by the volume",
            good=large / 60 <= small / 6,
        )
        job = take_in([wide], seed="wide")
        planned = timed(lambda: findings(read(change(job, "create", "A", size="1GiB"))))
        line("planning on 18 TB with sixty volumes", f"{planned * 1000:.0f} ms", "under 100 ms", good=planned < 0.1)
    finally:
        wide.unlink(missing_ok=True)


def timed(work: object) -> float:
    took = []
    for _ in range(5):
        begun = time.perf_counter()
        work()  # type: ignore[operator]
        took.append(time.perf_counter() - begun)
    return statistics.median(took)
