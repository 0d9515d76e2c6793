"""Images on sticks: the best packing, proved against trying everything; what is left out, and why; what stays for the next."""

from __future__ import annotations

import itertools
import json
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from inkshelf.cli import run
from inkshelf.core.errors import PlanError
from inkshelf.core.media import filling
from inkshelf.core.media.many import STARTUP, lines_of
from inkshelf.core.media.many import on_sizes as together
from inkshelf.core.media.material import Image
from inkshelf.core.media.packing import Item, Packing, Room, pack
from inkshelf.core.size import GB, GIB, MIB, decimal

LIMIT = 4 * GIB - 1
SIZES = st.one_of(st.integers(1, 9 * GIB), st.integers(1, 60).map(lambda n: n * 100_000_000))


@st.composite
def questions(draw: st.DrawFn) -> tuple[tuple[Item, ...], tuple[Room, ...]]:
    sizes = draw(st.lists(SIZES, max_size=6))
    items = tuple(
        Item(f"i{at}", size, draw(st.sampled_from([size, min(size, GIB)])), draw(st.integers(0, 4)))
        for at, size in enumerate(sizes)
    )
    some = st.one_of(
        SIZES, st.integers(0, 3).map(lambda n: sum(sizes[:n])), st.integers(0, 3).map(lambda n: max(0, sum(sizes[:n]) - 1))
    )
    rooms = tuple(
        Room(f"r{at}", size, draw(st.sampled_from([None, LIMIT]))) for at, size in enumerate(draw(st.lists(some, max_size=2)))
    )
    return items, rooms


def best(items: tuple[Item, ...], rooms: tuple[Room, ...]) -> int:
    """By trying everything: the greatest weight."""
    found = 0
    for ways in itertools.product(range(-1, len(rooms)), repeat=len(items)):
        chosen = [(one, rooms[at]) for one, at in zip(items, ways, strict=True) if at >= 0]
        loads = {room.key: sum(one.size for one, own in chosen if own is room) for room in rooms}
        if all(room.takes(one) for one, room in chosen) and all(loads[room.key] <= room.size for room in rooms):
            found = max(found, sum(one.weight for one, _ in chosen))
    return found


def held(items: tuple[Item, ...], rooms: tuple[Room, ...], made: Packing) -> None:
    by_name, by_key = {one.name: one for one in items}, {one.key: one for one in rooms}
    assert {name for name, _ in (*made.put, *made.left)} == set(by_name), "nothing is lost"
    assert len(made.put) + len(made.left) == len(items)
    for name, key in made.put:
        assert by_key[key].takes(by_name[name])
    for key, free, following in made.free:
        assert free == by_key[key].size - sum(by_name[name].size for name, own in made.put if own == key) >= 0
        assert following == min(free, by_key[key].file_limit or free)
    assert made.weight == sum(by_name[name].weight for name, _ in made.put)
    assert all(why for _, why in made.left)


BYTES_BESIDE_GIGABYTES = (  # the solver took 11 bytes beside 1,000,000,000 for nothing, and its word for a proof
    tuple(
        Item(f"i{at}", size, size, weight)
        for at, (size, weight) in enumerate([(1, 0), (10, 1), (10**9, 2), (25 * 10**6, 1), (1, 0), (1, 1)])
    ),
    (Room("r0", 25 * 10**6), Room("r1", 10**9)),
)


@example(BYTES_BESIDE_GIGABYTES)
@given(questions())
def test_nothing_better_is_possible(question: tuple[tuple[Item, ...], tuple[Room, ...]]) -> None:
    made = pack(*question)
    held(*question, made)
    assert made.proven
    assert made.weight == best(*question)


@given(st.lists(st.integers(1, 50), min_size=1, max_size=8), st.data())
def test_an_exact_fit_is_found_and_one_byte_less_is_none(sizes: list[int], data: st.DataObject) -> None:
    """Tolerances of a solver must neither lose a stick that is filled to the last byte, nor fill one beyond it."""
    bytes_ = [size * GB + data.draw(st.integers(0, 1)) for size in sizes]
    items = tuple(Item(f"i{at}", size, 1) for at, size in enumerate(bytes_))
    assert len(pack(items, (Room("a", sum(bytes_)),)).put) == len(items)
    assert len(pack(items, (Room("a", sum(bytes_) - 1),)).put) == len(items) - 1


