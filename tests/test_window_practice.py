"""The chapter Practice in the real window: a drill worked, judged, explained; one's own job comes back; thirty seconds of numbers."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot

from inkshelf.core.practice.drills import KINDS
from inkshelf.core.practice.judging import HINT, WHOLE
from inkshelf.core.practice.numbers import SECONDS, answer
from inkshelf.store import practice
from inkshelf.ui.frame.window import Window
from inkshelf.ui.practice.chapter import PracticeChapter
from windows import click, settled

T0 = 1_764_590_000


class Clock:
    now = float(T0)

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def page(window: Window, clock: Clock) -> Iterator[PracticeChapter]:
    practice.place().unlink(missing_ok=True)
    window.settings.who = "Reed"
    made = PracticeChapter(window.desk, lambda: "Reed", clock, lambda: "first")
    window.chapters["practice"] = made
    window.desk.show("practice")
    QApplication.processEvents()
    yield made
    made.wait()


def choose(page: PracticeChapter, kind: str) -> None:
    at = [one.kind.key for one in page.model.rows].index(kind)
    page.view.setCurrentIndex(page.model.index(at))


def lines(page: PracticeChapter) -> str:
    QApplication.processEvents()
    return " ".join(one.text() for one in page.card.findChildren(QLabel) if one.isVisible())


def test_a_start_is_mended_in_the_window_and_judged(window: Window, page: PracticeChapter, clock: Clock, qtbot: QtBot) -> None:
    own = window.desk.job
    assert len(page.model.rows) == len(KINDS)
    choose(page, "entry-off")
    assert page.offer.title.text() == "Straight into another system", "what is seen, not what it comes of"
    qtbot.keyClick(page.view, Qt.Key.Key_Return)
    assert page.exercise is not None
    assert not page.view.isVisible()
    assert window.desk.job.seed.startswith("drill-entry-off-1-")
    assert "entry" not in page.card.title.text()
    clock.now += 65
    page.card.tick()
    assert page.card.clock.text() == "1:05 of 10:00"
    click(page.card, "Judge it")
    assert "Not yet" in lines(page)
    assert "The clock runs on" in lines(page)
    assert "S1 comes up." in lines(page)
    click(page.card, f"A hint, {HINT} points")
    click(page.card, "Work on it")
    assert window.desk.chapter == "start"
    window.desk.add_aim("mend")
    settled(window)
    window.desk.show("practice")
    click(page.card, "Judge it")
    assert f"{WHOLE - HINT} points" in lines(page)
    assert page.card.title.text().startswith("The entry was switched off")
    card = practice.load().of("Reed").cards["entry-off"]
    assert (card.latest, card.times, card.level) == (WHOLE - HINT, 1, 2)
    click(page.card, "Explain it step by step")
    assert window.desk.chapter == "start"
    assert window.desk.job.aims
    window.desk.show("practice")
    click(page.card, "What comes next")
    assert page.view.isVisible()
    assert page.model.rows[0].due == "new"
    row = next(one for one in page.model.rows if one.kind.key == "entry-off")
    assert (row.due, row.below) == ("in 1 day", "it was: the entry was switched off")
    click(page, "Back to your own job")
    assert window.desk.job == own
    assert not page.back.isVisible()


def test_a_question_is_answered_once(window: Window, page: PracticeChapter) -> None:
    choose(page, "alike")
    page.begin()
    assert page.exercise is not None
    asked = page.exercise.drill.asked
    assert asked is not None
    assert [one.text() for one in page.card.buttons()] == [words for _, words in asked.answers]
    wrong = next(words for value, words in asked.answers if value != asked.right)
    click(page.card, wrong)
    assert "Not this time" in lines(page)
    assert asked.why in lines(page)
    assert page.card.buttons() == []
    page.judge(asked.right)
    card = practice.load().of("Reed").cards["alike"]
    assert (card.latest, card.times) == (0, 1), "it is not judged twice"
    click(page.card, "What comes next")
    assert page.model.rows[0].due == "new"


def test_giving_up_shows_how_it_is_done_and_it_comes_again_within_minutes(
    window: Window, page: PracticeChapter, clock: Clock
) -> None:
    choose(page, "unit-slip")
    page.begin()
    click(page.card, "Give up")
    assert "Not this time" in lines(page)
    assert page.card.explain.isVisible()
    assert not page.card.judge.isVisible()
    page.another()
    clock.now += 11 * 60
    page.refresh()
    assert page.model.rows[0].kind.key == "unit-slip"
    assert page.model.rows[0].due == "due"
    assert page.sub.text().startswith("Reed: 1 due · 0 of ")


def test_beyond_the_first_level_the_margin_says_nothing_of_the_start(window: Window, page: PracticeChapter) -> None:
    for _ in range(2):
        practice.ended(practice.Tried("order", 1, "x", 100, 1.0, 0, T0 - 9 * 86_400), "Reed")
    page.refresh()
    choose(page, "order")
    page.begin()
    assert page.exercise is not None
    assert page.exercise.drill.level == 3
    assert not any(one.key.startswith("start.") for one in window.desk.findings)
    page.go_back()
    assert window.desk.job.title == "layout desk"


def test_ones_own_job_is_the_one_that_opens_next_time(window: Window, page: PracticeChapter) -> None:
    own = window.desk.path
    choose(page, "order")
    page.begin()
    assert window.desk.path != own
    window.close()
    assert window.settings.job == str(own)


def test_thirty_seconds_of_numbers(window: Window, page: PracticeChapter, clock: Clock, qtbot: QtBot) -> None:
    click(page, "Number drill")
    card = page.number_card
    for _ in range(4):
        assert card.asked is not None
        qtbot.keyClicks(card.line, answer(card.asked))
        qtbot.keyClick(card.line, Qt.Key.Key_Return)
    qtbot.keyClicks(card.line, "1")
    qtbot.keyClick(card.line, Qt.Key.Key_Return)
    assert card.said.text().startswith("✗")
    clock.now += SECONDS
    card.tick()
    assert card.score.text() == "4 of 5 right in 30 seconds. That is your best."
    assert not card.line.isEnabled()
    qtbot.keyClicks(card.line, "5")
    qtbot.keyClick(card.line, Qt.Key.Key_Return)
    assert card.count == 5, "nothing counts after the time"
    assert practice.load().of("Reed").best_numbers == 4
    click(card, "Back to the drills")
    assert page.offer.isVisible()


def test_a_file_that_cannot_be_read_is_said(window: Window, page: PracticeChapter) -> None:
    practice.place().parent.mkdir(parents=True, exist_ok=True)
    practice.place().write_text("nonsense")
    page.refresh()
    assert "is not what was practised" in page.sub.text()
    choose(page, "alike")
    page.begin()
    page.judge(page.exercise.drill.asked.right if page.exercise and page.exercise.drill.asked else "")
    assert window.desk.notice is not None
    assert practice.place().read_text() == "nonsense"
    practice.place().unlink()
