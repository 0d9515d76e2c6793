"""Watch it start, in the window: when it can be, what is seen, what is broken off, and what is said when something else is seen."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QBuffer, QByteArray, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from disks import answered
from inkshelf.bench import emulator
from inkshelf.bench.emulator import Seen, Tried
from inkshelf.bench.inker import ink
from inkshelf.bench.watching import SHOWN
from inkshelf.core.boot.mishaps import mishaps
from inkshelf.core.errors import CancelledError
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.startmap.chapter import StartChapter
from windows import click

Hear = Callable[[Seen], bool]


@pytest.fixture
def shown(job: Job, qtbot: QtBot, tmp_path: Path) -> Window:
    made = answered(job)
    window = Window(Desk(made, tmp_path / "job.json"), Settings(), tmp_path / "settings.json")
    window.bench_folder = tmp_path / "bench"
    qtbot.addWidget(window)
    window.show()
    window.desk.show("start")
    QApplication.processEvents()
    return window


def chapter(window: Window) -> StartChapter:
    page = window.chapter("start")
    assert isinstance(page, StartChapter)
    return page


def inked(window: Window) -> StartChapter:
    assert ink(window.desk.job, window.bench_place).verified
    page = chapter(window)
    page.refresh()
    return page


def first_of(job: Job) -> Tried:
    machine = read(job).plan.planned
    entry = machine.firmware.entry(machine.firmware.order[0])
    assert entry is not None
    return Tried(entry.variable, entry.title, f"HD(1,GPT,{entry.partition_guid.lower()},0x1,0x2)/{entry.path}", "started")


def played(monkeypatch: pytest.MonkeyPatch, seen: Seen, *, for_ever: bool = False) -> None:
    def watch(_disks: object, _variables: object, _seconds: float, hear: Hear, **_: object) -> Seen:
        while for_ever:
            time.sleep(0.01)
            if not hear(replace(seen, ended=False)):
                raise CancelledError("The start was broken off.", "Nothing was changed by it.")
        hear(seen)
        return seen

    monkeypatch.setattr(emulator, "watch", watch)


def test_what_is_not_inked_as_it_is_now_cannot_be_watched_and_says_why(shown: Window) -> None:
    page = chapter(shown)
    assert not page.watch.go.isEnabled()
    assert "ink the plan first" in page.watch.sub.text()
    inked(shown)
    assert page.watch.go.isEnabled()
    aim = shown.desk.job.aim
    assert aim is not None
    shown.desk.change(with_aim(shown.desk.job, replace(aim, size_bytes=(aim.size_bytes or 0) + (1 << 30))), "size")
    QApplication.processEvents()
    assert not page.watch.go.isEnabled()
    assert "ink it again" in page.watch.go.toolTip()


def test_what_is_inked_meanwhile_is_not_watched_and_says_so(shown: Window, qtbot: QtBot) -> None:
    """The map, the ways and the plan itself may be used while a job is inked; what was begun goes on."""
    shown.start_inking()
    shown.desk.show("start")
    page = chapter(shown)
    qtbot.waitUntil(lambda: shown.bench_place.joinpath("inkshelf-bench.json").exists())
    page.refresh()
    if shown.inking:
        assert not page.watch.go.isEnabled()
        assert "being inked" in page.watch.sub.text() or "ink the plan first" in page.watch.sub.text()
    page.map.setFocus()
    QTest.keyClick(page.map, Qt.Key.Key_Down)
    QTest.keyClick(page.map, Qt.Key.Key_Space)
    changed = shown.desk.job
    qtbot.waitUntil(lambda: not shown.inking, timeout=60000)
    QApplication.processEvents()
    assert shown.desk.job is changed, "inking takes nothing back"
    page.refresh()
    assert "ink it again" in page.watch.sub.text()
    shown.desk.undo()
    page.refresh()
    assert page.watch.go.isEnabled()


def test_a_start_is_seen_beside_its_prediction(shown: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    page = inked(shown)
    screen = QImage(64, 40, QImage.Format.Format_RGB32)
    screen.fill(0)
    raw = QByteArray()
    into = QBuffer(raw)
    into.open(QBuffer.OpenModeFlag.WriteOnly)
    screen.save(into, "PNG")
    played(monkeypatch, Seen((first_of(shown.desk.job),), ("stand-in: first stage",), "", True, raw.data()))
    click(page, "Watch")
    qtbot.waitUntil(lambda: page.watch.task is None)
    kept = shown.bench_place / "start-none.png"
    assert kept.read_bytes() == raw.data()
    assert str(kept) in page.watch.kept.text()
    assert page.watch.thumb.isVisible()
    assert "2 of 2 as predicted" in page.watch.said.text()
    assert [one.who.split()[0] for one in page.watch.console.lines] == [first_of(shown.desk.job).variable, "a", "ends"]
    assert page.watch.console.isVisible()
    page.choose("nt-updated")
    assert "rehearsed only" in page.watch.sub.text()
    assert not page.watch.console.isVisible(), "what was seen belongs to another mishap"
    assert not page.watch.thumb.isVisible()


def test_what_is_not_as_predicted_is_red_and_named(shown: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    page = inked(shown)
    played(monkeypatch, Seen((replace(first_of(shown.desk.job), result="not found"),), (), "", False))
    click(page, "Watch")
    qtbot.waitUntil(lambda: page.watch.task is None)
    assert page.watch.said.property("bad")
    assert "seen not found" in page.watch.said.text()
    assert {one.verdict for one in page.watch.console.lines} == {"not predicted"}


def test_a_start_is_broken_off_and_closing_waits_for_none(shown: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    page = inked(shown)
    played(monkeypatch, Seen((first_of(shown.desk.job),), (), "", False), for_ever=True)
    click(page, "Watch")
    qtbot.waitUntil(lambda: any("Boot" in one.who for one in page.watch.console.lines))
    click(page, "Break off")
    qtbot.waitUntil(lambda: page.watch.task is None)
    assert "broken off" in page.watch.said.text()
    click(page, "Watch again")
    shown.close()
    qtbot.waitUntil(lambda: page.watch.task is None)


def test_every_mishap_is_watched_or_says_why_not(shown: Window) -> None:
    page = inked(shown)
    for one in mishaps(shown.desk.reading.plan.planned):
        page.choose(one.key)
        assert page.watch.go.isEnabled() == all(isinstance(part, SHOWN) for part in one.parts), one.key
        assert page.watch.sub.text()
