"""What is dropped on the window: nothing of it is lost without a word, nothing that is no file is opened, and no pipe is waited for."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from pytestqt.qtbot import QtBot

from inkshelf.bench import discs
from inkshelf.bench.discs import Disc
from inkshelf.bench.image import inspect
from inkshelf.bench.recipes import blank
from inkshelf.core.errors import TableError
from inkshelf.core.plan.job import Job
from inkshelf.core.size import GIB
from inkshelf.exchange.images import is_disc
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.imagecard import ImageCard
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from windows import settled

LISTED = (
    '{"blockdevices": [{"name": "sdz", "size": 64023257088, "type": "disk", "model": "Tern", "serial": "T-1", "log-sec": 512}]}'
)


@pytest.fixture
def empty(qtbot: QtBot, tmp_path: Path) -> Window:
    made = Window(Desk(Job(), tmp_path / "job.json"), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(made)
    return made


def drop(window: Window, *places: Path | str) -> str:
    """Drop files, or addresses, on the window; return what it says in the end."""
    data = QMimeData()
    data.setUrls([QUrl(one) if isinstance(one, str) else QUrl.fromLocalFile(str(one)) for one in places])
    none = Qt.KeyboardModifier.NoModifier
    window.dropEvent(QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none))
    settled(window)
    said = window.desk.notice
    return f"{said.what} {said.remedy}" if said else ""


def test_two_disks_at_once_are_both_taken_in_and_a_file_twice_is_one_disk(empty: Window, tmp_path: Path) -> None:
    images = [blank(tmp_path / f"{name}.img", size * GIB) for name, size in (("one", 20), ("two", 30))]
    assert drop(empty, *images) == ""
    assert sorted(one.size for one in empty.desk.job.found.disks) == [20 * GIB, 30 * GIB]
    drop(empty, images[0], images[0])
    assert len(empty.desk.job.found.disks) == 2


def test_of_several_the_one_that_cannot_be_read_is_named_and_none_is_taken_in(empty: Window, tmp_path: Path) -> None:
    (tmp_path / "small.img").write_bytes(b"x" * 4000)
    (tmp_path / "listed.json").write_text(LISTED)
    said = drop(empty, blank(tmp_path / "one.img", 20 * GIB), tmp_path / "small.img", tmp_path / "listed.json")
    assert "small.img: This is too small" in said
    assert "Nothing of one.img, small.img was taken in, nor the text beside it." in said
    assert empty.desk.job == Job()


def test_a_text_beside_an_image_is_taken_in_after_it(empty: Window, tmp_path: Path) -> None:
    (tmp_path / "listed.json").write_text(LISTED)
    drop(empty, tmp_path / "listed.json", blank(tmp_path / "one.img", 20 * GIB))
    assert [(one.size, one.model) for one in empty.desk.job.found.disks] == [(20 * GIB, ""), (64023257088, "Tern")]


def test_of_two_discs_the_second_is_said(window: Window, tmp_path: Path) -> None:
    for name in ("one.iso", "two.iso"):
        discs.make(tmp_path / name, Disc("TERN", {"/live/kernel": b"k" * 9000}))
    assert "Not looked into yet: two.iso." in drop(window, tmp_path / "one.iso", tmp_path / "two.iso")
    (card,) = window.findChildren(ImageCard)
    assert "one.iso" in card.accessibleName() or card.isVisibleTo(window)


@pytest.mark.parametrize(
    ("name", "says"),
    [("folder", "is a folder"), ("absent.img", "is not there"), ("dangling", "is not there"), ("pipe", "not an ordinary file")],
)
def test_what_is_no_file_is_refused_in_words_and_not_waited_for(empty: Window, tmp_path: Path, name: str, says: str) -> None:
    (tmp_path / "folder").mkdir()
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "dangling").symlink_to(tmp_path / "nowhere")
    assert not is_disc(tmp_path / name)
    assert says in drop(empty, tmp_path / name)


def test_a_device_is_not_even_opened(empty: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    opened: list[str] = []
    real = Path.open
    monkeypatch.setattr(Path, "open", lambda self, *given, **more: (opened.append(str(self)), real(self, *given, **more))[1])
    assert "never opens devices" in drop(empty, Path("/dev/zero"))
    assert "/dev/zero" not in opened


def test_an_address_is_no_file_and_nothing_beside_it_is_taken_in(empty: Window, tmp_path: Path) -> None:
    said = drop(empty, "https://shelf.invalid/one.iso", blank(tmp_path / "one.img", 20 * GIB))
    assert "https://shelf.invalid/one.iso: no file of this machine" in said
    assert empty.desk.job == Job()


def test_a_file_that_may_not_be_read_is_said(empty: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    locked = tmp_path / "locked.json"
    locked.write_text(LISTED)

    def refused(self: Path, *given: object, **more: object) -> object:
        raise PermissionError(13, "Permission denied", str(self))

    for name in ("read_bytes", "open"):
        monkeypatch.setattr(Path, name, refused)
    assert "Permission denied" in drop(empty, locked) or "locked.json" in empty.desk.notice.what


def test_a_fault_of_a_table_names_the_file(tmp_path: Path) -> None:
    (tmp_path / "cut.img").write_bytes(bytes(900))
    with pytest.raises(TableError, match=r"cut\.img: This is too small"):
        inspect(tmp_path / "cut.img")
