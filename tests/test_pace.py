"""A stick is written by its own clock: what it took is measured on the way, told again where it changes, and stands in the report."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import isos
from disks import answered
from inkshelf.bench import sticks
from inkshelf.bench.inker import Progress, Report, ink
from inkshelf.bench.intake import take_in, with_stick
from inkshelf.bench.pace import Pace
from inkshelf.bench.sticks import Clock, Simulated
from inkshelf.core.aims.sticks import use_files
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk, StickFacts
from inkshelf.core.plan.job import Job
from inkshelf.core.size import GIB, MIB
from inkshelf.exchange.images import for_job
from inkshelf.store import jobfile
from stick_jobs import wanted

SIZE = 1500 * MIB
SLOWS = Simulated("slow-one", SIZE, "Testling", "T-1", writes=38_000_000, slows_after=512 * MIB, slow=9_000_000)


def job_with(folder: Path, stick: Simulated) -> Job:
    """A job with one stick, thought to write 40 MB a second all the way, and an image of 900 MiB to be put on it."""
    use_files(for_job)
    (path,) = sticks.make(folder, (stick,))
    job = take_in([], mode="uefi", secure_boot="off", title="pace", seed="pace", alone=True)
    disk = sticks.as_disk(stick, path, StickFacts("usb3", 40_000_000, 2_000_000, real_size=SIZE), failing=False)
    image = isos.huge(folder / "long.iso", 900 * MIB)
    return answered(wanted(with_stick(job, disk, path), "many", (for_job(str(image)),)))


@pytest.fixture(scope="module")
def done(tmp_path_factory: pytest.TempPathFactory) -> tuple[Job, Report, list[Progress]]:
    folder = tmp_path_factory.mktemp("pace")
    job, seen = job_with(folder, SLOWS), list[Progress]()
    return job, ink(job, folder / "bench", seen.append), seen


def test_the_time_is_told_again_after_the_first_256_mib_and_where_the_stick_slows(
    done: tuple[Job, Report, list[Progress]],
) -> None:
    _, report, seen = done
    (took,) = report.sticks
    assert took.disk == "M"
    assert 900 * MIB <= took.bytes < 930 * MIB
    first, later = took.told
    assert first.startswith("stick M: 38 MB a second over the first 256 MiB, ")
    assert later.startswith("stick M: 9 MB a second after 768 MiB, ")
    rest = took.bytes - 512 * MIB
    assert took.seconds == pytest.approx(512 * MIB / 38e6 + rest / 9e6, rel=0.02)
    assert took.planned == pytest.approx(took.bytes / 40e6, rel=0.01)
    assert [one for one in dict.fromkeys(one.stick for one in seen) if one] == list(took.told)


def test_the_first_estimate_is_right_for_a_stick_that_stays_as_it_is() -> None:
    said: list[str] = []
    pace = Pace(Disk("M", 8 * GIB), Clock(Simulated("one", 8 * GIB, "Testling", "T-2", writes=10_000_000)), said.append)
    pace.expect(GIB)
    pace.passed(GIB)
    assert said == ["stick M: 10 MB a second over the first 256 MiB, 1 min 21 s more (planned in all: 27 s)"]
    assert pace.over().seconds == pytest.approx(GIB / 10e6)


@given(st.lists(st.integers(0, 700 * MIB), max_size=12))
def test_however_the_bytes_come_the_clock_goes_the_same(pieces: list[int]) -> None:
    stick = Simulated("one", 8 * GIB, "Testling", "T-3")
    pace = Pace(Disk("M", 8 * GIB), Clock(stick), lambda _: None)
    for one in pieces:
        pace.passed(one)
    took = pace.over()
    assert took.bytes == sum(pieces)
    assert took.seconds == pytest.approx(sum(pieces) / 38e6)
    assert len(took.told) == (sum(pieces) >= 256 * MIB)


def test_a_stick_that_dies_under_the_writing_is_said_and_nothing_is_called_done(tmp_path: Path) -> None:
    job = job_with(tmp_path, Simulated("dying", SIZE, "Testling", "T-4", dies_after=300 * MIB))
    with pytest.raises(BenchError, match="failed after 300 MiB"):
        ink(job, tmp_path / "bench")


def test_the_command_line_says_it_while_it_goes_on_and_afterwards(
    done: tuple[Job, Report, list[Progress]], tmp_path: Path
) -> None:
    jobfile.save(done[0], tmp_path / "job.json")
    said = subprocess.run(
        [sys.executable, "-m", "inkshelf", "ink", tmp_path / "job.json", "--bench", tmp_path / "bench"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert "9 MB a second after 768 MiB" in said.stderr
    assert "by its own clock, planned 24 s" in said.stdout
    assert said.returncode == 0
