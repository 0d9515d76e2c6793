"""The sheet as it is worked: events that only grow, clocks that lose no second, values that are found, the pace; in the core, without a window."""

from __future__ import annotations

import html
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench.recipes import wanting
from inkshelf.core.checks import apply_remedy, findings, know
from inkshelf.core.checks.registry import ChangeAim
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.plan.working import joined, keeping, with_events
from inkshelf.core.sheet.asking import asked, whole
from inkshelf.core.sheet.atwork import at_work, clock_words, first_open, pace
from inkshelf.core.sheet.scene import scenes
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.identity import said
from inkshelf.core.steps.kinds import Confirm, Shrink
from inkshelf.core.value import replace
from inkshelf.core.work.events import AnyEvent, Attached, Began, Ended, Measured, Noted, Paused, Reopened, Resumed, Work, ended
from inkshelf.core.work.worked import LOST, TAKES, left_running, worked
from inkshelf.exchange import render

T0 = 1_764_590_000
STEPS = st.sampled_from(["a1.shrink.S1", "a1.create.B2", "a1.install.S2"])
HOWS = st.sampled_from(["done", "failed", "skipped", "otherwise"])


@st.composite
def work(draw: st.DrawFn) -> Work:
    """Any list of events, in the order of their times."""
    at, found = T0, list[AnyEvent]()
    for gone in draw(st.lists(st.integers(0, 4000), max_size=14)):
        at, step = at + gone, draw(STEPS)
        kinds: list[st.SearchStrategy[AnyEvent]] = [
            st.just(Began(at, step)),
            st.builds(Paused, st.just(at), st.just(step), st.sampled_from(["download", "lunch with the owner", ""])),
            st.just(Resumed(at, step)),
            st.builds(Ended, st.just(at), st.just(step), HOWS, st.just("why"), st.just("0"), st.none() | st.floats(0, 500)),
            st.just(Reopened(at, step)),
            st.builds(Measured, st.just(at), st.just(step), st.sampled_from(["offered", "free"]), st.sampled_from(["", "12"])),
            st.just(Noted(at, step, "a note")),
            st.just(Attached(at, step, "one.png", 12, "ab" * 32)),
        ]
        found.append(draw(st.one_of(kinds)))
    return tuple(found)


def test_every_kind_of_event_does_something_and_is_kept_in_the_job_file() -> None:
    assert set(TAKES) == set(get_args(AnyEvent))


@given(work(), st.integers(0, 5000))
def test_no_second_is_lost_or_counted_twice(events: Work, later: int) -> None:
    """What the clock counted, at work and waiting, is just the time in which it was begun for some step."""
    now = (events[-1].at if events else T0) + later
    state = worked(events, now)
    running, since, counted = "", T0, 0
    for event in (*events, Noted(now)):
        counted += event.at - since if running else 0
        since = event.at
        if isinstance(event, Began):
            running = event.step
        elif isinstance(event, Ended) and event.step == running:
            running = ""
    assert state.seconds + state.waited == counted
    assert state.running == running


@given(work(), work())
def test_what_was_noted_outlives_going_back_and_ticks_follow(earlier: Work, more: Work) -> None:
    before = with_events(Job(), *earlier)
    now = with_events(before, *more)
    assert keeping(before, now).work == now.work
    assert keeping(before, now).ticked == now.ticked
    assert keeping(now, before).work[: len(earlier)] == before.work
    finished = {step for step, one in worked(now.work).steps.items() if one.stands in {"done", "otherwise"}}
    assert {one.step for one in now.ticked} == finished
    assert document.load(document.dump(now)).work == now.work


@given(work(), work())
def test_joining_two_sheets_keeps_each_event_once(one: Work, other: Work) -> None:
    both = joined(one, other)
    assert set(both) == {*one, *other}
    assert len(both) == len(set(both))
    assert joined(both, other) == both == joined(both, one)
    assert [event.at for event in both] == sorted(event.at for event in both)


