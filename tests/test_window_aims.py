"""The Aim chapter with mouse and keys: kinds added, numbered, answered, taken out; ways worked out beside the window and taken."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit, QPushButton
from pytestqt.qtbot import QtBot

from inkshelf.core.aims import every_aim
from inkshelf.core.checks import findings
from inkshelf.core.errors import JobError
from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.job import Job, with_aim, with_found
from inkshelf.core.sheet.candidates import Candidate
from inkshelf.core.size import GB
from inkshelf.core.value import replace
from inkshelf.ui.aim.gauge import marks
from inkshelf.ui.aim.tiles import AimTile
from inkshelf.ui.aim.ways import SmallShelf, spines
from inkshelf.ui.frame.window import Window
from windows import click


@pytest.fixture
def page(window: Window) -> object:
    found = window.desk.job.found
    bare = Disk("B", 256 * GB, model="Plover C2", serial="PC-22")
    window.desk.change(with_found(with_aim(window.desk.job, None), replace(found, disks=(*found.disks, bare))), "a second disk")
    window.desk.show("aim")
    return window.chapter("aim")


def press(page: object, kind: str) -> None:
    tile = next(one for one in page.tiles.tiles if one.kind == kind)
    QTest.mouseClick(tile, Qt.MouseButton.LeftButton)


def test_every_kind_has_a_picture_and_words(qapp: QApplication) -> None:
    assert all(kind.short and kind.title and kind.about for kind in every_aim())
    drawn = []
    for kind in every_aim():
        tile = AimTile(kind, lambda _: None)
        tile.resize(140, 66)
        image = QImage(tile.size(), QImage.Format.Format_RGB32)
        image.fill(Qt.GlobalColor.white)
        painter = QPainter(image)
        tile.render(painter)
        painter.end()
        drawn.append(bytes(image.constBits().asarray(image.sizeInBytes())))
    assert len(set(drawn)) == len(every_aim()), "no two kinds look alike"


def test_kinds_are_added_numbered_answered_and_taken_out(page: object, window: Window) -> None:
    assert "Nothing yet" in page.sentence.text()
    press(page, "own-disk")
    press(page, "give-back")
    assert [one.kind for one in window.desk.job.aims] == ["own-disk", "give-back"]
    assert {tile.kind: tile.numbers for tile in page.tiles.tiles if tile.numbers} == {"own-disk": (1,), "give-back": (2,)}
    assert "goes to S1" in page.sentence.text()
    click(page, "1 a disk of its own")
    assert "on disk B" in page.sentence.text()
    click(page, page.questions.fold.text())
    click(page, "NTFS")
    assert window.desk.job.aims[0].share == "ntfs"
    assert "Files that all systems share" not in page.questions.fold.toolTip()
    click(page, "take it out")
    assert [one.kind for one in window.desk.job.aims] == ["give-back"]
    click(window, "Undo")
    assert [one.kind for one in window.desk.job.aims] == ["own-disk", "give-back"]
    press(page, "own-disk")
    click(page, "one more of these")
    assert [one.kind for one in window.desk.job.aims] == ["own-disk", "give-back", "own-disk"]
    assert page.shown == "a3"
    press(page, "own-disk")
    assert page.shown == "a1", "a press goes on to the next one of that kind"


def test_ways_rest_while_something_is_dragged_or_nobody_looks(page: object, window: Window, qtbot: QtBot) -> None:
    press(page, "beside")
    for size in range(60, 90):
        window.desk.set_aim("room", preview=True, size_bytes=size * GB)
        assert page.ways._next.interval() > 0, "a drag starts the wait anew"
        assert not page.ways._found
    window.desk.show("shelf")
    assert not page.ways._next.isActive(), "nothing spins behind another chapter"
    window.desk.change(window.desk.job, "room")
    window.desk.show("aim")
    qtbot.waitUntil(lambda: not page.ways._next.isActive() and bool(page.ways._found), timeout=120_000)


def test_the_names_of_many_systems_go_on_in_the_next_line(page: object, window: Window, qtbot: QtBot) -> None:
    press(page, "several")
    qtbot.waitUntil(lambda: len(window.desk.job.aims) == 1, timeout=120_000)
    job = window.desk.job
    many = ("linux-light", "linux-rolling", "linux-desktop", "linux-heavy", "nt-desktop")
    window.desk.change(with_aim(job, replace(job.aims[0], systems=many)), "more of them")
    for _ in range(20):
        QApplication.processEvents()
    row = page.questions.rows["systems"]
    names = [one for one in row.findChildren(QPushButton) if one.text().endswith("\N{MULTIPLICATION SIGN}")]
    assert len(names) == len(many)
    edges = [one.mapTo(page, one.rect().bottomRight()).x() for one in names]
    assert max(edges) < page.width()
    assert len({one.mapTo(page, one.rect().topLeft()).y() for one in names}) > 1, "they do not fit into one line"
    assert all(one.width() >= one.sizeHint().width() for one in names), "none is cut off"
    tiles = [one.mapTo(page, one.rect().topRight()).x() for one in page.tiles.tiles]
    assert max(tiles) < page.width()
    words = " ".join(one.text() for one in page.questions.findChildren(QLabel))
    assert "usual here: Linux desktop, Light Linux desktop" in words


def test_systems_of_an_emptied_disk_are_added_and_taken_out(page: object, window: Window, qtbot: QtBot) -> None:
    press(page, "clean")
    click(page, page.questions.fold.text())
    more = page.questions.rows["systems"].findChildren(
        type(page.questions._list(page.questions._aim.questions(window.desk.job.found)[0], "", print))
    )[-1]
    more.setFocus()
    qtbot.keyClick(more, Qt.Key.Key_Down)
    assert len(window.desk.job.aims[0].systems) == 2
    click(page, "Linux desktop \N{MULTIPLICATION SIGN}")
    assert len(window.desk.job.aims[0].systems) == 1


def test_what_cannot_be_is_said_and_the_other_aims_stay(page: object, window: Window, qtbot: QtBot) -> None:
    press(page, "table")
    assert "Choose another disk, or the other table" in page.fault.text()
    assert not page.go.isEnabled()
    assert page.go.toolTip() == window.desk.job.plan_fault
    assert page.ways.title.text() == "Ways out"
    qtbot.waitUntil(lambda: page.ways.state.text().startswith("no other answer leads out of it"), timeout=120_000)
    click(page, "take it out")
    assert not page.fault.isVisible()


def test_ways_are_worked_out_and_one_is_taken_with_its_reason(page: object, window: Window, qtbot: QtBot) -> None:
    press(page, "own-disk")
    qtbot.waitUntil(lambda: "none is better" in page.ways.state.text(), timeout=120_000)
    click(page.ways, "take this one")
    why = next(one for one in page.ways.findChildren(QLineEdit) if one.isVisible())
    before = window.desk.job
    QTest.keyClicks(why, "the case is open anyway")
    QTest.keyClick(why, Qt.Key.Key_Return)
    after = window.desk.job
    assert after.aims != before.aims
    assert after.reasons[-1].endswith(": the case is open anyway")
    click(window, "Undo")
    assert window.desk.job == before


def test_a_way_out_is_taken_and_the_plan_can_be(page: object, window: Window, qtbot: QtBot) -> None:
    press(page, "own-disk")
    click(page, page.questions.fold.text())
    size = page.questions.sizes["size"]
    size.setText("")
    QTest.keyClicks(size, "900 GiB")
    QTest.keyClick(size, Qt.Key.Key_Return)
    assert window.desk.job.plan_fault
    qtbot.waitUntil(lambda: "cheapest first" in page.ways.state.text(), timeout=120_000)
    click(page.ways, "take this one")
    why = next(one for one in page.ways.findChildren(QLineEdit) if one.isVisible())
    QTest.keyClick(why, Qt.Key.Key_Return)
    assert not window.desk.job.plan_fault
    assert page.go.isEnabled()


@pytest.mark.parametrize("width", [40.0, 210.0, 900.0])
def test_a_small_shelf_has_every_volume_inside_it(window: Window, width: float) -> None:
    disk = window.desk.reading.plan.planned.disks[0]
    placed = spines(disk, width)
    assert [one[0] for one in placed] == [one.call for one in disk.volumes]
    at = 0.0
    for _, left, wide, level, _ in placed:
        assert left >= at - 0.01
        assert wide > 0
        assert 0 <= level <= 1
        at = left + wide
    assert at <= width + 0.01
    assert "S1" in SmallShelf(disk).accessibleName()


def test_what_takes_long_is_planned_beside_the_window(page: object, window: Window, qtbot: QtBot) -> None:
    press(page, "several")
    assert page.sentence.text() == "Being worked out …"
    assert not page.tiles.isEnabled()
    assert window.desk.job.aims == (), "nothing is in the job before it is planned"
    press(page, "several")
    qtbot.waitUntil(lambda: page._task is None, timeout=120_000)
    assert [one.kind for one in window.desk.job.aims] == ["several"], "one press is one aim"
    assert page.tiles.isEnabled()
    where: list[int] = []
    really = window.desk.try_answer
    window.desk.try_answer = lambda *said: (where.append(threading.get_ident()), really(*said))
    click(page, page.questions.fold.text())
    page._answer("moves", "yes")
    qtbot.waitUntil(lambda: page._task is None, timeout=120_000)
    assert window.desk.job.aims[0].moves == "yes"
    assert where
    assert threading.get_ident() not in where, "the window's own thread went on meanwhile"
    click(window, "Undo")
    assert window.desk.job.aims[0].moves == "no"
    qtbot.waitUntil(lambda: page.ways.task is None and page.ways._working is None, timeout=60_000)
    assert page.ways._ways


def test_ways_that_cannot_be_worked_out_to_the_end_are_not_said_to_be_in_full(
    page: object, window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def breaks(_: Job) -> Iterator[Candidate]:
        raise JobError("this one is odd", "")
        yield

    monkeypatch.setattr("inkshelf.ui.aim.ways.worked_out", breaks)
    press(page, "several")
    qtbot.waitUntil(lambda: page._task is None, timeout=120_000)
    qtbot.waitUntil(lambda: page.ways.task is None and page.ways._working is None, timeout=60_000)
    assert page.ways.state.text() == "not worked out to the end: this one is odd"


def test_a_change_meanwhile_is_not_written_over(page: object, window: Window, qtbot: QtBot) -> None:
    press(page, "several")
    window.desk.change(replace(window.desk.job, owner="someone else"), "owner")
    qtbot.waitUntil(lambda: page._task is None, timeout=120_000)
    assert window.desk.job.owner == "someone else"
    assert window.desk.job.aims == (), "what was pressed belonged to a job that is not there any more"
    assert window.desk.notice is not None
    assert "was not done" in window.desk.notice.what
    window.close()


@pytest.mark.parametrize(
    ("key", "answer"),
    [("system", "linux-legacy"), ("encryption", "home"), ("home", "lvm"), ("divides", "divider"), ("system", "nt-desktop")],
)
@pytest.mark.parametrize("size", ["", "70GiB"])
def test_any_answer_is_drawn_or_said_to_be_impossible(window: Window, key: str, answer: str, size: str) -> None:
    """An answer that leads to no plan leaves a page that can be read, and the way back."""
    desk = window.desk
    desk.show("aim")
    page = window.chapter("aim")
    shown = desk.job.aims[0].id
    if size:
        desk.answer_aim(shown, "size", size)
    desk.answer_aim(shown, key, answer)
    window.grab()
    page.grab()
    assert marks(desk) is not None or desk.job.plan_fault
    assert findings(desk.reading)
    if desk.job.plan_fault:
        assert page.fault.text() == desk.job.plan_fault  # type: ignore[attr-defined]
        desk.undo()
        assert not desk.job.plan_fault
