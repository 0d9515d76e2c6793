"""Learned times: bands that hold as often as they say, a job that stood overnight moves nothing, little data is said to be little."""

from __future__ import annotations

import json
import math
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.cli.main import run
from inkshelf.core.learned.history import JobDone, StageDone, done_of, own_waits, planned_of, port_of
from inkshelf.core.learned.regression import Prior, fit
from inkshelf.core.learned.times import FEW, Band, learn, overruns, quantiles
from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.practice.machines import kit_of, made_up
from inkshelf.core.practice.shop import JOBS, OPEN, made_up_shop
from inkshelf.core.practice.shops import simulated
from inkshelf.core.sheet.logged import connected, logged
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.exchange.plots import FORMATS, Look, StageRow, counted, kept, saved, stages
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import Says
from inkshelf.store.logbook.demo import demo_logbook
from inkshelf.store.logbook.history import history, met, waits

PRIOR = Prior(0.2, 0.2, 0.4)


@pytest.fixture(scope="module")
def shop(tmp_path_factory: pytest.TempPathFactory) -> Logbook:
    return Logbook(demo_logbook(tmp_path_factory.mktemp("shop")))


@pytest.mark.parametrize("jobs", [10, 40, 200])
def test_bands_hold_eight_times_of_ten_within_five_points(jobs: int) -> None:
    """Shops differ in stages, people, ports, luck and mishaps; each job is forecast from those before it only."""
    counts = [learn(simulated(seed, jobs)).held for seed in range(40)]
    share = sum(held for held, _ in counts) / sum(of for _, of in counts)
    assert abs(share - 0.8) <= 0.05, share


def test_a_forecast_knows_nothing_of_what_came_later() -> None:
    jobs = simulated(3, 60)
    whole, half = learn(jobs), learn(jobs[:28])
    assert whole.past[:20] == half.past[:20]
    odd = [replace(one, stages=tuple(replace(stage, took=stage.took * 9) for stage in one.stages)) for one in jobs[40:]]
    assert learn([*jobs[:40], *odd]).past[:39] == whole.past[:39]


def test_one_job_that_stood_overnight_moves_nothing() -> None:
    plain = [0.3 + 0.02 * (number % 5 - 2) for number in range(40)]
    found = fit(plain, [0] * 40, [""] * 40, [""] * 40, PRIOR)
    with_one = fit([*plain[:-1], math.log(40)], [0] * 40, [""] * 40, [""] * 40, PRIOR)
    middle = found.middle(0, "", "")
    assert middle == pytest.approx(0.3, abs=0.03)
    assert with_one.middle(0, "", "") == pytest.approx(middle, abs=0.02)


def test_bytes_port_and_person_are_told_apart() -> None:
    rows = [
        (0.1 + 0.05 * math.log2(1 + size) + (0.3 if port == "usb" else 0) + (0.2 if who == "bo" else 0), size * GIB, port, who)
        for size in (0, 1, 7, 31, 127)
        for port in ("usb", "nvme")
        for who in ("ada", "bo")
        for _ in range(8)
    ]
    found = fit(*(list(column) for column in zip(*rows, strict=True)), PRIOR)  # type: ignore[arg-type]
    assert found.middle(7 * GIB, "usb", "bo") == pytest.approx(0.1 + 0.15 + 0.5, abs=0.05)
    assert found.middle(0, "nvme", "ada") == pytest.approx(0.1, abs=0.05)
    assert found.by_person["bo"] - found.by_person["ada"] == pytest.approx(0.2, abs=0.03)


def test_nothing_learned_is_what_ships_and_says_so() -> None:
    nothing = learn(())
    band = nothing.job([StageDone("Install", 60.0, 0.0)])
    assert band.middle == pytest.approx(75.0)
    assert band.low < 75.0 < band.high
    assert "nothing was timed here yet" in band.words
    few = learn(simulated(1, 6))
    assert "from 6 jobs only" in few.job([StageDone("Install", 60.0, 0.0)]).words
    many = learn(simulated(1, FEW + 4))
    assert "only" not in many.job([StageDone("Install", 60.0, 0.0)]).words


@given(st.lists(st.floats(-2, 2), max_size=60), st.floats(0.05, 1))
def test_quantiles_are_in_order_and_within_what_was_seen(misses: list[float], spread: float) -> None:
    low, half, high = quantiles(misses, spread)
    assert low <= half <= high
    assert min([*misses, -1.4 * spread]) <= low
    assert high <= max([*misses, 1.4 * spread])


def test_words_of_a_band() -> None:
    assert Band(71, 80, 96, 40).words == "70 to 95 minutes, 8 of 10"
    assert Band(3.2, 4, 3.4, 40).words == "about 3 minutes"


def test_only_stages_that_were_timed_whole_count_and_waits_that_belong_to_the_work() -> None:
    past = next(iter(made_up_shop(9)))
    kept_of = logged(read(past.job))
    done = done_of(kept_of, "ada")
    assert done is not None
    assert done.port == "nvme"
    steps = [one for one in kept_of.steps if one.stage == "Partitions"]
    whole = next(one for one in done.stages if one.stage == "Partitions")
    assert whole.planned == pytest.approx(sum(one.planned for one in steps))
    assert whole.took == pytest.approx(sum((one.took or 0) + own_waits(one.waits) for one in steps))
    skipped = replace(kept_of, steps=tuple(replace(one, stands="skipped") if one == steps[0] else one for one in kept_of.steps))
    assert "Partitions" not in {one.stage for one in (done_of(skipped, "ada") or done).stages}
    assert done_of(replace(kept_of, ended=None), "ada") is None
    assert [one.stage for one in planned_of(kept_of, "ada").stages] == list(dict.fromkeys(one.stage for one in kept_of.steps))
    assert own_waits("download: 4.0\ncustomer: 9.0\nmy own: words: 3.0\ntool: 1.5") == 5.5
    assert port_of(["nvme", "usb"]) == "usb"
    assert port_of(["nvme", "sata turning", "sata"]) == "sata turning"
    assert port_of(["strange"]) == ""
    old = made_up(kit_of("old"), "x").disks[0]
    assert [connected(replace(old, rotational=one)) for one in (True, False, None)] == ["sata turning", "sata", "sata"]
    assert connected(replace(old, rotational=True, removable=True, transport="usb")) == "usb", "a bridge says so of any stick"


