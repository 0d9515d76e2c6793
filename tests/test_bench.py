"""The bench: what is inked equals what was predicted, the source is never written, and every fault is said."""

from __future__ import annotations

import json
import os
import shutil
import threading
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import answered
from inkshelf.bench import demo, packages, proof, readiness, sparse
from inkshelf.bench.folder import Bench, FirmwareStore
from inkshelf.bench.image import ImageFile, in_use, inspect
from inkshelf.bench.inker import Progress, ink
from inkshelf.bench.second_reader import agrees
from inkshelf.core.aims.beside import Beside
from inkshelf.core.errors import BenchError, CancelledError
from inkshelf.core.machine.state import BootEntry, FileSystem, Firmware, Volume
from inkshelf.core.plan.job import Job, Source, with_aim
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.value import replace
from strategies import drawn


def fingerprint(path: Path) -> tuple[int, int, int]:
    seen = path.stat()
    return seen.st_size, seen.st_mtime_ns, seen.st_blocks


@pytest.mark.parametrize(
    "aim",
    [
        Beside(size_bytes=140 * GIB, esp="own", home="apart"),
        Beside(size_bytes=60 * GIB, esp="shared", home="together", swap="none"),
        Beside(size_bytes=120 * GIB, esp="shared", home="apart", swap="hibernate"),
        Beside(size_bytes=14 * GIB, esp="own", swap="none"),
        Beside(),
    ],
)
def test_what_is_inked_equals_the_prediction(
    found_job: Job, demo_files: tuple[Path, Path], tmp_path: Path, aim: Beside
) -> None:
    before = fingerprint(demo_files[0])
    told: list[Progress] = []
    bench = tmp_path / "Frau Öhler's disk, 50 % -f" / "bench"  # as people name folders
    bench.parent.mkdir()
    report = ink(answered(with_aim(found_job, aim)), bench, told.append)
    assert [one for one in report.checks if not one.ok] == []
    assert report.verified
    assert fingerprint(demo_files[0]) == before
    assert told[0].step == 0
    assert told[-1].step == told[-1].steps + 1
    assert {one.name for one in bench.iterdir()} == {
        "disk-A.img",
        "firmware.json",
        "inkshelf-bench.json",
        "inkshelf-bench.lock",
        "journal.json",
        "job.json",
    }
    assert json.loads((bench / "inkshelf-bench.json").read_text())["verified"] is True
    again = ink(answered(with_aim(found_job, aim)), bench)
    assert again.verified, "a bench can be used again"


def test_a_bench_image_that_was_changed_is_not_called_verified(job: Job, tmp_path: Path) -> None:
    from inkshelf.bench import proof
    from inkshelf.core.steps.fold import fold

    report = ink(job, tmp_path / "bench")
    image = Path(report.images[0])
    plan = fold(job.found, job.steps)
    for place, words in (
        (job.found.find("R1")[1].start + 50 * MIB, "R1: contents"),
        (plan.planned.find("S2")[1].start + 1024 + 120, "S2: as predicted"),
    ):
        with image.open("r+b") as out:
            out.seek(place)
            kept = out.read(8)
            out.seek(place)
            out.write(b"tampered")
        _, checks = proof.prove(
            plan,
            job.steps,
            {"A": Path(job.sources[0].path)},
            {"A": image},
            FirmwareStore(tmp_path / "bench").read(),
            lambda count: None,
        )
        assert words in {one.what for one in checks if not one.ok}
        with image.open("r+b") as out:
            out.seek(place)
            out.write(kept)


def test_an_image_that_something_writes_to_is_refused(job: Job, tmp_path: Path, demo_files: tuple[Path, Path]) -> None:
    if os.geteuid():
        pytest.skip("only the owner may ask for a lease")
    with demo_files[0].open("r+b"), pytest.raises(BenchError, match="is in use"):
        ink(job, tmp_path / "bench")
    with demo_files[0].open("rb"):
        assert not in_use(demo_files[0])


