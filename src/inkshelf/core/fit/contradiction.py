"""Why nothing fits: an irreducible set of limits, found by leaving one after the other out; each in words that a person can act on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from inkshelf.core.fit.question import Held, Piece, Problem, Shelf
from inkshelf.core.size import MIB, binary
from inkshelf.core.value import replace

Relaxed = Callable[[Problem], Problem]


def because(problem: Problem) -> tuple[str, ...]:
    """Return limits that contradict each other, none of which could be left out, in words; empty where even without any nothing fits."""
    active = list(_limits(problem))
    if _fits(_without(problem, [change for _, change in active])):
        kept: list[tuple[str, Relaxed]] = list(active)
        for one in active:
            fewer = [other for other in kept if other is not one]
            relaxed = [change for words, change in active if (words, change) not in fewer]
            if not _fits(_without(problem, relaxed)):
                kept = fewer
        return tuple(words for words, _ in kept)
    return ()


def _without(problem: Problem, changes: list[Relaxed]) -> Problem:
    for change in changes:
        problem = change(problem)
    return problem


def _fits(problem: Problem) -> bool:
    from inkshelf.core.fit.solve import fits

    return fits(problem)


def _limits(problem: Problem) -> Iterator[tuple[str, Relaxed]]:
    """Yield every limit in words, with the change that leaves it out. What is easiest for a person to change comes last: it is kept longest."""
    volumes = [(shelf, held) for shelf in problem.shelves for held in shelf.held]
    for shelf, held in volumes:
        if not held.may_move:
            yield f"{held.call} stays where it is on disk {shelf.disk}", partial(_each_held, held.call, _mobile)
    for _, held in volumes:
        if held.smallest > 1:
            yield _kept_words(held), partial(_each_held, held.call, _soft)
    for shelf in problem.shelves:
        if shelf.slots is not None:
            left = f"{shelf.slots or 'no'} slot{'' if shelf.slots == 1 else 's'}"
            yield f"the MBR of disk {shelf.disk} has {left} left", partial(_each_shelf, shelf, _with_slots)
    yield from _of_pieces(problem)


def _of_pieces(problem: Problem) -> Iterator[tuple[str, Relaxed]]:
    for piece in problem.pieces:
        if piece.primary:
            yield f"{piece.key} starts from a primary volume", partial(_each_piece, piece.key, _anyhow)
    for piece in problem.pieces:
        if piece.disks:
            yield f"{piece.key} goes to disk {', '.join(piece.disks)}", partial(_each_piece, piece.key, _anywhere)
    for piece in problem.pieces:
        size = sum(ask.fixed or ask.floor for ask in piece.asks)
        what = "is set to" if any(ask.fixed for ask in piece.asks) else "needs at least"
        yield f"{piece.key} {what} {binary(size * MIB)} in one piece", partial(_each_piece, piece.key, _small)


def _kept_words(held: Held) -> str:
    return f"{held.call} keeps {binary(held.smallest * MIB)}" + (f" ({held.why})" if held.why else "")


def _each_held(call: str, change: Callable[[Held], Held], problem: Problem) -> Problem:
    def on(shelf: Shelf) -> Shelf:
        return replace(shelf, held=tuple(change(one) if one.call == call else one for one in shelf.held))

    return replace(problem, shelves=tuple(on(one) for one in problem.shelves))


def _each_shelf(shelf: Shelf, change: Callable[[Shelf], Shelf], problem: Problem) -> Problem:
    mine = (shelf.disk, shelf.inside)
    return replace(problem, shelves=tuple(change(one) if (one.disk, one.inside) == mine else one for one in problem.shelves))


def _each_piece(key: str, change: Callable[[Piece], Piece], problem: Problem) -> Problem:
    return replace(problem, pieces=tuple(change(one) if one.key == key else one for one in problem.pieces))


def _mobile(held: Held) -> Held:
    return replace(held, may_move=True)


def _soft(held: Held) -> Held:
    return replace(held, smallest=1)


def _with_slots(shelf: Shelf) -> Shelf:
    return replace(shelf, slots=1 << 10)


def _anyhow(piece: Piece) -> Piece:
    return replace(piece, asks=tuple(replace(one, primary=False) for one in piece.asks))


def _anywhere(piece: Piece) -> Piece:
    return replace(piece, disks=())


def _small(piece: Piece) -> Piece:
    return replace(piece, asks=tuple(replace(one, floor=0, comfort=0, fixed=0) for one in piece.asks))
