"""A machine that is held against its plan, by command and in the window: real changes on a real image, accepted, put right, handed over."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from disks import answered
from inkshelf.bench.folder import Bench
from inkshelf.bench.inker import ink
from inkshelf.bench.sparse import copy_data
from inkshelf.cli.main import run
from inkshelf.core.aims.beside import Beside
from inkshelf.core.machine.state import Conditions
from inkshelf.core.plan import document
from inkshelf.core.plan.asbuilt import as_built, with_built
from inkshelf.core.plan.job import Job, replan, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.plan.working import with_events
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.core.work.events import Noted
from inkshelf.store import jobfile
from inkshelf.ui.frame.window import Window
from inkshelf.ui.proof.chapter import ProofChapter
from windows import click, settled

BASIC = "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"


@pytest.fixture(scope="module")
def inked(found_job: Job, tmp_path_factory: pytest.TempPathFactory) -> tuple[Job, Path]:
    job = answered(with_aim(found_job, Beside(size_bytes=140 * GIB, esp="own", home="apart")))
    folder = tmp_path_factory.mktemp("proof")
    assert ink(job, folder / "bench").verified
    return job, Bench(folder / "bench").image("A")


def altered(image: Path, place: Path, *lines: list[str]) -> Path:
    """A copy of an inked disk on which somebody did something else, with a base utility."""
    with image.open("rb") as source, place.open("wb") as out:
        size = image.stat().st_size
        out.truncate(size)
        copy_data(source.fileno(), out.fileno(), 0, size, 0)
    for words in lines:
        line = ["sfdisk", "--quiet", "--no-reread", "--no-tell-kernel", words[0], str(place), *words[1:]]
        subprocess.run(line, check=True, capture_output=True)
    return place


def told(path: Path, capsys: pytest.CaptureFixture[str]) -> dict[str, dict[str, object]]:
    capsys.readouterr()
    run(["compare", str(path), "--json"])
    return {one["key"]: one for one in json.loads(capsys.readouterr().out)["lines"]}


def test_by_command_from_a_fresh_image_to_the_next_job(
    inked: tuple[Job, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    job, image = inked
    path = tmp_path / "job.json"
    jobfile.save(with_events(job, Noted(1_764_590_000, job.steps[0].id, "the lid")), path)
    assert run(["compare", str(path)]) == 2, "nothing was read yet"
    assert run(["handover", str(path), "-o", str(tmp_path / "page.html")]) == 2
    other = altered(image, tmp_path / "now.img", ["--part-type", "1", BASIC], ["--part-label", "6", "somebody's"])
    assert run(["compare", str(path), "--disk", str(other)]) == 1
    lines = told(path, capsys)
    assert {key for key, one in lines.items() if one["stands"] == "differs"} == {"B1.type", "S2.name"}
    assert (lines["B1.type"]["left_over"], lines["B1.type"]["repair"]) == (True, "type")
    assert run(["compare", str(path), "--accept", "B1.type", "--because", "no"]) == 2, "what stops a start is not accepted"
    assert run(["compare", str(path), "--accept", "S2.name", "--because", ""]) == 2
    assert run(["compare", str(path), "--accept", "S2.name", "--because", "its owner's own word"]) == 1
    assert told(path, capsys)["S2.name"]["accepted"] == "its owner's own word"
    assert run(["handover", str(path), "-o", str(tmp_path / "page.html")]) == 2, "not with what stops a start"
    assert run(["compare", str(path), "--right", "B1.type"]) == 0
    after = jobfile.load(path)
    assert [step.kind for step in after.steps] == ["retype"]
    assert after.found.find("B1")[1].type_id == BASIC  # type: ignore[index]
    assert read(after).plan.planned.find("B1")[1].type_id != BASIC  # type: ignore[index]
    assert after.work, "what was noted stays"
    assert after.found.conditions == read(job).plan.planned.conditions


def test_what_is_as_planned_is_handed_over(inked: tuple[Job, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    job, image = inked
    path, page = tmp_path / "job.json", tmp_path / "page.html"
    jobfile.save(replace(job, owner="Ro<w>an & Sons"), path)
    assert run(["compare", str(path), "--disk", str(image)]) == 0
    assert run(["handover", str(path), "-o", str(page)]) == 0
    text = page.read_text(encoding="utf-8")
    assert "Ro&lt;w&gt;an &amp; Sons" in text
    assert "nothing is given up." in text
    assert "files were not compared one by one" in text, "no more is said than was looked at"
    assert "firmware boot entries" in text, "what nobody looked at is said"
    assert "the back-up, which the owner keeps" in text
    made = as_built(jobfile.load(path))
    assert made.steps == ()
    assert [one.call for _, one in made.found.volumes()] == [one.call for _, one in read(job).plan.planned.volumes()]
    assert document.load(document.dump(made)) == made
    capsys.readouterr()


def test_what_was_prepared_for_one_job_is_prepared_for_the_next(inked: tuple[Job, Path]) -> None:
    job, _ = inked
    bare = replan(replace(job, found=replace(job.found, conditions=Conditions())))
    planned = read(bare).plan.planned
    assert planned.conditions != bare.found.conditions, "its steps see to it"
    assert as_built(replace(bare, built=planned)).found.conditions == planned.conditions


def test_a_reading_of_another_machine_is_refused(inked: tuple[Job, Path], tmp_path: Path) -> None:
    job, _ = inked
    path, other = tmp_path / "job.json", tmp_path / "other.img"
    jobfile.save(job, path)
    with other.open("wb") as out:
        out.truncate(64 << 20)
    subprocess.run(["sfdisk", "--quiet", str(other)], input="label: gpt\nsize=8MiB\n", text=True, check=True)
    assert run(["compare", str(path), "--disk", str(other)]) == 2
    assert jobfile.load(path).built is None


@pytest.fixture
def proof(window: Window, inked: tuple[Job, Path], tmp_path: Path) -> ProofChapter:
    job, image = inked
    window.desk.replace_job(job, tmp_path / "job.json")
    window.desk.show("proof")
    page = window.chapter("proof")
    assert isinstance(page, ProofChapter)
    assert page.empty.isVisible()
    assert not page.take.isEnabled()
    other = altered(image, tmp_path / "now.img", ["--part-type", "1", BASIC], ["--part-label", "6", "somebody's"])
    window.files.built.compare_image(other)
    settled(window)
    return page


def test_in_the_window_one_line_is_accepted_and_one_put_right(proof: ProofChapter, window: Window, qtbot: QtBot) -> None:
    assert [one.line.key for one in proof.model.rows] == ["B1.type", "S2.name"], "what stops comes first"
    assert "1 to be put right" in proof.summary.text()
    assert proof.right.isEnabled()
    assert not proof.accept.isEnabled()
    qtbot.keyClick(proof.view, Qt.Key.Key_Down)
    assert proof.accept.isEnabled()
    qtbot.keyClick(proof.view, Qt.Key.Key_A)
    qtbot.keyClicks(proof.reason, "its owner's own word")
    qtbot.keyClick(proof.reason, Qt.Key.Key_Return)
    assert [one.verdict for one in proof.model.rows] == ["left over", "accepted"]
    keys = {one.key: one.severity for one in window.desk.findings if one.key.startswith("built.")}
    assert keys == {"built.B1.type": "stop"}
    proof.view.setCurrentIndex(proof.model.index(0))
    qtbot.keyClick(proof.view, Qt.Key.Key_R)
    assert [step.kind for step in window.desk.job.steps] == ["retype"]
    assert window.desk.chapter == "sheet"
    window.desk.undo()
    assert window.desk.job.built is not None, "it is an edit like any other"


def test_everything_left_over_and_not_known_are_looked_at_apart(proof: ProofChapter, window: Window) -> None:
    for words, least in (("everything", 60), ("left over", 1), ("not known", 3), ("what differs", 2)):
        click(proof, words)
        assert len(proof.model.rows) >= least
    QApplication.processEvents()
    first = proof.model.index(0)
    assert proof.view.visualRect(first).width() <= (proof.view.viewport().width() if proof.view.viewport() else 0)
    click(proof, "Take it as it is")
    assert window.desk.job.steps == ()
    assert window.desk.job.built is None


def test_the_reading_survives_the_job_file(inked: tuple[Job, Path], proof: ProofChapter, window: Window) -> None:
    job = window.desk.job
    assert document.load(document.dump(job)) == job
    assert with_built(job, job.built) == job  # type: ignore[arg-type]


def test_a_hand_over_that_cannot_be_written_is_not_said_to_be_saved(
    inked: tuple[Job, Path], window: Window, tmp_path: Path
) -> None:
    job, image = inked
    window.desk.replace_job(job, tmp_path / "job.json")
    window.files.built.compare_image(image)
    settled(window)
    window.files.built.save_handover(tmp_path / "absent" / "page.html")
    assert window.desk.notice.bad
    assert "Saved" not in window.desk.notice.what
    window.files.built.save_handover(tmp_path / "page.html")
    assert (window.desk.notice.bad, window.desk.notice.what) == (False, f"Saved: {tmp_path / 'page.html'}")
    assert "sign it together" in window.desk.notice.remedy


def test_what_is_to_be_put_right_first_is_named(proof: ProofChapter, window: Window, tmp_path: Path) -> None:
    window.files.built.save_handover(tmp_path / "page.html")
    assert window.desk.notice.what.startswith("Not as planned: B1, ")
    assert "more" not in window.desk.notice.what
    assert not (tmp_path / "page.html").exists()