def test_a_clock_set_back_counts_nothing_and_one_left_running_stands_since_the_last_word() -> None:
    events = (Began(T0, "a1.x"), Noted(T0 - 500, "a1.x", "the clock was wrong"), Noted(T0 + 60, "a1.x", "right again"))
    assert worked(events).step("a1.x").seconds == 60, "neither what passed backwards nor that twice"
    assert left_running(events, T0 + LOST) == ()
    (added,) = left_running(events, T0 + 60 + LOST + 1)
    assert added == Paused(T0 + 60, "a1.x", "closed")
    state = worked((*events, added), T0 + 90_000)
    assert (state.paused, state.step("a1.x").seconds) == ("closed", worked(events).step("a1.x").seconds)


@pytest.mark.parametrize("how", ["failed", "skipped", "otherwise"])
def test_what_was_not_done_as_the_sheet_says_needs_a_reason(how: str) -> None:
    with pytest.raises(InkshelfError):
        ended("a1.x", T0, how, "0", "  ")  # type: ignore[arg-type]
    assert ended("a1.x", T0, "done", "0").how == "done"


# -- what a step asks for --------------------------------------------------------------------------------------------
@given(st.integers(1, 9_999_999), st.sampled_from(["{}", "{:,}", "{:_}", " {} ", "{} MiB"]))
def test_a_number_in_a_box_is_read_however_it_is_grouped(number: int, form: str) -> None:
    text = form.format(number)
    assert whole(text, MIB) == number * MIB
    assert whole(text.replace(",", "."), MIB) == number * MIB
    assert whole(text.replace(",", " "), MIB) == number * MIB


def shrinking(job: Job) -> tuple[Shrink, object]:
    return next((step, scene) for _, step, scene in scenes(read(job)) if isinstance(step, Shrink))


def test_a_box_that_offers_too_little_is_planned_with_and_nothing_noted_is_lost(job: Job) -> None:
    step, scene = shrinking(job)
    (asks,) = asked(step, scene)  # type: ignore[arg-type]
    volume = job.found.find(step.call)
    assert volume is not None
    needed = (volume[1].size - step.to_bytes) // MIB
    assert asks.judge(str(needed)).good is True
    less = asks.judge(f"{needed - 7000:,}")
    assert (less.good, less.words) == (
        False,
        "7 000 MB less than needed: stop here and plan again".replace(" ", less.words[1], 1),
    )
    with pytest.raises(InkshelfError):
        asks.judge("many")
    noted = with_events(job, Began(T0, step.id), Noted(T0 + 5, step.id, "the bar does not move"))
    assert less.fact is not None
    again = know(noted, *less.fact)
    row = next(one for one in at_work(read(again), sheet(read(again)), T0)[0] if one.row.step == step.id)
    (stop,) = [one for one in row.stops if one.key == f"room.movable.{step.call}"]
    again = apply_remedy(again, next(one for one in stop.remedies if isinstance(one, ChangeAim)))
    assert again.work == noted.work
    new = next((one for one in again.steps if isinstance(one, Shrink)), None)
    assert not again.plan_fault
    assert new is not None
    assert volume[1].size - new.to_bytes <= (needed - 7000) * MIB


def test_what_a_second_box_offers_counts_what_the_first_shrink_took(one: Job) -> None:
    """A volume that gives room twice: the fact is about the volume as it was found, or the plan would shrink it too far back."""
    twice = wanting(one, ("no-stick", {"image": "3GiB", "size": "70GiB", "home": "apart"}))
    (_, first), (step, second) = [(step, scene) for _, step, scene in scenes(read(twice)) if isinstance(step, Shrink)]
    volume, before = second.found.find(step.call), second.before.find(step.call)
    assert volume is not None
    assert before is not None
    assert before[1].size < volume[1].size
    (asks,) = asked(step, second)
    needed = (before[1].size - step.to_bytes) // MIB
    told = asks.judge(str(needed))
    taken = (volume[1].size - before[1].size) // MIB
    assert told.fact == (f"shrinkable:{step.call}", f"{needed + taken} MiB")
    (earlier,) = asked(next(one for one in twice.steps if isinstance(one, Shrink)), first)
    assert earlier.judge("90000").fact == (f"shrinkable:{step.call}", "90000 MiB")
    assert not [one for one in findings(read(know(twice, *told.fact))) if one.key.startswith("room.movable")], (
        "just enough is enough"
    )


