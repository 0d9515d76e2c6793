"""What inking carries, what could not be known, and the words of progress."""

from __future__ import annotations

from pathlib import Path

import pytest

from disks import assemble
from inkshelf.bench.inker import Progress, ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.stored import stored
from inkshelf.core.checks.unknown import unknown
from inkshelf.core.machine.state import Disk, FileSystem, Machine, Table, Volume
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.effort import efforts
from inkshelf.core.value import replace
from inkshelf.exchange import captures
from inkshelf.ui.inkview.steps import rows, time_left


def test_progress_never_goes_back_and_ends_at_its_total(job: Job, tmp_path: Path) -> None:
    seen: list[Progress] = []
    assert ink(job, tmp_path / "bench", seen.append).verified
    assert [one.done for one in seen] == sorted(one.done for one in seen)
    assert [one.step for one in seen] == sorted(one.step for one in seen)
    assert seen[-1].total * 0.8 <= seen[-1].done <= seen[-1].total
    assert {one.step for one in seen} == set(range(len(job.steps) + 2))


def test_what_is_a_hole_is_not_carried(job: Job, tmp_path: Path) -> None:
    plan = read(job).plan
    told = efforts(plan, job.steps, stored(job))
    blind = efforts(plan, job.steps, {})
    assert len(told) == len(blind) == len(job.steps) + 2
    assert all(0 < one <= other for one, other in zip(told, blind, strict=True))
    assert told[0] < GIB < blind[0]
    assert stored(replace(job, sources=())) == {}
    gone = tuple(replace(one, path=str(tmp_path / "gone")) for one in job.sources if one.kind == "image")
    assert stored(replace(job, sources=gone)) == {}


def test_the_list_of_steps_names_what_is_heavy(job: Job) -> None:
    lines = rows(job, read(job))
    assert len(lines) == len(job.steps) + 2
    assert lines[0].bytes.endswith("MiB")
    assert next(line for line in lines if line.title.startswith("Shrink S1")).bytes
    assert next(line for line in lines if line.title == "Tidy up").bytes == ""


@pytest.mark.parametrize(
    ("seconds", "says"),
    [(None, "not known yet"), (2.0, "a few seconds"), (33.0, "about 35 s"), (400.0, "about 7 min"), (9000.0, "about 2.5 h")],
)
def test_time_left_in_words(seconds: float | None, says: str) -> None:
    assert says in time_left(seconds)


def test_an_image_leaves_little_unknown_and_captured_text_more(demo_files: tuple[Path, Path]) -> None:
    image = take_in([demo_files[0]], mode="uefi", seed="u").found
    assert [one.what for one in unknown(image)] == [
        "model and serial of disk A",
        "the firmware's boot entries; one for each loader is assumed",
    ]
    listed = assemble(captures.combine(captures.read_lsblk(demo_files[1].read_text()), ()), "uefi")
    said = {one.what: one for one in unknown(listed)}
    assert "which loaders start S1" in said
    assert "whether S1, R1 are half asleep" in said
    assert unknown(Machine()) == ()


def test_every_kind_of_not_knowing_says_how_to_find_out() -> None:
    volumes = (
        Volume("U1", 1, MIB, GIB, "", filesystem=FileSystem("unknown", GIB)),
        Volume("D1", 2, 2 * GIB, GIB, "", "data", filesystem=FileSystem("xfs", GIB)),
        Volume("K1", 3, 4 * GIB, GIB, "", "container", filesystem=FileSystem("luks", GIB)),
    )
    disk = Disk("A", 9 * GIB, model="M", serial="S", device="/dev/thing", table=Table("gpt"), volumes=volumes)
    said = unknown(Machine(disks=(disk, Disk("B", GIB, model="M", serial="T"))))
    assert [one.what for one in said] == [
        "what U1 hold",
        "how full D1 are",
        "what is inside K1",
        "whether disk B is really empty",
        "the firmware's boot entries; one for each loader is assumed",
    ]
    assert said[0].command == "blkid -o export /dev/thing*"
    assert all(one.how for one in said)