def same(one: JobDone, other: JobDone | None) -> None:
    """Of two sums of the same minutes the last digits may differ."""
    assert other is not None
    assert (one.seed, one.port, one.who, one.ended) == (other.seed, other.port, other.who, other.ended)
    assert [(stage.stage, stage.carried) for stage in one.stages] == [(stage.stage, stage.carried) for stage in other.stages]
    for stage, twin in zip(one.stages, other.stages, strict=True):
        assert (stage.planned, stage.took) == pytest.approx((twin.planned, twin.took))


def test_the_database_gives_what_the_jobs_say(shop: Logbook) -> None:
    jobs = history(shop)
    assert len(jobs) == shop.count() - len(OPEN) == JOBS - len(OPEN), "some stand on the bench still"
    assert [one.ended for one in jobs] == sorted(one.ended for one in jobs)
    for one in jobs:
        same(one, done_of(shop.logged(one.seed), one.who))
    assert [one.seed for one in history(shop, 5)] == [one.seed for one in jobs[-5:]]
    held, of = learn(jobs).held
    assert of == len(jobs)
    assert held / of > 0.6
    longest = overruns(jobs)
    assert [ratio for _, ratio, _ in longest] == sorted((ratio for _, ratio, _ in longest), reverse=True)
    assert {stage: ratio for stage, ratio, _ in longest}["Install"] > 1.1
    total = sum(minutes for _, minutes in waits(shop))
    assert total == pytest.approx(sum(one.waited for seed in shop.seeds() for one in shop.logged(seed).steps), abs=2)
    assert met(shop)[0].count >= met(shop)[-1].count


def test_a_stage_of_which_a_step_was_left_out_says_nothing_in_the_database_either(tmp_path: Path) -> None:
    past = next(iter(made_up_shop(9)))
    kept_of = logged(read(past.job))
    steps = tuple(replace(one, stands="skipped") if one.stage == "Install" else one for one in kept_of.steps)
    book = Logbook(f"sqlite:///{tmp_path / 'log.sqlite'}")
    book.put(replace(kept_of, steps=steps), document.dump(past.job), Says(past.at, past.who))
    (job,) = history(book)
    assert "Install" not in {one.stage for one in job.stages}
    same(job, done_of(book.logged(past.job.seed), past.who))
    book.close()


def test_the_made_up_shop_is_the_same_every_time_and_is_built_once(tmp_path: Path, shop: Logbook) -> None:
    again = Logbook(demo_logbook(tmp_path))
    assert [again.read(seed)[0] for seed in again.seeds()] == [shop.read(seed)[0] for seed in shop.seeds()]
    (place,) = tmp_path.glob("*.sqlite")
    before = place.stat().st_mtime_ns
    again.close()
    demo_logbook(tmp_path)
    assert place.stat().st_mtime_ns == before
    place.rename(tmp_path / "made-up-shop-0.sqlite")
    assert Logbook(demo_logbook(tmp_path)).count() == JOBS
    assert [one.name for one in tmp_path.glob("*.sqlite")] == [place.name], "one of an earlier recipe is made anew"


@pytest.mark.parametrize("form", FORMATS)
def test_plots_are_saved_in_every_form_and_the_same_every_time(form: str) -> None:
    times, look = learn(simulated(2, 30)), Look()
    rows = [StageRow(name, times.stage(StageDone(name, minutes, 0.0)), 30.0) for name, minutes in times.planned.items()]
    figures = (
        lambda: stages(rows, look, 600, 240),
        lambda: kept(times.past, look, 600, 240),
        lambda: counted([("waiting for <the> customer & co", 12.0), ("none", 0.0)], "min", look, 600, 240),
        lambda: counted([], "min", look, 600, 240),
    )
    for make in figures:
        raw = saved(make(), form)
        assert raw == saved(make(), form)
        assert raw.startswith({"svg": b"<?xml", "pdf": b"%PDF", "png": b"\x89PNG"}[form])
    if form == "svg":
        assert b"Install" in saved(figures[0](), form), "words stay words"


def test_a_job_without_stages_is_no_trouble() -> None:
    odd = JobDone("x", (StageDone("Install", 0.0, 0.0),), "", "", 5)
    assert learn([odd]).count == 1
    assert learn([odd, *simulated(1, 9)]).count == 10


def test_by_command(shop: Logbook, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    url = ["--logbook", shop.url, "--json"]
    assert run(["log", "times", *url]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["jobs"] == JOBS - len(OPEN)
    assert told["stages"]["Install"]["low"] < told["stages"]["Install"]["high"]
    file = tmp_path / "job.json"
    file.write_bytes(shop.read("shop-001")[0])
    assert run(["log", "times", str(file), *url]) == 0
    whole = json.loads(capsys.readouterr().out)["whole"]
    assert 60 < whole["low"] < whole["high"] < 300
    assert run(["log", "times", str(file), *url[:2]]) == 0
    assert "8 of 10" in capsys.readouterr().out
