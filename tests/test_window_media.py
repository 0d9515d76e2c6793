"""The chapter Media, driven by mouse and keys: images come, go and are exchanged, sticks are plugged in, taken and told apart."""

from __future__ import annotations

import hashlib
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from inkshelf.bench import sticks
from inkshelf.bench.intake import take_in, with_stick
from inkshelf.core.aims.installer_set import InstallerSet
from inkshelf.core.aims.many import ManyImages
from inkshelf.core.aims.sticks import known_images
from inkshelf.core.errors import PlanError
from inkshelf.core.media.material import Image
from inkshelf.core.plan.job import Job, and_aim
from inkshelf.core.plan.media import compared, instead, put, stick_aims, to_stick, with_images, without_image
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.media import media
from inkshelf.core.size import GIB, MIB
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.imagecard import ImageCard
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.media.chapter import MediaChapter
from inkshelf.ui.media.layout import LEAST_BOOK, drawn, shares
from inkshelf.ui.media.pile import MIME
from stick_jobs import images_in, stick_job
from windows import click, settled

TOLD = "heron=300MiB,uefi,signed\nalder=250MiB,uefi\nquill=150MiB,uefi,legacy\ntern=420MiB,uefi"


@pytest.fixture
def job(tmp_path: Path) -> Job:
    made = stick_job(tmp_path / "sticks", (1_200 * MIB, 1_300 * MIB))
    return with_images(made, known_images(TOLD))


