"""What a person says of a volume: kept apart from what was read, taken back, carried along, contradicted by a later reading."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from disks import answered
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in, with_images
from inkshelf.cli import run
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.boot.uefi import routes
from inkshelf.core.checks import findings, know
from inkshelf.core.errors import BenchError, InkshelfError, PlanError
from inkshelf.core.fit.room import givers
from inkshelf.core.machine.state import BootFile
from inkshelf.core.machine.told import FACTS, as_read, tell
from inkshelf.core.plan import document
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, Source
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.exchange import captures
from inkshelf.store import jobfile
from inkshelf.ui.frame.window import Window
from inkshelf.ui.intake.saying import SayingCard

GOOD = {
    "encrypted": "no",
    "system": "nt",
    "title": "office desk",
    "used": "188 GiB",
    "pinned": "200 GiB",
    "shrinkable": "150 GiB",
    "hibernated": "no",
    "dirty": "yes",
    "started-by": "Boot0000",
}


@pytest.fixture
def listed(demo_files: tuple[Path, Path]) -> Job:
    """The demo machine from captured text alone, its listing silent on what is in use."""
    _, capture = demo_files
    tree = json.loads(capture.read_text())
    for child in (part for disk in tree["blockdevices"] for part in disk.get("children", ())):
        child["fsused"] = None
    captured = captures.read_lsblk(json.dumps(tree))
    return take_in([], [captured], [Source("lsblk", str(capture))], mode="uefi", secure_boot="on", ram_bytes=16 * GIB, seed="t")


def held(job: Job, call: str = "S1"):  # type: ignore[no-untyped-def]
    return job.found.find(call)[1]


def test_the_list_of_facts_and_the_examples_are_one() -> None:
    assert set(GOOD) == set(FACTS)


@given(st.permutations(sorted(GOOD)), st.integers(0, len(GOOD)))
def test_what_is_said_stands_above_what_was_read_and_can_be_taken_back(found_job: Job, order: list[str], kept: int) -> None:
    job = found_job
    for fact in order:
        job = know(job, f"{fact}:S1", GOOD[fact])
    volume = held(job)
    assert {one.fact: one.value for one in volume.told} == GOOD
    assert (volume.filesystem.used_bytes, volume.filesystem.dirty, volume.holds.title) == (188 * GIB, True, "office desk")
    assert volume.filesystem.smallest_bytes == volume.size - 150 * GIB, "the box beats every guess, whatever was said first"
    assert document.load(document.dump(job), "x") == job
    for fact in order[kept:]:
        job = know(job, f"{fact}:S1", None)
    assert {one.fact for one in held(job).told} == set(order[:kept])
    for fact in order[:kept]:
        job = know(job, f"{fact}:S1", "")
    assert held(job) == held(found_job)


def test_a_system_that_was_not_recognised_can_be_named(listed: Job) -> None:
    bare = know(listed, "system:S1", "none")
    assert held(bare).holds is None
    assert not [one for one in rehearse(bare.found) if one.starts]
    told = know(know(bare, "system:S1", "nt"), "title:S1", "layout desk")
    assert (held(told).holds.title, held(told).role) == ("layout desk", "system")
    assert [one.system for one in rehearse(told.found) if one.starts] != []
    with pytest.raises(PlanError, match="holds no system that could bear a name"):
        know(bare, "title:S1", "x")


def test_the_room_that_the_box_offers_beats_a_guess(listed: Job) -> None:
    assert givers(listed.found.disks[0]) == ()
    used = know(listed, "used:S1", "188 GiB")
    (giver,) = givers(used.found.disks[0])
    told = know(used, "shrinkable:S1", "100 GiB")
    (less,) = givers(told.found.disks[0])
    assert less.most - less.behind == 100 * GIB < giver.most - giver.behind
    pinned = know(used, "pinned:S1", "400 GiB")
    assert givers(pinned.found.disks[0])[0].smallest >= 400 * GIB


@pytest.mark.parametrize(
    ("fact", "call", "value", "says"),
    [
        ("used", "S9", "1 GiB", "There is no volume S9"),
        ("usedd", "S1", "1 GiB", "nothing that can be said"),
        ("used", "S1", "9000 GiB", "cannot be"),
        ("used", "N1", "1 MiB", "no file system in N1"),
        ("system", "S1", "granite", "not a family"),
        ("hibernated", "S1", "perhaps", "neither yes nor no"),
        ("encrypted", "S1", "yes", "was read as ntfs"),
        ("title", "S1", "a\nb", "characters"),
    ],
)
def test_what_cannot_be_is_refused(found_job: Job, fact: str, call: str, value: str, says: str) -> None:
    with pytest.raises(InkshelfError, match=says):
        tell(found_job.found, call, fact, value)


@given(st.sampled_from(sorted(FACTS)), st.text(max_size=9), st.sampled_from(["S1", "B1", "N1", "R1"]))
def test_any_words_are_a_fact_or_one_clear_line(found_job: Job, fact: str, text: str, call: str) -> None:
    try:
        told = tell(found_job.found, call, fact, text)
    except InkshelfError as error:
        assert error.what
    else:
        assert as_read(told.find(call)[1]) == found_job.found.find(call)[1]


def test_an_image_keeps_what_it_cannot_say_and_contradicts_what_it_can(listed: Job, demo_files: tuple[Path, Path]) -> None:
    true = know(listed, "used:S1", "186 GiB")
    joined = with_images(true, [demo_files[0]])
    assert (held(joined).told, joined.contradictions) == ((), ()), "the image says the same"
    wrong = with_images(know(listed, "used:S1", "90 GiB"), [demo_files[0]])
    assert held(wrong).told == ()
    assert any("used space was said to be 90 GiB, and is read as" in one.what for one in wrong.contradictions)
    assert any(one.key == "intake.contradiction.A" for one in findings(read(wrong)))
    named = with_images(know(listed, "dirty:R1", "yes"), [demo_files[0]])
    assert any("R1: marked for a check was said to be yes, and is read as no" in one.what for one in named.contradictions)


def test_a_listing_taken_in_again_leaves_what_was_said(listed: Job, demo_files: tuple[Path, Path]) -> None:
    from inkshelf.bench.intake import with_listings

    told = know(know(listed, "used:S1", "120 GiB"), "title:S1", "office desk")
    tree = json.loads(demo_files[1].read_text())
    for child in (part for disk in tree["blockdevices"] for part in disk.get("children", ())):
        child["fsused"] = None
    again = with_listings(told, captures.read_lsblk(json.dumps(tree)), ())
    assert held(again).told == held(told).told
    assert held(again).used == 120 * GIB


def test_a_fact_that_does_not_fit_a_later_reading_is_said(found_job: Job) -> None:
    from inkshelf.core.machine.told import carried

    told = know(found_job, "pinned:S1", "200 GiB")
    smaller = replace(as_read(held(told)), size=100 * GIB, filesystem=replace(held(found_job).filesystem, pinned_bytes=None))
    volume, differ = carried(held(told), smaller)
    assert volume.told == ()
    assert "does not fit what was read" in differ[0]


def test_the_command_says_and_takes_back(listed: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "job.json"
    jobfile.save(listed, path)
    assert run(["know", str(path), "used:s1", "118GiB"]) == 0
    assert held(jobfile.load(path)).used == 118 * GIB
    assert run(["plan", str(path), "--json"]) == 0
    out = capsys.readouterr().out
    shown = json.loads(out[out.index("{") :])["found"]["disks"][0]["volumes"]
    assert [one["told"] for one in shown if one["call"] == "S1"] == [{"used": "118GiB"}]
    assert run(["know", str(path), "used:S1", "-"]) == 0
    assert held(jobfile.load(path)).used is None
    assert run(["know", str(path), "usde:S1", "1GiB"]) == 2
    assert "Did you mean used?" in capsys.readouterr().err


def test_the_window_takes_what_is_said_at_the_volume(window: Window, qtbot: QtBot) -> None:
    window.desk.show("intake")
    (say,) = [one for one in window.findChildren(QPushButton) if one.accessibleName() == "say what is known of S1"]
    qtbot.mouseClick(say, Qt.MouseButton.LeftButton)
    card = window.findChild(SayingCard)
    assert card is not None
    qtbot.keyClicks(card.lines["title"], "office desk")
    qtbot.keyClick(card.lines["title"], Qt.Key.Key_Return)
    assert held(window.desk.job).holds.title == "office desk"
    card.lines["used"].setText("9000 GiB")
    qtbot.keyClick(card.lines["used"], Qt.Key.Key_Return)
    assert "cannot be" in card.fault.text()
    window.run("edit.undo")
    assert held(window.desk.job).told == ()


@pytest.mark.parametrize(
    "said", [{"title": "office desk"}, {"used": "100 GiB"}, {"system": "linux"}, {"shrinkable": "150 GiB", "pinned": "200 GiB"}]
)
def test_what_is_said_changes_nothing_of_what_an_image_holds(found_job: Job, tmp_path: Path, said: dict[str, str]) -> None:
    job = found_job
    for fact, value in said.items():
        job = know(job, f"{fact}:S1", value)
    report = ink(answered(change(job, "label", "R1", label="PLATES")), tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []


def test_a_step_that_only_what_is_said_allows_is_refused_on_the_image(found_job: Job, tmp_path: Path) -> None:
    awake = know(found_job, "hibernated:S1", "no")
    job = answered(change(awake, "resize", "S1", size="300GiB"))
    with pytest.raises(BenchError, match="The image says otherwise"):
        ink(job, tmp_path / "bench")


def test_a_loader_that_nobody_can_follow_starts_what_a_person_says(found_job: Job) -> None:
    found = found_job.found
    entry = replace(found.firmware.entries[0], number=7, title="odd loader", path="\\EFI\\odd\\odd.efi")
    firmware = replace(found.firmware, entries=(entry,), order=(7,), entries_known=True)
    odd = BootFile("\\EFI\\odd\\odd.efi", "loader", 4096, signed=True)
    machine = replace(found, firmware=firmware).with_volume("B1", lambda one: replace(one, boot_files=(odd,)))
    job = replace(found_job, found=machine)

    def starts(said: Job) -> list[bool]:
        return [one.starts for one in rehearse(said.found) if (one.system, one.mishap) == ("S1", "none")]

    assert starts(job) == [False]
    said = know(job, "started-by:S1", "Boot0007")
    assert starts(said) == [True]
    assert "as you say" in str(routes(said.found))
    assert starts(know(job, "started-by:S1", "Boot0006")) == [False], "another entry was meant"
    assert starts(know(said, "started-by:S1", None)) == [False], "it is taken back"
    with pytest.raises(PlanError, match="no boot entry"):
        know(job, "started-by:S1", "the first one")
    with pytest.raises(PlanError, match="no system"):
        know(job, "started-by:N1", "Boot0007")
