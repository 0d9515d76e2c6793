"""Domain strategies: sizes, tables, aims."""

from __future__ import annotations

import uuid

from hypothesis import strategies as st

from inkshelf.core.disk.gpt import GptEntry, GptTable, blank
from inkshelf.core.plan.aim import Aim
from inkshelf.core.size import GIB, MIB

sizes = st.integers(1, 1 << 60)
guids = st.uuids(version=4).map(lambda one: str(one).upper())
names = st.text(st.characters(codec="utf-16", exclude_characters="\0", exclude_categories=["Cs"]), max_size=18)


@st.composite
def gpt_tables(draw: st.DrawFn) -> GptTable:
    """A table with up to twelve partitions that do not overlap, at either sector size."""
    sector = draw(st.sampled_from([512, 4096]))
    size = draw(st.integers(8, 64)) * MIB
    table = blank(size, sector, draw(guids))
    edges = draw(st.lists(st.integers(table.first_usable, table.last_usable), min_size=0, max_size=24, unique=True).map(sorted))
    numbers = draw(st.permutations(range(1, 129)))
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
        backup_lba=table.backup_lba,
    )


aims = st.builds(
    Aim,
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
