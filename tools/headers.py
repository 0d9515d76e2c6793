"""Mutated headers of images: whatever they hold, a value comes back, or the documented error; nothing hangs.

headers.py [COUNT [FIRST]]     how many (default 100000), from which seed; prints what was wrong and exits 1
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

import isos
from inkshelf.core.errors import InkshelfError
from inkshelf.core.media.copying import listed, split
from inkshelf.core.media.image import read_image
from inkshelf.core.media.material import Image
from inkshelf.exchange.editions import editions_in

WORKERS, BATCH, SLOW = 2, 2000, 2.0  # seconds that no header may take
kept: list[tuple[str, bytes]] = []
"""The images that are mutated, small and in memory."""


def made() -> list[tuple[str, bytes]]:
    """Return discs of several makes, with an install image in one, and a disk."""
    if kept:
        return kept
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        tree = isos.tree(folder / "tree")
        esp = isos.start_up(folder / "esp", tree / "EFI/BOOT/BOOTX64.EFI")
        for name in tree.rglob("*.dat"):
            name.unlink()
        (tree / "live/A Long Name with Blanks and größe.squashfs").write_bytes(b"s" * 4000)
        (tree / "sources").mkdir()
        (tree / "sources/install.wim").write_bytes(isos.install_image())
        for way in isos.WAYS:
            path = isos.make(way, tree, folder / f"{way}.iso", esp=esp if way == "hybrid" else None)
            kept.append((way, path.read_bytes()))
    return kept


class Mutated:
    """An image with a few bytes changed, read in place: to copy it for each header took twice as long as to read it."""

    def __init__(self, raw: bytes) -> None:
        self.raw, self.size = raw, len(raw)
        self.changed: dict[int, int] = {}

    def change(self, at: int, new: bytes) -> None:
        """Put bytes in the place of those there."""
        self.changed.update(enumerate(new[: len(self.raw) - at], at))

    def byte(self, at: int) -> int:
        """Return one byte as it is now."""
        return self.changed.get(at, self.raw[at])

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes, fewer at the end."""
        found = self.raw[offset : min(offset + length, self.size)]
        inside = [at for at in self.changed if offset <= at < offset + len(found)]
        if not inside:
            return found
        out = bytearray(found)
        for at in inside:
            out[at - offset] = self.changed[at]
        return bytes(out)

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """There are no holes."""
        if min(end, self.size) > start:
            yield start, min(end, self.size)


def mutated(raw: bytes, dice: random.Random) -> Mutated:
    """Change a few bytes, mostly where headers are; now and then cut the end off."""
    out = Mutated(raw)
    head = [(0, 4096), (32768, 32768 + 8 * 2048), (256 * 2048, 300 * 2048), (0, len(raw))]
    for _ in range(dice.choice((1, 1, 2, 4, 16))):
        low, high = dice.choice(head)
        at = dice.randrange(low, max(low + 1, min(high, len(raw))))
        if at >= len(raw):
            continue
        kind = dice.random()
        if kind < 0.5:
            out.change(at, bytes([dice.randrange(256)]))
        elif kind < 0.8:
            out.change(at, dice.choice((b"\xff\xff\xff\xff", bytes(4), dice.randbytes(4))))
        else:
            out.change(at, bytes([out.byte(at) ^ 1 << dice.randrange(8)]))
    if dice.random() < 0.02:
        out.size = dice.randrange(len(raw))
    return out


def batch(first: int, count: int) -> list[str]:
    """Return what was wrong with some of them."""
    wrong = []
    for seed in range(first, first + count):
        dice = random.Random(seed)  # noqa: S311 - the same headers each time
        name, raw = dice.choice(made())
        begun = time.process_time()
        try:
            _looked_into(mutated(raw, dice), dice)
        except InkshelfError:
            pass
        except Exception as error:  # noqa: BLE001 - whatever it is, it is a fault
            wrong.append(f"seed {seed} ({name}): {error!r}")
        if time.process_time() - begun > SLOW:
            wrong.append(f"seed {seed} ({name}): took {time.process_time() - begun:.1f} s")
    return wrong


def _looked_into(source: Mutated, dice: random.Random) -> None:
    image: Image = read_image(source, "x.iso")
    if image.install is not None and dice.random() < 0.3:
        editions_in(source, image.install[0])
    if dice.random() < 0.1:
        for entry in listed(source):
            if entry.path.lower().endswith(".wim"):
                list(split(source, entry, 1 << 20))


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 100_000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    failed, done, begun = 0, 0, time.monotonic()
    with ProcessPoolExecutor(WORKERS) as pool:
        places = range(first, first + count, BATCH)
        for wrong in pool.map(batch, places, [min(BATCH, first + count - at) for at in places]):
            failed, done = failed + len(wrong), done + BATCH
            print(*wrong, sep="\n", end="\n" if wrong else "", flush=True)
            if done % (BATCH * 25) == 0:
                print(f"{done} headers, {failed} wrong, {time.monotonic() - begun:.0f} s", flush=True)
    print(f"{min(done, count)} headers, {failed} wrong, {time.monotonic() - begun:.0f} s")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
