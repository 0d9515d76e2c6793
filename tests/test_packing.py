"""The share at which pieces go into gaps, held against trying every way; and what belongs to a system that goes."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

import machines
from inkshelf.bench.recipes import wanting
from inkshelf.core.aims.belongings import belongings
from inkshelf.core.fit.packing import Load, largest_share
from inkshelf.core.plan.job import left_by
from inkshelf.core.value import replace


@st.composite
def loads(draw: st.DrawFn) -> tuple[tuple[Load, ...], tuple[int, ...]]:
    rooms = tuple(draw(st.lists(st.integers(0, 40), min_size=1, max_size=4)))
    every = frozenset(range(len(rooms)))
    made = []
    for _ in range(draw(st.integers(1, 4))):
        where = draw(st.sampled_from([every, every, frozenset(draw(st.lists(st.sampled_from(sorted(every)), min_size=1)))]))
        made.append(Load(draw(st.integers(1, 15)), draw(st.sampled_from([0, 3, 10, 20])), where))
    return tuple(made), rooms


@given(loads())
def test_the_share_is_as_large_as_any_way_has_it(asked: tuple[tuple[Load, ...], tuple[int, ...]]) -> None:
    pieces, rooms = asked
    best = -1.0
    for gaps in itertools.product(range(len(rooms)), repeat=len(pieces)):
        if any(gap not in piece.gaps for piece, gap in zip(pieces, gaps, strict=True)):
            continue
        share = 1.0
        for number, room in enumerate(rooms):
            here = [piece for piece, gap in zip(pieces, gaps, strict=True) if gap == number]
            floor, more = sum(one.floor for one in here), sum(one.more for one in here)
            share = min(share, -1.0 if floor > room else (room - floor) / more if more else 1.0)
        best = max(best, share)
    assert largest_share(pieces, rooms) == pytest.approx(best, abs=1e-6)


def test_the_first_way_that_is_found_is_not_taken_for_the_best() -> None:
    """The tightest gap is tried first and gives a tenth; the other one gives a tenth and a little more."""
    every = frozenset({0, 1})
    assert largest_share((Load(10, 100, every),), (20, 25)) == pytest.approx(0.15)


def test_what_two_systems_use_stays_when_one_goes(tmp_path_factory: pytest.TempPathFactory) -> None:
    one = machines.one_disk(tmp_path_factory.mktemp("one"))
    state = left_by(wanting(one, ("beside", {"size": "60GiB"}), ("beside", {"size": "50GiB"})))
    root, other, swap = (state.find(call)[1] for call in ("S2", "S3", "W1"))
    assert "W1" in belongings(state, root, with_files=False).volumes
    mounts = (*other.holds.mounts, (f"UUID={swap.filesystem.uuid}", "none"))
    shared = state.with_volume("S3", lambda volume: replace(volume, holds=replace(volume.holds, mounts=mounts)))
    assert "W1" not in belongings(shared, shared.find("S2")[1], with_files=False).volumes
