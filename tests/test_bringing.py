"""Every aim that starts from a medium can bring its own: asked like its other questions, made first, and taken out again."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from aim_jobs import AimJobs
from inkshelf.cli import run
from inkshelf.core.aims import every_aim
from inkshelf.core.aims.sticks import use_files
from inkshelf.core.errors import PlanError
from inkshelf.core.media.material import Image
from inkshelf.core.plan.bringing import ELSEWHERE, medium_of, medium_question, with_medium
from inkshelf.core.plan.job import and_aim, left_by
from inkshelf.core.plan.merging import ASKING
from inkshelf.core.steps.kinds import Confirm
from inkshelf.core.value import replace
from inkshelf.exchange.images import for_job
from inkshelf.store import jobfile
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from stick_jobs import images_in
from test_sticks_in_jobs import with_a_stick
from windows import click


@pytest.fixture(scope="module")
def images(tmp_path_factory: pytest.TempPathFactory) -> tuple[Image, ...]:
    use_files(for_job)
    return images_in(tmp_path_factory.mktemp("images"))


def test_every_kind_that_asks_for_a_medium_says_so(tmp_path: Path) -> None:
    """What a kind says of itself is what its steps ask for, on whatever machine it can be planned."""
    seen: dict[str, set[bool]] = {}
    jobs = AimJobs(tmp_path)
    for machine in ("one", "two", "nt", "crowded", "blank"):
        found = jobs.found(machine)
        for kind in every_aim():
            made = and_aim(found, kind.usual_on(left_by(found)))
            asks = {step.subject for step in made.steps if isinstance(step, Confirm)} & ASKING
            assert not asks or kind.medium == ("live" if asks == {"live_stick"} or made.aims[0].kind == "try" else "installer")
            if made.steps:
                seen.setdefault(made.aims[0].kind, set()).add(bool(asks))
    assert {key for key, asked in seen.items() if True in asked} >= {"try", "beside", "own-disk", "clean", "several", "remove"}
    silent = {kind().kind for kind in every_aim() if not kind.medium}
    assert silent == {"no-stick", "stick", "many", "keep", "two-part", "installer-set"}


@pytest.mark.parametrize("kind", ["beside", "clean", "try"])
def test_a_brought_stick_is_made_first_and_can_be_taken_out_again(tmp_path: Path, images: tuple[Image, ...], kind: str) -> None:
    plugged = with_a_stick(tmp_path)
    bare = and_aim(plugged, next(one for one in every_aim() if one().kind == kind).usual_on(plugged.found))
    aim = bare.aims[0]
    asked = medium_question(bare, aim)
    assert asked is not None
    assert (asked.usual, medium_of(bare)) == (ELSEWHERE, ELSEWHERE)
    made = with_medium(bare, aim, images[0].path)
    assert not made.plan_fault
    assert medium_of(made) == images[0].path
    assert made.steps[0].kind == "get-image"
    assert not {step.subject for step in made.steps if isinstance(step, Confirm)} & ASKING
    assert with_medium(made, aim, ELSEWHERE).steps == bare.steps
    several = with_medium(made, aim, f"{images[1].path}\n{images[2].path}")
    with pytest.raises(PlanError, match=r"aim 2 of this job \(many\)"):
        with_medium(several, aim, ELSEWHERE)


@pytest.mark.parametrize("kind", ["beside", "own-disk", "clean", "table"])
def test_no_system_goes_onto_its_own_medium_as_usual(tmp_path: Path, kind: str) -> None:
    plugged = with_a_stick(tmp_path)
    first = replace(plugged.found, disks=plugged.found.disks[::-1])  # plugged in before the machine was captured
    for found in (plugged.found, first):
        aim = next(one for one in every_aim() if one().kind == kind).usual_on(found)
        assert next(one.usual for one in aim.asked(found) if one.key == "disk") == "A"
        assert aim.disk == "A"  # type: ignore[attr-defined]


def test_what_cannot_be_brought_is_said(tmp_path: Path, images: tuple[Image, ...]) -> None:
    plugged = with_a_stick(tmp_path)
    none = and_aim(plugged, next(one for one in every_aim() if one().kind == "no-stick")())
    assert medium_question(none, none.aims[0]) is None
    with pytest.raises(PlanError, match="no question of no-stick"):
        with_medium(none, none.aims[0], images[0].path)
    (tmp_path / "jobs").mkdir()
    found = AimJobs(tmp_path / "jobs").found("one")
    bare = and_aim(found, next(one for one in every_aim() if one().kind == "beside").usual_on(found.found))
    with pytest.raises(PlanError, match="no stick in this job"):
        with_medium(bare, bare.aims[0], images[0].path)


def test_the_command_line_asks_for_it_brings_it_and_takes_it_out(
    tmp_path: Path, images: tuple[Image, ...], capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "job.json"
    jobfile.save(with_a_stick(tmp_path), path)
    assert run(["aim", str(path), "beside", "--size", "60GiB", "--medium", images[0].path]) == 0
    assert [one.kind for one in jobfile.load(path).aims] == ["beside", "stick"]
    capsys.readouterr()
    assert run(["aims", str(path), "--json"]) == 0
    mine = json.loads(capsys.readouterr().out)["of_this_job"]
    assert [one["answer"] for one in mine[0]["questions"] if one["key"] == "medium"] == [images[0].path]
    assert run(["aim", str(path), "--change", "1", "--medium", "elsewhere"]) == 0
    assert [one.kind for one in jobfile.load(path).aims] == ["beside"]
    assert run(["aim", str(path), "no-stick", "--medium", images[0].path]) == 2
    assert "no question of no-stick" in capsys.readouterr().err
    assert [one.kind for one in jobfile.load(path).aims] == ["beside"], "what was refused changed nothing"


def test_the_window_asks_for_it_beside_the_other_questions(tmp_path: Path, images: tuple[Image, ...], qtbot: QtBot) -> None:
    plugged = with_a_stick(tmp_path)
    bare = and_aim(plugged, next(one for one in every_aim() if one().kind == "beside").usual_on(plugged.found))
    window = Window(Desk(bare, tmp_path / "job.json"), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(window)
    window.show()
    window.desk.show("aim")
    QApplication.processEvents()
    page = window.chapter("aim")
    click(page, "made elsewhere")
    assert window.desk.chapter == "media"
    window.desk.change(with_medium(bare, bare.aims[0], images[0].path), "images")
    window.desk.show("aim")
    QApplication.processEvents()
    assert page.questions.rows["medium"].text() == Path(images[0].path).name  # type: ignore[attr-defined]
    assert "made in this job" in page.questions.costs["medium"].text()  # type: ignore[attr-defined]
