"""Two thousand tables: written by us, read by an independent parser, then mutated at random and read again."""

from __future__ import annotations

import io
import random
import statistics
import time
from pathlib import Path

from dissect.volume.disk import Disk as OtherDisk
from dissect.volume.disk.schemes import GPT

from inkshelf.core.disk import mbr_write
from inkshelf.core.disk.gpt import GptEntry, GptTable, blank, encode, read_gpt
from inkshelf.core.disk.mbr import MbrEntry, MbrTable
from inkshelf.core.disk.source import Memory
from inkshelf.core.draw import guid
from inkshelf.core.errors import TableError
from inkshelf.core.machine.read import read_disk
from inkshelf.core.size import MIB
from inkshelf.core.value import replace

from .report import line

SIZE = 16 * MIB


def random_gpt(dice: random.Random, sector: int, number: int) -> GptTable:
    """A table with up to forty partitions."""
    table = blank(SIZE, sector, guid("tables", str(number)))
    edges = sorted(dice.sample(range(table.first_usable, table.last_usable), 2 * dice.randint(0, 40)))
    pairs = zip(edges[::2], edges[1::2], strict=True)
    numbers = dice.sample(range(1, 129), len(edges) // 2)
    entries = [
        GptEntry(own, guid("type", str(own)), guid(str(number), str(own)), low, high - 1, dice.getrandbits(64), f"volume {own}")
        for own, (low, high) in zip(numbers, pairs, strict=True)
    ]
    return replace(table, entries=tuple(sorted(entries, key=lambda one: one.number)))


def random_mbr(dice: random.Random, sector: int) -> MbrTable:
    """A table with up to three primaries and twelve logical volumes."""
    unit = MIB // sector
    edges = sorted(dice.sample(range(1, 5), 3))
    entries = [MbrEntry(at + 1, 0x83, edge * unit, unit // 2) for at, edge in enumerate(edges)]
    inside = MbrEntry(4, 0x0F, 5 * unit, 11 * unit)
    places = sorted(dice.sample(range(20, 44), dice.randint(0, 12)))
    logicals = [MbrEntry(5 + at, 0x83, place * unit // 4 + 1, unit // 8, logical=True) for at, place in enumerate(places)]
    return MbrTable(f"{dice.getrandbits(32) | 1:08x}", (*entries, inside, *logicals))


def image_of(pieces: list[tuple[int, bytes]]) -> bytearray:
    """The bytes of a disk with nothing but a table."""
    disk = bytearray(SIZE)
    for offset, data in pieces:
        disk[offset : offset + len(data)] = data
    return disk


def others_view(disk: bytes, sector: int) -> set[tuple[int, int]]:
    """(first byte, bytes) of each partition as the independent parser sees it; of a GPT it leaves the last, inclusive, sector out."""
    seen = OtherDisk(io.BytesIO(disk), sector)
    short = sector if isinstance(seen.scheme, GPT) else 0
    return {(one.offset, one.size + short) for one in seen.partitions}


def _read(disk: bytes) -> tuple[float, bool]:
    begun, fault = time.perf_counter(), False
    try:
        read_disk(Memory(disk))
    except TableError:
        fault = True
    return time.perf_counter() - begun, fault


def measure_tables(_folder: Path, count: int = 2000) -> None:
    """Agreement, and what random damage does."""
    dice = random.Random(11)  # noqa: S311
    differ, faults, took = 0, 0, []
    for number in range(count):
        sector = (512, 4096)[number // 2 % 2]
        if number % 2:
            gpt = random_gpt(dice, sector, number)
            disk = image_of(encode(gpt))
            wanted = {(one.first * sector, (one.last - one.first + 1) * sector) for one in gpt.entries}
            same = read_gpt(Memory(bytes(disk)), sector) == gpt
        else:
            sector = 512  # the other parser reads chains of logical volumes at 512 bytes only
            mbr = random_mbr(dice, sector)
            disk = image_of(mbr_write.encode(mbr, sector))
            wanted = {(one.first * sector, one.sectors * sector) for one in mbr.entries if one.type_byte != 0x0F}
            same = {(one.start, one.size) for one in read_disk(Memory(bytes(disk))).volumes} == wanted
        differ += not (same and others_view(bytes(disk), sector) == wanted)
        head = [446, 512, 4096, 40 * sector, 5 * MIB, SIZE]
        for _ in range(dice.randint(1, 30)):
            disk[dice.randrange(dice.choice(head))] = dice.randrange(256)
        tries = [_read(bytes(disk)) for _ in range(2)]  # the machine is shared: the better of two
        faults += tries[0][1]
        took.append(min(seconds for seconds, _ in tries))
    line(f"{count} tables, read by an independent parser", f"{count - differ} agree", "all", good=not differ)
    slowest = max(took) * 1000
    figure = f"slowest {slowest:.1f}, median {statistics.median(took) * 1000:.1f} ms"
    line(f"the same mutated ({faults} gave the documented error)", figure, "under 50 ms each", good=slowest < 50)
