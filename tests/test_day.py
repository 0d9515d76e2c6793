"""The day: nobody at two machines, one download at a time, two ports; exactly as short as can be; what comes next; when it can be collected."""

from __future__ import annotations

import itertools
import json
import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.cli.main import run
from inkshelf.core.day.bench import Bench, Order
from inkshelf.core.day.guessing import CLOSE, LATE, best_guess, cost, least_cost
from inkshelf.core.day.planning import MOST, Day, Placed, Ribbon, plan_day
from inkshelf.core.day.spans import LEAST, RESOURCES, WAITS, Span, key_of, merged, spans_of
from inkshelf.core.errors import InkshelfError
from inkshelf.core.learned.times import learn
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.plan.working import with_events
from inkshelf.core.practice.shop import UNTIL
from inkshelf.core.sheet.logged import logged
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.steps.identity import said
from inkshelf.core.steps.kinds import every_step
from inkshelf.core.value import replace
from inkshelf.core.work.events import Began, ended
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import Says
from inkshelf.store.logbook.demo import demo_logbook
from inkshelf.store.logbook.history import history
from inkshelf.store.logbook.today import DAYS, hour_today, today
from inkshelf.ui.logbook.ribbons import in_short, in_words
from strategies import drawn

spans = st.lists(
    st.builds(Span, st.sampled_from(["Room", "Install"]), st.integers(1, 30).map(float), st.sampled_from(RESOURCES)),
    min_size=1,
    max_size=3,
).map(merged)


def orders_of(lists: list[tuple[Span, ...]]) -> list[Order]:
    return [Order(f"j{at}", f"machine {at}", one) for at, one in enumerate(lists)]


def clashes(day: Day, bench: Bench) -> list[str]:
    found = []
    for ribbon in day.ribbons:
        for one, other in itertools.pairwise(ribbon.placed):
            if one.ends > other.begins + 0.02:
                found.append(f"{ribbon.key}: {one} {other}")
    for takes in RESOURCES:
        room = bench.room(takes)
        all_of = [one for ribbon in day.ribbons for one in ribbon.placed if one.span.takes == takes]
        for moment in [one.begins + 0.02 for one in all_of]:
            busy = sum(one.begins <= moment < one.ends - 0.02 for one in all_of)
            if room and busy > room:
                found.append(f"{takes} at {moment}: {busy}")
    return found


@drawn(40)
@given(st.lists(spans, min_size=1, max_size=3))
def test_nothing_is_in_two_places_and_the_order_is_kept(lists: list[tuple[Span, ...]]) -> None:
    bench = Bench()
    day = plan_day(orders_of(lists), bench)
    assert clashes(day, bench) == []
    assert [tuple(one.span for one in ribbon.placed) for ribbon in day.ribbons] == [one for one in lists if one]
    assert all(one.begins >= 0 for ribbon in day.ribbons for one in ribbon.placed)


def best(orders: list[Order]) -> float:
    """The shortest day by trying every order in which a person could go to the machines; what is waited for takes no room here."""
    shortest = float("inf")
    turns = [at for at, one in enumerate(orders) for _ in one.spans]
    for order in set(itertools.permutations(turns)):
        place, free, ready = [0] * len(orders), 0.0, [0.0] * len(orders)
        for at in order:
            span = orders[at].spans[place[at]]
            begins = max(ready[at], free) if span.takes == "hands" else ready[at]
            ready[at] = begins + span.minutes
            free = ready[at] if span.takes == "hands" else free
            place[at] += 1
        shortest = min(shortest, max(ready))
    return shortest


@drawn(25)
@given(
    st.lists(
        st.lists(
            st.builds(Span, st.just("x"), st.integers(1, 9).map(float), st.sampled_from(["hands", "machine"])),
            min_size=1,
            max_size=3,
        ).map(merged),
        min_size=1,
        max_size=2,
    )
)
def test_the_day_is_as_short_as_it_can_be(lists: list[tuple[Span, ...]]) -> None:
    orders = orders_of(lists)
    day = plan_day(orders)
    assert day.proven
    assert day.ready == pytest.approx(best(orders), abs=0.05)


def test_waiting_is_overlapped_and_one_person_is_not_two() -> None:
    one = (Span("a", 10, "hands"), Span("b", 30, "machine"), Span("c", 10, "hands"))
    assert plan_day(orders_of([one])).ready == pytest.approx(50)
    assert plan_day(orders_of([one, one])).ready == pytest.approx(60)
    assert plan_day(orders_of([one, one]), Bench(hands=2)).ready == pytest.approx(50)
    load = (Span("a", 1, "hands"), Span("b", 20, "network"))
    assert plan_day(orders_of([load, load])).ready == pytest.approx(41)
    stick = (Span("a", 1, "hands"), Span("b", 20, "port"))
    assert plan_day(orders_of([stick, stick])).ready == pytest.approx(22)
    assert plan_day(orders_of([stick, stick, stick])).ready == pytest.approx(41)
    assert plan_day(()).ribbons == ()
    many = orders_of([(Span("a", 5, "hands"),)] * (MOST + 2))
    assert len(plan_day(many).ribbons) == MOST


