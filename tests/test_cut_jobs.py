"""Two hundred generated jobs with moves, shrinks and re-creations, cut at random writes: nothing that is kept is ever lost."""

from __future__ import annotations

import pytest

from cut_jobs import CutJobs

JOBS, BATCHES = 200, 8


@pytest.fixture(scope="module")
def cut_jobs(tmp_path_factory: pytest.TempPathFactory) -> CutJobs:
    return CutJobs(tmp_path_factory.mktemp("cutjobs"))


@pytest.mark.parametrize("batch", range(BATCHES))
def test_every_kept_byte_is_there_after_cuts_at_random_writes(cut_jobs: CutJobs, batch: int) -> None:
    cuts = 0
    for seed in range(batch * JOBS // BATCHES, (batch + 1) * JOBS // BATCHES):
        done, made = cut_jobs.run(seed)
        cuts += made
        if done is not None:
            assert [one for one in done.report.checks if not one.ok] == [], f"seed {seed}"
    assert cuts >= JOBS // BATCHES // 2