def test_free_space_that_is_far_from_the_plan_is_said(job: Job) -> None:
    found = [(asks, step) for _, step, scene in scenes(read(job)) for asks in asked(step, scene) if asks.key == "free"]
    assert found
    asks, step = found[0]
    shown = next(row for row in sheet(read(job)).rows if row.step == step.id).words.values[-1][1]
    assert asks.judge(shown).good is True
    assert asks.judge("1").good is False


# -- the pace --------------------------------------------------------------------------------------------------------
def test_the_pace_counts_what_was_done_and_what_a_step_has_used_already(job: Job) -> None:
    made = sheet(read(job))
    whole_minutes = sum(row.minutes for row in made.rows)
    rows, _ = at_work(read(job), made, T0)
    assert pace(rows, T0).left == pytest.approx(whole_minutes)
    assert first_open(rows) == 0
    one, two = job.steps[0], job.steps[1]
    events = (Began(T0, one.id), ended(one.id, T0 + 600, "done", said(one)), Began(T0 + 600, two.id))
    worked_on = with_events(job, *events)
    rows, state = at_work(read(worked_on), made, T0 + 660)
    told = pace(rows, T0 + 660)
    assert (state.running, first_open(rows)) == (two.id, 1)
    assert told.behind == pytest.approx(10 - made.rows[0].minutes)
    assert told.left == pytest.approx(whole_minutes - made.rows[0].minutes - 1)
    assert told.ready[0] < told.ready[1]
    assert worked_on.done == {one.id}


def test_a_step_that_says_something_else_since_it_was_done_is_to_be_looked_at(job: Job) -> None:
    step, _ = shrinking(job)
    done = with_events(job, ended(step.id, T0, "done", said(step)))
    assert step.id in done.done
    other = with_aim(done, replace(done.aim, size_bytes=100 * GIB))
    row = next(one for one in at_work(read(other), sheet(read(other)), T0)[0] if one.row.step == step.id)
    assert row.changed
    assert not row.over
    assert step.id not in other.done


def test_what_was_confirmed_at_work_is_no_finding_any_more(job: Job) -> None:
    """A step that says that the back-up was read back is done: nobody is told that it was not."""
    undone = know(job, "backup", "made")
    keys = {one.key for one in findings(read(undone))}
    assert "people.backup" in keys
    step = next(one for one in undone.steps if isinstance(one, Confirm) and one.subject == "backup")
    done = with_events(undone, ended(step.id, T0, "done", said(step)))
    assert {one.key for one in findings(read(done))} == keys - {"people.backup"}
    other = next(one for one in undone.steps if isinstance(one, Confirm) and one.subject != "backup")
    else_done = with_events(undone, ended(other.id, T0, "done", said(other)))
    assert "people.backup" in {one.key for one in findings(read(else_done))}, "another step that is done says nothing of it"
    failed = with_events(done, ended(step.id, T0 + 1, "failed", said(step), "two files do not open"))
    assert "people.backup" in {one.key for one in findings(read(failed))}


def test_every_sheet_says_what_failed_or_was_left_out(job: Job) -> None:
    one, two, three = job.steps[:3]
    hows = (("failed", "the <site> is down"), ("skipped", "the owner brought one"), ("otherwise", "by hand"))
    events = [ended(step.id, T0, how, said(step), why) for step, (how, why) in zip((one, two, three), hows, strict=True)]  # type: ignore[arg-type]
    reading = read(with_events(job, *events))
    rows = sheet(reading).rows
    assert [row.ended for row in rows[:4]] == [
        "failed: the <site> is down",
        "left out: the owner brought one",
        "done in another way: by hand",
        "",
    ]
    assert [row.ticked for row in rows[:4]] == [False, False, True, False]
    page, lines = render.html(reading), render.markdown(reading)
    for row in rows[:3]:
        assert html.escape(row.ended) in page
        assert row.ended in lines
    taken_back = read(with_events(reading.job, Reopened(T0 + 1, one.id)))
    assert sheet(taken_back).rows[0].ended == ""


@pytest.mark.parametrize(("seconds", "words"), [(0, "0:00"), (222, "3:42"), (6070, "1:41:10"), (-5, "0:00")])
def test_a_clock_reads_like_a_clock(seconds: int, words: str) -> None:
    assert clock_words(seconds) == words


def test_a_job_without_work_is_saved_as_before(job: Job) -> None:
    assert replace(job, work=()) == document.load(document.dump(job))
    assert job.found.disks[0].size > GIB