def test_a_bench_without_sparse_files_says_beforehand_what_it_would_take(
    job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with Bench(tmp_path / "real") as bench:
        assert bench.keeps_holes()
    monkeypatch.setattr(Bench, "keeps_holes", lambda self: False)
    with pytest.raises(BenchError, match=r"without sparse files: the bench would take all of 476\.9 GiB"):
        ink(job, tmp_path / "bench")


def test_a_missing_utility_is_said_while_planning(job: Job, monkeypatch: pytest.MonkeyPatch) -> None:
    assert readiness.findings(job) == ()
    monkeypatch.setattr(readiness, "_missing", tools_missing)
    said = {one.key: one.why for one in readiness.findings(job)}
    assert set(said) == {"bench.missing.ntfs-3g", "bench.missing.dosfstools"}
    assert "ntfslabel, ntfsresize" in said["bench.missing.ntfs-3g"]
    assert "ntfsresize" not in readiness.needed(replace(job, steps=()))


def tools_missing(names: frozenset[str]) -> dict[str, str]:
    gone = {"ntfsresize", "ntfslabel", "mkfs.fat"}
    return {name: packages.package_of(name) for name in sorted(names & gone)}


def test_a_table_that_the_other_reader_sees_otherwise_is_not_called_verified(job: Job, tmp_path: Path) -> None:
    plan = fold(job.found, job.steps)
    image = Path(job.sources[0].path)
    assert agrees(image, plan.found.disks[0])[0]
    ok, said = agrees(image, plan.planned.disks[0])
    assert not ok
    assert said.startswith("differ")
    (tmp_path / "none").write_bytes(bytes(MIB))
    assert "did not take it" in agrees(tmp_path / "none", plan.found.disks[0])[1]


def test_cancelling_stops_between_steps_and_says_where(job: Job, tmp_path: Path, demo_files: tuple[Path, Path]) -> None:
    before = fingerprint(demo_files[0])
    seen: list[int] = []
    with pytest.raises(CancelledError, match="step 9"):
        ink(job, tmp_path / "bench", lambda now: seen.append(now.step), lambda: bool(seen) and seen[-1] >= 8)
    assert json.loads((tmp_path / "bench" / "inkshelf-bench.json").read_text())["state"] == "cancelled"
    assert fingerprint(demo_files[0]) == before
    assert ink(job, tmp_path / "bench").verified, "the same bench serves again"


def test_a_second_process_on_one_bench_is_refused(job: Job, tmp_path: Path) -> None:
    with Bench(tmp_path / "bench"), pytest.raises(BenchError, match="already"):
        ink(job, tmp_path / "bench")


def test_a_bench_whose_owner_is_just_dying_is_waited_for(tmp_path: Path) -> None:
    dying = Bench(tmp_path / "bench").__enter__()
    timer = threading.Timer(0.3, dying.__exit__, (None, None, None))
    timer.start()
    with Bench(tmp_path / "bench") as bench:
        assert bench.folder.exists()
    timer.join()


def test_an_image_that_changed_since_it_was_taken_in_is_refused(job: Job, tmp_path: Path) -> None:
    copy = tmp_path / "disk.img"
    demo.make_disk(copy)
    with copy.open("r+b") as out:
        out.seek(job.found.find("B1")[1].start + 71)
        out.write(b"ANOTHER    ")
        out.seek(job.found.find("S1")[1].start + 72)
        out.write(b"\1")
    with pytest.raises(BenchError, match="has changed"):
        ink(replace(job, sources=(Source("image", str(copy), "A"),)), tmp_path / "bench")


def test_places_that_cannot_be_a_bench_are_refused(job: Job, tmp_path: Path) -> None:
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "letter.txt").write_text("mine")
    with pytest.raises(BenchError, match="holds other files"):
        ink(job, tmp_path / "full")
    assert (tmp_path / "full" / "letter.txt").read_text() == "mine"
    with pytest.raises(BenchError, match="not a folder"):
        ink(job, tmp_path / "full" / "letter.txt")


def test_a_bench_without_room_is_refused_before_anything_is_copied(tmp_path: Path) -> None:
    with Bench(tmp_path / "bench") as bench, pytest.raises(BenchError, match="needs about"):
        bench.require_room(shutil.disk_usage(tmp_path).free + GIB)


def test_a_full_disk_is_said_and_leaves_the_source(job: Job, tmp_path: Path, demo_files: tuple[Path, Path]) -> None:
    """A bench on a disk of 8 MiB would need root to mount; the same error comes from a limit on the size of files."""
    import resource

    before = fingerprint(demo_files[0])
    child = os.fork()
    if child == 0:
        status = 9
        try:
            import signal

            signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
            resource.setrlimit(resource.RLIMIT_FSIZE, (MIB, MIB))
            ink(job, tmp_path / "bench")
        except BenchError as error:
            status = 0 if error.remedy and ("failed" in error.what or "full" in error.what) else 8
        finally:
            os._exit(status)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
    assert fingerprint(demo_files[0]) == before


