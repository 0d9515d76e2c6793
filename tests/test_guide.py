"""The guide: every finding has a page of its own, in the window and on the command line."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

import inkshelf
from inkshelf.cli import run
from inkshelf.core.checks import findings
from inkshelf.core.checks.guide import page_of, pages
from inkshelf.core.errors import PlanError
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.ui.frame.guide import Guide
from inkshelf.ui.frame.window import Window

SOURCE = Path(inkshelf.__file__).parent
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
