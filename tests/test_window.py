"""The real window, driven by mouse and keys, as a technician would."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QAction, QGuiApplication
from PyQt6.QtTest import QAbstractItemModelTester, QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QLabel, QLineEdit, QMenu

from inkshelf.core.machine.state import Volume
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Confirm, Shrink
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from inkshelf.ui.chapters import KEYS
from inkshelf.ui.frame.contents import ROW, TOP
from inkshelf.ui.frame.window import Window
from inkshelf.ui.sheetview.chapter import SheetModel
from inkshelf.ui.shelf import painter as drawn
from windows import click, pick, settled


def shrunk_to(window: Window) -> int:
    return next(step.to_bytes for step in window.desk.job.steps if isinstance(step, Shrink))


def test_the_contents_open_chapters_by_mouse_and_keys(window: Window) -> None:
    for row, key in enumerate(KEYS):
        QTest.mouseClick(window.contents, Qt.MouseButton.LeftButton, pos=QPoint(60, TOP + row * ROW + 15))
        assert window.desk.chapter == key
        assert window.pages.currentWidget() is window.chapter(key)
    QTest.keyClick(window.contents, Qt.Key.Key_Up)
    assert window.desk.chapter == KEYS[-2]
    for row, key in enumerate(KEYS, 1):
        QTest.keySequence(window, f"Ctrl+{row}")
        assert window.desk.chapter == key


def test_a_job_that_asks_for_a_stick_is_offered_to_make_it(window: Window) -> None:
    window.desk.show("media")
    steps = enumerate(window.desk.job.steps, 1)
    at = next(number for number, step in steps if isinstance(step, Confirm) and step.subject == "medium")
    assert f"Step {at} of the sheet asks for a stick that installs Linux desktop" in window.chapter("media").first.text()


def edge_point(window: Window, key: str = "room") -> QPoint:
    board = window.chapter("shelf").board
    edge = next(one for one in board.shelf().edges if one.key == key)
    return QPoint(round(edge.x), int(drawn.PLANNED_TOP + drawn.PLANNED_HEIGHT / 2))


def test_dragging_the_edge_changes_everything_at_once_and_is_one_undo(window: Window) -> None:
    board = window.chapter("shelf").board
    before, number = shrunk_to(window), window.reckoner.number.text()
    start = edge_point(window)
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    for step in range(1, 8):
        QTest.mouseMove(board, start - QPoint(step * 6, 0))
        QApplication.processEvents()
    assert shrunk_to(window) < before
    assert window.reckoner.number.text() != number
    assert window.desk.undo_words == ""
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=start - QPoint(42, 0))
    given = (window.desk.job.found.find("S1")[1].size - shrunk_to(window)) // MIB
    assert window.reckoner.number.text() == str(given)
    assert window.desk.job.aim.size_bytes % GIB == 0
    settled(window)
    assert jobfile.load(window.desk.path) == window.desk.job, "saved as you go"
    QTest.keySequence(window, "Ctrl+Z")
    assert shrunk_to(window) == before
    QTest.keySequence(window, "Ctrl+Shift+Z")
    assert shrunk_to(window) < before


def test_the_edge_never_passes_what_cannot_be_moved(window: Window) -> None:
    board = window.chapter("shelf").board
    start = edge_point(window)
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(board, QPoint(90, start.y()))
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=QPoint(90, start.y()))
    assert shrunk_to(window) >= window.desk.job.found.find("S1")[1].filesystem.smallest_bytes
    assert "room.movable.S1" not in {one.key for one in window.desk.findings}


def test_arrow_keys_move_the_edge_by_exact_steps(window: Window) -> None:
    board = window.chapter("shelf").board
    board.setFocus()
    for held, grain in (
        (Qt.KeyboardModifier.NoModifier, GIB),
        (Qt.KeyboardModifier.ShiftModifier, 10 * GIB),
        (Qt.KeyboardModifier.ControlModifier, MIB),
    ):
        before = shrunk_to(window)
        QTest.keyClick(board, Qt.Key.Key_Left, held)
        assert before - shrunk_to(window) == grain
        QTest.keyClick(board, Qt.Key.Key_Right, held)
        assert shrunk_to(window) == before


def test_the_second_edge_divides_root_and_home(window: Window) -> None:
    board = window.chapter("shelf").board
    board.setFocus()
    before = window.desk.reading.plan.planned.find("S2")[1].size
    total = window.desk.reading.ledger.new_bytes
    QTest.keyClick(board, Qt.Key.Key_E)
    QTest.keyClick(board, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert window.desk.reading.plan.planned.find("S2")[1].size == before + 10 * GIB
    assert window.desk.reading.ledger.new_bytes == total


def test_escape_gives_a_drag_up(window: Window) -> None:
    board = window.chapter("shelf").board
    before, start = window.desk.job, edge_point(window)
    board.setFocus()
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(board, start - QPoint(50, 0))
    QTest.keyClick(board, Qt.Key.Key_Escape)
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=start)
    assert window.desk.job == before
    assert window.desk.undo_words == ""


def test_selecting_a_spine_fills_the_reckoner_and_copies(window: Window) -> None:
    board = window.chapter("shelf").board
    spine = next(one for one in board.shelf().planned if one.call == "D1")
    QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=QPoint(int(spine.x + spine.width - 8), int(drawn.PLANNED_FOOT - 60)))
    assert window.desk.selected == "D1"
    assert window.reckoner.subject.text() == "D1"
    assert window.reckoner.number.text() == str(spine.size // MIB)
    QTest.mouseClick(window.reckoner.typed, Qt.MouseButton.LeftButton)
    assert QGuiApplication.clipboard().text() == str(spine.size // MIB)
    QTest.keyClick(board, Qt.Key.Key_Down)
    assert window.desk.selected != "D1"
    assert window.desk.selected in board.describe(window.desk.selected)


def test_a_size_is_typed_and_nonsense_is_refused_in_the_window(window: Window) -> None:
    window.desk.show("aim")
    aim = window.chapter("aim")
    asked = aim.questions

    def typed(text: str) -> QLineEdit:
        room = asked.sizes["size"]
        room.setFocus()
        room.selectAll()
        QTest.keyClicks(room, text)
        return room

    room = typed("12 parsecs")
    assert "not a unit" in asked.costs["size"].text()
    before = window.desk.job
    QTest.keyClick(room, Qt.Key.Key_Return)
    assert window.desk.job == before
    room = typed("90 GiB")
    assert "not a unit" not in asked.costs["size"].text()
    QTest.keyClick(room, Qt.Key.Key_Return)
    assert window.desk.job.aim.size_bytes == 90 * GIB
    QTest.keyClick(typed("400 GiB"), Qt.Key.Key_Return)
    assert "largest piece" in aim.fault.text()
    click(window.margin, "Take 213.2 GiB")
    assert window.desk.job.steps


def test_schools_are_chosen_by_clicking(window: Window) -> None:
    window.desk.show("aim")
    aim = window.chapter("aim")
    aim.questions._unfold()
    click(aim, "shared")
    pick(aim.questions.rows["home"], "together")
    pick(aim.questions.rows["swap"], "none")
    assert (window.desk.job.aim.esp, window.desk.job.aim.home, window.desk.job.aim.swap) == ("shared", "together", "none")
    assert [one.call for _, one in window.desk.reading.plan.planned.volumes() if one.planned] == ["S2"]
    for _ in range(3):
        click(window, "Undo")
    assert window.desk.job.aim.esp == "own"
    gauge = aim.gauge
    QTest.mouseClick(gauge, Qt.MouseButton.LeftButton, pos=QPoint(gauge.width() // 2, 45))
    assert window.desk.job.aim.size_bytes < 130 * GIB
    gauge.setFocus()
    before = window.desk.job.aim.size_bytes
    QTest.keyClick(gauge, Qt.Key.Key_PageUp)
    assert window.desk.job.aim.size_bytes == before + 10 * GIB


def test_with_two_disks_one_is_chosen(window: Window) -> None:
    job = window.desk.job
    disk = job.found.disks[0]
    other = replace(disk, id="B", serial="2", volumes=(), table=replace(disk.table, guid="0" * 8 + disk.table.guid[8:]))
    window.desk.change(with_aim(replace(job, found=replace(job.found, disks=(disk, other))), replace(job.aim, esp="own")), "x")
    window.desk.show("aim")
    window.chapter("aim").questions._unfold()
    click(window.chapter("aim"), "disk B")
    assert window.desk.job.aim.disk == "B"
    assert {one.call for one in window.desk.reading.plan.planned.disk("B").volumes} == {"B2", "S2", "W1", "D1"}
    window.desk.show("shelf")
    click(window.chapter("shelf"), "Disk B")
    assert window.chapter("shelf").board.shelf().found == ()


def test_questions_are_answered_and_the_margin_follows(window: Window) -> None:
    window.desk.show("intake")
    intake = window.chapter("intake")
    QTest.mouseClick(intake.questions.choices["backup"].button(2), Qt.MouseButton.LeftButton)
    assert "people.backup" in {one.key for one in window.desk.findings if one.severity == "stop"}
    click(window.margin, "Mark as read back")
    assert window.desk.job.found.conditions.backup == "read back"
    ram = intake.questions.ram
    ram.setFocus()
    ram.selectAll()
    QTest.keyClicks(ram, "lots")
    QTest.keyClick(ram, Qt.Key.Key_Return)
    assert "not a size" in window.notice.words.text()
    ram.selectAll()
    QTest.keyClicks(ram, "32 GiB")
    QTest.keyClick(ram, Qt.Key.Key_Return)
    assert window.desk.job.found.ram_bytes == 32 * GIB


def test_a_stop_is_answered_for_in_writing(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    window.desk.know("backup", "none", "x")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("", True))
    click(window.margin, "Answer for it in writing")
    assert window.desk.job.overrides == ()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("the disk is empty", True))
    click(window.margin, "Answer for it in writing")
    assert window.desk.job.overrides[0].reason == "the disk is empty"
    assert "people.backup" not in {one.key for one in window.desk.findings if one.severity == "stop"}


def test_a_finding_shows_its_step_on_the_sheet(window: Window) -> None:
    step = next(number for number, one in enumerate(window.desk.job.steps, 1) if getattr(one, "what", "") == "fast_startup_off")
    click(window.margin, f"Show step {step}")
    QApplication.processEvents()
    assert window.desk.chapter == "sheet"
    assert window.chapter("sheet").view.currentIndex().row() == step - 1


def done(window: Window) -> list[int]:
    return [number for number, step in enumerate(window.desk.job.steps, 1) if step.id in window.desk.job.done]


def test_steps_are_ticked_by_mouse_and_space(window: Window) -> None:
    window.desk.show("sheet")
    QApplication.processEvents()
    view = window.chapter("sheet").view
    rect = view.visualRect(view.model().index(1))
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=rect.topLeft() + QPoint(12, 16))
    assert done(window) == [2]
    view.setCurrentIndex(view.model().index(0))
    QTest.keyClick(view, Qt.Key.Key_Space)
    assert done(window) == [1, 2]
    QTest.keyClick(view, Qt.Key.Key_Space)
    assert done(window) == [2]
    assert "done" in view.model().index(1).data(Qt.ItemDataRole.AccessibleTextRole)


def test_the_sheet_is_a_sound_model(window: Window, job: Job) -> None:
    from inkshelf.core.plan.reading import read
    from inkshelf.core.sheet.sheet import sheet

    model = SheetModel()
    tester = QAbstractItemModelTester(model, QAbstractItemModelTester.FailureReportingMode.Fatal)
    for one in (job, replace(job, steps=job.steps[:5]), replace(job, steps=()), job):
        model.set_rows(sheet(read(one)).rows)
    assert tester.model() is model


def test_mishaps_and_steps_are_rehearsed(window: Window) -> None:
    QTest.keySequence(window, "F5")
    start = window.chapter("start")
    assert window.desk.chapter == "start"
    table = start.table
    row = [one.key for one in start.now.mishaps].index("nt-updated")
    QTest.mouseClick(table, Qt.MouseButton.LeftButton, pos=QPoint(40, table.HEAD + row * table.ROW + 9))
    assert start.mishap == "nt-updated"
    assert "one-time menu" in start.detail.text()
    QTest.keyClick(table, Qt.Key.Key_Up)
    assert start.mishap == "firmware-reset"
    QTest.keyClick(table, Qt.Key.Key_Down)
    QTest.keyClick(table, Qt.Key.Key_Down)
    assert start.mishap == "linux-updated"
    QTest.mouseClick(table, Qt.MouseButton.LeftButton, pos=QPoint(40, 10))
    assert start.mishap == "linux-updated", "the heading is no mishap"
    start.choose("firmware-reset")
    QTest.keyClick(start.slider, Qt.Key.Key_Home)
    assert start.step == 0
    assert "S2" not in start.detail.text()
    QTest.mouseClick(start.slider, Qt.MouseButton.LeftButton, pos=QPoint(start.slider.width() - 10, 11))
    assert start.step == len(window.desk.job.steps)


def test_a_click_on_the_strip_opens_that_step(window: Window) -> None:
    strip = window.chapter("shelf").stops
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPoint(strip.width() - 8, 40))
    QApplication.processEvents()
    assert window.chapter("sheet").view.currentIndex().row() == len(window.desk.job.steps) - 1


def menu_line(menu: QMenu, *words: str) -> QAction:
    """The line of a menu that begins with the words, through its submenus."""
    found = next(one for one in menu.actions() if one.text().startswith(words[0]))
    return menu_line(found.menu(), *words[1:]) if len(words) > 1 else found


def spine_middle(window: Window, call: str) -> QPointF:
    spine = next(one for one in window.chapter("shelf").board.shelf().planned if one.call == call)
    return QPointF(spine.x + spine.width / 2, drawn.PLANNED_FOOT - 40)


def test_steps_by_hand_are_made_on_the_shelf_and_undone(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    board = window.chapter("shelf").board
    menu = board.hand_menu(board.shelf(), spine_middle(window, "D1"))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("40 GiB", True))
    menu_line(menu, "Resize D1").trigger()
    assert window.desk.reading.plan.planned.find("D1")[1].size == 40 * GIB
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("plates", True))
    menu_line(board.hand_menu(board.shelf(), spine_middle(window, "D1")), "Label D1").trigger()
    assert window.desk.reading.plan.planned.find("D1")[1].filesystem.label == "plates"
    gap = next(one for one in board.shelf().planned_gaps if one.size > 30 * GIB)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("rest", True))
    menu_line(
        board.hand_menu(board.shelf(), QPointF(gap.x + gap.width / 2, drawn.PLANNED_FOOT - 40)), "Make a volume: Linux data"
    ).trigger()
    assert window.desk.reading.plan.planned.find("D2")[1].size == 87764 * MIB - 40 * GIB
    menu_line(board.hand_menu(board.shelf(), spine_middle(window, "D2")), "Format D2", "ext4").trigger()
    menu_line(board.hand_menu(board.shelf(), spine_middle(window, "R1")), "Remove R1, giving up").trigger()
    assert window.desk.reading.ledger.lost == ("R1",)
    assert len(window.desk.job.by_hand) == 5
    for left in (4, 3, 2, 1, 0):
        QTest.keySequence(window, "Ctrl+Z")
        assert len(window.desk.job.by_hand) == left


def test_volumes_are_arranged_and_containers_filled_from_the_menu(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    board = window.chapter("shelf").board

    def answer(text: str, line: str, *more: str, call: str = "D1") -> None:
        monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: (text, True))
        menu_line(board.hand_menu(board.shelf(), spine_middle(window, call)), line, *more).trigger()

    def planned(call: str) -> Volume:
        return window.desk.reading.plan.planned.find(call)[1]

    answer("D1=40GiB@400GiB", "Arrange the volumes")
    assert (planned("D1").start, planned("D1").size) == (400 * GIB, 40 * GIB)
    assert [step.kind for step in window.desk.job.steps[-2:]] == ["shrink", "move"]
    answer("", "Format D1", "LVM physical volume")
    answer("root 12 GiB", "Make a logical volume in D1")
    assert [(one.name, one.size_bytes) for one in planned("D1").filesystem.inside] == [("root", 12 * GIB)]
    answer("home 900 GiB", "Make a logical volume in D1")
    assert "do not fit" in window.notice.words.text()
    before = planned("R1").filesystem.uuid
    answer("", "Give R1 a new identity", call="R1")
    assert planned("R1").filesystem.uuid != before
    answer("D1@12parsecs", "Arrange the volumes")
    assert "not a unit" in window.notice.words.text()
    answer("", "Fresh table on disk A", "MBR")
    assert window.desk.reading.plan.planned.disks[0].table.kind == "mbr"
    assert window.desk.reading.ledger.lost == ("B1", "N1", "S1", "R1")
    menu = board.hand_menu(board.shelf(), QPointF(board.width() / 2, drawn.PLANNED_FOOT - 20))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("100 GiB", True))
    menu_line(menu, "Make the extended partition").trigger()
    assert window.desk.reading.plan.planned.disks[0].table.extended.size == 100 * GIB
    assert board.shelf().braces[0].planned
    QTest.keySequence(window, "Ctrl+Z")
    QTest.keySequence(window, "Ctrl+Z")
    assert window.desk.reading.plan.planned.disks[0].table.kind == "gpt"


def test_a_step_by_hand_that_cannot_be_says_why(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    board = window.chapter("shelf").board
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("12 parsecs", True))
    menu_line(board.hand_menu(board.shelf(), spine_middle(window, "D1")), "Resize D1").trigger()
    assert "not a unit" in window.notice.words.text()
    assert window.desk.job.by_hand == ()
    window.desk.select("W1")
    menu = board.hand_menu(board.shelf(), None)
    assert "Label W1" in menu_line(menu, "Label W1").text()
    menu_line(menu, "Flags of W1", "hidden").trigger()
    assert window.desk.reading.plan.planned.find("W1")[1].attributes == 1 << 62
    menu_line(board.hand_menu(board.shelf(), None), "Take the last step by hand back").trigger()
    assert window.desk.job.by_hand == ()
    assert board.hand_menu(board.shelf(), QPointF(5, 2)) is None


def test_what_is_not_known_follows_the_answers(window: Window) -> None:
    def lines() -> str:
        QApplication.processEvents()  # new cards are shown with the next turn of the loop
        return " ".join(one.text() for one in window.chapter("intake").findChildren(QLabel) if one.isVisibleTo(window))

    window.desk.show("intake")
    assert "boot entries; one for each loader is assumed" in lines()
    window.desk.know("mode", "legacy", "firmware")
    assert "boot entries; one for each loader is assumed" not in lines()
    QTest.keySequence(window, "Ctrl+Z")
    assert "boot entries; one for each loader is assumed" in lines()
