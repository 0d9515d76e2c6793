"""The shelf's numbers: one scale for both boards, edges that snap, a tape that does not lie."""

from __future__ import annotations

from itertools import combinations, pairwise

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from disks import assemble
from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import findings
from inkshelf.core.machine.state import Disk, Extended, FileSystem, Machine, Table, Volume
from inkshelf.core.plan.byhand import exactly
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GB, GIB, MIB
from inkshelf.core.steps.kinds import Delete, Format, Step
from inkshelf.core.value import replace
from inkshelf.ui.aim.gauge import lines_of
from inkshelf.ui.shelf.layout import LEAST_VOLUME, Edge, lay_out, make_scale, snap
from strategies import aims

PARTS = (
    st.lists(st.integers(0, 4000), min_size=2, max_size=16, unique=True)
    .map(sorted)
    .map(lambda edges: [(low * GIB, high * GIB, LEAST_VOLUME) for low, high in zip(edges[::2], edges[1::2], strict=False)])
)


@given(PARTS, st.floats(700, 2000))
def test_the_scale_is_monotonic_and_fills_the_width(parts: list[tuple[int, int, float]], width: float) -> None:
    scale = make_scale(4000 * GIB, parts, 5.0, width)
    assert scale.x(0) == 5.0
    assert abs(scale.x(4000 * GIB) - 5.0 - width) < 0.01
    places = sorted({0, 4000 * GIB, *(edge for one in parts for edge in one[:2])})
    for low, high in pairwise(places):
        assert scale.x(low) <= scale.x(high) + 1e-6
        middle = (low + high) // 2
        assert scale.x(low) - 1e-6 <= scale.x(middle) <= scale.x(high) + 1e-6


@given(PARTS, st.floats(700, 2000))
def test_no_part_is_narrower_than_its_least(parts: list[tuple[int, int, float]], width: float) -> None:
    scale = make_scale(4000 * GIB, parts, 0.0, width)
    for start, end, least in parts:
        assert scale.x(end) - scale.x(start) >= least - 0.01


@given(PARTS)
def test_what_is_not_widened_keeps_its_proportion(parts: list[tuple[int, int, float]]) -> None:
    scale = make_scale(4000 * GIB, parts, 0.0, 1500)
    for start, end, _ in parts:
        if start not in scale.widened:
            assert abs((scale.x(end) - scale.x(start)) - (end - start) * scale.bulk) < 0.01


@pytest.mark.parametrize("step", [Format("R1", "ext4", "new", "c1ea0b5e-8f0a-4c61-9d55-0f3b6a1d2e77"), Delete("R1")])
def test_what_is_given_up_has_no_ribbon_and_says_so(found_job: Job, step: Step) -> None:
    reading = read(exactly(found_job, step))
    assert reading.ledger.lost == ("R1",)
    kinds = {one.call: (one.kind, one.words) for one in lay_out(reading, "A", 0, 724).ribbons}
    assert kinds.pop("R1") == ("lost", "R1 is given up")
    assert {kind for kind, _ in kinds.values()} == {"stays"}


@given(aims)
def test_both_boards_and_the_ribbons_agree(found_job: Job, aim: Beside) -> None:
    reading = read(with_aim(found_job, aim))
    shelf = lay_out(reading, "A", 0, 724)
    assert shelf is not None
    found, planned = ({one.call: one for one in spines} for spines in (shelf.found, shelf.planned))
    assert found.keys() == {"B1", "N1", "S1", "R1"}
    assert found.keys() <= planned.keys()
    for call in ("B1", "N1", "R1"):
        assert found[call].x == planned[call].x, "what is not touched stands where it stood"
    for ribbon in shelf.ribbons:
        assert ribbon.top[0] == ribbon.foot[0]
        assert ribbon.foot[1] <= ribbon.top[1] + 1e-6
        assert (ribbon.kind == "shrinks") == (
            reading.plan.planned.find(ribbon.call)[1].size < reading.plan.found.find(ribbon.call)[1].size
        )
    for one, other in pairwise(shelf.planned):
        assert one.x + one.width <= other.x + 1e-6


