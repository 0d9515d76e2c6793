"""Practice: every drill can be done and is not done by itself; no two the same; the judge sees what matters; weak spots come again sooner."""

from __future__ import annotations

import json
from pathlib import Path
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.cli.main import run
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import outcome, systems
from inkshelf.core.boxes import BOXES, meaning
from inkshelf.core.errors import JobError
from inkshelf.core.plan import document
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import replan
from inkshelf.core.practice.drills import KINDS, LEVELS, drill, held_back, kind_of
from inkshelf.core.practice.judging import HINT, LATE, LEAST, WHOLE, explained, firmware_words, hints, judged
from inkshelf.core.practice.machines import KITS, chance, kit_of, made_up
from inkshelf.core.practice.numbers import ASKS, answer, judge, number
from inkshelf.core.practice.planting import FAULTS, fault_of, planted, system_of
from inkshelf.core.practice.repetition import DAY, MOST, PASSED, Card, after, in_order
from inkshelf.core.value import replace
from inkshelf.store import practice
from strategies import drawn

MENDS = [one for one in KINDS if KINDS[one].group == "mend"]


def wrong(one: object) -> str:
    asked = one.asked  # type: ignore[attr-defined]
    return next(value for value, _ in asked.answers if value != asked.right) if asked else ""


@pytest.mark.parametrize("kind", KINDS)
def test_every_drill_can_be_done_and_is_not_done_by_itself(kind: str) -> None:
    for level in LEVELS:
        one = drill(kind, level, "first")
        done = judged(one, explained(one), one.asked.right if one.asked else "")
        assert done.done, (level, [line.words for line in done.lines if not line.good])
        assert done.points == WHOLE
        left = judged(one, one.task, wrong(one))
        assert not left.done, level
        assert left.points == 0
        assert any(not line.good and line.words for line in left.lines)


@drawn(25)
@given(
    kind=st.sampled_from(list(KINDS)), level=st.sampled_from(LEVELS), seed=st.text("abcdef0123456789", min_size=1, max_size=8)
)
def test_any_seed_gives_a_drill_that_can_be_done_and_always_the_same(kind: str, level: int, seed: str) -> None:
    one = drill(kind, level, seed)
    assert one == drill(kind, level, seed)
    assert judged(one, explained(one), one.asked.right if one.asked else "").done
    assert not judged(one, one.task, wrong(one)).done
    assert document.load(document.dump(one.task)) == one.task, "it can be saved and opened"
    assert one.asked is None or len(one.asked.answers) == len(dict(one.asked.answers)) >= 2


@pytest.mark.parametrize("seed", ["adf", "acf", "9cf"])
def test_a_fault_that_finds_nothing_left_to_spoil_is_passed_over(seed: str) -> None:
    sound = made_up(kit_of("both"), "sound")
    bare = replace(sound, firmware=replace(sound.firmware, entries=(), order=()))
    call = system_of(bare, "linux")
    assert planted(fault_of("order"), bare, call, Random(seed)) is None
    assert planted(fault_of("order"), sound, call, Random(seed)) not in {None, sound}
    one = drill("comes-up", 3, seed)
    assert judged(one, explained(one), one.asked.right if one.asked else "").done


def test_there_are_enough_kinds_and_no_two_drills_are_the_same() -> None:
    assert len(KINDS) >= 30
    seen = [drill(kind, 1, seed).task.found for kind in KINDS for seed in ("a", "b")]
    disks = [json.dumps([(disk.serial, disk.size, disk.table.guid) for disk in one.disks]) + repr(one.firmware) for one in seen]
    assert len(set(disks)) == len(disks)
    for bad in (("nonsense", 1), ("order", 0), ("order", 4)):
        with pytest.raises(KeyError):
            drill(*bad, "a")
    for find in (kind_of, fault_of, kit_of):
        with pytest.raises(KeyError):
            find("nonsense")


@pytest.mark.parametrize("key", [one.key for one in FAULTS])
def test_a_fault_breaks_one_start_and_is_seen_as_it_says(key: str) -> None:
    fault = fault_of(key)
    sound = made_up(kit_of("both" if fault.mode == "uefi" else "old-both"), f"sound {key}")
    call = system_of(sound, fault.family)
    before = outcome(sound, call, STANDING[0])
    assert before.starts
    broken = fault.plant(sound, call, chance("x"))
    said = outcome(broken, call, STANDING[0])
    assert not said.starts or said.by_hand
    assert [one.model for one in broken.disks] == [one.model for one in sound.disks]
    assert {one.call for one in systems(broken)} == {one.call for one in systems(sound)}


