"""The demo jobs: each is made from its recipe, can be carried out, and is offered in the window."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from inkshelf.core.checks import findings
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import restarts, sheet
from inkshelf.exchange import render
from inkshelf.ui.demo import DEMOS, Demo, first_day
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from windows import settled


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("demos")


@pytest.mark.parametrize("one", DEMOS, ids=lambda one: one.key)
def test_a_demo_job_can_be_carried_out_and_every_disk_is_known(one: Demo, folder: Path) -> None:
    job = first_day(folder, one.key)
    assert job.aims
    assert not job.plan_fault
    reading = read(job)
    assert reading.plan.fault is None
    assert all(disk.model and disk.serial for disk in job.found.disks), "a person can tell the disks apart"
    stops = {found.key for found in findings(reading) if found.severity == "stop"}
    lost = {f"people.lost.{call}" for call in reading.ledger.lost}
    assert stops <= {"people.backup", *lost}, "what the plan does not show stops nobody"
    now = {one.system: one.starts for one in reading.after if one.mishap == "none"}
    assert now or one.key == "sticks", "sticks hold no system"
    answered_for = {one.finding.removeprefix("start.none.") for one in job.overrides}
    assert all(starts for call, starts in now.items() if call not in answered_for)
    assert len(sheet(reading).rows) == len(job.steps)
    assert first_day(folder, one.key) == job, "built once"
    assert job.owner
    assert job.title


def test_intake_offers_every_demo_job(qtbot: QtBot, folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("inkshelf.ui.frame.files.settings.data_folder", lambda: tmp_path)
    window = Window(Desk(), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(window)
    window.show()
    look = next(one for one in window.chapter("intake").findChildren(QPushButton) if one.text() == "Look at a demo job")
    offered = look.menu().actions()
    assert [one.text() for one in offered] == [f"{one.title}: {one.words}" for one in DEMOS]
    offered[3].trigger()
    settled(window)
    assert window.desk.job.title == "harbour office"
    assert window.desk.path == tmp_path / "demo" / "travelling.job.json"
    window.run("job.demo-removal")
    settled(window)
    assert window.desk.job.title == "till 2"
    window.close()


def test_starts_of_the_machine_are_counted(folder: Path) -> None:
    """Firmware and back, shut down and shrunk, shrunk and looked at, the stick, the installer's own, the old system."""
    reading = read(first_day(folder, "demo"))
    assert restarts(reading) == 6
    assert f"the machine starts {restarts(reading)} times" in render.markdown(reading)
    assert restarts(read(first_day(folder, "removal"))) == 4, (
        "the firmware on the way to the live stick, before it goes, the stick again, at the end"
    )