def test_what_was_promised_comes_first_even_where_all_take_longer() -> None:
    slow, quick = (Span("a", 40, "hands"),), (Span("b", 20, "hands"),)
    late = plan_day([Order("s", "s", slow), Order("q", "q", quick, 25.0)])
    assert next(one for one in late.ribbons if one.key == "q").ready == pytest.approx(20)
    first = plan_day([Order("s", "s", slow, 41.0), Order("q", "q", quick)])
    assert next(one for one in first.ribbons if one.key == "s").ready == pytest.approx(40)
    assert first.next_up() is not None
    assert first.next_up()[0].key == "s"  # type: ignore[index]
    both = plan_day([Order("s", "s", slow, 10.0), Order("q", "q", quick, 10.0)])
    assert sum(one.late for one in both.ribbons) == pytest.approx(60), "as little late as can be: the quick one first"


def test_spans_follow_the_steps_and_what_is_done_is_not_planned_again(job: Job) -> None:
    reading = read(job)
    whole = spans_of(reading, 0)
    assert sum(one.minutes for one in whole) == pytest.approx(sum(row.minutes for row in sheet(reading).rows))
    assert {one.takes for one in whole} == set(RESOURCES)
    assert not any(one.takes == two.takes == "hands" for one, two in itertools.pairwise(whole))
    assert all(one.minutes >= LEAST for one in whole if one.takes != "hands")
    longer = spans_of(reading, 0, lambda stage: 2.0 if stage == "Install" else 1.0)
    install = sum(row.minutes for row in sheet(reading).rows if row.words.stage == "Install")
    assert sum(one.minutes for one in longer) - sum(one.minutes for one in whole) == pytest.approx(install)
    first, second = job.steps[:2]
    begun = with_events(job, Began(100, first.id), ended(first.id, 400, "done", said(first)), Began(400, second.id))
    rows = sheet(read(job)).rows
    left = spans_of(read(begun), 400 + 60)
    expected = sum(row.minutes for row in rows) - rows[0].minutes - 1
    assert sum(one.minutes for one in left) == pytest.approx(expected)


def test_every_kind_that_is_waited_for_is_a_kind(job: Job) -> None:
    kinds = {str(one.__struct_config__.tag) for one in every_step()}
    assert {key.split(" ")[0] for key in WAITS} <= kinds
    assert {key_of(step).split(" ")[0] for step in job.steps} <= kinds


