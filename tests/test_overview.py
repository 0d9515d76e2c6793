"""All disks on one screen, and the key to the hatches: what is drawn, what mouse and keys do."""

from __future__ import annotations

import typing
from itertools import pairwise

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter
from PyQt6.QtTest import QTest

from inkshelf.core.aims.owning import OwnDisk
from inkshelf.core.machine.state import Disk, Role
from inkshelf.core.plan.job import and_aim, with_aim, with_found
from inkshelf.core.size import GB, GIB
from inkshelf.core.value import replace
from inkshelf.ui.frame.window import Window
from inkshelf.ui.shelf.key import HatchKey, Swatch
from inkshelf.ui.shelf.overview import LEAST, AllDisks
from windows import click


@pytest.fixture
def overview(window: Window) -> AllDisks:
    found = window.desk.job.found
    others = tuple(Disk(letter, 256 * GB, model="Plover C2", serial=f"PC-{letter}") for letter in "BCD")
    job = with_found(with_aim(window.desk.job, None), replace(found, disks=(*found.disks, *others)))
    for letter in "BCD":
        job = and_aim(job, OwnDisk(disk=letter, what_is_there="erase", size_bytes=80 * GIB, home="apart", share="ntfs"))
    window.desk.change(job, "three more disks")
    window.desk.show("shelf")
    click(window.chapter("shelf"), "all disks")
    return window.chapter("shelf").all_disks


def test_four_disks_stand_one_below_the_other_and_nothing_is_cut_off(overview: AllDisks, window: Window) -> None:
    bands = overview.bands()
    assert [band.disk.id for band in bands] == ["A", "B", "C", "D"]
    assert not window.chapter("shelf").board.isVisible()
    feet = [band.strip for band in bands]
    assert all(later - earlier >= LEAST for earlier, later in pairwise(feet))
    assert overview.height() >= bands[-1].strip + LEAST
    for band in bands:
        for spine in band.shelf.planned:
            assert 0 <= spine.x < spine.x + spine.width <= overview.width() + 1
    planned = {volume.call for _, volume in window.desk.reading.plan.planned.volumes()}
    assert {spine.call for band in bands for spine in band.shelf.planned} == planned, "no volume is left out"


def test_a_press_selects_two_open_the_disk_alone_and_keys_do_the_same(overview: AllDisks, window: Window) -> None:
    band = overview.bands()[2]
    spine = max(band.shelf.planned, key=lambda one: one.width)
    at = QPoint(int(spine.x + spine.width / 2), int(band.strip + 16 + LEAST / 2))
    QTest.mouseClick(overview, Qt.MouseButton.LeftButton, pos=at)
    assert window.desk.selected == spine.call
    overview.setFocus()
    QTest.keyClick(overview, Qt.Key.Key_Down)
    assert window.desk.selected != spine.call
    calls = [one.call for each in overview.bands() for one in each.shelf.planned]
    assert window.desk.selected == calls[(calls.index(spine.call) + 1) % len(calls)]
    QTest.mouseDClick(overview, Qt.MouseButton.LeftButton, pos=at)
    chapter = window.chapter("shelf")
    assert (chapter.board.disk, chapter.together, chapter.board.isVisible()) == ("C", False, True)
    click(chapter, "all disks")
    window.desk.select("S1")
    QTest.keyClick(overview, Qt.Key.Key_Return)
    assert (chapter.board.disk, chapter.together) == ("A", False)


def test_every_role_has_a_pattern_of_its_own_and_the_key_shows_it(overview: AllDisks, window: Window) -> None:
    drawn = {}
    for role in typing.get_args(Role):
        image = QImage(62, 30, QImage.Format.Format_RGB32)
        image.fill(Qt.GlobalColor.white)
        painter = QPainter(image)
        Swatch(role).render(painter)
        painter.end()
        drawn[role] = bytes(image.constBits().asarray(image.sizeInBytes()))
    assert len(set(drawn.values())) == len(drawn)
    click(window.chapter("shelf"), "key to the hatches")
    key = window.findChildren(HatchKey)[-1]
    assert key.isVisible()
    assert {one.role for one in key.findChildren(Swatch)} == set(drawn)
    QTest.keyClick(key, Qt.Key.Key_Escape)
    assert not key.isVisible()


def planned_on(window: Window, disk: str) -> set[str]:
    return {one.call for one in window.desk.reading.plan.planned.disk(disk).volumes if one.planned}