@pytest.fixture
def shown(job: Job, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Window:
    monkeypatch.setattr("inkshelf.ui.frame.mediafiles.settings.data_folder", lambda: tmp_path / "data")
    window = Window(Desk(job, tmp_path / "job.json"), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(window)
    window.show()
    window.desk.show("media")
    QApplication.processEvents()
    return window


def chapter(window: Window) -> MediaChapter:
    page = window.chapter("media")
    assert isinstance(page, MediaChapter)
    return page


def on(window: Window) -> set[str]:
    return {one.name for plan in media(window.desk.reading) for one in plan.images if one.fits}


def drop(widget: object, name: str) -> None:
    held = QMimeData()
    held.setData(MIME, name.encode())
    event = QDropEvent(
        QPointF(20, 20), Qt.DropAction.MoveAction, held, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    widget.dropEvent(event)  # type: ignore[attr-defined]


def test_the_pile_and_the_stick_show_what_the_plan_says(shown: Window) -> None:
    page = chapter(shown)
    plan = next(one for one in media(shown.desk.reading) if one.disk == "M")
    fits = {one.name for one in plan.images if one.fits}
    assert fits == {"alder", "heron", "quill"} == on(shown)
    assert {name for name, slip in page.pile.slips.items() if slip.fits} == fits
    books = {book.name for frame in page.board.drawn.frames for book in frame.books}
    assert fits | {""} == books
    assert page.figures["shown"].text() == "UEFI: Testling, Partition 1"
    assert "MiB" in page.figures["next"].text()
    assert [one.toolTip() for one in links(page)] == ["tern on the stick, alder left out"]


def links(page: MediaChapter) -> list[QPushButton]:
    QApplication.processEvents()
    return [one for one in page.left.findChildren(QPushButton) if one.isVisible()]


def test_images_go_off_and_on_by_keys_drops_and_in_each_others_place(shown: Window, qtbot: QtBot) -> None:
    page = chapter(shown)
    slip = page.pile.slips["heron"]
    slip.setFocus()
    qtbot.keyClick(slip, Qt.Key.Key_Space)
    assert "heron" not in on(shown)
    shown.run("edit.undo")
    assert "heron" in on(shown)
    drop(page, "heron")
    assert "heron" not in on(shown)
    drop(page.board, "heron")
    assert "heron" in on(shown)
    (button,) = links(page)
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    assert "tern" in on(shown)
    assert "alder" not in on(shown)
    qtbot.keyClick(page.pile.slips["tern"], Qt.Key.Key_Delete)
    assert "tern" not in page.pile.slips
    shown.run("edit.undo")
    assert "tern" in page.pile.slips


def test_a_stick_is_taken_by_a_press_and_two_alike_are_told_apart(shown: Window, qtbot: QtBot) -> None:
    page = chapter(shown)
    assert set(page.sticks.rows) == {"M", "N"}
    assert not any(row.like for row in page.sticks.rows.values()), "one is larger by more than a hundredth"
    qtbot.mouseClick(page.sticks.rows["N"], Qt.MouseButton.LeftButton)
    assert stick_aims(shown.desk.job)[0].disk == "N"
    assert page.sticks.rows["N"].taken
    folder = Path(shown.desk.job.sources[0].path).parent
    twin = sticks.Simulated("twin", 1_300 * MIB, "Testling", "T-9")
    (path,) = sticks.make(folder, (twin,))
    shown.desk.change(with_stick(shown.desk.job, sticks.as_disk(twin, path, None, failing=False), path), "a twin")
    assert page.sticks.rows["N"].like == "O"
    stop = next(one for one in shown.desk.findings if one.key.startswith("stick.alike"))
    assert "T-1" in stop.why
    assert "T-9" in stop.why
    assert "stopped by" in shown._buttons[-1][1].why_not(shown)
    click(shown.margin, "O is unplugged")
    assert not [one for one in shown.desk.findings if one.key.startswith("stick.alike")]


def test_files_are_added_and_take_the_place_of_what_was_told(shown: Window, tmp_path: Path) -> None:
    images = images_in(tmp_path / "images")
    page = chapter(shown)
    told = Path(images[0].path).with_name("tern.iso")
    told.write_bytes(Path(images[0].path).read_bytes())
    shown.files.media.add([told, Path(images[1].path)])
    settled(shown)
    assert set(page.pile.slips) == {"heron", "alder", "quill", "tern.iso", "alder.iso"} or "alder" not in page.pile.slips
    assert page.pile.slips["tern.iso"].image.path == str(told)
    qtbot_press(page, "tern.iso")
    settled(shown)
    (card,) = shown.findChildren(ImageCard)
    card.line.setPlainText(hashlib.sha256(told.read_bytes()).hexdigest())
    card._check()
    while card._task is not None:
        QApplication.processEvents()
    assert page.pile.slips["tern.iso"].image.checked == "agrees"


def qtbot_press(page: MediaChapter, name: str) -> None:
    slip = page.pile.slips[name]
    QTest.mouseClick(slip, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(30, 20))


def test_an_image_that_is_only_told_has_no_card(shown: Window) -> None:
    qtbot_press(chapter(shown), "heron")
    assert shown.desk.notice is not None
    assert "not here as a file yet" in shown.desk.notice.what


def test_empty_it_says_what_to_do_and_a_first_image_begins_a_job(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("inkshelf.ui.frame.mediafiles.settings.data_folder", lambda: tmp_path / "data")
    window = Window(Desk(), Settings(), tmp_path / "settings.json")
    qtbot.addWidget(window)
    window.show()
    window.desk.show("media")
    page = chapter(window)
    assert "Plug a stick in" in page.first.text()
    assert "Add images" in page.first.text()
    assert not page.body.isVisible()
    window.files.media.plug("dunlin-s1")
    settled(window)
    assert page.sticks.rows["M"].disk.model == "Dunlin S1"
    assert page.sticks.rows["M"].disk.stick.writes > 300_000_000  # type: ignore[union-attr]
    assert "Plug a stick in" not in page.first.text()
    window.files.media.add([Path(images_in(tmp_path / "images")[0].path)])
    settled(window)
    assert stick_aims(window.desk.job)[0].kind == "stick"
    assert page.board.isVisible()
    assert window.desk.path is not None


def test_an_aim_about_sticks_leads_from_its_questions_to_the_pile(shown: Window, qtbot: QtBot) -> None:
    shown.desk.show("aim")
    aim = shown.chapter("aim")
    click(aim, "4 in Media")
    assert shown.desk.chapter == "media"
    shown.desk.show("aim")
    if "leave" not in aim.questions.rows:  # type: ignore[attr-defined]
        aim.questions._unfold()  # type: ignore[attr-defined]
    assert "leave" in aim.questions.rows  # type: ignore[attr-defined]


@given(st.lists(st.integers(0, 1 << 40), max_size=12), st.floats(50, 2000), st.floats(0, 60))
def test_widths_come_to_what_there_is_and_none_is_below_the_least(sizes: list[int], room: float, least: float) -> None:
    wide = shares(sizes, room, least)
    assert len(wide) == len(sizes)
    if sizes:
        assert sum(wide) == pytest.approx(room)
        assert min(wide) >= min(least, room / len(sizes)) - 1e-6
        order = sorted(range(len(sizes)), key=sizes.__getitem__)
        assert all(wide[a] <= wide[b] + 1e-6 for a, b in pairwise(order)), "the larger one is no narrower"


@given(st.floats(200, 1500))
def test_nothing_on_a_stick_stands_on_something_else(found_plan: object, width: float) -> None:
    shown = drawn(found_plan, width)  # type: ignore[arg-type]
    assert shown.behind is None, "the large volume takes the rest"
    for frame in shown.frames:
        ends = [(one.x, one.x + one.width) for one in frame.books]
        assert all(frame.x <= low <= high <= frame.x + frame.width + 1e-6 for low, high in ends)
        assert all(a[1] <= b[0] + 1e-6 for a, b in pairwise(ends))
        assert all(one.width >= min(LEAST_BOOK, frame.width / len(ends)) - 10 for one in frame.books)


@pytest.fixture(scope="module")
def found_plan(tmp_path_factory: pytest.TempPathFactory) -> object:
    job = with_images(stick_job(tmp_path_factory.mktemp("plan"), (3 * GIB,)), known_images(TOLD))
    return media(read(job))[0]


def test_changes_of_the_pile_are_refused_where_they_mean_nothing(job: Job) -> None:
    (aim,) = stick_aims(job)
    for work in (
        lambda: put(job, aim.id, "nobody", on=True),
        lambda: without_image(job, aim.id, "nobody"),
        lambda: to_stick(job, aim.id, "A"),
        lambda: put(job, "a9", "heron", on=True),
    ):
        with pytest.raises(PlanError):
            work()
    assert {one.name for one in stick_aims(compared(job, "heron", "agrees"))[0].images if one.checked} == {"heron"}
    swapped = stick_aims(instead(job, aim.id, "tern", "heron"))[0]
    assert isinstance(swapped, ManyImages)
    assert swapped.leave == ("heron",)


def test_one_image_makes_a_stick_of_its_own_and_a_second_one_a_menu(tmp_path: Path) -> None:
    bare = take_in([], mode="uefi", title="x", seed="x", alone=True)
    one: tuple[Image, ...] = known_images("heron=1GiB,uefi,signed")
    single = with_images(bare, one)
    assert [aim.kind for aim in single.aims] == ["stick"]
    both = with_images(single, known_images("alder=1GiB,uefi"))
    assert [aim.kind for aim in both.aims] == ["many"]
    assert both.aims[0].id == single.aims[0].id
    assert [aim.kind for aim in with_images(bare, known_images(TOLD)).aims] == ["many"]


def test_what_is_free_behind_a_set_is_drawn_and_versions_tell_labels_apart(tmp_path: Path) -> None:
    job = stick_job(tmp_path, (4 * GIB,))
    made = and_aim(job, InstallerSet(images=known_images("wren-installer-7=1GiB,uefi\nwren-installer-8.2=1GiB,uefi")))
    (plan,) = media(read(made))
    shown = drawn(plan, 460)
    assert shown.behind is not None
    assert shown.behind.size == plan.size - plan.volumes[-1].end
    assert shown.behind.x + shown.behind.width == pytest.approx(460)
    labels = [one.filesystem.label for one in plan.volumes if one.filesystem]
    assert labels == ["START", "WREN-INST-7", "WREN-IN-8_2"]