def test_the_made_up_shops_day(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    book = Logbook(demo_logbook(tmp_path))
    times, now = learn(history(book)), UNTIL + 9 * 3600
    plan = today(book, times, now)
    assert len(plan.day.ribbons) == 3
    assert plan.day.proven
    assert plan.longer > 1.05
    assert clashes(plan.day, Bench()) == []
    key = plan.day.ribbons[0].key
    promised = today(book, times, now, {key: now + 3600})
    assert next(one for one in promised.day.ribbons if one.key == key).late >= 0
    assert today(book, times, now + (DAYS + 30) * 86_400).day.ribbons == ()
    raw, _ = book.read(key)
    fresh = document.load(raw)
    other = Logbook(f"sqlite:///{tmp_path / 'other.sqlite'}")
    other.put(logged(read(fresh)), document.dump(replace(fresh)), Says(int(time.time())))
    assert run(["log", "today", "--logbook", other.url]) == 0
    assert "ready at" in capsys.readouterr().out
    assert run(["log", "today", f"{key}=00:01", "--json", "--logbook", other.url]) == 0
    told = json.loads(capsys.readouterr().out)["day"]["ribbons"]
    assert told[0]["promised"] <= 1.0, "it has passed, unless it is just midnight"
    assert run(["log", "today", "nonsense", "--logbook", other.url]) == 2
    for one in (book, other):
        one.close()


def test_a_machine_that_the_day_does_not_hold_is_named(job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    url = f"sqlite:///{tmp_path / 'log.sqlite'}"
    book = Logbook(url)
    jobs = [replace(job, seed=f"job-{number}", owner=f"Owner {number}", title="") for number in range(MOST + 1)]
    for at, one in enumerate((*jobs, replace(job, seed="odd", owner="Nobody", title="", aims=(), steps=()))):
        book.put(logged(read(one)), document.dump(one), Says(int(time.time()) - 100 + at))
    times = learn(history(book))
    day = today(book, times, int(time.time()))
    assert (day.passed_over, day.unplanned) == (("Owner 0",), ("Nobody",))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("inkshelf.store.logbook.today.READ", 3)
        few = today(book, times, int(time.time()))
    assert few.passed_over == ("Owner 4", "Owner 3", "Owner 2", "Owner 1", "Owner 0")[-len(few.passed_over) :]
    assert len(few.passed_over) == MOST + 2 - 3
    book.close()
    assert "all ready" not in in_short(day)
    assert "2 not planned" in in_short(day)
    assert in_words(day).endswith(day.left_out)
    assert run(["log", "today", "--logbook", url]) == 0
    assert day.left_out in capsys.readouterr().out
    assert run(["log", "today", "job-x=12:00", "--logbook", url]) == 2
    assert "job-x" in capsys.readouterr().err


def test_an_hour_that_has_passed_is_said_as_it_was_promised_and_the_day_is_planned_all_the_same() -> None:
    spans = (Span("Room", 20.0, "hands"),)
    day = plan_day([Order("a", "a", spans, -90.0), Order("b", "b", spans, 15.0)])
    by_key = {one.key: one for one in day.ribbons}
    assert by_key["a"].promised == -90.0
    assert sorted(round(one.late) for one in day.ribbons) in ([5, 130], [25, 110])
    assert hour_today("15:40", UNTIL) % 86_400 % 3600 == 40 * 60
    for none in ("", "25:00", "15.40", "fifteen"):
        with pytest.raises(InkshelfError):
            hour_today(none, UNTIL)


@given(
    lists=st.lists(spans, min_size=1, max_size=4),
    promised=st.lists(st.none() | st.integers(-20, 90).map(float), min_size=4, max_size=4),
)
def test_a_day_put_together_can_be_done_and_no_day_costs_less_than_is_said(
    lists: list[tuple[Span, ...]], promised: list[float | None]
) -> None:
    orders = [replace(one, promised=due) for one, due in zip(orders_of(lists), promised, strict=False)]
    guess, sure = best_guess(orders, Bench())
    placed = [
        Ribbon(one.key, one.name, tuple(Placed(span, at, at + span.minutes) for span, at in zip(one.spans, own, strict=True)))
        for one, own in zip(orders, guess.begins, strict=True)
    ]
    assert clashes(Day(tuple(placed)), Bench()) == []
    least = least_cost(orders, Bench())
    assert guess.cost == cost(orders, guess.begins) >= least - CLOSE
    assert sure == (guess.cost <= least + CLOSE)
    if sum(len(one) for one in lists) <= 6:
        best = plan_day(orders)
        found = cost(orders, [[one.begins for one in ribbon.placed] for ribbon in best.ribbons])
        assert best.proven
        assert least - 0.2 - LATE * 0.2 <= found <= guess.cost + 0.2 + LATE * 0.2, (
            "places are rounded to a hundredth of a minute"
        )


def test_a_full_bench_of_six_is_proven() -> None:
    whole = (("Room", 17, "hands"), ("Material", 15, "network"), ("Media", 5, "hands"), ("Media", 9, "port"))
    whole += (("Partitions", 21, "hands"), ("Install", 25, "machine"), ("Proof", 13, "hands"))
    orders = [
        Order(
            f"j{at}", f"machine {at}", tuple(Span(title, float(minutes + 3 * at % 7), takes) for title, minutes, takes in whole)
        )  # type: ignore[arg-type]
        for at in range(MOST)
    ]
    day = plan_day(orders)
    assert day.proven
    assert clashes(day, Bench()) == []
    assert day.ready == pytest.approx(least_cost(orders, Bench()), abs=0.1), "nothing but the person is short"


def test_what_was_promised_is_searched_for_where_no_day_put_together_keeps_it_best() -> None:
    lists = (
        ((26, "hands"), (16, "port"), (2, "hands"), (5, "machine")),
        ((11, "hands"), (9, "machine"), (26, "network"), (24, "machine")),
        ((22, "hands"), (7, "port"), (22, "hands")),
    )
    orders = [
        Order(f"j{at}", "m", tuple(Span("Room", float(minutes), takes) for minutes, takes in one), due)  # type: ignore[arg-type]
        for at, (one, due) in enumerate(zip(lists, (57.0, 79.0, 21.0), strict=True))
    ]
    guess, sure = best_guess(orders, Bench())
    day = plan_day(orders)
    assert (sure, day.proven) == (False, True)
    assert sum(one.late for one in day.ribbons) == pytest.approx(76.0, abs=0.1)
    assert guess.cost > 80 * LATE