def middle(overview: AllDisks, call: str) -> QPoint:
    band = next(one for one in overview.bands() if call in {two.call for two in one.shelf.planned})
    spine = next(one for one in band.shelf.planned if one.call == call)
    return QPoint(int(spine.x + spine.width / 2), int(band.strip + 16 + LEAST / 2))


def drag(overview: AllDisks, call: str, disk: str) -> None:
    band = next(one for one in overview.bands() if one.disk.id == disk)
    QTest.mousePress(overview, Qt.MouseButton.LeftButton, pos=middle(overview, call))
    at = QPoint(300, int(band.strip + 16 + LEAST / 2))
    event = QMouseEvent(
        QEvent.Type.MouseMove,
        QPointF(at),
        overview.mapToGlobal(QPointF(at)),
        Qt.MouseButton.NoButton,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    overview.mouseMoveEvent(event)
    QTest.mouseRelease(overview, Qt.MouseButton.LeftButton, pos=at)


def test_a_new_system_is_dragged_onto_another_disk_and_back_by_undo(window: Window) -> None:
    found = window.desk.job.found
    others = tuple(Disk(letter, 256 * GB, model="Plover C2", serial=f"PC-{letter}") for letter in "BC")
    job = with_found(with_aim(window.desk.job, None), replace(found, disks=(*found.disks, *others)))
    window.desk.change(and_aim(job, OwnDisk(disk="B", what_is_there="erase", home="apart")), "one more")
    window.desk.show("shelf")
    click(window.chapter("shelf"), "all disks")
    overview = window.chapter("shelf").all_disks
    call = max(planned_on(window, "B"), key=lambda one: window.desk.reading.plan.planned.find(one)[1].size)
    drag(overview, call, "C")
    assert planned_on(window, "B") == set()
    assert planned_on(window, "C")
    assert window.desk.undo_words == f"put {call} on disk C"
    window.desk.undo()
    assert planned_on(window, "B")
    overview.setFocus()
    window.desk.select(call)
    QTest.keyClick(overview, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert planned_on(window, "C")
    assert planned_on(window, "B") == set()


def test_what_cannot_go_to_another_disk_stays_and_says_why(overview: AllDisks, window: Window) -> None:
    job = window.desk.job
    found = window.desk.job.found.disks[0].volumes[0].call
    window.desk.put_on(found, "B")
    assert window.desk.job is job
    assert "was found there" in window.desk.notice.what
    small = replace(job.found, disks=(*job.found.disks, Disk("E", 8 * GB)))
    window.desk.change(with_found(job, small), "a small disk")
    job = window.desk.job
    call = next(iter(planned_on(window, "B")))
    window.desk.put_on(call, "E")
    assert window.desk.job is job
    assert "cannot be on disk E" in window.desk.notice.what
    assert not window.desk.redo_words, "nothing was tried and taken back"


def test_small_volumes_are_looked_at_closer_and_to_scale_again(window: Window) -> None:
    window.desk.show("shelf")
    chapter = window.chapter("shelf")
    before = {one.call: one.width for one in chapter.board.shelf().planned}
    click(chapter, "look closer")
    after = {one.call: one.width for one in chapter.board.shelf().planned}
    small = [call for call, width in before.items() if width < 44]
    assert small
    assert all(after[call] > 48 for call in small), "name and size stand upright"
    assert after["S1"] > max(after[call] for call in small), "what is large is still seen to be"
    assert max(one.x + one.width for one in chapter.board.shelf().planned) <= chapter.board.width() / chapter.board.zoom + 1
    chapter.board.setFocus()
    QTest.keyClick(chapter.board, Qt.Key.Key_Z)
    assert {one.call: one.width for one in chapter.board.shelf().planned} == before
    click(chapter, "look closer")
    click(chapter, "to scale")
    assert {one.call: one.width for one in chapter.board.shelf().planned} == before


def test_l_locks_the_chosen_volume_and_opens_it_again(window: Window) -> None:
    from inkshelf.core.plan.locks import locked

    window.desk.show("shelf")
    board = window.chapter("shelf").board
    window.desk.select("S2")
    board.setFocus()
    QTest.keyClick(board, Qt.Key.Key_L)
    assert set(locked(window.desk.job)) == {"S2"}
    assert [one.call for one in board.shelf().planned if one.locked] == ["S2"]
    QTest.keyClick(board, Qt.Key.Key_L)
    assert locked(window.desk.job) == {}
    window.desk.select("S1")
    QTest.keyClick(board, Qt.Key.Key_L)
    assert "no volume that an aim makes" in window.desk.notice.what
