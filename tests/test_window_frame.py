"""The frame around the chapters: commands, inking, files, what is remembered, small screens."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QLineEdit, QPushButton, QScrollArea, QWidget
from pytestqt.qtbot import QtBot

from inkshelf.bench import demo
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from inkshelf.ui import rescue, theme
from inkshelf.ui.chapters import KEYS
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame import settings as remembered
from inkshelf.ui.frame.actions import ACTIONS
from inkshelf.ui.frame.margin import Margin, Note
from inkshelf.ui.frame.overlays import CommandPalette, KeysOverlay
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.parts import OneLine
from windows import click, settled


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


def test_what_does_not_agree_comes_first_and_says_what_to_do(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    from inkshelf.bench import installers

    monkeypatch.setattr(installers, "put_root", lambda path, step: None)
    click(window, "Ink on the bench")
    with qtbot.waitSignal(window.worker.inked, timeout=120_000) as caught:
        pass
    qtbot.waitUntil(lambda: not window.inking)
    assert not caught.args[0].verified
    page = window.ink_page
    assert "do NOT agree" in page.words.text()
    assert page.words.property("bad")
    assert not page.bar.isVisible()

    def shown() -> list[str]:
        return [one.text() for one in page.findChildren(QLabel) if one.isVisible()]

    qtbot.waitUntil(lambda: any("The source image is untouched" in one for one in shown()))
    said = shown()
    first = said.index("✗")
    assert first < said.index("✓")
    assert said[first + 1 : first + 3] == ["S2: as predicted", "holds: predicted Linux desktop, read none"]


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


def test_of_which_job_inking_was_is_said_where_another_one_is_opened_meanwhile(window: Window, qtbot: QtBot) -> None:
    """“All agree” of one job never stands under the name of another, and nobody goes on with the wrong one."""
    mine, page = replace(window.desk.job, owner="Marrow & Finch", title="first"), window.ink_page
    window.desk.replace_job(mine, None)
    window.run("plan.ink")
    assert "Marrow & Finch, first" in page.sub.text()
    assert page.aside.isHidden()
    window.desk.replace_job(replace(mine, seed="another", owner="Tarn School", title="second"), None)
    assert page.aside.isVisible()
    with qtbot.waitSignal(window.worker.inked, timeout=120_000) as caught:
        pass
    qtbot.waitUntil(lambda: not window.inking)
    assert caught.args[0].verified
    assert "agree with the prediction" in page.words.text()
    assert "Marrow & Finch, first" in page.aside.text()
    assert page.to_sheet.isHidden()
    window.desk.replace_job(mine, None)
    assert page.aside.isHidden()
    assert not page.to_sheet.isHidden()
    window.desk.change(replace(mine, steps=mine.steps[:-1]), "one step less")
    assert "was changed since" in page.aside.text()
    assert page.to_sheet.isHidden()


def test_what_was_cut_is_gone_on_with_for_its_own_job_only(window: Window, qtbot: QtBot) -> None:
    mine = window.desk.job
    window.run("plan.ink")
    page = window.ink_page
    window.desk.replace_job(replace(mine, seed="another", title="second"), None)
    with qtbot.waitSignal(window.worker.failed, timeout=120_000):
        click(page, "Cancel")
    qtbot.waitUntil(lambda: not window.inking)
    assert page.go_on.isHidden()
    window.desk.replace_job(mine, None)
    assert not page.go_on.isHidden()
    with qtbot.waitSignal(page.bar.valueChanged, timeout=60_000):
        click(page, "Go on from there")
    qtbot.waitUntil(lambda: not window.inking, timeout=120_000)
    qtbot.waitUntil(lambda: "agree with the prediction" in page.words.text())


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
    for key in KEYS:
        window.desk.show(key)
        QApplication.processEvents()
    window.desk.show("intake")
    assert not window.desk.job.found.disks
    assert "Findings" in " ".join(one.text() for one in window.margin.findChildren(QLabel))
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
    settled(window)


def test_files_are_written_and_opened_by_way_of_dialogs(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    names = iter(
        [
            tmp_path / "sheet.pdf",
            tmp_path / "sheet.html",
            tmp_path / "script.sh",
            tmp_path / "sheet.md",
            tmp_path / "copy.json",
            tmp_path / "no" / "where.html",
        ]
    )
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(next(names)), ""))
    window.desk.show("sheet")
    for words in ("PDF…", "HTML…"):
        click(window.chapter("sheet"), words)
        settled(window)
    next(one for one in window.chapter("sheet").more.actions() if "script" in one.text()).trigger()
    settled(window)
    click(window.chapter("sheet"), "More")
    markdown, copied = [one for one in window.chapter("sheet").more.actions() if "Markdown" in one.text()]
    markdown.trigger()
    window.run("job.save-as")
    settled(window)
    written = ("sheet.pdf", "sheet.html", "sheet.md", "script.sh", "copy.json")
    assert all((tmp_path / name).stat().st_size > 1000 for name in written)
    click(window.chapter("sheet"), "HTML…")
    assert "cannot be written" in window.notice.words.text()
    copied.trigger()
    assert "# layout desk" in QGuiApplication.clipboard().text()
    (tmp_path / "later.json").write_text((tmp_path / "copy.json").read_text().replace('"version": 4', '"version": 9'))
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


def test_a_page_that_nobody_saw_takes_the_theme_on_when_it_is_shown(window: Window) -> None:
    for key in ("intake", "aim", "shelf"):
        window.desk.show(key)
    try:
        for name in ("slate", "paper"):
            window.set_theme(name)
            ink = theme.THEMES[name].color("ink").name()
            for key in ("shelf", "intake", "aim"):
                window.desk.show(key)
                QApplication.processEvents()
                page = window.pages.currentWidget()
                assert page is window.chapter(key)
                tints = {one.palette().windowText().color().name() for one in page.findChildren(QLabel) if one.isVisible()}
                assert ink in tints, (name, key)
                other = next(theme.THEMES[one].color("ink").name() for one in ("slate", "paper") if one != name)
                assert other not in tints, "no label is left in the ink of the other theme"
            small = [one for one in window.margin.findChildren(QPushButton) if one.isVisible()]
            assert small
            assert all(one.width() >= one.sizeHint().width() for one in small), "no button is cut"
    finally:
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
    for key in KEYS:
        window.desk.show(key)
        QApplication.processEvents()
        for one in window.pages.currentWidget().findChildren(QPushButton):
            if one.isVisible():
                assert one.width() >= min(one.sizeHint().width(), one.minimumSizeHint().width()), (key, one.text())
        for one in window.pages.currentWidget().findChildren(QLabel):
            if one.isVisible() and not one.wordWrap() and not isinstance(one, OneLine):
                assert one.width() >= one.sizeHint().width(), (key, one.text())
        for one in window.pages.currentWidget().findChildren(QScrollArea):
            if one.isVisible():
                assert one.widget().width() <= one.viewport().width(), key
    assert window.width() == size[0]
    window.run("view.margin")


def test_everything_that_takes_the_keyboard_has_a_name(window: Window) -> None:
    for key in KEYS:
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
