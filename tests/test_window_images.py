"""The card of an image file, driven by mouse and keys: what it holds, how it comes onto a stick, whether it is whole."""

from __future__ import annotations

import hashlib
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

import isos
from inkshelf.exchange.images import is_disc
from inkshelf.exchange.imagewords import progress_words
from inkshelf.ui.frame.imagecard import ImageCard
from inkshelf.ui.frame.window import Window
from windows import settled


@pytest.fixture(scope="module")
def image(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("card")
    files = isos.tree(folder / "tree")
    return isos.make("hybrid", files, folder / "meadow.iso", esp=isos.start_up(folder / "esp", files / "EFI/BOOT/BOOTX64.EFI"))


@pytest.fixture
def card(window: Window, image: Path) -> ImageCard:
    window.files.look_into(image)
    settled(window)
    (made,) = window.findChildren(ImageCard)
    return made


def answer(card: ImageCard, qtbot: QtBot, text: str) -> str:
    card.line.setPlainText(text)
    qtbot.mouseClick(card.go, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: card._task is None, timeout=120_000)
    return str(card.answer.text())


def test_it_says_what_the_image_holds_and_how_it_comes_onto_a_stick(card: ImageCard) -> None:
    facts = " ".join(one.text() for one in card.facts)
    assert "signed" in facts
    assert "label MEADOW_4" in facts
    ways = [one.text() for one in card.ways]
    assert ways[0].startswith("usual here: as it is")
    assert "to write and check" in ways[0]
    assert "no checksum is known" in card.answer.text()


def test_a_sum_that_is_pasted_is_held_against_the_file(card: ImageCard, image: Path, qtbot: QtBot) -> None:
    right = hashlib.sha256(image.read_bytes()).hexdigest()
    assert answer(card, qtbot, right) == f"sha256 agrees: {right}"
    assert not card.answer.property("bad")
    wrong = "0" * 64
    assert "DIFFERS" in answer(card, qtbot, wrong)
    assert card.answer.property("bad")
    assert f"sha256 agrees: {right}" == answer(card, qtbot, f"{wrong}  other.iso\n{right} *{image.name}\n")
    assert "no checksum for a file of this name" in answer(card, qtbot, f"{wrong}  other.iso\n{wrong}  another.iso")
    assert "No checksum is in this text" in answer(card, qtbot, "hello")


def test_a_long_sum_shows_how_far_it_is_and_is_cancelled(window: Window, tmp_path: Path, qtbot: QtBot) -> None:
    path = tmp_path / "large.iso"
    isos.huge(path, 40 << 30)
    window.files.look_into(path)
    settled(window)
    (card,) = window.findChildren(ImageCard)
    card.line.setPlainText("a" * 64)
    qtbot.mouseClick(card.go, Qt.MouseButton.LeftButton)
    assert card.go.text() == "Cancel"
    qtbot.waitUntil(lambda: " of 42.9 GB" in card.answer.text(), timeout=120_000)
    qtbot.mouseClick(card.go, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: card._task is None, timeout=120_000)
    assert "was not finished" in card.answer.text()
    assert card.go.text() == "Check"
    qtbot.mouseClick(card.go, Qt.MouseButton.LeftButton)
    QTest.keyClick(card, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not window.findChildren(ImageCard), timeout=120_000)


def test_a_disc_that_is_dropped_is_looked_into_and_a_disk_is_taken_in(window: Window, image: Path, tmp_path: Path) -> None:
    before = window.desk.job
    window.files.take_dropped(image)
    settled(window)
    assert len(window.findChildren(ImageCard)) == 1
    assert window.desk.job is before
    assert not is_disc(tmp_path / "absent")
    (tmp_path / "zeros").write_bytes(bytes(100_000))
    assert not is_disc(tmp_path / "zeros")


@pytest.mark.parametrize(
    ("done", "whole", "seconds", "words"),
    [
        (0, 8 * 10**9, 0.0, "0 B of 8 GB"),
        (2 * 10**9, 8 * 10**9, 4.0, "2 GB of 8 GB at 500 MB a second, 12 s left"),
        (8 * 10**9, 8 * 10**9, 16.0, "8 GB of 8 GB at 500 MB a second"),
    ],
)
def test_how_far_it_is_in_words(done: int, whole: int, seconds: float, words: str) -> None:
    assert progress_words(done, whole, seconds) == words
