"""Switches of the firmware that a plan changes: found beside wanted, put back, and what a recovery key has to do with it."""

from __future__ import annotations

import re

import pytest
from pytestqt.qtbot import QtBot

from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import know
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.settings import LOCKS, TITLES, settings, switches
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.steps.kinds import Prepare, SetMode, SetSecureBoot, SetSetting
from inkshelf.core.value import replace
from inkshelf.exchange import render, shapes
from inkshelf.ui.desk import Desk
from inkshelf.ui.startmap.switched import Switched


@pytest.fixture
def switched(found_job: Job) -> Job:
    """Secure Boot is on, off for the work, and on again."""
    firmware = replace(found_job.found.firmware, secure_boot="on")
    job = know(replace(found_job, found=replace(found_job.found, firmware=firmware)), "encrypted", True)
    return with_aim(job, Beside(secure="work"))


def numbers(job: Job, kind: type) -> list[int]:
    return [number for number, step in enumerate(job.steps, 1) if isinstance(step, kind)]


def test_what_is_switched_for_the_work_is_put_back_and_says_so(switched: Job) -> None:
    off, on = numbers(switched, SetSecureBoot)
    reading = read(switched)
    (row,) = settings(reading)
    assert (row.name, row.found, row.end, row.back) == ("secure_boot", "on", "on", on)
    assert row.changes == ((off, "off"), (on, "on"))
    made = sheet(reading)
    assert f"Secure Boot: on (step {on})" in made.put_back
    for printed in (render.html(reading), render.markdown(reading)):
        assert re.search(rf"off \(step {off}\); on \(step {on}\).*on, as found", printed)
    assert shapes.plan(reading, ())["settings"][0]["put_back_at"] == on


def test_a_recovery_key_is_asked_for_unless_its_protection_rests_by_then(switched: Job) -> None:
    (row,) = settings(read(switched))
    assert "no key is asked for" in row.key
    awake = tuple(one for one in switched.steps if not (isinstance(one, Prepare) and one.what == "suspend_encryption"))
    (row,) = settings(read(replace(switched, steps=awake)))
    assert "have it at hand" in row.key
    late = (*awake, Prepare("S1", "suspend_encryption"))
    (row,) = settings(read(replace(switched, steps=late)))
    assert "have it at hand" in row.key, "suspended after the change is too late"
    (row,) = settings(read(know(switched, "encrypted", False)))
    assert row.key == ""


def test_a_switch_that_stays_is_not_called_put_back(found_job: Job) -> None:
    firmware = replace(found_job.found.firmware, secure_boot="on")
    job = replace(found_job, found=replace(found_job.found, firmware=firmware))
    steps = (SetSetting("fast_boot", to=False), SetSecureBoot("off"), SetMode("legacy"))
    rows = settings(read(replace(job, steps=steps)))
    assert [(one.name, one.found, one.end, one.back) for one in rows] == [
        ("fast_boot", "not known", "off", 0),
        ("secure_boot", "on", "off", 0),
        ("mode", "UEFI", "legacy (CSM)", 0),
    ]
    assert not sheet(read(replace(job, steps=steps))).put_back
    assert settings(read(found_job)) == ()


def test_every_switch_has_a_title_and_says_what_to_do_where_it_cannot_be_used(found_job: Job) -> None:
    assert set(switches(found_job.found)) == set(LOCKS) == set(TITLES)
    for locks in LOCKS.values():
        assert [one.sign for one in locks] == list(dict.fromkeys(one.sign for one in locks)), "each sign once"
        assert locks[-1].helps.startswith("the factory") or "password" in locks[-1].helps


def test_start_shows_the_switches_and_nothing_where_none_is_touched(qtbot: QtBot, switched: Job, found_job: Job) -> None:
    desk = Desk(asks_bench=False)
    desk.change(switched, "a job")
    shown = Switched(desk)
    qtbot.addWidget(shown)
    shown.refresh()
    words = [item.widget().text() for at in range(shown.grid.count()) if (item := shown.grid.itemAt(at)) and item.widget()]  # type: ignore[union-attr]
    assert "Secure Boot" in words
    assert "on, as found" in words
    assert not shown.isHidden()
    desk.change(found_job, "another")
    shown.refresh()
    assert shown.isHidden()
    assert shown.grid.count() == 0
