"""The real window, driven by mouse and keys, as a technician would."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QGuiApplication
from PyQt6.QtTest import QAbstractItemModelTester, QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from inkshelf.bench import demo
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Shrink
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from inkshelf.ui import rescue, theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame import settings as remembered
from inkshelf.ui.frame.actions import ACTIONS
from inkshelf.ui.frame.contents import CHAPTERS, ROW, TOP
from inkshelf.ui.frame.margin import Margin, Note
from inkshelf.ui.frame.overlays import CommandPalette, KeysOverlay
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.sheetview.chapter import SheetModel
from inkshelf.ui.shelf import painter as drawn
from inkshelf.ui.start import application


@pytest.fixture(scope="session")
def qapp() -> QApplication:
    app = application()
    theme.apply(app, "paper")
    return app


@pytest.fixture
def window(qtbot: QtBot, job: Job, tmp_path: Path) -> Window:
    made = Window(Desk(job, tmp_path / "job.json"), Settings(), tmp_path / "settings.json")
    made.bench_folder = tmp_path / "bench"
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    made.desk.show("shelf")
    QApplication.processEvents()
    return made


def click(widget: QWidget, words: str) -> None:
    """Click the button with these words, as a person finds it."""
    QApplication.processEvents()
    found = [one for one in widget.findChildren(QPushButton) if one.text().replace("&&", "&") == words and one.isVisible()]
    assert found, words
    QTest.mouseClick(found[0], Qt.MouseButton.LeftButton)


def shrunk_to(window: Window) -> int:
    return next(step.to_bytes for step in window.desk.job.steps if isinstance(step, Shrink))


def test_the_contents_open_chapters_by_mouse_and_keys(window: Window) -> None:
    for row, (key, _) in enumerate(CHAPTERS):
        QTest.mouseClick(window.contents, Qt.MouseButton.LeftButton, pos=QPoint(60, TOP + row * ROW + 15))
        assert window.desk.chapter == key
        assert window.pages.currentWidget() is window.chapter(key)
    QTest.keyClick(window.contents, Qt.Key.Key_Up)
    assert window.desk.chapter == "start"
    QTest.keySequence(window, "Ctrl+3")
    assert window.desk.chapter == "shelf"


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
    aim.size.setFocus()
    aim.size.selectAll()
    QTest.keyClicks(aim.size, "12 parsecs")
    assert "not a unit" in aim.said.text()
    before = window.desk.job
    QTest.keyClick(aim.size, Qt.Key.Key_Return)
    assert window.desk.job == before
    aim.size.selectAll()
    QTest.keyClicks(aim.size, "90 GiB")
    assert aim.said.text() == ""
    QTest.keyClick(aim.size, Qt.Key.Key_Return)
    assert window.desk.job.aim.size_bytes == 90 * GIB
    aim.size.selectAll()
    QTest.keyClicks(aim.size, "400 GiB")
    QTest.keyClick(aim.size, Qt.Key.Key_Return)
    assert "At most" in aim.fault.text()
    click(window.margin, "Take 213.2 GiB")
    assert window.desk.job.steps


def test_schools_are_chosen_by_clicking(window: Window) -> None:
    window.desk.show("aim")
    aim = window.chapter("aim")
    click(aim, "shared")
    click(aim, "together")
    click(aim, "none")
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


def test_steps_are_ticked_by_mouse_and_space(window: Window) -> None:
    window.desk.show("sheet")
    QApplication.processEvents()
    view = window.chapter("sheet").view
    rect = view.visualRect(view.model().index(1))
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=rect.topLeft() + QPoint(12, 16))
    assert window.desk.job.ticked == (2,)
    view.setCurrentIndex(view.model().index(0))
    QTest.keyClick(view, Qt.Key.Key_Space)
    assert window.desk.job.ticked == (1, 2)
    QTest.keyClick(view, Qt.Key.Key_Space)
    assert window.desk.job.ticked == (2,)
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
    last = table.width() - 20
    QTest.mouseClick(table, Qt.MouseButton.LeftButton, pos=QPoint(last, 30))
    assert start.mishap == "nt-updated"
    assert "one-time menu" in start.detail.text()
    QTest.keyClick(table, Qt.Key.Key_Left)
    assert start.mishap == "firmware-reset"
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


def test_the_palette_finds_and_runs_a_command(window: Window, qtbot: QtBot) -> None:
    QTest.keySequence(window, "Ctrl+K")
    palette = window.findChild(CommandPalette)
    QTest.keyClicks(palette.line, "gib")
    QTest.keyClick(palette.line, Qt.Key.Key_Return)
    assert window.desk.job.unit == "GB"
    assert len({one.keys for one in ACTIONS if one.keys}) == len([one for one in ACTIONS if one.keys]), "no key does two things"
    window.run("edit.redo")
    assert "nothing to redo" in window.notice.words.text()
    window.open_keys()
    assert window.findChild(KeysOverlay) is not None


def test_inking_runs_beside_the_window_and_shows_every_comparison(window: Window, qtbot: QtBot) -> None:
    click(window, "Ink on the bench")
    assert window.inking
    assert not next(made for made, action in window._buttons if action.id == "plan.ink").isEnabled()
    with qtbot.waitSignal(window.worker.inked, timeout=120_000) as caught:
        pass
    assert caught.args[0].verified
    qtbot.waitUntil(lambda: not window.inking)
    assert "agree with the prediction" in window.ink_page.words.text()
    click(window.ink_page, "Back to the shelf")
    assert window.pages.currentWidget() is window.chapter("shelf")


def test_inking_is_cancelled(window: Window, qtbot: QtBot) -> None:
    window.run("plan.ink")
    with qtbot.waitSignal(window.worker.failed, timeout=120_000) as caught:
        click(window.ink_page, "Cancel")
    assert "Cancelled" in caught.args[0]
    qtbot.waitUntil(lambda: not window.inking)
    assert "source image is untouched" in caught.args[1]
    with qtbot.waitSignal(window.ink_page.bar.valueChanged, timeout=60_000):
        click(window.ink_page, "Go on from there")
    qtbot.waitUntil(lambda: not window.inking, timeout=120_000)
    qtbot.waitUntil(lambda: "agree with the prediction" in window.ink_page.words.text())
    window.run("plan.resume")
    assert "nothing was cut" in window.notice.words.text()


def test_a_file_that_vanished_is_said_on_the_inking_page(window: Window, qtbot: QtBot) -> None:
    gone = tuple(replace(one, path="/nowhere.img") if one.kind == "image" else one for one in window.desk.job.sources)
    window.desk.change(replace(window.desk.job, sources=gone), "x")
    window.run("plan.ink")
    qtbot.waitUntil(lambda: "not there" in window.ink_page.words.text(), timeout=60_000)
    qtbot.waitUntil(lambda: not window.inking)


def test_an_empty_window_says_what_to_do_and_takes_dropped_files(
    qtbot: QtBot, qapp: QApplication, tmp_path: Path, demo_files: tuple[Path, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(remembered, "data_folder", lambda: tmp_path / "data")
    window = Window(Desk(), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(window)
    window.show()
    for key, _ in CHAPTERS:
        window.desk.show(key)
        QApplication.processEvents()
    window.desk.show("intake")
    assert not window.desk.job.found.disks
    (tmp_path / "bad.img").write_text("hello")
    (tmp_path / "other.json").write_text("{}")
    for path, says in (
        (tmp_path / "bad.img", "too small"),
        (tmp_path / "other.json", "none of the texts"),
        (tmp_path / "gone.img", "not there"),
    ):
        _drop(window, path)
        assert says in window.notice.words.text()
    _drop(window, demo_files[1])
    assert window.desk.job.found.disks[0].serial == demo.SERIAL
    used = next(one for one in window.chapter("intake").findChildren(QLineEdit) if "used space of S1" in one.accessibleName())
    QTest.keyClicks(used, "188 GiB")
    QTest.keyClick(used, Qt.Key.Key_Return)
    assert window.desk.job.found.find("S1")[1].used == 188 * GIB
    _drop(window, demo_files[0])
    assert window.desk.job.found.disks[0].serial == demo.SERIAL
    assert window.desk.job.found.find("S1")[1].filesystem.hibernated
    assert window.desk.path.exists()
    _drop(window, window.desk.path)
    assert window.desk.job.found.find("S1")


def _drop(window: Window, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    window.dropEvent(
        QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    )


def test_files_are_written_and_opened_by_way_of_dialogs(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    names = iter(
        [
            tmp_path / "sheet.html",
            tmp_path / "sheet.md",
            tmp_path / "script.sh",
            tmp_path / "copy.json",
            tmp_path / "no" / "where.html",
        ]
    )
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(next(names)), ""))
    window.desk.show("sheet")
    for words in ("HTML…", "Markdown…", "Script…"):
        click(window.chapter("sheet"), words)
    window.run("job.save-as")
    assert all((tmp_path / name).stat().st_size > 1000 for name in ("sheet.html", "sheet.md", "script.sh", "copy.json"))
    click(window.chapter("sheet"), "HTML…")
    assert "cannot be written" in window.notice.words.text()
    click(window.chapter("sheet"), "Copy")
    assert "# layout desk" in QGuiApplication.clipboard().text()
    (tmp_path / "later.json").write_text((tmp_path / "copy.json").read_text().replace('"version": 1', '"version": 5'))
    opened = iter([tmp_path / "later.json", tmp_path / "copy.json"])
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(next(opened)), ""))
    before = window.desk.job
    window.run("job.open")
    assert "later Ink Shelf" in window.notice.words.text()
    assert window.desk.job == before
    window.run("job.open")
    assert window.desk.path == tmp_path / "copy.json"
    window.run("job.new")
    assert window.desk.job.found.disks == ()


def test_what_was_open_is_remembered(window: Window, tmp_path: Path) -> None:
    window.toggle_theme()
    assert theme.current().name == "slate"
    window.desk.show("aim")
    window.close()
    kept = remembered.load(tmp_path / "settings.json")
    assert (kept.theme, kept.chapter, kept.job) == ("slate", "aim", str(tmp_path / "job.json"))
    (tmp_path / "settings.json").write_text("{")
    assert remembered.load(tmp_path / "settings.json") == Settings()
    window.set_theme("paper")


def test_a_crash_saves_the_work_first(window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    rescue.install(window.desk, tmp_path / "rescued")
    try:
        raise ZeroDivisionError("a fault of ours")
    except ZeroDivisionError as error:
        sys.excepthook(type(error), error, error.__traceback__)
    saved = list((tmp_path / "rescued").glob("*.job.json"))
    assert jobfile.load(saved[0]) == window.desk.job
    assert "a fault of ours" in next((tmp_path / "rescued").glob("*.txt")).read_text()
    assert str(saved[0]) in window.notice.words.text()


@pytest.mark.parametrize("size", [(840, 520), (1000, 640), (1280, 800), (1920, 1080)])
def test_nothing_is_cut_at_any_size(window: Window, size: tuple[int, int]) -> None:
    window.resize(*size)
    QApplication.processEvents()
    for key, _ in CHAPTERS:
        window.desk.show(key)
        QApplication.processEvents()
        for one in window.pages.currentWidget().findChildren(QPushButton):
            if one.isVisible():
                assert one.width() >= min(one.sizeHint().width(), one.minimumSizeHint().width()), (key, one.text())
    assert window.width() == size[0]
    window.run("view.margin")


def test_everything_that_takes_the_keyboard_has_a_name(window: Window) -> None:
    for key, _ in CHAPTERS:
        window.desk.show(key)
        for one in window.findChildren(QWidget):
            if one.focusPolicy() != Qt.FocusPolicy.NoFocus and one.isVisible() and not one.accessibleName():
                assert isinstance(one, QPushButton) or type(one).__name__ in {"QScrollArea", "QWidget", "QLabel"}, (
                    key,
                    type(one).__name__,
                    one.objectName(),
                )


def test_a_drag_keeps_the_notes_that_did_not_change(window: Window) -> None:
    margin: Margin = window.margin
    before = {note.finding.key: note for note in margin.findChildren(Note)}
    board = window.chapter("shelf").board
    board.setFocus()
    QTest.keyClick(board, Qt.Key.Key_Left)
    after = {note.finding.key: note for note in margin.findChildren(Note)}
    assert sum(after.get(key) is note for key, note in before.items()) >= len(before) - 2


def test_the_desk_refuses_to_lose_a_save(job: Job, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    desk = Desk(job, tmp_path / "file" / "job.json")
    heard: list[str] = []
    desk.subscribe(heard.append)
    desk.set_aim("x", size_bytes=50 * GIB)
    assert desk.job == with_aim(job, replace(job.aim, size_bytes=50 * GIB))
    assert "notice" in heard
    assert desk.notice.bad
