"""The order of the work: targets are reached, nothing is written over, and as few bytes are moved as can be."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench.inker import ink
from inkshelf.cli import run
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.order import Target, order
from inkshelf.core.machine.state import Disk, Extended, FileSystem, Machine, Table, Volume
from inkshelf.core.plan.arrange import as_line, targets
from inkshelf.core.plan.byhand import arrange, exactly
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Grow, Move, Prepare, Shrink
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from strategies import drawn


def disk_of(volumes: list[tuple[str, int, int, int]], size: int) -> Disk:
    """(call, start, size, used) in MiB on a GPT disk of ``size`` MiB."""
    made = tuple(
        Volume(
            call,
            at,
            start * MIB,
            length * MIB,
            "",
            filesystem=FileSystem("ext4", length * MIB, used_bytes=used * MIB, cluster_bytes=4096),
        )
        for at, (call, start, length, used) in enumerate(volumes, 1)
    )
    return Disk("A", size * MIB, table=Table("gpt", "", "", 34, size * 2048 - 34), volumes=made)


def moved(disk: Disk, steps: tuple[object, ...]) -> int:
    used = {one.call: one.used for one in disk.volumes}
    return sum(used[step.call] for step in steps if isinstance(step, Move))


@st.composite
def layouts(draw: st.DrawFn) -> tuple[Disk, tuple[Target, ...]]:
    """A disk with up to five volumes, and where they are to go: another order, other gaps, other sizes."""
    count = draw(st.integers(1, 5))
    sizes = [draw(st.integers(2, 20)) for _ in range(count)]
    before = [draw(st.integers(0, 8)) for _ in range(count)]
    volumes, at = [], 1
    for place, (size, gap) in enumerate(zip(sizes, before, strict=True)):
        at += gap
        volumes.append((f"D{place + 1}", at, size, draw(st.integers(1, max(1, size // 2)))))
        at += size
    wanted, place = [], 1
    for index in draw(st.permutations(range(count))):
        place += draw(st.integers(0, 8))
        least = volumes[index][3]
        size = draw(st.integers(max(1, least), 24))
        wanted.append(Target(volumes[index][0], place * MIB, size * MIB))
        place += size
    return disk_of(volumes, max(at, place) + draw(st.integers(1, 40))), tuple(wanted)


@drawn(300)
@given(layouts())
def test_a_target_is_reached_or_the_stop_over_is_named(made: tuple[Disk, tuple[Target, ...]]) -> None:
    disk, wanted = made
    try:
        steps = order(disk, wanted)
    except PlanError as error:
        assert "needs a stop-over of" in error.what
        assert not straight_way(disk, wanted)
        return
    done = fold(Machine(disks=(disk,)), steps)
    assert done.fault is None
    assert {(one.call, one.start, one.size) for one in done.planned.disks[0].volumes} == {
        (one.call, one.start, one.size) for one in wanted
    }
    if straight_way(disk, wanted):
        places = {one.call: one.start for one in disk.volumes}
        least = sum(one.used for one in disk.volumes if {t.call: t.start for t in wanted}[one.call] != places[one.call])
        assert moved(disk, steps) == least  # each volume that goes elsewhere is copied once, and no other


def straight_way(disk: Disk, wanted: tuple[Target, ...]) -> bool:
    """Whether some order of single moves works, tried one after the other."""
    goals = {one.call: one for one in wanted}
    sizes = {one.call: min(one.size, goals[one.call].size) for one in disk.volumes}
    going = [one.call for one in disk.volumes if goals[one.call].start != one.start]
    for turn in itertools.permutations(going):
        at = {one.call: one.start for one in disk.volumes}
        for call in turn:
            start = goals[call].start
            if any(one != call and place < start + sizes[call] and start < place + sizes[one] for one, place in at.items()):
                break
            at[call] = start
        else:
            return True
    return False


def test_two_volumes_change_places_by_the_cheaper_stop_over() -> None:
    disk = disk_of([("D1", 1, 100, 80), ("D2", 101, 100, 5)], 400)
    steps = order(disk, (Target("D2", MIB, 100 * MIB), Target("D1", 101 * MIB, 100 * MIB)))
    assert [(step.call, step.start // MIB) for step in steps] == [("D2", 201), ("D1", 101), ("D2", 1)]
    with pytest.raises(
        PlanError, match=r"D1, D2 stand in each other's way: D[12] needs a stop-over of 100 MiB, and 5[0-9] MiB are free"
    ):
        order(
            replace(disk, size=260 * MIB, table=Table("gpt", "", "", 34, 260 * 2048 - 34)),
            (Target("D2", MIB, 100 * MIB), Target("D1", 101 * MIB, 100 * MIB)),
        )


def test_shrinking_comes_first_and_growing_last() -> None:
    disk = disk_of([("D1", 1, 100, 20), ("D2", 101, 50, 5), ("D3", 151, 50, 5)], 202)
    steps = order(disk, targets(disk, "D1=60MiB D2=90MiB D3@stay"))
    assert [type(step) for step in steps] == [Shrink, Move, Grow]
    assert order(disk, targets(disk, as_line(disk))) == ()


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("", "No volume"),
        ("D1 D9", "not understood"),
        ("D1 D1", "named twice"),
        ("D1=rest@190MiB", "would overlap"),
        ("D2@60MiB", "would overlap"),
        ("D3@199MiB", "would not fit"),
        ("D1=12parsecs", "not a unit"),
        ("D3=rest@400MiB", "no room"),
    ],
)
def test_lines_that_cannot_be_say_why(line: str, says: str) -> None:
    disk = disk_of([("D1", 1, 100, 20), ("D2", 101, 50, 5), ("D3", 151, 50, 5)], 202)
    with pytest.raises(Exception, match=says):
        order(disk, targets(disk, line))


def test_the_demo_disk_is_arranged_and_inked_in_one_go(found_job: Job, tmp_path) -> None:
    woken = exactly(found_job, Prepare("S1", "fast_startup_off"))
    path = tmp_path / "job.json"
    jobfile.save(woken, path)
    assert run(["change", str(path), "arrange", "A", "B1", "N1", "S1=260GiB", "R1", "free=10GiB"]) == 0
    job = jobfile.load(path)
    assert [step.kind for step in job.steps] == ["prepare", "shrink", "move"]
    planned = read(job).plan.planned
    assert planned.find("R1")[1].start == planned.find("S1")[1].end
    assert planned.find("S1")[1].size == 260 * GIB
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    with pytest.raises(PlanError, match="arranged so already"):
        arrange(job, "A", as_line(planned.disks[0]))


@st.composite
def crowded(draw: st.DrawFn) -> tuple[Disk, tuple[Target, ...]]:
    """Up to twelve volumes on a full disk, GPT or MBR with logical ones, all to be put in another order."""
    mbr, count = draw(st.booleans()), draw(st.integers(2, 12))
    primaries = min(count, draw(st.integers(0, 3))) if mbr else count
    volumes, at, inside = [], 1, 0
    for place in range(count):
        logical = place >= primaries
        if logical and not inside:
            inside = at = at + draw(st.integers(0, 5))
        at += draw(st.sampled_from([0, 0, 0, 1, 3, 10])) + logical
        size = draw(st.integers(2, 60))
        number = 5 + place - primaries if logical else place + 1
        system = FileSystem("ext4", size * MIB, used_bytes=draw(st.integers(1, size)) * MIB, cluster_bytes=4096)
        made = Volume(f"D{place + 1}", number, at * MIB, size * MIB, "0x83" if mbr else "", logical=logical, filesystem=system)
        volumes.append(made)
        at += size
    end = at + draw(st.sampled_from([0, 1, 2, 5, 20, 70]))
    total = end + draw(st.sampled_from([1, 2, 5, 40]))
    extended = Extended(4, inside * MIB, (end - inside) * MIB) if inside else None
    gpt = Table("gpt", "", "", 34, total * 2048 - 34)
    table = Table("mbr", signature="00c0ffee", entry_count=4, entry_bytes=16, extended=extended) if mbr else gpt
    disk = Disk("A", total * MIB, table=table, volumes=tuple(volumes))
    targets = []
    for logical in (False, True):
        mine = [one for one in disk.volumes if one.logical == logical]
        place = min((one.start for one in mine), default=0)
        for one in draw(st.permutations(mine)):
            targets.append(Target(one.call, place, one.size))
            place += one.size + (MIB if logical else 0)
    return disk, tuple(targets)


@drawn(400)
@given(crowded())
def test_ordering_a_crowded_disk_ends_and_every_move_changes_a_place(made: tuple[Disk, tuple[Target, ...]]) -> None:
    disk, wanted = made
    try:
        steps = order(disk, wanted)
    except PlanError as error:
        assert "overlap" in error.what or "needs a stop-over of" in error.what or "not fit" in error.what
        return
    assert len(steps) <= 2 * len(disk.volumes), "each volume has one stop-over at most"
    done = fold(Machine(disks=(disk,)), steps)
    assert done.fault is None  # a move to where the volume stands would be refused
    assert {(one.call, one.start) for one in done.planned.disks[0].volumes} == {(one.call, one.start) for one in wanted}


def test_the_stop_over_is_the_one_with_the_fewest_bytes_not_the_fewest_volumes() -> None:
    """One volume stands in the way of two that stand in its way, and holds more than both together."""
    disk = disk_of([("D1", 1, 200, 150), ("D2", 201, 100, 10), ("D3", 301, 100, 10)], 900)
    wanted = (Target("D2", MIB, 100 * MIB), Target("D3", 101 * MIB, 100 * MIB), Target("D1", 201 * MIB, 200 * MIB))
    steps = order(disk, wanted)
    assert moved(disk, steps) == (150 + 2 * 10 + 2 * 10) * MIB, "the two small ones are carried twice"
