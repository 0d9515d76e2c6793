"""Bench mode, driven by keys and mouse: one step, the next with one key, a clock, values that are found, and nothing noted is ever lost."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtGui import QGuiApplication, QImage
from PyQt6.QtWidgets import QApplication, QLabel, QMenu, QPushButton
from pytestqt.qtbot import QtBot

from inkshelf.core.plan.job import with_aim
from inkshelf.core.sheet.atwork import of_gone_steps
from inkshelf.core.sheet.papercode import paper_code
from inkshelf.core.steps.kinds import Shrink
from inkshelf.core.work.worked import Worked, worked
from inkshelf.store import jobfile, kept
from inkshelf.ui.benchmode.page import BenchMode
from inkshelf.ui.benchmode.paper import PaperEntry
from inkshelf.ui.frame.window import Window
from windows import settled

T0 = 1_764_590_000


class Clock:
    now = T0

    def __call__(self) -> int:
        return self.now


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def page(window: Window, clock: Clock) -> Iterator[BenchMode]:
    desk = window.desk
    window.desk.show("sheet")
    over = window.centralWidget()
    assert over is not None
    made = BenchMode(desk, over, clock)
    made.open_over()
    yield made
    made.timer.stop()


def state(page: BenchMode, clock: Clock) -> Worked:
    return worked(page.desk.job.work, clock.now)


def press(page: BenchMode, qtbot: QtBot, *keys: Qt.Key) -> None:
    for key in keys:
        qtbot.keyClick(page, key)


def test_one_key_begins_ends_and_goes_on_and_the_clock_is_for_one_step(page: BenchMode, qtbot: QtBot, clock: Clock) -> None:
    first, second = (step.id for step in page.desk.job.steps[:2])
    assert page.foot.go.text().startswith("Begin")
    press(page, qtbot, Qt.Key.Key_Space)
    clock.now += 222
    page.tick()
    assert page.foot.step.figure.text() == "3:42"
    press(page, qtbot, Qt.Key.Key_Space)
    assert page.at == 1
    assert state(page, clock).running == second, "the next one begins by itself"
    assert first in page.desk.job.done
    press(page, qtbot, Qt.Key.Key_Left)
    assert (page.at, page.foot.pause.isEnabled()) == (0, False), "looking at another step stops no clock"
    assert state(page, clock).running == second
    press(page, qtbot, Qt.Key.Key_End)
    assert page.at == len(page.rows) - 1
    press(page, qtbot, Qt.Key.Key_Home)
    assert page.at == 0
    window = page.window()
    assert isinstance(window, Window)
    settled(window)
    assert jobfile.load(page.desk.path or Path()).work == page.desk.job.work, "it is kept at once"


def test_a_pause_has_a_reason_and_is_no_work(page: BenchMode, qtbot: QtBot, clock: Clock) -> None:
    press(page, qtbot, Qt.Key.Key_Space)
    clock.now += 60
    press(page, qtbot, Qt.Key.Key_P)
    menu = page.foot.findChildren(QMenu)[-1]
    next(one for one in menu.actions() if "customer" in one.text()).trigger()
    clock.now += 3600
    page.tick()
    assert page.foot.step.title.text() == "stands: waiting for the customer"
    assert page.foot.step.figure.text() == "1:00"
    press(page, qtbot, Qt.Key.Key_P)
    clock.now += 30
    one = state(page, clock).step(page.one.row.step)
    assert (one.seconds, one.waited) == (90, (("customer", 3600),))


def say(page: BenchMode, qtbot: QtBot, words: str, text: str) -> None:
    """Choose a line of the menu "Other", and write the reason."""
    menu = page.others()
    next(one for one in menu.actions() if words in one.text()).trigger()
    page.foot.reason.line.setText(text)
    qtbot.keyClick(page.foot.reason.line, Qt.Key.Key_Return)


def test_a_step_fails_is_left_out_or_done_otherwise_only_with_a_reason(page: BenchMode, qtbot: QtBot, clock: Clock) -> None:
    step = page.one.row.step
    say(page, qtbot, "failed", "  ")
    assert state(page, clock).step(step).stands == "open"
    assert page.desk.notice is not None
    say(page, qtbot, "failed", "the maker's site is down")
    assert (page.at, state(page, clock).step(step).stands) == (0, "failed"), "one stays where it failed"
    say(page, qtbot, "another", "from the shop's own copy")
    assert (page.at, step in page.desk.job.done) == (1, True)
    say(page, qtbot, "Leave", "the owner brought a stick")
    assert page.at == 2
    page.go_to(0)
    page.reopen()
    assert step not in page.desk.job.done
    assert len(page.desk.job.work) == 4, "what was taken back is still written down"


def at_shrink(page: BenchMode) -> int:
    place = next(at for at, step in enumerate(page.desk.job.steps) if isinstance(step, Shrink))
    page.go_to(place)
    return place


def test_too_little_in_the_box_stops_and_is_planned_again_with_nothing_lost(
    page: BenchMode, qtbot: QtBot, clock: Clock
) -> None:
    press(page, qtbot, Qt.Key.Key_Space, Qt.Key.Key_Space)
    page.add_note("the lid must stay open")
    at_shrink(page)
    press(page, qtbot, Qt.Key.Key_Space)
    press(page, qtbot, Qt.Key.Key_F)
    line = page.step.asks[0].line
    qtbot.keyClicks(line, "120 000")
    assert "less than needed" in page.step.asks[0].words.text()
    page.setFocus()
    press(page, qtbot, Qt.Key.Key_Space)
    assert page.one.work.stands == "open", "it is not done with that"
    noted, done = page.desk.job.work, page.desk.job.done
    qtbot.mouseClick(page.step.asks[0].plan, Qt.MouseButton.LeftButton)
    (take,) = [one for one in page.step.findChildren(QPushButton) if one.text().startswith("Take ")]
    qtbot.mouseClick(take, Qt.MouseButton.LeftButton)
    assert not page.desk.job.plan_fault
    assert page.desk.job.work[: len(noted)] == noted
    assert page.desk.job.done == done
    assert page.step.asks[0].line.text() == "120 000", "what was found stands there still"
    assert "less" not in page.step.asks[0].words.text()
    page.desk.undo()
    page.desk.undo()
    assert page.desk.job.work[: len(noted)] == noted, "going back in the plan takes back no work"


def test_files_pictures_and_texts_are_kept_beside_the_job(page: BenchMode, qtbot: QtBot, tmp_path: Path) -> None:
    source = tmp_path / "odd name; rm -rf.PNG"
    image = QImage(40, 30, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.darkGreen)
    image.save(str(source), "PNG")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(source))])
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    clipboard.setMimeData(data)
    qtbot.keyClick(page, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    clipboard.setText("first line\nsecond line")
    qtbot.keyClick(page, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    one = page.one.work
    assert one.notes == ("first line", "second line")
    (file,) = one.files
    place = page.place_of(file)
    assert place.parent == kept.folder_of(page.desk.path or Path())
    assert (place.read_bytes(), place.suffix) == (source.read_bytes(), ".png")
    page.keep(tmp_path)
    assert page.desk.notice is not None
    assert page.one.work.files == (file,)
    page.desk.path = None
    page.keep(source)
    assert "no file yet" in page.desk.notice.what


def test_leaving_lets_the_clock_stand_and_coming_back_is_where_one_was(page: BenchMode, qtbot: QtBot, clock: Clock) -> None:
    press(page, qtbot, Qt.Key.Key_Space, Qt.Key.Key_Space)
    clock.now += 50
    press(page, qtbot, Qt.Key.Key_Escape)
    assert page.desk.chapter == "sheet"
    clock.now += 7200
    over = page.parentWidget()
    assert over is not None
    again = BenchMode(page.desk, over, clock)
    again.open_over()
    assert again.at == 1
    assert again.foot.go.text().startswith("Go on")
    assert state(again, clock).step(again.one.row.step).seconds == 50
    again.timer.stop()


def test_closing_the_window_lets_the_clock_stand_and_what_is_gone_from_the_plan_is_still_told(
    page: BenchMode, qtbot: QtBot, clock: Clock
) -> None:
    at_shrink(page)
    press(page, qtbot, Qt.Key.Key_Space)
    page.add_note("the page file is in the way")
    step = page.one.row.step
    clock.now += 90
    window = page.window()
    window.close()
    clock.now += 60
    assert state(page, clock).paused == "closed"
    assert state(page, clock).step(step).seconds == 90
    other = with_aim(page.desk.job, None)
    assert other.steps == ()
    (told,) = of_gone_steps(other)
    assert told == "shrink S1: the page file is in the way; 2 min"


def test_a_press_on_the_strip_goes_to_a_step_and_small_windows_cut_no_key(page: BenchMode, qtbot: QtBot) -> None:
    wide = page.strip.width() / len(page.rows)
    qtbot.mouseClick(page.strip, Qt.MouseButton.LeftButton, pos=QPoint(int(wide * 4.5), 8))
    assert page.at == 4
    window = page.window()
    window.resize(853, 533)
    page.go_to(19)
    QApplication.processEvents()
    for key in (page.foot.go, page.foot.other, page.foot.pause):
        right = key.mapTo(page, key.rect().topRight()).x()
        assert right <= page.width(), "every key is within the window"
    for one in (page.foot.step.figure, page.foot.step.word, page.foot.ready.figure):
        assert one.width() >= one.sizeHint().width(), (one.text(), "no figure is cut")
    numbers = [one for one in page.step.findChildren(QLabel) if one.text() == "20"]
    assert [one.width() >= one.fontMetrics().horizontalAdvance("20") for one in numbers] == [True]


def test_a_filled_paper_is_entered_with_one_key_a_step(page: BenchMode, qtbot: QtBot, clock: Clock) -> None:
    page.leave()
    paper = PaperEntry(page.window(), page.desk, clock)
    paper.open_over()
    qtbot.keyClicks(paper.line, paper_code(page.desk.job))
    qtbot.keyClick(paper.line, Qt.Key.Key_Return)
    assert paper.at == 0
    for _ in paper.rows:
        qtbot.keyClick(paper.line, Qt.Key.Key_Return)
    assert len(page.desk.job.done) == len(page.desk.job.steps)
    qtbot.keyClicks(paper.line, "x what")
    qtbot.keyClick(paper.line, Qt.Key.Key_Return)
    assert paper.line.text() == "x what", "what cannot stand there stays to be mended"
    assert paper.words.property("bad")
