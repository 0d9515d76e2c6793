"""The fit, exactly: sizes and places by integer optimisation (HiGHS, by way of SciPy's ``milp``).

Hard limits first: floors, how far a volume may shrink, what may not move, one gap for one piece. Then in this order: no volume moved, the
fewest bytes moved, the worst-off volume as near to its comfort as can be, the owner's volumes shrunk as little as that takes, and what is
free besides for those that grow. Every stage keeps what the stages before it reached.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np

from inkshelf.core.errors import PlanError
from inkshelf.core.fit.packing import Load, largest_share
from inkshelf.core.fit.question import RECORD, Answer, Ask, Held, Piece, Problem, Put, Refusal, Shelf
from inkshelf.core.value import replace

PATIENCE = 15.0  # seconds that one stage may take; what it has then is taken, and said not to be proved
TIGHT, LOOSE = 1e-6, 1e-4  # of a share; of MiB, which are rounded to whole ones in the end
OUT_OF_TIME, INFEASIBLE = 1, 2  # the solver's words for it
Row = dict[int, float]
Lying = tuple[str, int, bool]  # a piece, the number of its gap, and whether it lies inside an extended partition there


@dataclass
class Model:
    """Columns with bounds, rows with bounds; an objective is given when it is solved."""

    low: list[float] = field(default_factory=list)
    high: list[float] = field(default_factory=list)
    whole: list[int] = field(default_factory=list)
    rows: list[tuple[Row, float, float]] = field(default_factory=list)
    proven: bool = True
    patience: float = PATIENCE

    def column(self, low: float, high: float, *, whole: bool = False) -> int:
        """Add a column and return its number."""
        self.low.append(low)
        self.high.append(high)
        self.whole.append(int(whole))
        return len(self.low) - 1

    def row(self, row: Row, low: float, high: float) -> None:
        """Add a row."""
        self.rows.append((row, low, high))

    def least(self, objective: Row, *, fits: bool = False) -> np.ndarray[Any, Any] | None:
        """Return the columns at which the objective is least, or ``None`` where nothing fits.

        ``fits``: something is known to, so that a solver which says otherwise is asked once more, without its presolve.
        Where that takes too long, the best that was found until then, which is not ``proven``; ``PlanError`` where nothing was.
        """
        from scipy.optimize import Bounds, LinearConstraint, milp
        from scipy.sparse import csr_array

        cost = np.zeros(len(self.low))
        for column, weight in objective.items():
            cost[column] = weight
        entries = [(at, column, value) for at, (row, _, _) in enumerate(self.rows) for column, value in row.items()]
        places = ([one[0] for one in entries], [one[1] for one in entries])
        matrix = csr_array(([one[2] for one in entries], places), shape=(len(self.rows), len(self.low)))
        limits = LinearConstraint(matrix, [one[1] for one in self.rows], [one[2] for one in self.rows])
        for presolve in (True, False):  # now and then its presolve stumbles over the tight rows of the stages before
            options = {"mip_rel_gap": 0.0, "presolve": presolve, "time_limit": self.patience}
            done = milp(cost, constraints=limits, bounds=Bounds(self.low, self.high), integrality=self.whole, options=options)
            if done.status in {0, OUT_OF_TIME} or (done.status == INFEASIBLE and not fits):
                break
        if done.status == OUT_OF_TIME:
            self.proven = False
            if done.x is None:
                raise PlanError(
                    f"Whether this fits could not be worked out in {self.patience:.0f} seconds.",
                    "Take fewer systems at once, or let nothing move.",
                )
        found: np.ndarray[Any, Any] | None = done.x if done.status in {0, OUT_OF_TIME} else None
        return found


@dataclass
class Columns:
    """Which column is what."""

    moved: dict[str, int] = field(default_factory=dict)
    shift: dict[str, int] = field(default_factory=dict)
    shrink: dict[str, int] = field(default_factory=dict)
    size: dict[str, int] = field(default_factory=dict)
    there: dict[Lying, int] = field(default_factory=dict)
    room: dict[Lying, int] = field(default_factory=dict)
    enclosed: dict[int, int] = field(default_factory=dict)
    share: int = 0


@dataclass
class Gap:
    """A gap: its shelf, the volumes before and behind it (``None``: the ends of the disk), its room as found."""

    shelf: Shelf
    before: Held | None
    behind: Held | None
    size: int


def gaps_of(problem: Problem) -> list[Gap]:
    """Return every gap of every shelf, those of no room too: a shrink or a move may make some."""
    found = []
    for shelf in problem.shelves:
        edges: list[Held | None] = [None, *shelf.held, None]
        for before, behind in pairwise(edges):
            low = before.end if before else shelf.start
            high = behind.start - (RECORD if shelf.inside else 0) if behind else shelf.end
            found.append(Gap(shelf, before, behind, max(0, high - low)))
    return found


def solve(problem: Problem) -> Answer | Refusal:
    """Return the best answer; or why there is none, as a set of limits that contradict each other, none of them too many."""
    answer = best(problem)
    if answer is not None:
        return answer
    from inkshelf.core.fit.contradiction import because

    return Refusal(because(problem))


def fits(problem: Problem) -> bool:
    """Tell whether anything fits at all, however well: quick to say, as nothing has to be the best. Raises ``PlanError`` as ``best`` does."""
    gaps = gaps_of(problem)
    model, columns = _model(problem, gaps)
    if not columns.moved and (packed := _packed(problem, gaps)) is not None:
        return packed >= 0
    return model.least({}) is not None


def best(problem: Problem) -> Answer | None:
    """Return the best answer, or ``None`` where nothing fits."""
    still = replace(
        problem,
        shelves=tuple(
            replace(shelf, held=tuple(replace(held, may_move=False) for held in shelf.held)) for shelf in problem.shelves
        ),
    )
    if still != problem:  # where nothing has to move nothing does: the smaller question is answered first
        answer = _best(still)
        if answer is not None:
            return answer
    return _best(problem)


def _best(problem: Problem) -> Answer | None:
    gaps = gaps_of(problem)
    model, columns = _model(problem, gaps)
    used = {held.call: held.used for shelf in problem.shelves for held in shelf.held}
    comforts = max(1, sum(ask.comfort for ask in _asks(problem) if ask.grows))
    stages: list[Row] = [
        dict.fromkeys(columns.moved.values(), 1.0),
        {column: used[call] / max(1, sum(used.values())) for call, column in columns.moved.items()},
        {columns.share: -1.0},
        dict.fromkeys(columns.shrink.values(), 1.0),
        {columns.size[ask.key]: -1.0 - ask.comfort / comforts for ask in _asks(problem) if ask.grows},
    ]
    found, share = None, 1.0
    if not columns.moved:  # without moves the share is found by search, and proved by it
        packed = _packed(problem, gaps)
        if packed is not None and packed < 0:
            return None
        if packed is not None:
            share, model.low[columns.share] = packed, max(0.0, packed - TIGHT)
            stages.remove({columns.share: -1.0})
    for stage in [one for one in stages if one] or [{}]:
        better = model.least(stage, fits=found is not None)
        model.proven = model.proven and (better is not None or found is None)
        found = (
            found if better is None else better
        )  # what was found fits: that a later stage has nothing is the solver's rounding
        if found is None:
            return None
        reached = sum(weight * found[column] for column, weight in stage.items())
        share = -reached if stage == {columns.share: -1.0} else share
        loose = TIGHT if stage == {columns.share: -1.0} else LOOSE
        model.row(stage, -np.inf, reached + loose * max(1.0, abs(reached)))
    assert found is not None  # noqa: S101 - there is one stage at least
    made = _answer(problem, gaps, columns, found, min(1.0, round(float(share), 6)))
    return replace(made, proven=model.proven)


def _packed(problem: Problem, gaps: list[Gap]) -> float | None:
    if any(shelf.slots is not None or shelf.inside for shelf in problem.shelves):
        return None  # the search knows neither slots nor records
    rooms = tuple(_most(gap) for gap in gaps)
    loads = []
    for piece in problem.pieces:
        floor = sum(ask.fixed or ask.floor for ask in piece.asks)
        more = sum(max(0, ask.comfort - ask.floor) for ask in piece.asks if not ask.fixed)
        here = frozenset(number for number, gap in enumerate(gaps) if not piece.disks or gap.shelf.disk in piece.disks)
        loads.append(Load(floor, more, here))
    return largest_share(tuple(loads), rooms)


def _asks(problem: Problem) -> list[Ask]:
    return [ask for piece in problem.pieces for ask in piece.asks]


def _model(problem: Problem, gaps: list[Gap]) -> tuple[Model, Columns]:
    model, columns = Model(), Columns()
    columns.share = model.column(0.0, 1.0)
    for shelf in problem.shelves:
        for held in shelf.held:
            _held(model, columns, shelf, held)
    for piece in problem.pieces:
        _piece(model, columns, piece, gaps)
    for number, gap in enumerate(gaps):
        _room(model, columns, gap, number)
    _slots(model, columns, problem, gaps)
    _in_order(model, columns, problem)
    return model, columns


def _in_order(model: Model, columns: Columns, problem: Problem) -> None:
    """Pieces that ask for the same stand in the order of their gaps: which of them lies where is all one, and is asked once only."""
    for one, other in pairwise(sorted(problem.pieces, key=_wanted)):
        if _wanted(one) == _wanted(other):
            mine = {column: float(number) for (key, number, _), column in columns.there.items() if key == one.key}
            its = {column: -float(number) for (key, number, _), column in columns.there.items() if key == other.key}
            model.row({**mine, **its}, -np.inf, 0)


def _wanted(piece: Piece) -> tuple[object, ...]:
    return (piece.disks, tuple((ask.floor, ask.comfort, ask.fixed, ask.grows, ask.primary) for ask in piece.asks))


def _held(model: Model, columns: Columns, shelf: Shelf, held: Held) -> None:
    if held.smallest < held.size:
        columns.shrink[held.call] = model.column(0, held.size - held.smallest)
    if held.may_move:
        far = shelf.end - shelf.start
        columns.shift[held.call] = shift = model.column(-far, far)
        columns.moved[held.call] = moved = model.column(0, 1, whole=True)
        model.row({shift: 1.0, moved: -far}, -np.inf, 0)
        model.row({shift: 1.0, moved: far}, 0, np.inf)


def _piece(model: Model, columns: Columns, piece: Piece, gaps: list[Gap]) -> None:
    widest = max((_most(gap) for gap in gaps), default=0) + max(ask.floor for ask in piece.asks)
    for ask in piece.asks:
        fixed, open_ended = max(ask.fixed, 0), ask.grows and not ask.fixed
        top = fixed or (widest if open_ended else max(ask.floor, ask.comfort))
        columns.size[ask.key] = size = model.column(fixed or ask.floor, top)
        if not fixed and ask.comfort > ask.floor:
            model.row({size: 1.0, columns.share: -(ask.comfort - ask.floor)}, ask.floor, np.inf)
    ways = _ways(piece, gaps)
    for way, least, most in ways:
        columns.there[way] = there = model.column(0, 1, whole=True)
        columns.room[way] = room = model.column(0, most)
        model.row({room: 1.0, there: -most}, -np.inf, 0)
        model.row({room: 1.0, there: -least}, 0, np.inf)
    model.row({columns.there[way]: 1.0 for way, _, _ in ways}, 1, 1)
    rooms = {columns.room[way]: -1.0 for way, _, _ in ways}
    records = {columns.there[way]: float(_records(piece)) for way, _, _ in ways if way[2]}
    model.row({**{columns.size[ask.key]: 1.0 for ask in piece.asks}, **rooms, **records}, 0, 0)


def _records(piece: Piece) -> int:
    return RECORD * len(piece.asks)


def _ways(piece: Piece, gaps: list[Gap]) -> list[tuple[Lying, int, int]]:
    """Every way a piece can lie in a gap, with the least room it takes there and the most; one that cannot be, where there is none."""
    floors, ways = sum(ask.fixed or ask.floor for ask in piece.asks), []
    for number, gap in enumerate(gaps):
        if piece.disks and gap.shelf.disk not in piece.disks:
            continue
        if not gap.shelf.inside:
            ways.append(((piece.key, number, False), floors, _most(gap)))
        if (gap.shelf.inside or gap.shelf.encloses) and not piece.primary:
            ways.append(((piece.key, number, True), floors + _records(piece), _most(gap)))
    return [one for one in ways if one[1] <= one[2]] or [((piece.key, 0, False), max(1, floors), 0)]


def _slots(model: Model, columns: Columns, problem: Problem, gaps: list[Gap]) -> None:
    """Primary volumes, and an extended partition where one is made, are no more than the table's slots."""
    counts = {piece.key: len(piece.asks) for piece in problem.pieces}
    for shelf in problem.shelves:
        if shelf.slots is None:
            continue
        mine = {number for number, gap in enumerate(gaps) if gap.shelf == shelf}
        if shelf.encloses:
            for number in sorted(mine):
                columns.enclosed[number] = model.column(0, 1, whole=True)
            model.row({columns.enclosed[number]: 1.0 for number in mine}, -np.inf, 1)
        taken: Row = {columns.enclosed[number]: 1.0 for number in mine if shelf.encloses}
        for (key, number, inside), column in columns.there.items():
            if number in mine and inside:
                model.row({column: 1.0, columns.enclosed[number]: -1.0}, -np.inf, 0)
            elif number in mine:
                taken[column] = float(counts[key])
        if taken:
            model.row(taken, -np.inf, shelf.slots)


