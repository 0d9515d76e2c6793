"""The exact fit: on small cases equal to trying everything; whatever is asked, an answer keeps every limit, or limits that contradict are named."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.errors import PlanError
from inkshelf.core.fit.contradiction import _limits, _without, because
from inkshelf.core.fit.question import Answer, Ask, Held, Piece, Problem, Refusal, Shelf
from inkshelf.core.fit.solve import PATIENCE, best, fits, gaps_of, solve
from inkshelf.core.value import replace


@st.composite
def small(draw: st.DrawFn) -> Problem:
    """One or two shelves of at most eighteen MiB, up to three volumes on each, one or two pieces of one or two asks."""
    shelves, number = [], 0
    for disk in ("A", "B")[: draw(st.integers(1, 2))]:
        at, held = 0, []
        for _ in range(draw(st.integers(0, 3))):
            at += draw(st.integers(0, 4))
            size, number = draw(st.integers(1, 5)), number + 1
            smallest = draw(st.integers(1, size))
            held.append(Held(f"S{number}", at, size, draw(st.integers(0, smallest)), smallest, draw(st.booleans()), "its data"))
            at += size
        shelves.append(Shelf(disk, 0, at + draw(st.integers(0, 5)), tuple(held)))
    pieces = []
    for name in ("one", "two")[: draw(st.integers(1, 2))]:
        asks = []
        for part in ("root", "home")[: draw(st.integers(1, 2))]:
            floor, fixed = draw(st.integers(1, 5)), draw(st.sampled_from([0, 0, 0, 2, 5]))
            asks.append(Ask(f"{name}.{part}", floor, floor + draw(st.integers(0, 5)), fixed, grows=part == "home"))
        pieces.append(Piece(name, tuple(asks), draw(st.sampled_from([(), (), ("A",)]))))
    return Problem(tuple(shelves), tuple(pieces))


def everything(problem: Problem) -> tuple[int, int, float, float] | None:
    """Volumes moved, MiB moved, share and MiB shrunk of the best way, by trying every place of every volume and piece; no solver."""
    ways = []
    for starts in itertools.product(*(places(shelf) for shelf in problem.shelves)):
        moved = [
            (one.call, one.used)
            for shelf, at in zip(problem.shelves, starts, strict=True)
            for one, start in zip(shelf.held, at, strict=True)
            if start != one.start
        ]
        rooms = [room for shelf, at in zip(problem.shelves, starts, strict=True) for room in rooms_of(shelf, at)]
        for gaps in itertools.product(range(len(rooms)), repeat=len(problem.pieces)):
            judged = judge(problem, rooms, gaps)
            if judged is not None:
                ways.append((len(moved), sum(used for _, used in moved), -judged[0], judged[1]))
    return min(ways, default=None)


def places(shelf: Shelf) -> list[tuple[int, ...]]:
    """Every way its volumes can stand, in their order, each as small as it can be."""
    each = [range(shelf.start, shelf.end) if one.may_move else (one.start,) for one in shelf.held]
    found = []
    for at in itertools.product(*each):
        ends = [start + one.smallest for start, one in zip(at, shelf.held, strict=True)]
        if all(end <= start for end, start in zip(ends, [*at[1:], shelf.end], strict=False)):
            found.append(at)
    return found


def rooms_of(shelf: Shelf, at: tuple[int, ...]) -> Iterator[tuple[str, int, int]]:
    """Disk, room with no shrink (below zero: the volume before must shrink) and the most that the volume before gives, gap by gap."""
    edges = [*at, shelf.end]
    yield shelf.disk, edges[0] - shelf.start, 0
    for one, start, behind in zip(shelf.held, at, edges[1:], strict=True):
        yield shelf.disk, behind - start - one.size, one.size - one.smallest


def judge(problem: Problem, rooms: list[tuple[str, int, int]], gaps: tuple[int, ...]) -> tuple[float, float] | None:
    """The share and the MiB shrunk with pieces in these gaps, or ``None`` where they do not fit."""
    share, more = 1.0, []
    for number, (disk, room, gives) in enumerate(rooms):
        here = [piece for piece, gap in zip(problem.pieces, gaps, strict=True) if gap == number]
        if any(piece.disks and disk not in piece.disks for piece in here):
            return None
        asks = [ask for piece in here for ask in piece.asks]
        least = sum(ask.fixed or ask.floor for ask in asks)
        open_room = sum(ask.comfort - ask.floor for ask in asks if not ask.fixed)
        if least > room + gives or room + gives < 0:
            return None
        share = min(share, (room + gives - least) / open_room) if open_room else share
        more.append((least, open_room, room))
    return share, sum(max(0.0, least + share * wide - room) for least, wide, room in more)


@given(small())
def test_a_small_fit_is_as_good_as_trying_everything(problem: Problem) -> None:
    wanted, answer = everything(problem), best(problem)
    assert (answer is None) == (wanted is None)
    if answer is None or wanted is None:
        return
    keeps(problem, answer)
    used = {held.call: held.used for shelf in problem.shelves for held in shelf.held}
    moves, moved, share, shrunk = wanted
    assert len(answer.moved) == moves
    assert sum(used[call] for call in answer.moved) == moved
    assert answer.share == pytest.approx(-share, abs=2e-4)
    given_up = sum(held.size - answer.shrunk.get(held.call, held.size) for shelf in problem.shelves for held in shelf.held)
    assert given_up >= shrunk - 0.01 or answer.share < 1, "no less than that can be"
    assert given_up <= shrunk + len(gaps_of(problem)) + 0.01, "whole MiB: at most one more in each gap"


def keeps(problem: Problem, answer: Answer) -> None:
    """Everything lies on its shelf, apart from everything else, as large as it must be; pieces are whole."""
    for shelf in problem.shelves:
        spans = [(put.start, put.start + put.size, put.key) for put in answer.put if put.disk == shelf.disk]
        for held in shelf.held:
            start, size = answer.moved.get(held.call, held.start), answer.shrunk.get(held.call, held.size)
            assert held.smallest <= size <= held.size
            assert held.may_move or start == held.start
            spans.append((start, start + size, held.call))
        at = shelf.start
        for start, end, name in sorted(spans):
            assert start >= at, (name, spans)
            at = end
        assert at <= shelf.end
    sizes = {put.key: put for put in answer.put}
    for piece in problem.pieces:
        puts = [sizes[ask.key] for ask in piece.asks]
        assert len({put.disk for put in puts}) == 1
        assert not piece.disks or puts[0].disk in piece.disks
        for one, other in itertools.pairwise(puts):
            assert other.start == one.start + one.size, "side by side"
        for ask, put in zip(piece.asks, puts, strict=True):
            assert put.size >= (ask.fixed or ask.floor)
            assert not ask.fixed or put.size == ask.fixed
            assert ask.fixed or ask.grows or put.size <= max(ask.floor, ask.comfort)


@given(small(), st.integers(2, 9))
def test_limits_that_contradict_are_named_and_none_of_them_is_too_many(problem: Problem, times: int) -> None:
    wanting = replace(
        problem,
        pieces=tuple(
            replace(piece, asks=tuple(replace(ask, floor=ask.floor * times, comfort=ask.comfort * times) for ask in piece.asks))
            for piece in problem.pieces
        ),
    )
    said = solve(wanting)
    if isinstance(said, Answer):
        keeps(wanting, said)
        return
    assert isinstance(said, Refusal)
    assert said.because == because(wanting)
    known = dict(_limits(wanting))
    assert set(said.because) <= known.keys()
    if not said.because:
        return  # even with no limit left: the shelves are smaller than what stands on them
    others = [change for words, change in known.items() if words not in said.because]
    assert best(_without(wanting, others)) is None, "these alone contradict each other"
    for one in said.because:
        rest = [*others, known[one]]
        assert best(_without(wanting, rest)) is not None, f"without “{one}” it fits"


def test_a_volume_moves_only_where_nothing_else_does_it() -> None:
    held = (Held("S1", 0, 40, 20, 30), Held("R1", 40, 4, 2, 4, may_move=True))
    shelf = Shelf("A", 0, 60, held)
    room = solve(Problem((shelf,), (Piece("new", (Ask("new.root", 16, 16),)),)))
    assert (room.moved, room.shrunk) == ({}, {}), "the gap behind R1 is large enough"
    gives = solve(Problem((shelf,), (Piece("new", (Ask("new.root", 10, 10),)), Piece("old", (Ask("old.root", 10, 10),)))))
    assert (gives.moved, gives.shrunk) == ({}, {"S1": 30})
    moves = solve(Problem((shelf,), (Piece("new", (Ask("new.root", 24, 24),)),)))
    assert list(moves.moved) == ["R1"]
    keeps(Problem((shelf,), (Piece("new", (Ask("new.root", 24, 24),)),)), moves)
    assert moves.share == 1
    never = solve(
        Problem(
            (replace(shelf, held=(held[0], replace(held[1], may_move=False))),), (Piece("new", (Ask("new.root", 24, 24),)),)
        )
    )
    assert never.because == ("R1 stays where it is on disk A", "S1 keeps 30 MiB", "new needs at least 24 MiB in one piece")


MANY = Problem(
    (Shelf("A", 0, 90, (Held("S1", 0, 40, 20, 30), Held("R1", 40, 4, 2, 4, may_move=True), Held("D1", 50, 20, 9, 10))),),
    (Piece("new", (Ask("new.root", 16, 20),)), Piece("old", (Ask("old.root", 10, 12),))),
)


@pytest.mark.parametrize("there", [True, False])
def test_what_takes_too_long_is_taken_as_it_is_and_said_or_refused_in_words(
    monkeypatch: pytest.MonkeyPatch, there: bool
) -> None:
    import scipy.optimize

    real = scipy.optimize.milp

    def late(*given: Any, **more: Any) -> Any:
        assert more["options"]["time_limit"] == PATIENCE
        done = real(*given, **more)
        done.status, done.x = 1, done.x if there else None
        return done

    right = best(MANY)
    assert right is not None
    assert right.proven
    monkeypatch.setattr(scipy.optimize, "milp", late)
    if there:
        assert best(MANY) == replace(right, proven=False)
        return
    with pytest.raises(PlanError, match="could not be worked out in 15 seconds"):
        best(MANY)
    with pytest.raises(PlanError, match="could not be worked out"):
        fits(MANY)


@given(small())
def test_whether_anything_fits_is_what_the_best_says(problem: Problem) -> None:
    assert fits(problem) == (best(problem) is not None)
