"""The guide: every finding has a page of its own, in the window and on the command line."""

from __future__ import annotations

import importlib.util
import json
import re
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

import inkshelf
from inkshelf.cli import run
from inkshelf.core.checks import findings
from inkshelf.core.checks.guide import chapter_page, chapter_pages, page_of, pages, search
from inkshelf.core.errors import PlanError
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.ui.chapters import KEYS
from inkshelf.ui.frame.guide import Guide
from inkshelf.ui.frame.window import Window

SOURCE = Path(inkshelf.__file__).parent
ROOT = Path(__file__).parent.parent
KEY = re.compile(r'"((?:disk|room|start|people|firmware|fs|sharing|wish|plan|intake|bench|stick|built|logbook)\.[a-z-]+)')


def keys() -> set[str]:
    """Every beginning of a finding's key that the checks spell out."""
    files = [
        *(SOURCE / "core" / "checks").glob("*.py"),
        SOURCE / "bench" / "readiness.py",
        SOURCE / "store" / "logbook" / "recognised.py",
    ]
    return {found for path in files for found in KEY.findall(path.read_text(encoding="utf-8"))}


def test_every_finding_has_a_page_of_its_own() -> None:
    known = keys()
    assert len(known) > 50
    assert [one for one in known if page_of(f"{one}.S1").key != one and one != "start.none"] == []
    assert page_of("start.none.S2").key == "start"
    assert page_of("built.B1.type").key == "built"


def test_every_page_belongs_to_a_finding_and_says_what_to_do() -> None:
    known = {*keys(), "start", "built"}
    for page in pages():
        assert page.key in known, "a page that nothing leads to"
        assert page.title[0].isupper()
        assert not page.title.endswith(".")
        for text in (page.means, page.do):
            assert text.endswith(".")
            assert 20 < len(text) < 330
            assert "  " not in text


