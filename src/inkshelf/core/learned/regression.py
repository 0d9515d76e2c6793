"""How much longer than planned a stage takes: a robust regression, drawn towards what ships as long as there is little to learn from.

The logarithm of taken over planned minutes is explained by the bytes carried, the port and the person. Residuals beyond ``BEND`` of their
usual size count less and less (Huber 1964, M-estimate by weights), so that one job that stood overnight moves nothing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from inkshelf.core.value import Value

BEND, ROUNDS = 1.345, 5
NORMAL = 1.4826  # the usual size of residuals, from the median of their amounts
LEAST_SPREAD = 0.02
GIB = float(1 << 30)

Floats = NDArray[np.float64]


class Prior(Value, frozen=True):
    """What ships: the logarithm of taken over planned in the middle, how far shops differ in it, how far jobs of one shop differ."""

    middle: float
    shops: float
    jobs: float


class Fitted(Value, frozen=True):
    """A stage's coefficients: ``level``, per doubling of GiB, by port, by person; ``count``: of jobs that it was learned from."""

    level: float
    by_bytes: float
    by_port: dict[str, float]
    by_person: dict[str, float]
    count: int

    def middle(self, carried: int, port: str, who: str) -> float:
        """Return the logarithm of taken over planned that is expected."""
        return self.level + self.by_bytes * doubled(carried) + self.by_port.get(port, 0.0) + self.by_person.get(who, 0.0)


def doubled(carried: int) -> float:
    """Return how often a GiB is doubled in so many bytes."""
    return math.log2(1.0 + carried / GIB)


def fit(ratios: Sequence[float], carried: Sequence[int], ports: Sequence[str], people: Sequence[str], prior: Prior) -> Fitted:
    """Return what explains ``ratios`` (logarithms of taken over planned) best; with none of them, what ships."""
    named, known = sorted(set(ports)), sorted(set(people))
    if not ratios:
        return Fitted(prior.middle, 0.0, {}, {}, 0)
    y = np.asarray(ratios, dtype=np.float64)
    columns = [np.ones(len(y)), np.asarray([doubled(one) for one in carried], dtype=np.float64)]
    columns += _each(ports, named) + _each(people, known)
    x = np.stack(columns, axis=1)
    expected = np.zeros(x.shape[1])
    expected[0] = prior.middle
    pull = np.asarray([prior.shops, 0.03, *([0.12] * len(named)), *([0.12] * len(known))]) ** -2.0
    found = _robust(x, y, expected, pull, prior.jobs)
    ends = 2 + len(named)
    return Fitted(
        float(found[0]),
        float(found[1]),
        {one: float(value) for one, value in zip(named, found[2:ends], strict=True)},
        {one: float(value) for one, value in zip(known, found[ends:], strict=True)},
        len(y),
    )


def _each(values: Sequence[str], named: Sequence[str]) -> list[Floats]:
    """A column for each name: one where a value is it, else nought."""
    held = np.asarray(values)
    return [np.asarray(held == one, dtype=np.float64) for one in named]


def _robust(x: Floats, y: Floats, expected: Floats, pull: Floats, spread: float) -> Floats:
    """Solve by weights anew in turns; each coefficient is drawn to what is expected by ``pull``."""
    found: Floats = expected
    weights: Floats = np.ones(len(y))
    for _ in range(ROUNDS):
        scaled = x * (weights / spread**2)[:, None]
        found = np.asarray(np.linalg.solve(scaled.T @ x + np.diag(pull), scaled.T @ y + pull * expected), dtype=np.float64)
        rest = np.abs(y - x @ found)
        spread = max(LEAST_SPREAD, NORMAL * float(np.median(rest)))
        weights = np.minimum(1.0, BEND * spread / np.maximum(rest, 1e-12))
    return found
