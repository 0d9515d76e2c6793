"""Images: how long it takes to look into a large one, and how fast a checksum is beside the base utility's."""

from __future__ import annotations

import os
import random
import shutil
import statistics
import subprocess
import time
from pathlib import Path
from typing import Any

from inkshelf.core.media.material import Image
from inkshelf.core.media.packing import Item, Room, pack
from inkshelf.core.plan.job import Job
from inkshelf.core.size import GB, GIB, MIB
from inkshelf.core.value import replace
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
    data = folder / "summed"
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


def measure_sticks(folder: Path) -> None:
    """A stick written as it is beside ``dd`` of the same bytes, and its files copied beside ``cp -r``, each flushed, in turns."""
    image = _payload(folder)
    job = _stick(folder)
    written, copied = [], []
    for turn in range(5):
        raw = _seconds_of("write-image", job, image, folder / f"raw-{turn}", "raw")
        begun = time.perf_counter()
        subprocess.run(["dd", f"if={image.path}", f"of={folder / 'dd'}", "bs=4M", "conv=fsync", "status=none"], check=True)
        written.append((time.perf_counter() - begun) / raw)
        (folder / "dd").unlink()
        files = _seconds_of("copy-files", job, image, folder / f"files-{turn}", "files")
        begun = time.perf_counter()
        subprocess.run(["cp", "-r", folder / "payload", folder / "copy"], check=True)
        subprocess.run(["sync", "-f", folder / "copy"], check=True)
        copied.append((time.perf_counter() - begun) / files)
        subprocess.run(["rm", "-r", folder / "copy"], check=True)
    write, copy = statistics.median(written), statistics.median(copied)
    line("512 MiB written to a stick as they are, against dd", f"{write:.2f} of its speed", "at least 0.9", good=write >= 0.9)
    line("512 MiB of files copied to a stick, against cp -r", f"{copy:.2f} of its speed", "at least 0.8", good=copy >= 0.8)


def _payload(folder: Path) -> Image:
    """A hybrid disc of 512 MiB with 200 files, none of them compressible or a hole."""
    from inkshelf.exchange.images import for_job

    tree = folder / "payload"
    (tree / "EFI/BOOT").mkdir(parents=True)
    (tree / "EFI/BOOT/BOOTX64.EFI").write_bytes(os.urandom(MIB))
    for number in range(200):
        (tree / f"folder-{number % 8}").mkdir(exist_ok=True)
        (tree / f"folder-{number % 8}/file-{number}.dat").write_bytes(os.urandom(2 * MIB + 600_000))
    path = folder / "payload.iso"
    command = ["xorriso", "-as", "mkisofs", "-quiet", "-R", "-J", "-V", "PAYLOAD", "-append_partition", "2", "0xef"]
    start = folder / "start"
    with start.open("wb") as out:
        out.truncate(4 * MIB)
    subprocess.run(["mkfs.fat", "-F", "12", start], check=True, capture_output=True)
    subprocess.run([*command, start, "-o", path, tree], check=True, capture_output=True)
    return for_job(str(path))


def _stick(folder: Path) -> Job:
    from inkshelf.bench import sticks
    from inkshelf.bench.intake import take_in, with_stick

    one = sticks.Simulated("figures", 2 * GIB, "Figure", "F-1")
    (path,) = sticks.make(folder / "sticks", (one,))
    job = take_in([], mode="uefi", secure_boot="off", seed="figures", alone=True)
    return with_stick(job, sticks.as_disk(one, path, None, failing=False), path)


def _seconds_of(kind: str, job: Job, image: Image, bench: Path, way: str) -> float:
    """Ink one stick, and return the seconds that its one heavy step took, with the flush behind it."""
    from inkshelf.bench import inker
    from inkshelf.core.aims.stick import Stick
    from inkshelf.core.checks import findings
    from inkshelf.core.plan.job import Override, and_aim
    from inkshelf.core.plan.reading import read

    planned = and_aim(job, Stick(images=(image,), way=way))  # type: ignore[arg-type]
    stops = [one for one in findings(read(planned)) if one.severity == "stop" and not one.final]
    planned = replace(planned, overrides=tuple(Override(one.key, "the figures") for one in stops))
    took: list[float] = []
    real = inker.do

    def timed(step: Any, hands: Any, before: Any, after: Any) -> None:
        begun = time.perf_counter()
        real(step, hands, before, after)
        if step.kind == kind:
            hands.sync()
            took.append(time.perf_counter() - begun)

    inker.do = timed
    try:
        assert inker.ink(planned, bench).verified
    finally:
        inker.do = real
    shutil.rmtree(bench)
    return took[0]