def test_an_unknown_finding_is_answered_with_the_near_one(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(PlanError, match="no page"):
        page_of("weather.rain")
    assert run(["explain", "room.resrve"]) == 2
    assert "room.reserve" in capsys.readouterr().err
    assert run(["explain", "room.reserve.S1", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["pages"][0]["key"] == "room.reserve"
    assert run(["explain"]) == 0
    assert len(capsys.readouterr().out.splitlines()) == 3 * len(pages())


def test_the_sign_of_a_note_opens_its_page(window: Window, job: Job) -> None:
    window.desk.show("shelf")
    found = findings(read(job))
    note = window.margin._shown[window.desk.findings[1].key]
    QTest.mouseClick(note, Qt.MouseButton.LeftButton, pos=QPoint(10, 10))
    (guide,) = window.findChildren(Guide)
    assert guide.isVisible()
    assert guide.title.text() == page_of(note.finding.key).title
    assert note.finding.why in guide.here.text()
    assert guide.list.count() == len({page_of(one.key).key for one in found})
    guide.list.setCurrentRow(0)
    assert guide.title.text() == page_of(window.desk.findings[0].key).title
    QTest.mouseClick(guide.more, Qt.MouseButton.LeftButton)
    assert guide.list.count() == len(pages())
    assert guide.title.text() == page_of(window.desk.findings[0].key).title, "the page stays while the list grows"
    QTest.keyClick(guide, Qt.Key.Key_Escape)
    assert not guide.isVisible()


def test_the_guide_opens_by_its_key_without_a_job(window: Window) -> None:
    window.run("job.new")
    window.run("view.guide")
    (guide,) = [one for one in window.findChildren(Guide) if one.isVisible()]
    assert guide.list.count() == len(pages())
    assert not guide.more.isVisible()
    guide.close()


def test_every_chapter_has_a_page_and_every_page_a_chapter() -> None:
    assert [one.key for one in chapter_pages()] == list(KEYS)
    for one in chapter_pages():
        assert one.about == "chapter"
        assert one.means.endswith(".")
        assert all(line.endswith(".") for line in one.do.split("\n"))
        assert one.keys
    with pytest.raises(PlanError, match="no page"):
        chapter_page("weather")


def test_the_guide_is_searched_by_words_titles_first() -> None:
    assert search("RESERVE")[0].key == "room.reserve"
    assert {one.key for one in search("stick bytes")} <= {one.key for one in search("stick")}
    assert all("practi" in f"{one.title} {one.means} {one.do} {one.keys}".lower() for one in search("practi"))
    assert search("zzzz") == ()
    assert len(search("  ")) == len(chapter_pages()) + len(pages())


@pytest.mark.parametrize("chapter", KEYS)
def test_f1_opens_the_page_of_the_chapter_where_one_is(window: Window, chapter: str) -> None:
    window.desk.show(chapter)
    QTest.keyClick(window, Qt.Key.Key_F1)
    (guide,) = [one for one in window.findChildren(Guide) if one.isVisible()]
    assert guide.title.text() == chapter_page(chapter).title
    assert guide.here.text() == chapter_page(chapter).keys
    assert guide.width() <= window.width()
    QTest.keyClick(guide, Qt.Key.Key_F1)
    assert not guide.isVisible()
    if window._keeper is not None:
        window._keeper.stop()


@pytest.mark.parametrize("chapter", [one.key for one in chapter_pages()])
def test_every_chapter_s_page_shows_its_picture_as_wide_as_the_page(window: Window, chapter: str) -> None:
    guide = Guide(window, (), chapter=chapter)
    guide.open_over()
    QApplication.processEvents()
    assert guide.picture.isVisible()
    assert guide.picture.pixmap().width() == round(guide.picture.width() * guide.picture.devicePixelRatioF())
    ratio = guide.picture.whole.height() / guide.picture.whole.width()
    assert guide.picture.height() == pytest.approx(guide.picture.width() * ratio, abs=1.5)
    guide.search.setText("aligned")
    guide.list.setCurrentRow(next(at for at, one in enumerate(guide._pages) if one.about == "finding"))
    assert not guide.picture.isVisible(), "a finding's page has none"
    guide.close()


def test_words_are_looked_for_in_the_window(window: Window) -> None:
    window.desk.show("shelf")
    window.run("view.help")
    (guide,) = [one for one in window.findChildren(Guide) if one.isVisible()]
    QTest.keyClick(guide, Qt.Key.Key_M)
    QTest.keyClicks(guide.search, "enu")
    assert [guide.list.item(at).text() for at in range(guide.list.count())] == [one.title for one in search("menu")]
    guide.list.setCurrentRow(1)
    assert guide.title.text() == search("menu")[1].title
    guide.search.setText("zzzz")
    assert guide.title.text() == "No page has all of these words"
    assert guide.means.text() == ""
    guide.search.clear()
    assert chapter_page("shelf").title in {guide.list.item(at).text() for at in range(guide.list.count())}
    QTest.mouseClick(guide.more, Qt.MouseButton.LeftButton)
    assert guide.list.count() == len(chapter_pages()) + len(pages())
    guide.close()


def test_the_written_guide_is_that_of_the_program() -> None:
    """``make guide`` writes it; every picture that it shows is there."""
    spec = importlib.util.spec_from_file_location("guide_tool", ROOT / "tools" / "guide.py")
    assert spec is not None
    assert spec.loader is not None
    tool = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(tool)
    with pytest.MonkeyPatch.context() as patch:
        patch.chdir(ROOT)
        made = tool.made()
    folder = ROOT / "docs" / "guide"
    assert {one.name: one.read_text(encoding="utf-8") for one in folder.glob("*.md")} == made
    for text in made.values():
        for picture in re.findall(r"\]\(\.\./screenshots/([^)]+)\)", text):
            assert (ROOT / "docs" / "screenshots" / picture).exists()
