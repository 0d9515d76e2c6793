"""Domain strategies: sizes, tables, aims."""

from __future__ import annotations

import uuid

from hypothesis import strategies as st

from inkshelf.core.aims.beside import Beside
from inkshelf.core.disk.gpt import GptEntry, GptTable
from inkshelf.core.disk.mbr import MbrEntry, MbrTable
from inkshelf.core.size import GIB, MIB

sizes = st.integers(1, 1 << 60)
guids = st.uuids(version=4).map(lambda one: str(one).upper())
names = st.text(st.characters(codec="utf-16", exclude_characters="\0", exclude_categories=["Cs"]), max_size=18)


@st.composite
def gpt_tables(draw: st.DrawFn) -> GptTable:
    """A table with up to twelve partitions that do not overlap, at either sector size, with other counts of entries than the usual.

    Its bounds are those of the specification, said here once more.
    """
    sector = draw(st.sampled_from([512, 4096]))
    size = draw(st.integers(8, 64)) * MIB
    count = draw(st.sampled_from([128, 128, 130, 132, 61, 500]))
    sectors, room = size // sector, -(-count * 128 // sector)
    table = GptTable(sector, sectors, draw(guids), 2 + room, sectors - 2 - room, (), count, backup_lba=sectors - 1)
    edges = draw(st.lists(st.integers(table.first_usable, table.last_usable), min_size=0, max_size=24, unique=True).map(sorted))
    numbers = draw(st.permutations(range(1, min(count, 128) + 1)))
    entries = [
        GptEntry(numbers[place], draw(guids), draw(guids), low, high - 1, draw(st.integers(0, (1 << 64) - 1)), draw(names))
        for place, (low, high) in enumerate(zip(edges[::2], edges[1::2], strict=False))
    ]
    return GptTable(
        table.sector,
        table.disk_sectors,
        table.guid,
        table.first_usable,
        table.last_usable,
        tuple(sorted(entries, key=lambda one: one.number)),
        count,
        backup_lba=table.backup_lba,
    )


@st.composite
def mbr_tables(draw: st.DrawFn) -> tuple[MbrTable, int, int]:
    """An MBR with primaries, and logical volumes in any order inside an extended one; with sector and disk size in bytes."""
    sector, size = draw(st.sampled_from([512, 4096])), draw(st.integers(8, 64)) * MIB
    edges = draw(st.lists(st.integers(8, size // sector), min_size=2, max_size=8, unique=True).map(sorted))
    stretches = list(zip(edges[::2], edges[1::2], strict=False))
    numbers = draw(st.permutations(range(1, 5)))
    kinds = st.sampled_from([0x07, 0x0C, 0x27, 0x82, 0x83, 0x8E, 0xEF])
    container = draw(st.none() | st.integers(0, len(stretches) - 1))
    entries, active = [], draw(st.integers(0, 4))
    for place, (low, high) in enumerate(stretches):
        number = numbers[place]
        if place == container:
            entries.append(MbrEntry(number, draw(st.sampled_from([0x05, 0x0F])), low, high - low))
            entries += draw(_logicals(low, high, kinds))
        else:
            entries.append(MbrEntry(number, draw(kinds), low, high - low, active=number == active))
    signature = f"{draw(st.integers(1, 0xFFFFFFFF)):08x}"
    return MbrTable(signature, tuple(sorted(entries, key=lambda one: one.number))), sector, size


@st.composite
def _logicals(draw: st.DrawFn, low: int, high: int, kinds: st.SearchStrategy[int]) -> list[MbrEntry]:
    if high - low < 8:
        return []
    cuts = draw(st.lists(st.integers(low + 1, high), max_size=10, unique=True).map(sorted))
    pairs = [(a, b) for a, b in zip(cuts[::2], cuts[1::2], strict=False)]
    pairs = [(a, b) for at, (a, b) in enumerate(pairs) if a > (pairs[at - 1][1] if at else low + 1)]
    order = draw(st.permutations(range(len(pairs))))
    return [MbrEntry(5 + order[at], draw(kinds), a, b - a, logical=True) for at, (a, b) in enumerate(pairs)]


aims = st.builds(
    Beside,
    size_bytes=st.one_of(
        st.none(),
        st.integers(30, 213).map(lambda one: one * GIB),
        st.integers(30 * 1024, 213 * 1024).map(lambda one: one * MIB),
    ),
    esp=st.sampled_from(["shared", "own"]),
    swap=st.sampled_from(["none", "sqrt", "hibernate"]),
    home=st.sampled_from(["together", "apart"]),
)


def zero_guid() -> str:
    return str(uuid.UUID(int=0)).upper()
