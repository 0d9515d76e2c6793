"""What the window says and how it uses the room: tips, notes, long lines, copying from the sheet, large screens, beginning."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QFontMetricsF, QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton
from pytestqt.qtbot import QtBot

from inkshelf.core.size import GIB, both
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.ui import theme
from inkshelf.ui.chapters import CHAPTERS
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.note import Note
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.parts import MAY_BREAK, OneLine
from inkshelf.ui.sheetview.words import laid_out
from inkshelf.ui.shelf import painter as drawn
from windows import click


def test_the_tip_tells_of_the_volume_under_the_mouse_as_it_is_now(window: Window) -> None:
    board = window.chapter("shelf").board
    spine = next(one for one in board.shelf().planned if one.call == "S1")
    QTest.mouseMove(board, QPoint(int(spine.x + 20), int(drawn.PLANNED_FOOT - 60)))
    before = board.toolTip()
    assert both(spine.size) in before
    window.desk.set_aim("x", size_bytes=90 * GIB)
    changed = window.desk.reading.plan.planned.find("S1")[1].size
    assert changed != spine.size
    assert both(changed) in board.toolTip()
    QTest.mouseMove(board, QPoint(2, 2))
    assert board.toolTip() == ""


def test_a_note_that_changed_in_its_words_only_is_laid_out_anew(window: Window) -> None:
    note = next(one for one in window.margin.findChildren(Note) if one.finding.remedies)
    before, foot = note.height(), note.findChild(QPushButton).y()
    note.rewrite(replace(note.finding, why=" ".join([note.finding.why] * 4)))
    assert note.height() - before == note.findChild(QPushButton).y() - foot
    assert note.height() > before + 40
    for one in note.findChildren(QPushButton):
        assert note.rect().contains(one.geometry())


def test_a_long_command_breaks_after_a_separator_not_inside_a_word(qapp: QApplication) -> None:
    command = exact("nt", "fast_startup_off")
    font = theme.mono(12)
    shown, flags = laid_out(command, font, 320)
    assert flags == Qt.TextFlag.TextWordWrap.value
    assert shown.replace(MAY_BREAK, "") == command
    assert QFontMetricsF(font).horizontalAdvance(shown) == QFontMetricsF(font).horizontalAdvance(command)
    assert all(shown[at - 1] in "\\/=:," for at, sign in enumerate(shown) if sign == MAY_BREAK)
    assert laid_out("short words", font, 320) == ("short words", Qt.TextFlag.TextWordWrap.value)
    broken, flags = laid_out("x-" * 100, font, 320)
    assert flags == Qt.TextFlag.TextWordWrap.value
    assert broken.replace("\n", "").replace("\u2060", "") == "x-" * 100
    assert not any(line.rstrip("\u2060").endswith("-") for line in broken.split("\n")[:-1])


def test_what_a_step_says_to_type_is_copied_from_the_sheet(window: Window) -> None:
    window.desk.show("sheet")
    sheet = window.chapter("sheet")
    row = next(one for one in sheet.model.rows if len(one.words.values) > 1)
    sheet.show_step(row.number)
    QTest.keyClick(sheet.view, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert QGuiApplication.clipboard().text() == "\n".join(value for _, value in row.words.exact)
    menu = sheet.view.menu(sheet.view.currentIndex())
    first, *copies = menu.actions()
    copies[1].trigger()
    assert QGuiApplication.clipboard().text() == row.words.values[1][1]
    assert window.desk.notice.what.endswith(row.words.values[1][1])
    first.trigger()
    assert row.step in window.desk.job.done
    assert window.desk.undo_words


def test_a_line_that_has_no_room_says_the_rest_in_its_tip(qtbot: QtBot) -> None:
    line = OneLine("26 steps, about 111 min")
    qtbot.addWidget(line)
    line.resize(60, 20)
    line.show()
    assert QLabel.text(line).endswith("…")
    assert line.text() == line.toolTip() == line.accessibleName() == "26 steps, about 111 min"
    line.resize(400, 20)
    assert QLabel.text(line) == line.text()
    assert line.toolTip() == ""


def test_on_a_large_screen_the_boards_grow_and_the_mouse_still_finds_them(window: Window) -> None:
    window.resize(1920, 1080)
    QApplication.processEvents()
    board = window.chapter("shelf").board
    assert board.zoom > 1.1
    spine = next(one for one in board.shelf().planned if one.call == "D1")
    at = QPointF(spine.x + spine.width - 8, drawn.PLANNED_FOOT - 60) * board.zoom
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert window.desk.selected == "D1"
    shelf = board.shelf()
    edge = next(one for one in shelf.edges if one.key == "room")
    before = window.desk.reading.plan.planned.find("S1")[1].size
    start = (QPointF(edge.x, drawn.PLANNED_TOP + drawn.PLANNED_HEIGHT / 2) * board.zoom).toPoint()
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(board, start - QPoint(100, 0))
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=start - QPoint(100, 0))
    given = before - window.desk.reading.plan.planned.find("S1")[1].size
    assert abs(given - 100 / board.zoom / shelf.scale.bulk) <= 1 * GIB
    window.resize(1280, 800)
    QApplication.processEvents()
    assert board.zoom == 1.0


def test_before_there_is_a_disk_every_chapter_says_how_to_begin(qtbot: QtBot, tmp_path: Path) -> None:
    window = Window(Desk(), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(window)
    window.show()
    for key, words in (
        ("aim", "Take a disk in"),
        ("shelf", "Take a disk in"),
        ("sheet", "Say the aim"),
        ("proof", "Say the aim"),
    ):
        window.desk.show(key)
        click(window.pages.currentWidget(), words)
        assert window.desk.chapter != key
    window.desk.show("intake")
    said = [one.text() for one in window.chapter("intake").findChildren(QLabel) if one.isVisibleTo(window)]
    assert {one.title for one in CHAPTERS} <= set(said)


def test_no_finding_leads_to_a_chapter_that_is_not_there(window: Window) -> None:
    import ast

    import inkshelf

    root = Path(inkshelf.__file__).parent
    named = {
        node.args[0].value
        for path in root.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Call)
        and isinstance(node.func, ast.Name)
        and node.func.id == "Show"
        and isinstance(node.args[0], ast.Constant)
    }
    assert named, "findings lead somewhere"
    assert named <= {one.key for one in CHAPTERS}
    with pytest.raises(KeyError, match="no chapter"):
        window.chapter("attic")