@pytest.mark.parametrize("kit", [one.key for one in KITS])
def test_made_up_machines_are_whole_and_in_use(kit: str) -> None:
    machine = made_up(kit_of(kit), "seed")
    assert machine == made_up(kit_of(kit), "seed")
    assert machine != made_up(kit_of(kit), "other")
    for volume in systems(machine):
        assert outcome(machine, volume.call, STANDING[0]).starts, volume.call
        assert volume.used is not None
        assert volume.filesystem is not None
        assert volume.used <= (volume.filesystem.smallest_bytes or 0) <= volume.size
    assert not any(one.planned for _, one in machine.volumes())


def test_the_judge_sees_what_is_lost_and_what_no_longer_starts() -> None:
    one = drill("order", 1, "first")
    way = explained(one)
    gone = change(way, "delete", next(call for call in one.keeps if call.startswith("R")))
    verdict = judged(one, gone)
    assert not verdict.done
    assert any("would be gone" in line.words for line in verdict.lines)
    other = next(volume.call for volume in systems(one.task.found) if volume.call != one.goal)
    assert other in one.sure
    lost = change(way, "delete", other)
    assert any(line.words.startswith(other) or other in line.words for line in judged(one, lost).lines if not line.good)
    formatted = change(way, "format", next(call for call in one.keeps if call.startswith("R")), fs="ntfs")
    assert any("would be gone" in line.words for line in judged(one, formatted).lines), "there still, and empty"
    assert not judged(replace(one, sure=("S9",)), way).done, "another system that starts no more"
    alone = replan(replace(one.task, aims=()))
    assert not judged(one, alone).done


def test_a_plan_is_judged_by_what_was_agreed() -> None:
    one = drill("unit-slip", 1, "first")
    lines = judged(one, one.task).lines
    assert [line.good for line in lines if line.words.startswith("The new system gets")] == [False]
    hidden = drill("left-hidden", 1, "first")
    assert any("another type" in line.words for line in judged(hidden, hidden.task).lines if not line.good)
    greedy = drill("no-reserve", 1, "first")
    assert any("would be left with" in line.words for line in judged(greedy, greedy.task).lines if not line.good)


def test_a_system_on_a_disk_of_its_own_starts_with_the_others_out() -> None:
    one = drill("other-disk", 1, "first")
    bad = [line.words for line in judged(one, one.task).lines if not line.good]
    assert any("with the other disks out does not start" in line for line in bad)
    assert "Another disk is changed." in bad


def test_points_are_taken_for_hints_and_time_and_never_all_of_them() -> None:
    one = drill("entry-off", 1, "first")
    way = explained(one)
    assert judged(one, way, hints=2).points == WHOLE - 2 * HINT
    assert judged(one, way, minutes=one.minutes + 0.1).points == WHOLE - LATE
    assert judged(one, way, minutes=99, hints=9).points == LEAST
    long = way
    for turn in range(2 * len(way.steps) + 3):
        long = change(long, "order", "Boot0001" if turn % 2 else "Boot0000", place="first")
    if judged(one, long).done:
        assert judged(one, long).points < WHOLE


@pytest.mark.parametrize("kind", KINDS)
def test_hints_lead_to_it_the_smallest_first(kind: str) -> None:
    one = drill(kind, 1, "first")
    found = hints(one)
    assert 1 <= len(found) <= 3
    assert all(line.endswith(".") for line in found)
    if one.group == "mend":
        assert "cause" not in found[0]
        assert found[1].startswith("The cause: ")
    if one.asked:
        right = dict(one.asked.answers)[one.asked.right]
        assert not any(right == line.removeprefix("It is not: ").removesuffix(".") for line in found)


def test_what_a_real_machine_would_do_is_told_line_by_line() -> None:
    one = drill("entry-nowhere", 1, "first")
    told = firmware_words(one.task.found)
    assert told[0].startswith("The firmware tries Boot0001")
    assert "not there" in told[0]
    assert told[-1] == "S1 comes up."
    assert firmware_words(drill("config-gone", 1, "first").task.found)[-1] == "Nothing comes up by itself."


def test_the_margin_keeps_to_itself_what_a_drill_asks_for() -> None:
    assert not held_back(drill("order", 1, "a").task, "start.none.S2")
    assert held_back(drill("order", 2, "a").task, "start.none.S2")
    assert held_back(drill("comes-up", 1, "a").task, "start.none.S2")
    assert not held_back(drill("order", 3, "a").task, "room.reserve.S1")
    assert not held_back(replace(drill("order", 2, "a").task, seed="mine"), "start.none.S2")


