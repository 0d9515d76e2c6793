"""The firmware's entries in the start map: dragged, moved by keys, switched off and on, taken away, made; all of it undone."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from inkshelf.cli import run
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Firmware
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.store import jobfile
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.startmap.chapter import StartChapter
from inkshelf.ui.startmap.map import StartMap
from windows import click, settled


@pytest.fixture
def page(job: Job, qtbot: QtBot, tmp_path: Path) -> StartChapter:
    window = Window(Desk(job, tmp_path / "job.json"), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(window)
    window.resize(1280, 800)
    window.show()
    window.desk.show("start")
    settled(window)
    made = window.chapter("start")
    assert isinstance(made, StartChapter)
    return made


def firmware(page: StartChapter) -> Firmware:
    return page.desk.reading.plan.planned.firmware


def place(drawn: StartMap, row: int) -> QPoint:
    left, width = drawn._columns()[1]
    return QPoint(int(left + width / 2), int(drawn.TOP + drawn.ROW * (row + 0.5)))


def menu_of(page: StartChapter, row: int) -> QMenu:
    QTest.mouseClick(page.map, Qt.MouseButton.RightButton, pos=place(page.map, row))
    QApplication.processEvents()
    return next(one for one in page.map.findChildren(QMenu) if one.isVisible())


def line(menu: QMenu, words: str) -> QAction:
    return next(one for one in menu.actions() if one.text().startswith(words))


def test_an_entry_is_dragged_to_another_place_and_back_by_undo(page: StartChapter) -> None:
    assert firmware(page).order == (1, 0)
    QTest.mousePress(page.map, Qt.MouseButton.LeftButton, pos=place(page.map, 0))
    QTest.mouseMove(page.map, place(page.map, 1))
    QTest.mouseRelease(page.map, Qt.MouseButton.LeftButton, pos=place(page.map, 1))
    assert firmware(page).order == (0, 1)
    assert page.now.routes[0].entry.number == 0
    page.desk.undo()
    assert firmware(page).order == (1, 0)


def test_what_the_firmware_adds_by_itself_is_not_dragged_nor_at_another_step(page: StartChapter) -> None:
    automatic = next(row for row, one in enumerate(page.now.routes) if one.entry.automatic)
    before = page.desk.job
    for row in (automatic, 0):
        QTest.mousePress(page.map, Qt.MouseButton.LeftButton, pos=place(page.map, row))
        QTest.mouseRelease(page.map, Qt.MouseButton.LeftButton, pos=place(page.map, row))
    page.slider.setValue(0)
    QTest.mousePress(page.map, Qt.MouseButton.LeftButton, pos=place(page.map, 0))
    QTest.mouseRelease(page.map, Qt.MouseButton.LeftButton, pos=place(page.map, 1))
    assert page.desk.job == before


def test_keys_move_switch_and_take_away_an_entry(page: StartChapter) -> None:
    page.map.setFocus()
    QTest.keyClick(page.map, Qt.Key.Key_Down)
    QTest.keyClick(page.map, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert firmware(page).order == (0, 1)
    assert page.map.entries.selected == 1, "the keys mean the same entry"
    QTest.keyClick(page.map, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert firmware(page).order == (1, 0)
    QTest.keyClick(page.map, Qt.Key.Key_Space)
    assert [one.number for one in firmware(page).entries if not one.active] == [1]
    line(menu_of(page, 0), "Switch Boot0001").trigger()
    assert all(one.active for one in firmware(page).entries)
    page.map.entries.selected = 0
    QTest.keyClick(page.map, Qt.Key.Key_Delete)
    assert [one.number for one in firmware(page).entries] == [0]
    assert page.desk.job.by_hand[-1].verb == "entry"


def test_an_entry_is_made_for_a_loader_that_has_none(page: StartChapter) -> None:
    offered = line(menu_of(page, 0), "Make one for").menu()
    assert offered is not None
    made = next(one for one in offered.actions() if "BOOTX64" in one.text().upper() and "B2" in one.text())
    made.trigger()
    added = firmware(page).entries[-1]
    assert added.path.upper() == "\\EFI\\BOOT\\BOOTX64.EFI"
    assert added.number in firmware(page).order
    assert read(page.desk.job).plan.fault is None


def test_an_entry_that_is_not_tried_is_drawn_with_its_reason_and_comes_back(page: StartChapter) -> None:
    page.map.setFocus()
    QTest.keyClick(page.map, Qt.Key.Key_Down)
    QTest.keyClick(page.map, Qt.Key.Key_Space)
    assert [(one.number, why) for one, why in page.now.aside] == [(1, "it is switched off")]
    assert "not tried, it is switched off" in page.map.accessibleDescription()
    left, width = page.map._columns()[1]
    at = QPoint(int(left + width / 2), int(page.map._aside_top() + page.map.ASIDE / 2))
    QTest.mouseClick(page.map, Qt.MouseButton.LeftButton, pos=at)
    QApplication.processEvents()
    menu = next(one for one in page.map.findChildren(QMenu) if one.isVisible())
    line(menu, "Switch it on").trigger()
    assert not page.now.aside
    assert firmware(page).order == (1, 0)
    page.slider.setValue(0)
    page.desk.undo()
    page.slider.setValue(0)
    QApplication.processEvents()
    assert not page.now.aside, "as found nothing is switched off"


def test_the_menu_starts_another_one_and_an_entry_is_called_otherwise(
    page: StartChapter, monkeypatch: pytest.MonkeyPatch
) -> None:
    page.map.setFocus()
    line(menu_of(page, 0), "Let its menu start S1").trigger()
    QApplication.processEvents()
    assert page.now.routes[0].systems[0] == "S1"
    assert page.now.outcomes["S1", "none"].why == "starts by itself"
    monkeypatch.setattr("inkshelf.ui.startmap.entries.QInputDialog.getText", lambda *_, **__: ("  Desk two ", True))
    line(menu_of(page, 0), "Call it otherwise").trigger()
    assert firmware(page).entry(1).title == "Desk two"  # type: ignore[union-attr]
    page.desk.undo()
    page.desk.undo()
    assert page.now.routes[0].systems[0] == "S2"
    assert firmware(page).entry(1).title == "Linux desktop"  # type: ignore[union-attr]


def test_entries_by_command(job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "job.json"
    jobfile.save(job, file)
    assert run(["change", str(file), "order", "Boot0000", "first"]) == 0
    assert read(jobfile.load(file)).plan.planned.firmware.order == (0, 1)
    assert run(["change", str(file), "entry", "Boot0000", "off"]) == 0
    assert run(["change", str(file), "entry", "B2", "\\EFI\\BOOT\\BOOTX64.EFI", "by hand"]) == 0
    planned = read(jobfile.load(file)).plan.planned.firmware
    assert [(one.title, one.active) for one in planned.entries][-1] == ("by hand", True)
    for wrong, words in (
        (("order", "Boot0000", "second"), "first, up, down, last"),
        (("order", "Boot0009", "first"), "Boot0000"),
        (("entry", "Boot0000", "of"), "on, off, remove"),
        (("entry", "B2", "\\EFI\\none.efi"), "Choose one of"),
        (("order", "Boot0000", "first"), "nothing to change"),
    ):
        capsys.readouterr()
        assert run(["change", str(file), *wrong]) == 2, wrong
        assert words in capsys.readouterr().err
    with pytest.raises(PlanError):
        change(job, "order", "BOOT0001", place="99")


def test_another_way_is_laid_over_the_table(page: StartChapter, qtbot: QtBot) -> None:
    """Another way with an EFI system partition of its own or shared: what it starts otherwise stands beside, at the end of the plan only."""
    assert not page.overlay.other
    click(page, "Lay another way over it")
    qtbot.waitUntil(lambda: page.overlay.task is None, timeout=20000)
    assert page.overlay.box.count() > 1
    here = {(one.system, one.mishap): one.verdict for one in page.desk.reading.after}
    for at in range(1, page.overlay.box.count()):
        page.overlay.box.setCurrentIndex(at)
        differ = [key for key, one in page.overlay.other.items() if key in here and one.verdict != here[key]]
        assert [key for key in here if page.table._other(*key)] == [key for key in here if key in differ]
        assert page.overlay.words.text().startswith(f"{len(differ) or 'no'} start")
        assert page.table.accessibleDescription().count("the other way") == len(differ)
    page.slider.setValue(0)
    assert "the other way" not in page.table.accessibleDescription()
    page.slider.setValue(page.slider.maximum())
    page.overlay.box.setCurrentIndex(0)
    assert not page.overlay.other
    page.desk.change(change(page.desk.job, "entry", "BOOT0001", state="off"), "off")
    assert page.overlay.box.isHidden(), "the ways of another plan are forgotten"
