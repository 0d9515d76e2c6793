"""Power cuts: the process dies hard after any write, and the work goes on from the journal with nothing lost."""

from __future__ import annotations

import errno
import json
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import strategies as st

from inkshelf.bench import cut, mover
from inkshelf.bench.inker import ink, resume
from inkshelf.bench.journal import Entry, Journal
from inkshelf.core.errors import BenchError, CancelledError
from inkshelf.core.plan.byhand import change, exactly
from inkshelf.core.plan.job import Job
from inkshelf.core.size import MIB
from inkshelf.core.steps.kinds import Prepare
from inkshelf.store import jobfile


@pytest.fixture(scope="module")
def moving_job(found_job: Job) -> Job:
    """A short job with everything that can be cut: wake, shrink, an overlapping move, growth, a new volume."""
    job = exactly(found_job, Prepare("S1", "fast_startup_off"))
    for verb, call, words in (
        ("resize", "S1", {"size": "300GiB"}),
        ("move", "R1", {"after": "S1"}),
        ("move", "R1", {"at": "307817MiB"}),
        ("resize", "R1", {"size": "1500MiB"}),
        ("create", "A", {"after": "R1", "size": "2GiB"}),
        ("format", "D1", {"fs": "ext4", "label": "archive"}),
        ("label", "B1", {"label": "START"}),
    ):
        job = change(job, verb, call, **words)
    return job


def ink_and_die(job: Path, bench: Path, after: int) -> int:
    """Ink in a process of its own that dies after that many writes; return its exit status."""
    return subprocess.run(
        [sys.executable, "-m", "inkshelf", "ink", str(job), "--bench", str(bench), "--json", "--cut-after", str(after)],
        capture_output=True,
        check=False,
    ).returncode


@pytest.fixture(scope="module")
def count_of_writes(moving_job: Job, tmp_path_factory: pytest.TempPathFactory) -> int:
    cut.arm(None)
    assert ink(moving_job, tmp_path_factory.mktemp("whole") / "bench").verified
    return cut.writes()


@pytest.mark.parametrize("share", [0.02, 0.3, 0.42, 0.5, 0.58, 0.66, 0.74, 0.82, 0.9, 0.97])
def test_after_a_cut_at_any_write_the_work_goes_on_and_nothing_is_lost(
    moving_job: Job, count_of_writes: int, tmp_path: Path, share: float
) -> None:
    path, bench = tmp_path / "job.json", tmp_path / "bench"
    jobfile.save(moving_job, path)
    assert ink_and_die(path, bench, int(count_of_writes * share)) == cut.STATUS
    report = resume(bench)
    assert [one for one in report.checks if not one.ok] == []
    assert not (bench / "hand").exists()


def test_a_second_cut_while_going_on_is_survived(moving_job: Job, count_of_writes: int, tmp_path: Path) -> None:
    path, bench = tmp_path / "job.json", tmp_path / "bench"
    jobfile.save(moving_job, path)
    assert ink_and_die(path, bench, int(count_of_writes * 0.6)) == cut.STATUS
    code = f"from pathlib import Path\nfrom inkshelf.bench import cut\nfrom inkshelf.bench.inker import resume\ncut.arm(5)\nresume(Path({str(bench)!r}))"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, check=False).returncode == cut.STATUS
    said = subprocess.run(
        [sys.executable, "-m", "inkshelf", "resume", "--bench", str(bench), "--json"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert said.returncode == 0, said.stderr
    assert json.loads(said.stdout)["verified"] is True


def test_cancelled_work_goes_on_too(moving_job: Job, tmp_path: Path) -> None:
    seen: list[int] = []
    with pytest.raises(CancelledError):
        ink(moving_job, tmp_path / "bench", lambda now: seen.append(now.step), lambda: bool(seen) and seen[-1] >= 4)
    assert Journal(tmp_path / "bench").unfinished()
    assert resume(tmp_path / "bench").verified
    assert not Journal(tmp_path / "bench").unfinished()
    assert resume(tmp_path / "bench").verified, "what is done is proved again"


def test_going_on_without_a_beginning_is_refused(tmp_path: Path, moving_job: Job) -> None:
    with pytest.raises(BenchError, match="not there"):
        resume(tmp_path / "nowhere")
    (tmp_path / "empty").mkdir()
    with pytest.raises(BenchError, match="Nothing was begun"):
        resume(tmp_path / "empty")
    journal = Journal(tmp_path / "empty")
    journal.begin(moving_job)
    journal.step(1)
    with pytest.raises(BenchError, match=r"not what was begun|holds other files"):
        resume(tmp_path / "empty")
    (tmp_path / "empty" / "journal.json").write_text("{")
    with pytest.raises(BenchError, match="cannot be read"):
        resume(tmp_path / "empty")
    assert not journal.unfinished()


def test_the_journal_keeps_what_it_is_told(tmp_path: Path, moving_job: Job) -> None:
    journal = Journal(tmp_path)
    journal.begin(moving_job)
    journal.step(3)
    journal.note(ranges=((1, 2), (5, 9)), pieces=4)
    other = Journal(tmp_path)
    assert other.load() == moving_job
    assert other.entry == Entry("step", 3, ranges=((1, 2), (5, 9)), pieces=4, job=other.entry.job)


PIECES = st.lists(st.tuples(st.integers(0, 500), st.binary(min_size=1, max_size=9000)), max_size=6)


@pytest.mark.parametrize("share", [0.01, 0.6, 0.95])
def test_the_way_back_is_open_after_a_cut(moving_job: Job, count_of_writes: int, tmp_path: Path, share: float) -> None:
    path, bench = tmp_path / "job.json", tmp_path / "bench"
    jobfile.save(moving_job, path)
    assert ink_and_die(path, bench, int(count_of_writes * share)) == cut.STATUS
    said = subprocess.run(
        [sys.executable, "-m", "inkshelf", "resume", "--bench", str(bench), "--back", "--json"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert json.loads(said.stdout)["went"] == "back"
    assert not list(bench.glob("*.img"))
    with pytest.raises(BenchError, match="Nothing was begun"):
        resume(bench)
    assert ink(moving_job, bench).verified


def test_a_disk_that_fills_up_in_mid_move_is_gone_on_with(
    moving_job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real, left = mover.copy_some, [3]

    def full(*where: int) -> int:
        left[0] -= 1
        if left[0] < 0:
            raise OSError(errno.ENOSPC, "No space left on device")
        return real(*where)

    with monkeypatch.context() as patch:
        patch.setattr(mover, "copy_some", full)
        with pytest.raises(BenchError, match="is full"):
            ink(moving_job, tmp_path / "bench")
    assert [one for one in resume(tmp_path / "bench").checks if not one.ok] == []


def test_counting_writes_tears_the_one_after_the_last(tmp_path: Path) -> None:
    head = (
        f"import os\nfrom inkshelf.bench import cut, sparse\nfd = os.open({str(tmp_path / 'file')!r}, os.O_RDWR | os.O_CREAT)\n"
    )
    code = head + "cut.arm(1)\nsparse.write_all(fd, b'a' * 4096, 0)\nsparse.write_all(fd, b'b' * 4096, 0)\n"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == cut.STATUS
    raw = (tmp_path / "file").read_bytes()
    assert raw == b"b" * 2048 + b"a" * 2048
    assert MIB % cut.SECTOR == 0