def test_a_spine_says_how_full_it_is_and_where_it_is_pinned(job: Job) -> None:
    shelf = lay_out(read(job), "A", 0, 724)
    system = next(one for one in shelf.found if one.call == "S1")
    assert system.level == pytest.approx(185.8 / 456.25, abs=0.01)
    assert system.x < system.pinned_x < system.x + system.width
    assert next(one for one in shelf.planned if one.call == "S2").pinned_x is None
    assert all(one.widened for one in shelf.found if one.call in {"B1", "N1", "R1"})
    assert not system.widened


def test_a_disk_that_is_not_there_has_no_shelf(job: Job) -> None:
    assert lay_out(read(job), "Z", 0, 724) is None


def test_without_a_plan_there_is_nothing_to_drag(found_job: Job) -> None:
    assert lay_out(read(found_job), "A", 0, 724).edges == ()


@given(aims)
def test_edges_stand_where_their_volumes_end(found_job: Job, aim: Beside) -> None:
    reading = read(with_aim(found_job, aim))
    for edge in lay_out(reading, "A", 0, 724).edges:
        volume = reading.plan.planned.find(edge.call)[1]
        assert edge.place == volume.end
        assert edge.least <= edge.place


EDGE = Edge("room", 0, 300 * GIB, 243 * GIB + 5 * MIB, 455 * GIB, "S1")


