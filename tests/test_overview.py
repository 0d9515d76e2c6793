"""All disks on one screen, and the key to the hatches: what is drawn, what mouse and keys do."""

from __future__ import annotations

import typing
from itertools import pairwise

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage, QPainter
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