def test_a_missing_utility_names_its_package(job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(packages, "FOLDERS", ())
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(BenchError, match="Install the package ntfs-3g"):
        ink(job, tmp_path / "bench")


def test_nothing_to_ink_is_said(found_job: Job, tmp_path: Path) -> None:
    with pytest.raises(BenchError, match="no steps"):
        ink(found_job, tmp_path / "bench")
    with pytest.raises(BenchError, match="captured text"):
        ink(replace(with_aim(found_job, Beside()), sources=()), tmp_path / "bench")


@pytest.mark.parametrize("path", ["/dev/null", "/", "/nowhere/at/all"])
def test_devices_and_folders_are_never_opened(path: str) -> None:
    with pytest.raises(BenchError):
        inspect(Path(path))


def test_a_file_that_may_not_be_read_is_said(tmp_path: Path) -> None:
    path = tmp_path / "locked.img"
    path.write_bytes(bytes(2 * MIB))
    path.chmod(0)
    if os.geteuid() == 0:
        assert inspect(path).table.kind == "none"
    else:
        with pytest.raises(BenchError, match="may not be read"):
            inspect(path)


def test_inspecting_reads_little_and_no_holes(demo_files: tuple[Path, Path]) -> None:
    from inkshelf.core.machine.read import read_disk

    with ImageFile(demo_files[0]) as source:
        read_disk(source)
        assert source.bytes_read < 24 * MIB


PIECES = st.lists(st.tuples(st.integers(0, 300), st.binary(min_size=1, max_size=9000)), max_size=6)


@drawn(40)
@given(PIECES, PIECES, st.integers(0, 5))
def test_bringing_back_makes_equal_and_writes_only_what_differs(
    tmp_path_factory: pytest.TempPathFactory, old: list, new: list, shift: int
) -> None:
    folder = tmp_path_factory.mktemp("sparse")
    size, at = 2 * MIB, shift * 4096
    paths = (folder / "new", folder / "old")
    for path, pieces, length in ((paths[0], new, size), (paths[1], old, size + at)):
        with path.open("wb") as out:
            out.truncate(length)
            for place, data in pieces:
                out.seek(place * 4096)
                out.write(data)
    fds = [os.open(path, os.O_RDWR) for path in paths]
    try:
        before = os.pread(fds[1], size, at)
        wanted = os.pread(fds[0], size, 0)
        written = sparse.bring_back(fds[0], fds[1], size, at)
        assert os.pread(fds[1], size, at) == wanted
        differing = sum(before[one : one + 4096] != wanted[one : one + 4096] for one in range(0, size, 4096)) * 4096
        assert written <= differing
        assert sparse.bring_back(fds[0], fds[1], size, at) == 0
    finally:
        for fd in fds:
            os.close(fd)


def test_copying_keeps_holes(demo_files: tuple[Path, Path], tmp_path: Path) -> None:
    target = tmp_path / "copy"
    with ImageFile(demo_files[0]) as source, target.open("wb") as out:
        out.truncate(source.size)
        copied = sparse.copy_data(source.fileno(), out.fileno(), 0, source.size, 0)
        assert copied == sparse.data_bytes(source.fileno(), 0, source.size)
    assert target.stat().st_blocks <= demo_files[0].stat().st_blocks + 64
    assert inspect(target) == inspect(demo_files[0])


def test_the_firmware_store_keeps_what_it_is_given(tmp_path: Path) -> None:
    firmware = Firmware(
        "uefi", "on", (BootEntry(3, "x", "A", 1, "0FC63DAF-8483-4772-8E79-3D69D8477DE4", 1, 2, "\\a"),), (3,), None
    )
    store = FirmwareStore(tmp_path)
    store.write(firmware)
    assert store.read() == firmware
    (tmp_path / "firmware.json").write_text("{")
    with pytest.raises(BenchError):
        store.read()


@pytest.mark.parametrize(("seen", "good"), [(100, True), (130, True), (131, False), (70, True), (69, False)])
def test_used_space_may_be_three_hundredths_of_the_size_off_and_no_more(seen: int, good: bool) -> None:
    system = FileSystem("ext4", 1000 * GIB, used_bytes=100 * GIB)
    planned = Volume("D1", 1, MIB, 1000 * GIB, "", filesystem=system)
    now = replace(planned, filesystem=replace(system, used_bytes=seen * GIB))
    assert proof._used(planned, now, stand_in=False).ok == good
