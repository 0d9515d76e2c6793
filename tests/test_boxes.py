"""What a number in a box means: the way back from the number to type, alone, in a job, on the command line and in the window."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from inkshelf.cli import run
from inkshelf.core.aims.beside import Beside
from inkshelf.core.boxes import BOXES, meaning
from inkshelf.core.errors import InkshelfError, PlanError, SizeError
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.meant import meant
from inkshelf.core.size import GIB, MIB, to_type
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from inkshelf.ui.frame.boxes import BoxesCard
from inkshelf.ui.frame.window import Window

IN_ORDER = ("mib", "gib", "suffix", "mb", "sectors", "percent")


@example(MIB, 512, 20 * GIB)
@example(MIB, 512, 1 << 44)
@given(st.integers(MIB, 1 << 44), st.sampled_from([512, 4096]), st.integers(0, 1 << 44))
def test_what_is_typed_for_a_size_means_that_size(size: int, sector: int, more: int) -> None:
    whole = size + more
    for typed, key in zip(to_type(size, whole, sector), IN_ORDER, strict=True):
        found = meaning(typed.text, key, whole=whole, sector=sector).size
        exact = {"mib": MIB, "mb": 10**6, "sectors": sector, "suffix": 1}
        if key in exact:
            assert size <= found < size + exact[key], key
        else:
            assert abs(found - size) <= (GIB // 200 if key == "gib" else whole // 20_000) + 1, key


@pytest.mark.parametrize(
    ("text", "box", "size"),
    [
        ("45000", "mib", 45000 * MIB),
        ("45 000", "mib", 45000 * MIB),
        ("45\u202f000", "mib", 45000 * MIB),
        ("59.6", "gib", 63_995_012_710),
        ("59,6", "gib", 63_995_012_710),
        ("80", "gb", 80 * 10**9),
        ("80G", "suffix", 80 * GIB),
        ("80g", "suffix", 80 * GIB),
        ("80GiB", "suffix", 80 * GIB),
        ("80GB", "suffix", 80 * 10**9),
        ("81920M", "suffix", 80 * GIB),
        ("2048", "suffix", MIB),
        ("2048", "sectors", MIB),
        ("25%", "percent", 100 * GIB),
        ("25", "percent", 100 * GIB),
    ],
)
def test_a_number_means_what_its_box_takes(text: str, box: str, size: int) -> None:
    assert meaning(text, box, whole=400 * GIB).size == size


def test_three_hundred_of_the_wrong_unit_is_said() -> None:
    assert meaning("300", "gib").mistake == "300 decimal GB would be 20.6 GiB less"
    assert meaning("300", "gb").mistake == "300 GiB would be 20.6 GiB more"
    assert meaning("45000", "mib").said == "43.95 GiB = 47.19 GB"
    assert meaning("2048", "sectors").mistake == ""


@pytest.mark.parametrize("box", [*BOXES, "furlong"])
@given(text=st.text(max_size=12))
def test_any_text_is_a_size_or_one_clear_line(box: str, text: str) -> None:
    try:
        assert meaning(text, box, whole=400 * GIB).size > 0
    except SizeError as error:
        assert error.what
        assert "\n" not in str(error).replace(text, "")


@pytest.mark.parametrize(("text", "box"), [("", "mib"), ("-5", "gib"), ("nan", "mib"), ("1e999", "gb"), ("101", "percent")])
def test_what_is_no_size_is_refused(text: str, box: str) -> None:
    with pytest.raises(SizeError):
        meaning(text, box, whole=GIB)


def test_a_share_of_what_is_not_known_is_refused() -> None:
    with pytest.raises(SizeError, match="how large the whole is"):
        meaning("50", "percent")


# -- in a job ----------------------------------------------------------------------------------------------------------
def test_the_number_for_a_shrink_is_held_against_the_plan(job: Job) -> None:
    reading = read(job)
    (narrowed,) = reading.ledger.shrinks
    for less, words in ((0, "as planned"), (5 * 1024, "5 GiB short of the plan"), (-20 * 1024, "20 GiB more than the plan")):
        number, said = meant(reading, "S1", str(narrowed.type_mib - less), "mib")
        assert number.size == (narrowed.type_mib - less) * MIB
        assert said[0] == words
        assert ("the gap is too small for the new volumes: plan them again, or take the rest away too" in said) == (less > 0)
    _, decimal = meant(reading, "S1", "140", "gb")
    assert decimal[0] == "9.61 GiB short of the plan"
    system = reading.plan.found.find("S1")[1].filesystem
    assert system.smallest_bytes is not None
    beyond = (narrowed.from_bytes - system.smallest_bytes) // MIB + 1024
    assert any("its own system stops at" in one for one in meant(reading, "S1", str(beyond), "mib")[1])
    blind = replace(system, smallest_bytes=None)
    shrunk = replace(job, found=job.found.with_volume("S1", lambda one: replace(one, filesystem=blind)))
    used = (narrowed.from_bytes - system.used_bytes) // MIB
    assert any("its own box will not take it" in one for one in meant(read(shrunk), "S1", str(used + 1024), "mib")[1])
    assert any("updates and work" in one for one in meant(read(shrunk), "S1", str(used - 1024), "mib")[1])
    assert "S1 has 456.25 GiB in all" in meant(reading, "S1", "500", "gib")[1]


def test_the_number_for_a_new_volume_is_held_against_plan_and_floor(job: Job) -> None:
    reading = read(job)
    root = reading.plan.planned.find("S2")[1]
    floor = next(one.floor for one in job.aim.needs(job.found) if one.part == "root")
    assert meant(reading, "S2", str(root.size // MIB), "mib")[1][0] == "as planned"
    assert "above the floor" in meant(reading, "S2", str(root.size // MIB - 1), "mib")[1]
    assert "above the floor" in meant(reading, "S2", str(floor // MIB), "mib")[1]
    assert any(one.startswith("below the floor of") for one in meant(reading, "S2", str(floor // MIB - 1), "mib")[1])
    assert "it takes what the plan gives to others" in meant(reading, "S2", str(root.size // MIB + 1), "mib")[1]


def test_a_volume_that_stays_is_held_against_itself(found_job: Job) -> None:
    reading = read(found_job)
    assert meant(reading, "S1", "100", "percent")[1][0] == "20.69 GiB larger than S1 is"
    _, said = meant(reading, "S1", "100", "gib")
    assert said[0] == "356.25 GiB smaller than S1 is"
    assert said[1].startswith("less than the ")
    with pytest.raises(PlanError, match="There is no volume S9"):
        meant(reading, "S9", "1", "mib")


@given(st.text(max_size=8), st.sampled_from([*BOXES]), st.sampled_from(["S1", "S2", "B1", "R1", "D1"]))
def test_any_number_for_any_volume_is_said_or_refused(job: Job, text: str, box: str, call: str) -> None:
    try:
        number, said = meant(read(change(job, "label", "R1", label="X")), call, text, box)
    except InkshelfError as error:
        assert error.what
    else:
        assert number.size > 0
        assert said


# -- command line and window -------------------------------------------------------------------------------------------
def test_the_command_reckons_back(job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert run(["reckon", "45000", "--box", "mib"]) == 0
    assert "43.95 GiB = 47.19 GB" in capsys.readouterr().out
    jobfile.save(job, tmp_path / "job.json")
    assert run(["reckon", "45000", str(tmp_path / "job.json"), "s2", "--box", "mib", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["bytes"], told["box"]) == (45000 * MIB, "mib")
    assert told["notes"][0] == "6.05 GiB short of the plan"
    assert run(["reckon", "45000", "--box", "mibb"]) == 2
    assert "Did you mean mib?" in capsys.readouterr().err
    assert run(["reckon", "45000", str(tmp_path / "job.json"), "--box", "mib"]) == 2
    assert "Which volume" in capsys.readouterr().err
    assert run(["reckon", "50", "--box", "percent", "--whole", "512GB", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["bytes"] == 256 * 10**9


def test_the_card_says_what_was_typed(window: Window, qtbot: QtBot, found_job: Job) -> None:
    window.desk.change(with_aim(found_job, Beside(size_bytes=140 * GIB, home="apart")), "the aim")
    window.run("edit.boxes")
    card = window.findChild(BoxesCard)
    assert card is not None
    assert card.line.hasFocus()
    qtbot.keyClicks(card.line, "143360")
    assert card.answer.text() == "140 GiB = 150.32 GB"
    assert card.notes.text().splitlines()[0] == "as planned"
    card.kind.setCurrentIndex(card.kind.findData("gib"))
    assert "in all" in card.notes.text()
    card.line.clear()
    qtbot.keyClicks(card.line, "x")
    assert "not a number" in card.notes.text()
    window.run("edit.boxes")
    again = [one for one in window.findChildren(BoxesCard) if one.isVisible()]
    assert len(again) == 1, "pressed twice, there is one card"
    qtbot.keyClick(again[0], Qt.Key.Key_Escape)
    assert not again[0].isVisible()
