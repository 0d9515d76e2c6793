"""Bands: how long a job and each of its stages will take, eight times of ten; and how often such bands held.

What a band's width comes from are misses of forecasts: every job is forecast from those before it only. As long as there are few, misses
that ship stand in for them.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from inkshelf.core.learned.history import JobDone, StageDone
from inkshelf.core.learned.regression import Fitted, Prior, fit
from inkshelf.core.value import Value, replace
from inkshelf.data import table

OF_TEN = 8
PRIOR_MISSES = 6
FIRST, GROWTH = 5, 1.5
"""Forecasts are made anew when so many more jobs are there."""
FEW = 20
NORMAL_POINTS = (-1.3830, -0.6745, -0.2104, 0.2104, 0.6745, 1.3830)
"""What six draws of a normal distribution come to, ordered: its points at 1/12, 3/12 ... 11/12."""


class Band(Value, frozen=True):
    """Minutes: ``low`` to ``high`` hold eight times of ten, ``middle`` is passed as often as not; ``count``: of jobs that it was learned from."""

    low: float
    middle: float
    high: float
    count: int

    @property
    def words(self) -> str:
        """How it is said, for example ``70 to 95 minutes, 8 of 10``."""
        low, high = rounded(self.low), rounded(self.high)
        said = f"{low} to {high} minutes, {OF_TEN} of 10" if low < high else f"about {high} minutes"
        return f"{said}{honest(self.count)}"

    def holds(self, took: float) -> bool:
        """Whether it came so."""
        return self.low <= took <= self.high


def rounded(minutes: float) -> int:
    """Return minutes as they are said: to five where there are many."""
    return round(minutes) if minutes < 20 else 5 * round(minutes / 5)


def honest(count: int) -> str:
    """Return what has to be said of so few jobs."""
    if count == 0:
        return "; from figures that ship, nothing was timed here yet"
    return f"; from {count} job{'s' if count > 1 else ''} only" if count < FEW else ""


class Held(Value, frozen=True):
    """A forecast and what came: of a whole job, or of a stage of it."""

    seed: str
    band: Band
    took: float

    @property
    def held(self) -> bool:
        """Whether it came so."""
        return self.band.holds(self.took)


class Times(Value, frozen=True):
    """What was learned: each stage's fit, the minutes that are planned for it in the middle, how many times as long
    it takes, how far forecasts missed (logarithms of taken
    over forecast) of jobs and of stages, and the forecasts of the past."""

    fits: dict[str, Fitted]
    planned: dict[str, float]
    over: dict[str, float]
    misses: tuple[float, ...]
    stage_misses: dict[str, tuple[float, ...]]
    past: tuple[Held, ...]
    count: int

    @property
    def held(self) -> tuple[int, int]:
        """How many bands held, and of how many."""
        return sum(one.held for one in self.past), len(self.past)

    def middle(self, stage: StageDone, port: str, who: str) -> float:
        """Return the minutes that a stage takes in the middle."""
        found = self.fits.get(stage.stage)
        ratio = found.middle(stage.carried, port, who) if found else shipped_prior().middle
        return stage.planned * math.exp(ratio)

    def stage(self, stage: StageDone, port: str = "", who: str = "") -> Band:
        """Return the band of one stage; ``stage.took`` is not looked at."""
        misses = self.stage_misses.get(stage.stage, ())
        spread = shipped_prior().jobs
        found = self.fits.get(stage.stage)
        return _band(self.middle(stage, port, who), misses, spread, found.count if found else 0)

    def job(self, stages: Sequence[StageDone], port: str = "", who: str = "") -> Band:
        """Return the band of a job of these stages."""
        return self.around(sum(self.middle(one, port, who) for one in stages))

    def around(self, middle: float) -> Band:
        """Return the band of a job that takes so many minutes in the middle."""
        return _band(middle, self.misses, float(_shipped()["jobs"]), self.count)


def _shipped() -> dict[str, float]:
    return dict(table("defaults")["learned"])


def shipped_prior() -> Prior:
    """Return what ships, for any stage."""
    shipped = _shipped()
    return Prior(math.log(1 + float(shipped["longer"])), float(shipped["shops"]), float(shipped["stages"]))


def _band(middle: float, misses: Sequence[float], spread: float, count: int) -> Band:
    low, half, high = quantiles(misses, spread)
    return Band(middle * math.exp(low), middle * math.exp(half), middle * math.exp(high), count)


def quantiles(misses: Sequence[float], spread: float) -> tuple[float, float, float]:
    """Return the misses that one of ten stays below, half of them, and nine of ten; with those that ship among them.

    Placed so that the next one lies between the outer two with the probability that is said, whatever the misses are like (Vovk 2005).
    """
    shipped = [spread * one for one in NORMAL_POINTS]
    held = sorted([*misses, *shipped])
    aside = (10 - OF_TEN) / 20
    places = ((len(held) + 1) * aside - 1, (len(held) - 1) / 2, (len(held) + 1) * (1 - aside) - 1)
    low, half, high = (_between(held, min(max(one, 0.0), len(held) - 1.0)) for one in places)
    return low, half, high


def _between(ordered: Sequence[float], place: float) -> float:
    below = math.floor(place)
    above = min(below + 1, len(ordered) - 1)
    return ordered[below] + (place - below) * (ordered[above] - ordered[below])


def learn(history: Sequence[JobDone]) -> Times:
    """Return what was learned from finished jobs."""
    jobs = sorted(history, key=lambda one: (one.ended, one.seed))
    state = Times({}, {}, {}, (), {}, (), 0)
    done = 0
    while done < len(jobs):
        block = jobs[done : max(FIRST, math.ceil(done * GROWTH))] if done else jobs[:FIRST]
        state = _forecast(state, block)
        done += len(block)
        state = _fitted(state, jobs[:done])
    return replace(state, over={stage: ratio for stage, ratio, _ in overruns(jobs)})


def _fitted(state: Times, jobs: Sequence[JobDone]) -> Times:
    rows: dict[str, list[tuple[StageDone, JobDone]]] = {}
    for job in jobs:
        for one in job.stages:
            if one.planned > 0 and one.took > 0:
                rows.setdefault(one.stage, []).append((one, job))
    fits = {
        stage: fit(
            [math.log(one.took / one.planned) for one, _ in found],
            [one.carried for one, _ in found],
            [job.port for _, job in found],
            [job.who for _, job in found],
            shipped_prior(),
        )
        for stage, found in rows.items()
    }
    planned = {stage: _between(sorted(one.planned for one, _ in found), (len(found) - 1) / 2) for stage, found in rows.items()}
    return Times(fits, planned, state.over, state.misses, state.stage_misses, state.past, len(jobs))


def _forecast(state: Times, jobs: Sequence[JobDone]) -> Times:
    """Forecast these jobs by what was known before them, and keep how far each came from it."""
    past, misses, stages = [], list(state.misses), {key: list(one) for key, one in state.stage_misses.items()}
    unit = state.around(1.0)
    for job in jobs:
        if job.took <= 0 or job.planned <= 0:
            continue
        whole = 0.0
        for one in job.stages:
            middle = state.middle(one, job.port, job.who)
            whole += middle
            if one.planned > 0 and one.took > 0:
                stages.setdefault(one.stage, []).append(math.log(one.took / middle))
        misses.append(math.log(job.took / whole))
        band = Band(whole * unit.low, whole * unit.middle, whole * unit.high, state.count)
        past.append(Held(job.seed, band, job.took))
    return Times(
        state.fits,
        state.planned,
        state.over,
        tuple(misses),
        {key: tuple(one) for key, one in stages.items()},
        (*state.past, *past),
        state.count,
    )


def overruns(history: Sequence[JobDone]) -> tuple[tuple[str, float, int], ...]:
    """Return each stage with how often its planned time it took in the middle, and of how many jobs: the longest first."""
    ratios: dict[str, list[float]] = {}
    for job in history:
        for one in job.stages:
            if one.planned > 0:
                ratios.setdefault(one.stage, []).append(one.took / one.planned)
    rows = [(stage, _between(sorted(one), (len(one) - 1) / 2), len(one)) for stage, one in ratios.items()]
    return tuple(sorted(rows, key=lambda row: -row[1]))