def _most(gap: Gap) -> int:
    """The most room that a gap can come to: what is there, what the volume before it gives, and what is free elsewhere if others move."""
    given = gap.before.size - gap.before.smallest if gap.before else 0
    edges = [one for one in (gap.before, gap.behind) if one is not None and one.may_move]
    if not edges:
        return gap.size + given
    return gap.shelf.end - gap.shelf.start - sum(held.smallest for held in gap.shelf.held)


def _room(model: Model, columns: Columns, gap: Gap, number: int) -> None:
    """What lies in a gap is no more than its room: what was there, what the volume before it gives, where its neighbours went."""
    row = {column: 1.0 for (_, at, _), column in columns.room.items() if at == number}
    if gap.before is not None:
        if gap.before.call in columns.shrink:
            row[columns.shrink[gap.before.call]] = -1.0
        if gap.before.call in columns.shift:
            row[columns.shift[gap.before.call]] = 1.0
    if gap.behind is not None and gap.behind.call in columns.shift:
        row[columns.shift[gap.behind.call]] = -1.0
    if row:
        model.row(row, -np.inf, gap.size)


def _answer(problem: Problem, gaps: list[Gap], columns: Columns, found: np.ndarray[Any, Any], share: float) -> Answer:
    """Whole MiB: sizes are rounded down, what a volume gives is rounded up, and what is over goes to the one that grows."""
    shift = {call: round(float(found[column])) for call, column in columns.shift.items() if found[columns.moved[call]] > 0.5}
    where = {way[0]: way for way, column in columns.there.items() if found[column] > 0.5}
    shrunk: dict[str, int] = {}
    put: list[Put] = []
    for number, gap in enumerate(gaps):
        here = sorted((one for one in problem.pieces if where[one.key][1] == number), key=lambda one: where[one.key][2])
        sizes = {ask.key: int(float(found[columns.size[ask.key]]) + 1e-4) for piece in here for ask in piece.asks}
        moved_behind = shift.get(gap.behind.call, 0) if gap.behind else 0
        end = (gap.behind.start - RECORD * gap.shelf.inside if gap.behind else gap.shelf.end) + moved_behind
        room = gap.size + moved_behind - (shift.get(gap.before.call, 0) if gap.before else 0)
        gives = float(found[columns.shrink[gap.before.call]]) if gap.before and gap.before.call in columns.shrink else 0.0
        records = sum(_records(piece) for piece in here if where[piece.key][2])
        most = int(room + gives + 1e-4) - records
        _grow(here, sizes, most)
        total = sum(sizes.values()) + records
        if gap.before and total > room:
            shrunk[gap.before.call] = gap.before.size - (total - room)
        at = (
            end - total
            if gap.before and total > room
            else (gap.before.end + shift.get(gap.before.call, 0) if gap.before else gap.shelf.start)
        )
        put += _puts(here, where, sizes, gap.shelf.disk, at)
    starts = {
        held.call: held.start + shift[held.call] for shelf in problem.shelves for held in shelf.held if shift.get(held.call)
    }
    return Answer(tuple(put), shrunk, starts, share)


def _puts(here: list[Piece], where: dict[str, Lying], sizes: dict[str, int], disk: str, at: int) -> list[Put]:
    """One behind the other from ``at``; what lies inside an extended partition comes last, each behind its record."""
    put = []
    for piece in here:
        for ask in piece.asks:
            logical = where[piece.key][2]
            at += RECORD * logical
            put.append(Put(ask.key, disk, at, sizes[ask.key], logical))
            at += sizes[ask.key]
    return put


def _grow(here: list[Piece], sizes: dict[str, int], most: int) -> None:
    """What rounding left over goes to the last volume in the gap that may have more."""
    over = most - sum(sizes.values())
    open_ones = [ask for piece in here for ask in piece.asks if not ask.fixed and (ask.grows or sizes[ask.key] < ask.comfort)]
    if 0 < over < 2 * max(1, len(sizes)) and open_ones:
        sizes[open_ones[-1].key] += over
