"""Slots of an MBR: as good as trying everything, never one too many, and what starts from a primary volume gets one."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.aims.base import Need
from inkshelf.core.aims.beside import Beside
from inkshelf.core.aims.clean import Clean
from inkshelf.core.aims.several import Several
from inkshelf.core.aims.volumes import make
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.contradiction import _limits, _without
from inkshelf.core.fit.question import RECORD, Answer, Ask, Held, Piece, Problem, Refusal, Shelf
from inkshelf.core.fit.room import Fit, free_slots
from inkshelf.core.fit.solve import best, gaps_of, solve
from inkshelf.core.machine.state import Disk, Extended, FileSystem, Firmware, Machine, SystemRoot, Table, Volume
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Create, Enclose, Step
from inkshelf.core.value import replace


@st.composite
def shelves(draw: st.DrawFn, disk: str) -> tuple[Shelf, ...]:
    """A disk with an MBR: up to three primary volumes, and an extended partition with up to two in it, or none."""
    at, held, number = 0, [], 0
    for _ in range(draw(st.integers(0, 3))):
        at, size, number = at + draw(st.integers(0, 5)), draw(st.integers(1, 4)), number + 1
        held.append(Held(f"{disk}{number}", at, size, 1, draw(st.integers(1, size))))
        at += size
    if len(held) == 3 or draw(st.booleans()):
        return (Shelf(disk, 0, at + draw(st.integers(0, 8)), tuple(held), 4 - len(held), encloses=True),)
    begins, inside = at + draw(st.integers(0, 4)), []
    at = begins
    for _ in range(draw(st.integers(0, 2))):
        at, size, number = at + RECORD + draw(st.integers(0, 4)), draw(st.integers(1, 4)), number + 1
        inside.append(Held(f"{disk}{number}", at, size, 1, draw(st.integers(1, size))))
        at += size
    ends = at + draw(st.integers(RECORD + 1, 8))
    wall = Held(f"the extended partition of disk {disk}", begins, ends - begins, ends - begins, ends - begins)
    outer = Shelf(disk, 0, ends + draw(st.integers(0, 5)), (*held, wall), 3 - len(held))
    return outer, Shelf(disk, begins, ends, tuple(inside), inside=True)


@st.composite
def problems(draw: st.DrawFn) -> Problem:
    """One or two such disks, one to three systems of one to three volumes."""
    found = [one for disk in ("A", "B")[: draw(st.integers(1, 2))] for one in draw(shelves(disk))]
    pieces = []
    for name in ("one", "two", "three")[: draw(st.integers(1, 3))]:
        asks = []
        for number in range(draw(st.integers(1, 3))):
            floor = draw(st.integers(1, 3))
            primary = not number and draw(st.booleans())
            asks.append(Ask(f"{name}.{number}", floor, floor + draw(st.integers(0, 3)), grows=not number, primary=primary))
        pieces.append(Piece(name, tuple(asks)))
    return Problem(tuple(found), tuple(pieces))


def everything(problem: Problem) -> float | None:
    """The best share, by trying every gap for every piece as primary volumes and as logical ones; no solver. ``None``: nothing fits."""
    gaps, shares = gaps_of(problem), []
    for ways in itertools.product(itertools.product(range(len(gaps)), (False, True)), repeat=len(problem.pieces)):
        share = _share(problem, ways)
        if share is not None:
            shares.append(share)
    return max(shares, default=None)


def _share(problem: Problem, ways: tuple[tuple[int, bool], ...]) -> float | None:
    gaps, share = gaps_of(problem), 1.0
    for piece, (number, inside) in zip(problem.pieces, ways, strict=True):
        shelf = gaps[number].shelf
        if (inside and (any(one.primary for one in piece.asks) or not (shelf.inside or shelf.encloses))) or (
            shelf.inside and not inside
        ):
            return None
    for shelf in problem.shelves:
        mine = [one for one in zip(problem.pieces, ways, strict=True) if gaps[one[1][0]].shelf == shelf]
        made = {number for _, (number, inside) in mine if inside}
        if shelf.slots is not None:
            taken = sum(len(piece.asks) for piece, (_, inside) in mine if not inside) + len(made)
            if taken > shelf.slots or len(made) > 1:
                return None
    for number, gap in enumerate(gaps):
        here = [(piece, inside) for piece, (at, inside) in zip(problem.pieces, ways, strict=True) if at == number]
        asks = [ask for piece, _ in here for ask in piece.asks]
        least = sum(ask.floor for ask in asks) + sum(len(piece.asks) for piece, inside in here if inside)
        room = gap.size + (gap.before.size - gap.before.smallest if gap.before else 0)
        if least > room:
            return None
        more = sum(ask.comfort - ask.floor for ask in asks)
        share = min(share, (room - least) / more) if more else share
    return share


@given(problems())
def test_a_small_fit_on_mbr_disks_is_as_good_as_trying_everything(problem: Problem) -> None:
    wanted, answer = everything(problem), best(problem)
    assert (answer is None) == (wanted is None)
    if answer is not None:
        assert answer.share == pytest.approx(wanted, abs=2e-4)
        keeps(problem, answer)


def keeps(problem: Problem, answer: Answer) -> None:
    """Records have their place, slots are enough, what is there is not touched but shrunk from its end."""
    put = {one.key: one for one in answer.put}
    for piece in problem.pieces:
        mine = [put[ask.key] for ask in piece.asks]
        assert len({(one.disk, one.logical) for one in mine}) == 1
        assert not (piece.primary and mine[0].logical)
        for one, other in itertools.pairwise(mine):
            assert other.start == one.start + one.size + RECORD * one.logical
    for disk in {shelf.disk for shelf in problem.shelves}:
        here = [shelf for shelf in problem.shelves if shelf.disk == disk]
        inner = next((one for one in here if one.inside), None)
        new = [one for one in answer.put if one.disk == disk]
        outside = sum(not one.logical for one in new)
        made = int(inner is None and len(new) > outside)
        assert outside + made <= next(one.slots for one in here if one.slots is not None)
        spans = [(one.start - RECORD * one.logical, one.start + one.size) for one in new]
        for shelf in here:
            for held in shelf.held:
                wall = held.call.startswith("the extended")
                end = held.start + answer.shrunk.get(held.call, held.size)
                spans += [] if wall else [(held.start - RECORD * shelf.inside, end)]
        assert all(one[1] <= other[0] for one, other in itertools.pairwise(sorted(spans)))
        if inner is not None:
            assert all(inner.start < one.start and one.start + one.size <= inner.end for one in new if one.logical)
            assert all(one.start >= inner.end or one.start + one.size <= inner.start for one in new if not one.logical)


@given(problems())
def test_what_contradicts_on_mbr_disks_is_named_and_nothing_too_many(problem: Problem) -> None:
    said = solve(replace(problem, pieces=tuple(replace(one, key=f"{one.key} of many") for one in problem.pieces) * 1))
    if isinstance(said, Answer):
        return
    assert isinstance(said, Refusal)
    renamed = replace(problem, pieces=tuple(replace(one, key=f"{one.key} of many") for one in problem.pieces))
    known = dict(_limits(renamed))
    assert said.because
    assert set(said.because) <= known.keys()
    others = [change for words, change in known.items() if words not in said.because]
    assert best(_without(renamed, others)) is None
    for one in said.because:
        assert best(_without(renamed, [*others, known[one]])) is not None, one


def bare(*sizes: int) -> Machine:
    disks = tuple(Disk(letter, size * GIB) for letter, size in zip("ABCD", sizes, strict=False))
    return Machine(firmware=Firmware(mode="legacy"), disks=disks, ram_bytes=8 * GIB)


def carried_out(found: Machine, steps: tuple[Step, ...]) -> Machine:
    """The machine after every step; none of them is refused."""
    done = fold(found, steps)
    assert done.fault is None
    return done.planned


def sound(plan: Machine) -> None:
    """What any MBR keeps to; the NT family starts from a primary volume that is active."""
    for disk in plan.disks:
        if disk.table.kind != "mbr":
            continue
        outside = [one for one in disk.volumes if not one.logical]
        assert len(outside) + (disk.table.extended is not None) <= 4
        numbers = [one.number for one in disk.volumes] + ([disk.table.extended.number] if disk.table.extended else [])
        assert len(set(numbers)) == len(numbers)
        assert all((one.number > 4) == one.logical for one in disk.volumes)
        if any(one.holds and one.holds.family == "nt" for one in disk.volumes):
            active = [one for one in disk.volumes if one.active]
            assert len(active) == 1
            assert not active[0].logical
            assert active[0].holds
            assert active[0].holds.family == "nt"


@pytest.mark.parametrize("home", ["together", "apart", "subvolumes"])
@pytest.mark.parametrize(
    "systems",
    [
        ("nt-old", "linux-desktop"),
        ("nt-old", "nt-old", "linux-desktop"),
        ("nt-old", "linux-light", "linux-rolling", "linux-desktop"),
        ("linux-light", "linux-rolling", "linux-desktop", "linux-heavy"),
    ],
)
def test_an_emptied_mbr_disk_holds_them_all_and_each_starts(systems: tuple[str, ...], home: str) -> None:
    found = bare(900)
    plan = carried_out(found, Clean(systems=systems, table="mbr", home=home).steps(found, "seed"))
    sound(plan)
    assert [one.starts for one in rehearse(plan) if one.mishap == "none"] == [True] * len(systems)


@pytest.mark.parametrize("share", ["none", "ntfs", "exfat"])
@pytest.mark.parametrize("sizes", [(900,), (200, 500), (120, 120, 400)])
def test_several_systems_the_legacy_way_on_whichever_disks(sizes: tuple[int, ...], share: str) -> None:
    found = bare(*sizes)
    aim = Several(systems=("nt-old", "linux-desktop", "linux-light", "linux-server"), home="apart", share=share)
    steps = aim.steps(found, "seed")
    plan = carried_out(found, steps)
    sound(plan)
    made = [one for one in steps if isinstance(one, Create)]
    assert len(made) == len(aim.needs(found)), "one partition for each need, in their order"
    assert [one.role for one in made] == [one.role for one in aim.needs(found)]
    assert all(one.starts for one in rehearse(plan) if one.mishap == "none")
    if share != "none":
        linux = [one for _, one in plan.volumes() if one.holds and one.holds.family == "linux"]
        assert len(linux) == 3
        assert all(any(where == "/srv/shared" for _, where in one.holds.mounts) for one in linux if one.holds)


def crowded(*, extended: bool) -> Machine:
    """An NT family that starts the legacy way, two volumes beside it, the fourth slot an extended partition or free."""
    root = FileSystem(
        "ntfs", 200 * GIB, "SYSTEM", "0123456789ABCDEF", cluster_bytes=4096, used_bytes=40 * GIB, smallest_bytes=60 * GIB
    )
    data = FileSystem(
        "ntfs", 20 * GIB, "DATA", "1123456789ABCDEF", cluster_bytes=4096, used_bytes=10 * GIB, smallest_bytes=12 * GIB
    )
    at = 250 * GIB
    inside = Volume("D2", 5, at + 101 * MIB, 20 * GIB, "0x07", role="data", filesystem=data, logical=True)
    table = Table("mbr", boot_code=True, code_of="nt", signature="0badcafe")
    table = replace(table, extended=Extended(4, at + 100 * MIB, 149 * GIB)) if extended else table
    volumes = (
        Volume(
            "S1", 1, MIB, 200 * GIB, "0x07", role="system", filesystem=root, active=True, holds=SystemRoot("nt", "NT family")
        ),
        Volume("R1", 2, 201 * GIB, GIB, "0x27", role="recovery", filesystem=replace(data, size_bytes=GIB, used_bytes=GIB // 2)),
        Volume(
            "D1",
            3,
            205 * GIB,
            45 * GIB,
            "0x07",
            role="data",
            filesystem=replace(data, size_bytes=45 * GIB, uuid="2123456789ABCDEF"),
        ),
    )
    disk = Disk("A", 400 * GIB, table=table, volumes=(*volumes, inside) if extended else volumes)
    return Machine(firmware=Firmware(mode="legacy"), disks=(disk,), ram_bytes=8 * GIB)


@pytest.mark.parametrize("extended", [True, False])
def test_systems_beside_what_is_there_lie_in_the_last_slot_or_in_the_extended_partition(extended: bool) -> None:
    found = crowded(extended=extended)
    steps = Several(systems=("linux-desktop", "linux-light"), home="apart").steps(found, "seed")
    plan = carried_out(found, steps)
    sound(plan)
    assert sum(isinstance(one, Enclose) for one in steps) == (0 if extended else 1)
    assert all(one.logical for _, one in plan.volumes() if one.planned)
    assert all(one.starts for one in rehearse(plan) if one.mishap == "none" and plan.find(one.system))


def test_a_second_nt_family_needs_a_slot_only_where_nothing_active_is_there() -> None:
    with pytest.raises(PlanError, match="starts from a primary volume"):
        Several(systems=("nt-old",)).steps(crowded(extended=True), "seed")
    beside = Beside(system="nt-old", disk="A", size_bytes=60 * GIB)
    plan = carried_out(crowded(extended=True), beside.steps(crowded(extended=True), "seed"))
    new = next(one for _, one in plan.volumes() if one.planned and one.holds)
    assert new.logical, "the active volume that is there starts it"
    sound(plan)


def test_nobody_puts_what_starts_from_a_primary_volume_inside_or_apart_from_what_it_stands_behind() -> None:
    found = crowded(extended=True)
    disk, place = found.disks[0], Fit(300 * GIB, 60 * GIB, logical=True)
    needs = Clean(systems=("nt-old",), table="mbr").needs(bare(400))
    assert [one.slot for one in needs] == ["primary", "any"]
    with pytest.raises(PlanError, match="has to be a primary volume"):
        make(disk, place, tuple((one, 20 * GIB) for one in needs), "seed", ())
    with pytest.raises(PlanError, match="has to stand right behind root"):
        make(disk, replace(place, logical=False), tuple((one, 20 * GIB) for one in reversed(needs)), "seed", ())
    many = tuple(
        (Need(f"p{n}", "data", "basic_data", "", "", "", MIB, MIB, slot="primary" if n < 2 else "any"), MIB) for n in range(5)
    )
    new = make(Disk("A", 400 * GIB, table=Table("mbr")), Fit(MIB, GIB), many, "seed", ())
    assert [one.logical for one in new.create] == [False, False, True, True, True]
    assert [one.number for one in new.create] == [1, 2, 5, 6, 7]
    assert free_slots(disk) == 0


def test_what_fits_is_found_although_the_solver_stumbles_over_its_own_rounding() -> None:
    """Seen by chance: a later stage was said to be impossible under the rows of those before, and all of it was refused."""
    held = (
        Held("A1", 3, 1, 1, 1, may_move=False),
        Held("A2", 7, 2, 1, 1, may_move=True),
        Held("A3", 10, 1, 1, 1, may_move=False),
    )
    outer = tuple(Held(call, at, 2, 1, 1, may_move=True) for call, at in (("B1", 0), ("B2", 2)))
    outer += (Held("the extended partition of disk B", 4, 2, 2, 1, may_move=True),)
    shelves = (
        Shelf("A", 0, 12, held, 1 << 10, encloses=True),
        Shelf("B", 0, 6, outer, 1 << 10),
        Shelf("B", 4, 6, (), inside=True),
    )
    asks = (Ask("one.0", 1, 1, 0, grows=True), Ask("one.1", 3, 4, 0))
    answer = best(Problem(shelves, (Piece("one", asks),)))
    assert answer is not None
    places = sorted((one.start, one.start + one.size) for one in answer.put)
    assert {one.disk for one in answer.put} == {"A"}
    assert places[0][0] >= 4
    assert places[-1][1] <= 10
