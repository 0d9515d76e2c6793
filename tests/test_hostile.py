"""What comes from others is not to be trusted: job files, folders, names. Nothing outside the bench is ever opened for writing."""

from __future__ import annotations

import json
import os
import random
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import answered, make_gpt_disk, stored
from foreign import foreign_disk
from inkshelf.bench import inker, opening, proof
from inkshelf.bench.inker import ink, resume
from inkshelf.bench.intake import take_in
from inkshelf.bench.journal import Journal
from inkshelf.cli import run
from inkshelf.core.errors import BenchError, InkshelfError, JobError, StopsError
from inkshelf.core.plan import document
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.size import MIB
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from test_cuts import ink_and_die as dies

PARTS = [("linux_data", 24 * MIB, ("mkfs.ext4", "-F", "-q", "-L", "papers")), ("linux_swap", 8 * MIB, ("mkswap",))]


@pytest.fixture(scope="module")
def disk(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("hostile") / "disk.img"
    make_gpt_disk(path, 64 * MIB, 512, PARTS)
    return path


def ink_and_die(job: Job, bench: Path, after: int) -> None:
    jobfile.save(job, bench.parent / "begun.json")
    assert dies(bench.parent / "begun.json", bench, after) == 137


@pytest.fixture
def small_job(disk: Path) -> Job:
    return change(take_in([disk], seed="0123456789abcdef", title="papers"), "label", "D1", label="plates")


HOSTILE = ("../../victim", "/x/victim", "S1\n", "S1/x", "", "S1\0", "s1", "S01", "ZZ9", "S99999", "\u2028S1", "..", "S1 ")


@pytest.mark.parametrize("name", HOSTILE)
def test_a_call_number_that_is_none_is_refused_where_the_document_is_read(small_job: Job, name: str) -> None:
    raw = document.dump(small_job).decode().replace('"D1"', json.dumps(name))
    with pytest.raises(JobError, match="damaged at job"):
        document.load(raw.encode())


@pytest.mark.parametrize("letter", ["../x", "AA", "a", "", "A\n"])
def test_a_letter_that_is_none_is_refused(small_job: Job, letter: str) -> None:
    document_ = json.loads(document.dump(small_job))
    document_["job"]["found"]["disks"][0]["id"] = letter
    with pytest.raises(JobError, match="damaged"):
        document.load(json.dumps(document_).encode())


def test_two_things_of_one_name_are_refused(small_job: Job) -> None:
    raw = document.dump(small_job).decode().replace('"W1"', '"D1"')
    with pytest.raises(JobError, match="two things in it are called D1"):
        document.load(raw.encode())


@pytest.mark.parametrize("what", ["title", "owner"])
@pytest.mark.parametrize("bad", ["line\nbreak", "bell\a", "\x9b31m", "\u2029"])
def test_control_characters_are_refused_in_titles_and_labels(small_job: Job, what: str, bad: str, disk: Path) -> None:
    with pytest.raises(JobError, match=f"damaged at job.{what}"):
        document.load(document.dump(replace(small_job, **{what: bad})))
    with pytest.raises(InkshelfError, match="no line can hold"):
        take_in([disk], **{what: bad})
    with pytest.raises(InkshelfError, match="no line can hold"):
        change(small_job, "label", "D1", label=bad)


def test_lone_surrogates_and_other_shapes_get_one_clear_line(small_job: Job) -> None:
    for bad in ('"\\ud800"', "[1]", "3", "null", "{}"):
        raw = document.dump(small_job).decode().replace('"title": "papers"', f'"title": {bad}')
        with pytest.raises(JobError) as caught:
            document.load(raw.encode())
        assert "\n" not in str(caught.value)


def mutated(value: Any, draw: st.DrawFn) -> Any:
    """A document with one thing in it replaced."""
    if isinstance(value, dict) and value and draw(st.integers(0, 9)):
        key = draw(st.sampled_from(sorted(value)))
        return {**value, key: mutated(value[key], draw)}
    if isinstance(value, list) and value and draw(st.integers(0, 9)):
        at = draw(st.integers(0, len(value) - 1))
        return [*value[:at], mutated(value[at], draw), *value[at + 1 :]]
    strange = ["../../victim", "/etc/victim", "\n", "A", "S1", "x" * 300, -1, 0, 1 << 61, 1 << 80, None, [], {}, True, 1.5]
    return draw(st.sampled_from(strange))


@st.composite
def documents(draw: st.DrawFn, whole: dict[str, Any]) -> dict[str, Any]:
    made = whole
    for _ in range(draw(st.integers(1, 3))):
        made = mutated(made, draw)
    return made


@given(data=st.data())
def test_a_job_file_never_makes_the_bench_open_anything_outside_for_writing(
    data: st.DataObject, disk: Path, tmp_path_factory: pytest.TempPathFactory
) -> None:
    job = answered(change(take_in([disk], seed="0123456789abcdef", title="papers"), "label", "D1", label="plates"))
    raw = json.dumps(data.draw(documents(json.loads(document.dump(job))))).encode()
    folder = tmp_path_factory.mktemp("fuzz")
    opened: list[str] = []
    real = os.open

    def watch(path: object, flags: int, *rest: Any, **more: Any) -> int:
        fd = real(path, flags, *rest, **more)  # type: ignore[arg-type]
        named = os.fstat(fd).st_nlink  # what a utility is fed lies in a file without a name, which nobody else has
        if flags & (os.O_WRONLY | os.O_RDWR) and named:
            opened.append(str(Path(f"/proc/self/fd/{fd}").readlink()))
        return fd

    before = stored(disk)
    os.open = watch  # type: ignore[assignment]
    try:
        ink(document.load(raw), folder / "bench")
    except InkshelfError as error:
        assert error.what
    finally:
        os.open = real
    outside = [one for one in opened if not one.startswith((str(folder / "bench"), "/dev/null"))]
    assert outside == []
    assert stored(disk) == before


@pytest.mark.parametrize("name", ["..", "a/b", "/x", "", ".hidden", "x" * 200, "a\nb"])
def test_a_name_that_leads_elsewhere_is_no_file_of_the_bench(tmp_path: Path, name: str) -> None:
    with pytest.raises(BenchError, match="cannot be a file of the bench"):
        opening.open_own(tmp_path, name, os.O_RDWR | os.O_CREAT)


def test_links_are_never_written_through(tmp_path: Path) -> None:
    victim = tmp_path / "victim"
    victim.write_text("keep")
    bench = tmp_path / "bench"
    bench.mkdir()
    (bench / "soft").symlink_to(victim)
    (bench / "hard").hardlink_to(victim)
    os.mkfifo(bench / "pipe")
    for name in ("soft", "hard", "pipe"):
        with pytest.raises(BenchError):
            opening.open_own(bench, name)
    os.close(opening.open_own(bench, "hard", fresh=True))  # what stood there goes, the other name of it stays
    assert victim.read_text() == "keep"
    (bench / "hand").symlink_to(tmp_path)
    with pytest.raises(BenchError, match="not a folder of the bench"):
        opening.make_folder(bench, "hand")
    assert victim.exists()


@pytest.mark.parametrize("how", ["hard", "soft"])
def test_going_on_never_writes_the_source(small_job: Job, disk: Path, tmp_path: Path, how: str) -> None:
    bench = tmp_path / "bench"
    ink_and_die(small_job, bench, 12)
    image = bench / "disk-A.img"
    image.unlink(missing_ok=True)
    source = tmp_path / "source.img"
    source.hardlink_to(disk)
    (image.hardlink_to if how == "hard" else image.symlink_to)(source)
    before = stored(disk)
    Journal(bench).load()
    if Journal(bench).unfinished():
        try:
            resume(bench)
        except BenchError as error:
            assert error.remedy
    assert stored(disk) == before


def test_a_source_that_became_a_link_to_the_bench_image_is_not_written(tmp_path: Path) -> None:
    """The image has one name only, so that nothing about it is odd; that it is the source by now shows from the source's side."""
    own, bench = tmp_path / "own.img", tmp_path / "bench"
    make_gpt_disk(own, 64 * MIB, 512, PARTS)
    ink_and_die(change(take_in([own], seed="own"), "label", "D1", label="plates"), bench, 12)
    own.unlink()
    own.symlink_to(bench / "disk-A.img")
    before = stored(own)
    with pytest.raises(BenchError, match="is the source itself"):
        resume(bench)
    assert stored(own) == before


def test_a_job_of_another_is_refused_where_one_was_cut(small_job: Job, tmp_path: Path, disk: Path) -> None:
    bench = tmp_path / "bench"
    ink_and_die(small_job, bench, 12)
    assert Journal(bench).unfinished()
    other = change(take_in([disk], seed="fedcba9876543210", title="other"), "label", "D1", label="x")
    with pytest.raises(BenchError, match="the work of another job, “papers”"):
        ink(other, bench)
    with pytest.raises(BenchError, match="is another job, “papers”"):
        resume(bench, job=other)
    assert resume(bench, job=small_job).verified
    assert ink(other, bench).verified, "what is over is in nobody's way"


def test_an_entry_is_never_paired_with_another_jobs_document(small_job: Job, tmp_path: Path) -> None:
    bench = tmp_path / "bench"
    ink_and_die(small_job, bench, 12)
    entry = (bench / "journal.json").read_bytes()
    Journal(bench).begin(replace(small_job, title="new"))
    (bench / "journal.json").write_bytes(entry)  # as after a power cut that lost the later write
    with pytest.raises(BenchError, match="belongs to another job"):
        resume(bench)


def test_the_benchs_copy_of_the_job_has_a_version_and_a_mark_that_is_torn_is_no_traceback(
    small_job: Job, tmp_path: Path
) -> None:
    bench = tmp_path / "bench"
    assert ink(small_job, bench).verified
    assert json.loads((bench / "job.json").read_bytes())["version"] == document.VERSION
    assert json.loads((bench / "inkshelf-bench.json").read_bytes())["version"] == 1
    (bench / "inkshelf-bench.json").write_text('{"state": "do')
    assert resume(bench).verified


def test_what_a_killed_run_left_is_taken_away(small_job: Job, tmp_path: Path) -> None:
    bench = tmp_path / "bench"
    assert ink(small_job, bench).verified
    (bench / "check-abcd").mkdir()
    (bench / "check-abcd" / "volume").write_bytes(bytes(4096))
    (bench / ".journal.json.x1").write_text("half")
    assert ink(small_job, bench).verified
    assert {one.name for one in bench.iterdir() if one.name.startswith(("check-", "."))} == set()


def test_a_stop_that_nobody_answers_for_inks_nothing(disk: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    nt = foreign_disk(tmp_path / "d", "gpt", random.Random(1))
    job = take_in([nt], seed="1")
    overlapping = replace(job, found=job.found.with_volume("D1", lambda one: replace(one, start=one.start - 20 * MIB)))
    job = change(overlapping, "label", "D1", label="X")
    with pytest.raises(StopsError, match="overlap"):
        ink(job, tmp_path / "bench")
    assert not (tmp_path / "bench").exists()
    path = tmp_path / "job.json"
    jobfile.save(job, path)
    assert run(["ink", str(path), "--bench", str(tmp_path / "bench")]) == 1
    assert "answer for it in writing; nothing was written" in capsys.readouterr().err
    assert run(["answer", str(path), "disk.overlap.B1.D9", "--because", "x"]) == 2
    assert "Did you mean disk.overlap.B1.D1?" in capsys.readouterr().err
    assert run(["answer", str(path), "disk.overlap.B1.D1", "--because", "  "]) == 2
    assert run(["answer", str(path), "disk.overlap.B1.D1", "--because", "the owner says so"]) == 0
    assert jobfile.load(path).overrides[0].reason == "the owner says so"


def test_a_data_disk_without_a_start_up_area_is_no_stop(disk: Path, tmp_path: Path) -> None:
    job = change(take_in([disk], mode="uefi", seed="2"), "label", "D1", label="plates")
    assert ink(job, tmp_path / "bench").verified


@pytest.mark.parametrize("arguments", [["--cut-after", "-1"], ["--cut-after", "x"], ["--cut-after", "1.5"]])
def test_counts_that_are_none_are_refused_when_said(
    small_job: Job, tmp_path: Path, arguments: list[str], capsys: pytest.CaptureFixture[str]
) -> None:
    jobfile.save(small_job, tmp_path / "job.json")
    assert run(["ink", str(tmp_path / "job.json"), "--bench", str(tmp_path / "bench"), *arguments]) == 2
    assert not (tmp_path / "bench").exists()
    assert capsys.readouterr().err.count("\n") == 1


@pytest.mark.parametrize("words", [["inspect", "\udcff.img"], ["plan", "a\0b"], ["ink", "x", "--bench", "\udc80"], ["\udcff"]])
def test_raw_bytes_on_the_command_line_get_one_line(words: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    assert run(words) == 2
    assert capsys.readouterr().err.count("\n") == 1


def test_content_that_grew_since_it_was_taken_in_is_noticed_before_the_first_write(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 300 * MIB, 512, [("linux_data", 200 * MIB, ("mkfs.ext4", "-F", "-q", "-L", "papers"))])
    job = change(take_in([path], seed="g"), "label", "D1", label="plates")
    fuller = job.found.with_volume("D1", lambda one: replace(one, filesystem=replace(one.filesystem, used_bytes=1)))
    with pytest.raises(BenchError, match=r"holds .* now, and held 1 B when it was taken in"):
        ink(replace(job, found=fuller), tmp_path / "bench")
    assert not (tmp_path / "bench" / "disk-A.img").exists()


@pytest.mark.parametrize("cloned", [False, True])
def test_a_source_that_changes_while_it_is_copied_is_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, cloned: bool
) -> None:
    own = tmp_path / "own.img"
    make_gpt_disk(own, 64 * MIB, 512, PARTS)
    job = change(take_in([own], seed="own"), "label", "D1", label="plates")

    def somebody_writes(*_: object) -> int:
        os.utime(own, ns=(0, 1))
        return 0

    monkeypatch.setattr(inker, "clone", (lambda *_: bool(somebody_writes()) or True) if cloned else (lambda *_: False))
    monkeypatch.setattr(inker, "copy_data", somebody_writes)
    with pytest.raises(BenchError, match="changed while it was copied"):
        ink(job, tmp_path / "bench")


def test_what_a_file_systems_own_checker_finds_is_not_called_agreed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    own = tmp_path / "own.img"
    make_gpt_disk(own, 64 * MIB, 512, PARTS)
    monkeypatch.setattr(proof.formatting, "check", lambda path, key: "2 faults" if key == "ext4" else None)
    report = ink(change(take_in([own], seed="own"), "label", "D1", label="plates"), tmp_path / "bench")
    assert not report.verified
    assert [(one.what, one.detail) for one in report.checks if not one.ok] == [("D1: its own checker", "2 faults")]
