"""Mending a start in the window: the repair that is offered, added with a click and taken back; looks that narrow as they are answered."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QPushButton
from pytestqt.qtbot import QtBot

from inkshelf.core.aims.mending import Mend
from inkshelf.core.checks.registry import MendStart
from inkshelf.core.plan.job import Job, replan
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.ui.aim.answers import Questions
from inkshelf.ui.aim.causes import Causes
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.startmap.chapter import StartChapter
from scenes import UEFI, firmware
from windows import settled


@pytest.fixture
def broken(job: Job) -> Job:
    """A machine whose Linux-family system has lost its loader, and no aim yet."""
    found = UEFI["loader-gone"][2](firmware(read(job).plan.planned, entries_known=True))
    return replan(replace(job, found=found, aims=(), by_hand=()))


@pytest.fixture
def shown(broken: Job, qtbot: QtBot, tmp_path: Path) -> Window:
    window = Window(Desk(broken, tmp_path / "job.json"), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(window)
    window.resize(1280, 800)
    window.show()
    window.desk.show("start")
    settled(window)
    return window


def press(made: QPushButton) -> None:
    QTest.mouseClick(made, Qt.MouseButton.LeftButton)


def page(window: Window) -> StartChapter:
    made = window.chapter("start")
    assert isinstance(made, StartChapter)
    return made


def test_the_smallest_repair_is_added_with_a_click_and_taken_back(shown: Window) -> None:
    start = page(shown)
    offered = start.mends.findChildren(QPushButton)
    assert [one.text() for one in offered] == ["Mend it"]
    press(offered[0])
    settled(shown)
    (aim,) = shown.desk.job.aims
    assert isinstance(aim, Mend)
    assert (aim.system, aim.cause) == ("S2", "loader-gone")
    assert {one.system: one.starts for one in shown.desk.reading.after if one.mishap == "none"}["S2"]
    assert not start.mends.findChildren(QPushButton), "nothing is left to mend"
    start.slider.setValue(0)
    assert not start.mends.findChildren(QPushButton), "as found, it is said and not added"
    assert start.mends.isVisible()
    shown.desk.undo()
    assert not shown.desk.job.aims


def test_what_mends_it_after_a_mishap_is_said_and_not_added(shown: Window) -> None:
    start = page(shown)
    start.choose("secure-boot-off")
    assert start.mends.isVisible()
    assert not start.mends.findChildren(QPushButton)


def test_the_note_of_a_system_that_does_not_start_mends_it(shown: Window) -> None:
    notes = [one for one in shown.desk.findings if one.key == "start.none.S2"]
    remedy = next(one for one in notes[0].remedies if isinstance(one, MendStart))
    made = next(
        one for one in shown.findChildren(QPushButton) if one.text() == remedy.title and not page(shown).mends.isAncestorOf(one)
    )
    press(made)
    settled(shown)
    assert [one.kind for one in shown.desk.job.aims] == ["mend"]
    assert "start.none.S2" not in {one.key for one in shown.desk.findings}


def test_looks_are_answered_under_aim_and_narrow_the_causes(shown: Window, broken: Job) -> None:
    shown.desk.change(replan(replace(broken, aims=(Mend(seen="other", system="S2"),))), "mend")
    shown.desk.show("aim")
    settled(shown)
    questions = next(one for one in shown.chapter("aim").findChildren(Questions) if "cause" in one.rows)
    press(questions.fold)
    settled(shown)
    before = questions.rows["cause"]
    assert isinstance(before, QComboBox)
    many = before.count()
    look = questions.rows["folder"]
    assert isinstance(look, QComboBox)
    look.setFocus()
    QTest.keyClick(look, Qt.Key.Key_Home)
    look.activated.emit(look.findData("whole"))
    QApplication.processEvents()
    settled(shown)
    (aim,) = shown.desk.job.aims
    assert isinstance(aim, Mend)
    assert aim.folder == "whole"
    after = questions.rows["cause"]
    assert isinstance(after, QComboBox)
    assert after.count() < many, "a folder that is whole is no loader that is gone"
    shown.desk.undo()
    assert isinstance(shown.desk.job.aims[0], Mend)
    assert shown.desk.job.aims[0].folder == "not-yet"


def test_a_mishap_of_ones_own_is_made_of_parts_kept_and_taken_out(shown: Window) -> None:
    start = page(shown)
    press(start.own.open)
    assert not start.own.keep.isEnabled()
    assert start.own.keep.toolTip(), "why it cannot be pressed"
    QTest.keyClicks(start.own.title, "lent to the other desk")
    for word in ("firmware-reset", "secure-boot-off"):
        start.own.part.activated.emit(start.own.part.findData(word))
    press(start.own.keep)
    settled(shown)
    assert [one.key for one in shown.desk.job.mishaps] == ["lent-to-the-other-desk"]
    assert start.now.mishaps[-1].key == "lent-to-the-other-desk"
    start.choose("lent-to-the-other-desk")
    assert start.now.machine.firmware.secure_boot == "off"
    assert start.now.machine.firmware.entries == ()
    press(start.own.drop)
    settled(shown)
    assert shown.desk.job.mishaps == ()
    assert start.mishap == "none"
    shown.desk.undo()
    assert len(shown.desk.job.mishaps) == 1


def test_a_mishap_of_the_name_of_one_that_always_is_rehearsed_is_refused_in_words(shown: Window) -> None:
    start = page(shown)
    press(start.own.open)
    QTest.keyClicks(start.own.title, "firmware reset")
    start.own.part.activated.emit(start.own.part.findData("csm-on"))
    press(start.own.keep)
    assert "rehearsed anyway" in start.own.said.text()
    assert shown.desk.job.mishaps == ()


def test_a_cause_is_taken_by_a_press_or_the_keys_and_given_back(shown: Window, broken: Job) -> None:
    shown.desk.change(replan(replace(broken, aims=(Mend(seen="other", system="S2"),))), "mend")
    shown.desk.show("aim")
    settled(shown)
    causes = shown.chapter("aim").findChildren(Causes)[0]
    assert causes.isVisible()
    keys = [one.cause.key for one in causes.left]
    assert keys[0] == causes.best == "loader-gone"
    second = QPoint(200, int(causes.HEAD + causes.ROW * 1.5))
    QTest.mouseClick(causes, Qt.MouseButton.LeftButton, pos=second)
    assert shown.desk.job.aims[0].cause == keys[1]  # type: ignore[attr-defined]
    QTest.mouseClick(causes, Qt.MouseButton.LeftButton, pos=second)
    assert shown.desk.job.aims[0].cause == "likeliest", "pressed again it is given back"  # type: ignore[attr-defined]
    causes.setFocus()
    QTest.keyClick(causes, Qt.Key.Key_Down)
    assert shown.desk.job.aims[0].cause == keys[0]  # type: ignore[attr-defined]
    shown.desk.change(
        replan(replace(broken, aims=(Mend(seen="other", system="S2", one_time="starts", disk_listed="no"),))), "wrong"
    )
    settled(shown)
    assert causes.left == ()
    assert causes.accessibleName()
    shown.grab()  # it is drawn without any, too


def test_another_aim_shows_no_causes(shown: Window) -> None:
    shown.desk.show("aim")
    settled(shown)
    assert not shown.chapter("aim").findChildren(Causes)[0].isVisible()
