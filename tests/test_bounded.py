"""A file that was named by mistake, an image or a device in the place of a job or a text, is told at once and not read into memory."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from inkshelf.bounded import TooLargeError, read_bounded
from inkshelf.cli import run
from inkshelf.core.errors import CaptureError
from inkshelf.core.plan.job import Job
from inkshelf.exchange.editions import editions
from inkshelf.exchange.images import look
from inkshelf.store import jobfile, shop

HUGE = 3 << 40


def test_no_more_is_read_than_there_may_be(tmp_path: Path) -> None:
    path = tmp_path / "file"
    path.write_bytes(b"x" * 1000)
    assert read_bounded(path, 1000) == b"x" * 1000
    with pytest.raises(TooLargeError):
        read_bounded(path, 999)


@pytest.mark.parametrize("what", ["a disk image", "a device"])
@pytest.mark.parametrize(
    "words",
    [
        "plan FILE",
        "ledger FILE",
        "ink FILE --bench NEW",
        "work FILE",
        "log put FILE",
        "log import FILE",
        "log restore FILE",
        "take JOB --capture FILE",
        "compare JOB --capture FILE",
        "work JOB --from FILE",
        "new -o NEW --capture FILE",
        "new -o NEW --lsblk FILE",
        "new -o NEW --sfdisk FILE",
        "editions FILE",
        "images FILE --sums FILE",
    ],
)
def test_every_command_says_so_in_one_line(
    job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str], words: str, what: str
) -> None:
    path = tmp_path / "disk.img"
    if what == "a device":
        path = Path("/dev/zero")
    else:
        with path.open("wb") as out:
            out.truncate(HUGE)
    jobfile.save(job, tmp_path / "job.json")
    before = (tmp_path / "job.json").read_bytes()
    known = {"FILE": str(path), "JOB": str(tmp_path / "job.json"), "NEW": str(tmp_path / "new.json")}
    own = ["--logbook", f"sqlite:///{tmp_path / 'log.sqlite'}"] if words.startswith("log ") else []
    assert run([*(known.get(one, one) for one in words.split()), *own]) == 2
    said = capsys.readouterr().err
    assert said.count("\n") == 1
    assert str(path) in said or path.name in said or said.startswith("Line 1")
    assert (tmp_path / "job.json").read_bytes() == before
    assert not (tmp_path / "new.json").exists()


def test_figures_that_are_too_long_are_not_cut_and_taken_for_whole(tmp_path: Path) -> None:
    """Cut at its limit, the file was read as if it ended there."""
    path = tmp_path / "figures.toml"
    path.write_text("# words\n" * (1 << 18))
    with pytest.raises(Exception, match="cannot be read"):
        shop.read(path)


@pytest.mark.parametrize("reads", [editions, look])
def test_no_device_is_opened_and_no_pipe_waited_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, reads: object) -> None:
    os.mkfifo(tmp_path / "pipe")
    opened: list[str] = []
    real = Path.open
    monkeypatch.setattr(Path, "open", lambda self, *given, **more: (opened.append(str(self)), real(self, *given, **more))[1])
    for path in (tmp_path / "pipe", Path("/dev/zero")):
        with pytest.raises(CaptureError, match="no ordinary file"):
            reads(path)  # type: ignore[operator]
    assert opened == []