# -- numbers -----------------------------------------------------------------------------------------------------
@given(seed=st.integers(0, 10**6), level=st.sampled_from(LEVELS))
def test_the_right_number_is_right_and_a_slip_is_not(seed: int, level: int) -> None:
    asked = number(chance(str(seed)), level)
    assert asked.box in ASKS
    right = answer(asked)
    assert judge(asked, right).right
    assert 0 <= meaning(right, asked.box).size - asked.wanted <= asked.most
    if "." not in right:
        assert not judge(asked, right + "0").right, "a digit too many"
        assert not judge(asked, right[:-1] or "0").right, "a digit too few"
        assert not judge(asked, str(int(right) - 1)).right, "less than is wanted, by however little"
    size = asked.wanted
    for unit in {one.unit for one in BOXES.values() if one.unit} - {BOXES[asked.box].unit, 1}:
        slip = str(-(-size // unit))
        if abs(meaning(slip, asked.box).size - size) > asked.most:
            assert not judge(asked, slip).right, "the number for another box"


def test_what_is_no_number_is_wrong_and_said() -> None:
    asked = number(chance("1"), 1)
    for text in ("", "x", "-5", "1e99", "NaN", "5 GiB", "٣"):
        said = judge(asked, text)
        assert not said.right
        assert answer(asked) in said.words


# -- repetition --------------------------------------------------------------------------------------------------
@given(st.lists(st.integers(0, 100), min_size=1, max_size=12))
def test_what_goes_well_comes_later_each_time_and_what_goes_badly_sooner(points: list[int]) -> None:
    card, now = Card(), 1_000_000
    for got in points:
        later = after(card, got, now)
        assert later.due > now
        assert 1 <= later.level <= 3
        if got >= PASSED:
            assert later.gap >= DAY
            assert card.gap < DAY or later.gap > card.gap or later.gap == MOST
        else:
            assert later.gap < DAY
        assert later.best == max(card.best, got)
        card, now = later, later.due
    assert card.times == len(points)


def test_what_is_due_and_weak_comes_first_then_what_was_never_tried() -> None:
    cards = {
        "a": Card(due=50, latest=90),
        "b": Card(due=60, latest=20),
        "c": Card(due=900, latest=0),
        "d": Card(due=500, latest=100),
    }
    assert in_order(cards, ("a", "b", "c", "d", "e", "f"), 100) == ("b", "a", "e", "f", "d", "c")


def test_scores_are_kept_for_each_person_and_a_file_that_is_none_is_not_written_over(tmp_path: Path) -> None:
    place = tmp_path / "practice.json"
    for who, got in (("ada", 100), ("bo", 0), ("ada", 70)):
        practice.ended(practice.Tried("order", 1, "x", got, 3.0, 0, 1_000_000), who, place)
    practice.counted(7, "ada", place)
    practice.counted(4, "ada", place)
    known = practice.load(place)
    assert (known.of("ada").points, known.of("bo").points, known.of("cy").points) == (170, 0, 0)
    assert known.of("ada").cards["order"].times == 2
    assert (known.of("ada").best_numbers, known.of("ada").latest_numbers) == (7, 4)
    for raw in (
        b"nonsense",
        b"[]",
        b"\xff",
        b'{"version": 9}',
        b'{"learners": {"a": {"cards": {"x": {"due": "y"}}}}}',
        b"[" * 9999,
    ):
        place.write_bytes(raw)
        with pytest.raises(JobError):
            practice.ended(practice.Tried("order", 1, "x", 1, 3.0, 0, 1), "ada", place)
        assert place.read_bytes() == raw


def test_by_command(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "drill.json"
    assert run(["practice", "kinds", "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)["kinds"]) == len(KINDS)
    assert run(["practice", "begin", "order", "--seed", "s", "-o", str(file)]) == 0
    assert run(["practice", "judge", "order", str(file), "--seed", "s"]) == 1
    assert "0 points" in capsys.readouterr().out
    assert run(["aim", str(file), "mend", "--seen", "other", "--system", drill("order", 1, "s").goal]) == 0
    assert run(["practice", "judge", "order", str(file), "--seed", "s", "--hints", "1"]) == 0
    assert f"{WHOLE - HINT} points" in capsys.readouterr().out
    one = drill("alike", 2, "s")
    assert one.asked is not None
    assert run(["practice", "judge", "alike", "--level", "2", "--seed", "s", "--answer", one.asked.right]) == 0
    assert run(["practice", "judge", "alike", "--level", "2", "--seed", "s", "--answer", "Q"]) == 2
    assert run(["practice", "explain", "order", "-o", str(tmp_path / "way.json")]) == 0
    assert run(["practice", "begin", "order", "--level", "7"]) == 2
    assert run(["practice", "begin", "nonsense"]) == 2