@given(st.integers(1, 40), st.integers(1, 3), st.randoms(use_true_random=False))
def test_many_are_packed_and_proved(count: int, sticks: int, dice: object) -> None:
    items = tuple(Item(f"i{at}", dice.randint(GIB // 2, 9 * GIB), GIB, dice.randint(1, 5)) for at in range(count))  # type: ignore[attr-defined]
    rooms = tuple(Room(f"r{at}", size * GB) for at, size in enumerate((64, 32, 16)[:sticks]))
    made = pack(items, rooms)
    held(items, rooms, made)
    assert made.proven


def test_what_is_left_out_says_what_it_lacks() -> None:
    items = (
        Item("big", 5 * GIB, 5 * GIB),
        Item("huge", 90 * GIB, GIB),
        Item("one", 10 * GIB, GIB, 2),
        Item("two", 8 * GIB, GIB, 1),
    )
    why = dict(pack(items, (Room("stick", 12 * GIB, LIMIT),)).left)
    assert "largest file has 5 GiB" in why["big"]
    assert "lacks 78 GiB on an empty stick" in why["huge"]
    assert "lacks 6 GiB beside the others" in why["two"]
    assert dict(pack(items, ()).left)["one"] == "there is no stick"


def test_among_equals_a_smaller_one_is_taken() -> None:
    items = (Item("a", 7 * GIB, 1), Item("b", 4 * GIB, 1), Item("c", 6 * GIB, 1))
    made = pack(items, (Room("stick", 7 * GIB),))
    assert made.put == (("b", "stick"),), "one of them fits: the smallest leaves the most"


@pytest.mark.parametrize(
    ("items", "rooms"),
    [
        ((Item("a", 1, 1), Item("a", 2, 1)), (Room("r", 9),)),
        ((Item("a", 1, 1),), (Room("r", 9), Room("r", 8))),
        ((Item("a", 0, 0),), (Room("r", 9),)),
        ((Item("a", 1, 1, -1),), (Room("r", 9),)),
        (tuple(Item(f"{at}", 1, 1) for at in range(201)), (Room("r", 9), Room("s", 9))),
    ],
)
def test_what_cannot_be_asked_is_answered_in_words(items: tuple[Item, ...], rooms: tuple[Room, ...]) -> None:
    with pytest.raises(PlanError) as told:
        pack(items, rooms)
    assert told.value.remedy


@given(
    st.lists(st.integers(1, 9 * GIB), min_size=1, max_size=5),
    st.lists(st.integers(1, 40).map(lambda n: n * GB), min_size=1, max_size=2),
)
def test_images_go_together_on_a_file_system_that_holds_the_largest(sizes: list[int], sticks: list[int]) -> None:
    images = tuple(Image(f"{at}.iso", size, "iso") for at, size in enumerate(sizes))
    made = together(images, tuple(sticks))
    assert (made.file_system == "exfat") == (max(sizes) > LIMIT)
    for number, stick in enumerate(sticks, 1):
        own = [image.size for image in images if (image.name, f"stick {number} ({decimal(stick)})") in made.packing.put]
        assert sum(own) + STARTUP < stick or not own, "the start-up volume is kept, and what a file system takes for itself"
    if len(sizes) == 1 and sizes[0] * 21 // 20 + STARTUP + 8 * MIB <= max(sticks):
        assert made.packing.put, "a twentieth is more than any of them takes for itself"
    assert len(list(lines_of(made))) == 1 + len(sticks) + len(made.packing.left)


def test_the_command_tells_several_together(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name, size in (("a.iso", 3 * GB), ("b.iso", 2 * GB), ("c.iso", 4 * GB)):
        with (tmp_path / name).open("wb") as out:
            out.truncate(size)
    paths = [str(tmp_path / name) for name in ("a.iso", "b.iso", "c.iso")]
    assert run(["images", *paths, "--stick", "4GB", "--stick", "5GB"]) == 0
    said = capsys.readouterr().out
    assert "together" in said
    assert said.count("left out") == 1
    assert run(["images", *paths, "--stick", "64GB", "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert len(document["together"]["packing"]["put"]) == 3
    assert run(["images", paths[0], "--stick", "64GB", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["together"] is None


@given(st.lists(st.tuples(st.integers(1, 30), st.integers(0, 5)), max_size=9), st.integers(0, 90))
def test_the_lightest_set_of_the_greatest_weight_is_found(pairs: list[tuple[int, int]], room: int) -> None:
    sizes, weights = [one for one, _ in pairs], [one for _, one in pairs]
    best, places = filling.lightest(sizes, weights, room)
    ways = [set(one) for count in range(len(pairs) + 1) for one in itertools.combinations(range(len(pairs)), count)]
    fit = [
        (sum(weights[at] for at in one), -sum(sizes[at] for at in one)) for one in ways if sum(sizes[at] for at in one) <= room
    ]
    assert (best, -sum(sizes[at] for at in places)) == max(fit)
    assert sum(weights[at] for at in places) == best


@given(st.lists(st.integers(1, 40 * MIB), max_size=9), st.integers(0, 90 * MIB))
def test_a_stick_is_filled_as_far_as_can_be_and_never_beyond(sizes: list[int], room: int) -> None:
    places = filling.fullest(sizes, room)
    assert len(set(places)) == len(places)
    assert sum(sizes[at] for at in places) <= room
    units = [-(-size // MIB) for size in sizes]
    ways = (sum(one) for count in range(len(units) + 1) for one in itertools.combinations(units, count))
    assert sum(units[at] for at in places) == max(one for one in ways if one <= room // MIB)