@given(st.integers(0, 500 * GIB), st.sampled_from([MIB, GIB]))
def test_a_dragged_edge_lands_on_whole_units_within_its_limits(place: int, grain: int) -> None:
    end = 456 * GIB + 317 * MIB
    landed = snap(EDGE, place, end, grain)
    assert EDGE.least <= landed <= EDGE.most
    room = end - landed
    assert room % grain == 0 or landed in {-(-EDGE.least // MIB) * MIB, EDGE.most // MIB * MIB}
    assert landed % MIB == 0


@given(st.integers(0, 500 * GIB))
def test_snapping_twice_changes_nothing(place: int) -> None:
    end = 456 * GIB
    once = snap(EDGE, place, end)
    assert snap(EDGE, once, end) == once


def test_the_tape_counts_in_the_unit_chosen(job: Job) -> None:
    for unit, size in (("GiB", GIB), ("GB", GB)):
        shelf = lay_out(read(job), "A", 0, 724, unit)
        labelled = [tick for tick in shelf.ticks if tick.text]
        assert len(labelled) >= 6
        for tick in labelled:
            assert tick.x == pytest.approx(shelf.scale.x(int(float(tick.text) * size)), abs=0.5)
        for one, other in pairwise(labelled):
            assert other.x - one.x >= 38, "labels do not run into each other"


def test_a_larger_disk_gets_coarser_ticks(found_job: Job) -> None:
    disk = found_job.found.disks[0]
    huge = replace(
        found_job,
        found=found_job.found.with_disk(
            replace(disk, size=18 * 10**12, table=replace(disk.table, last_usable=18 * 10**12 // 512 - 34))
        ),
    )
    shelf = lay_out(read(huge), "A", 0, 724)
    assert 3 <= len([tick for tick in shelf.ticks if tick.text]) <= 14


@given(st.lists(st.tuples(st.floats(0, 700), st.floats(20, 300)), min_size=1, max_size=4))
def test_words_on_the_gauge_never_meet(places: list[tuple[float, float]]) -> None:
    spans = [(left, left + wide) for left, wide in places]
    lines = lines_of(spans)
    assert lines[0] == 0
    for (one, line), (other, beside) in combinations(zip(spans, lines, strict=True), 2):
        assert line != beside or one[1] < other[0] or other[1] < one[0]
    apart = [(200.0 * place, 200.0 * place + 100) for place in range(3)]
    assert lines_of(apart) == [0, 0, 0]


@given(st.lists(st.tuples(st.integers(1, 30), st.booleans()), min_size=1, max_size=6), st.integers(600, 1600))
def test_what_is_said_of_an_extended_partition_lies_beside_torn_stubs(logicals: list[tuple[int, bool]], width: int) -> None:
    volumes, at = [], 20 * GIB
    for number, (size, _) in enumerate(logicals, 5):
        at += MIB
        volumes.append(Volume("", number, at, size * GIB, "0x83", logical=True, filesystem=FileSystem("ext4", size * GIB)))
        at += size * GIB
    inside = Extended(2, 20 * GIB, at + 5 * GIB - 20 * GIB)
    first = Volume("", 1, MIB, 19 * GIB, "0x83", filesystem=FileSystem("ext4", 19 * GIB, used_bytes=GIB))
    disk = Disk("A", at + 6 * GIB, table=Table("mbr", signature="00c0ffee", extended=inside), volumes=(first, *volumes))
    job = Job(found=assemble((disk,), "legacy"))
    calls = {one.number: one.call for one in job.found.disks[0].volumes}
    gone = [calls[number] for number, (_, lost) in enumerate(logicals, 5) if lost]
    for call in gone:
        job = exactly(job, Format(call, "ext4", "", ""))
    shelf = lay_out(read(job), "A", 0.0, float(width))
    torn = [one.top for one in shelf.ribbons if one.kind == "lost"]
    assert len(torn) == len(gone)
    (brace,) = [one for one in shelf.braces if not one.planned]
    for low, high in brace.lines:
        assert brace.x <= low < high <= brace.x + brace.width + 0.01
        assert not [stub for stub in torn if stub[0] < high - 0.01 and low + 0.01 < stub[1]]
    if brace.words_x is not None:
        assert not [stub for stub in torn if stub[0] < brace.words_x + 140 and brace.words_x < stub[1]]
    if not torn:
        assert [one for line in brace.lines for one in line] == pytest.approx([brace.x, brace.x + brace.width])
    assert all(one.x < width - 30 for one in shelf.ticks), "the unit stands there"


def test_what_is_lost_is_said_first_and_with_its_disk(found_job: Job) -> None:
    reading = read(exactly(found_job, Format("R1", "ext4", "", "")))
    said = [one for one in findings(reading) if one.severity == "warn"]
    assert said[0].key == "people.lost.R1"
    assert said[0].place == "R1"
    other = replace(found_job.found.disks[0], id="B", serial="other", volumes=())
    two = replace(found_job, found=replace(found_job.found, disks=(*found_job.found.disks, other)))
    said = {one.key: one.place for one in findings(read(exactly(two, Format("R1", "ext4", "", ""))))}
    assert said["people.lost.R1"] == "A: R1"


@given(st.integers(1, 14), st.integers(400, 1400))
def test_looked_at_closer_small_volumes_never_push_a_large_one_off_the_board(count: int, width: int) -> None:
    small = [Volume(f"D{number}", number, (1 + 600 * number) * MIB, 512 * MIB, "", "data") for number in range(1, count + 1)]
    large = Volume("S1", count + 1, 20 * GIB, 400 * GIB, "", "system")
    table = Table("gpt", first_usable=34, last_usable=(480 * GIB) // 512 - 34)
    reading = read(Job(found=Machine(disks=(Disk("A", 480 * GIB, table=table, volumes=(*small, large)),))))
    shelf, plain = (lay_out(reading, "A", 0.0, float(width), closer=closer) for closer in (True, False))
    spines = {one.call: one.width for one in shelf.planned}
    assume(max(one.x + one.width for one in plain.planned) <= width + 1)
    assert max(one.x + one.width for one in shelf.planned) <= width + 1
    widest = max(spines[one.call] for one in small)
    assert widest <= LEAST_VOLUME or spines["S1"] >= widest + 0.08 * width, "what is large is still seen to be"
    assert all(spines[one.call] >= next(two.width for two in plain.planned if two.call == one.call) - 1 for one in small)
