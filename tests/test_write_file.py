"""The step that writes a file into a volume: refused where it must be, done on the bench, read back, and typed as it is printed."""

from __future__ import annotations

import subprocess
from pathlib import Path

import msgspec
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from disks import make_gpt_disk
from inkshelf.bench import tools
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.kinds import TOOLS
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.errors import StepError
from inkshelf.core.plan.byhand import change, exactly
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import MIB
from inkshelf.core.steps.kinds import Step
from inkshelf.core.steps.making import WriteFile
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.store import jobfile

VOLUMES = [
    ("basic_data", 40 * MIB, ("mkfs.fat", "-F", "32", "-n", "FLYER")),
    ("linux_data", 60 * MIB, ("mkfs.ext4", "-F", "-q", "-L", "papers")),
]


@pytest.fixture
def disk(tmp_path: Path) -> Job:
    """FAT as S1 or D1, ext4 behind it, each with two files."""
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 200 * MIB, 512, VOLUMES)
    job = take_in([path], seed="files")
    for _, volume in job.found.volumes():
        part = tmp_path / "part"
        with path.open("rb") as whole:
            whole.seek(volume.start)
            part.write_bytes(whole.read(volume.size))
        TOOLS[volume.filesystem.kind].put(part, {"/Notes.txt": b"old\n", "/box/letter": b"kept\n" * 900})
        with path.open("r+b") as whole:
            whole.seek(volume.start)
            whole.write(part.read_bytes())
    return take_in([path], seed="files")


def calls(job: Job) -> tuple[str, str]:
    fat, ext = (volume.call for _, volume in job.found.volumes())
    return fat, ext


def image_of(report, volume, folder: Path) -> Path:
    part = folder / "read-back"
    with Path(report.images[0]).open("rb") as whole:
        whole.seek(volume.start)
        part.write_bytes(whole.read(volume.size))
    return part


def test_files_are_written_over_and_beside_what_stays_and_read_back(disk: Job, tmp_path: Path) -> None:
    fat, ext = calls(disk)
    lines = ("one 'quoted' \\n $HOME `id` %s", "", "Ärger")
    job = disk
    for call in (fat, ext):
        job = exactly(job, WriteFile(call, "/Notes.txt", ("first",)))
        job = exactly(job, WriteFile(call, "/a b/c/new file", lines))
        job = exactly(job, WriteFile(call, "/Notes.txt", lines))
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    said = {one.what: one.detail for one in report.checks}
    for call in (fat, ext):
        assert said[f"{call}: /Notes.txt"] == said[f"{call}: /a b/c/new file"] == "reads back as planned"
        assert said[f"{call}: files"].startswith(f"{2 if call == fat else 3} files and folders the same")
    wanted = "".join(f"{one}\n" for one in lines).encode()
    part = image_of(report, job.found.find(fat)[1], tmp_path)
    for name in ("/Notes.txt", "/a b/c/new file"):
        seen = subprocess.run(["mtype", "-i", str(part), f"::{name}"], capture_output=True, check=True).stdout
        assert seen == wanted
    part = image_of(report, job.found.find(ext)[1], tmp_path)
    for name in ("/Notes.txt", "/a b/c/new file"):
        command = [tools.find("debugfs"), "-R", f'cat "{name}"', str(part)]
        assert subprocess.run(command, capture_output=True, check=True).stdout == wanted


def test_the_proof_finds_a_file_that_is_not_what_was_planned(
    disk: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    fat, ext = calls(disk)
    job = exactly(exactly(disk, WriteFile(fat, "/wrong", ("a",))), WriteFile(ext, "/missing", ("b",)))
    monkeypatch.setitem(
        TOOLS, "fat32", _with_put(TOOLS["fat32"], lambda path, files: _put("fat32", path, dict.fromkeys(files, b"z\n")))
    )
    monkeypatch.setitem(TOOLS, "ext4", _with_put(TOOLS["ext4"], lambda path, files: None))
    bad = {one.what: one.detail for one in ink(job, tmp_path / "bench").checks if not one.ok}
    assert bad == {f"{fat}: /wrong": "holds something else than was planned", f"{ext}: /missing": "not there"}


REAL = {key: TOOLS[key].put for key in ("fat32", "ext4")}


def _put(key: str, path: Path, files: dict[str, bytes]) -> None:
    REAL[key](path, files)


def _with_put(one, put):
    from dataclasses import replace as changed

    return changed(one, put=put)


def test_what_cannot_be_written_is_refused_in_words(disk: Job) -> None:
    fat, ext = calls(disk)
    start = exact("paths", "fallback_x64").replace("\\", "/")
    for step, why in (
        (WriteFile(fat, start.lower(), ("x",)), "starting depends on"),
        (WriteFile(ext, exact("linux", "mount_table"), ("x",)), "starting depends on"),
        (WriteFile(ext, "/long", ("x" * 4000,) * 20), "longer than"),
        (WriteFile(ext, "/empty", ()), "empty"),
    ):
        with pytest.raises(StepError, match=why):
            step.apply(disk.found)
    for change_of, why in (
        ({"dirty": True}, "half asleep"),
        ({"used_bytes": 60 * MIB}, "is full"),
        ({"kind": "xfs"}, "from outside"),
    ):
        machine = disk.found.with_volume(
            ext, lambda one, new=change_of: replace(one, filesystem=replace(one.filesystem, **new))
        )
        with pytest.raises(StepError, match=why):
            WriteFile(ext, "/note", ("x",)).apply(machine)


def test_every_kind_that_takes_files_can_be_written_and_read_on_the_bench() -> None:
    for key, kind in KINDS.items():
        own = TOOLS.get(key)
        assert kind.takes_files == bool(own and own.put and own.read), key


@pytest.mark.parametrize(
    "path", ["", "/", "notes", "/../up", "/a/../b", "/a//b", '/a"b', "/a\nb", "/a/.", "/ends ", "/a:b", "/$(id)", "/-rf/.."]
)
def test_a_path_that_could_mean_something_else_is_refused_where_it_is_read(path: str) -> None:
    raw = msgspec.json.encode({"kind": "write-file", "call": "D1", "path": path, "lines": ["x"]})
    with pytest.raises(msgspec.ValidationError):
        msgspec.json.decode(raw, type=Step)


@example(lines=["mount"])
@given(
    lines=st.lists(
        st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Zl", "Zp"]), max_size=30), min_size=1, max_size=4
    )
)
def test_the_printed_commands_write_just_these_lines(
    disk_once: Job, tmp_path_factory: pytest.TempPathFactory, lines: list[str]
) -> None:
    folder = tmp_path_factory.mktemp("mounted")
    job = exactly(disk_once, WriteFile(calls(disk_once)[1], "/a b/note", tuple(lines)))
    row = sheet(read(job)).rows[-1]
    mounted, *commands, unmounted = row.words.commands
    assert " && mount /dev/" in mounted
    assert unmounted.startswith("umount ")
    ran = subprocess.run(
        ["bash", "-c", "\n".join(commands)],
        env={"MOUNTED": str(folder), "PATH": "/usr/bin:/bin"},
        capture_output=True,
        check=True,
    )
    wanted = "".join(f"{one}\n" for one in lines).encode()
    assert (folder / "a b" / "note").read_bytes() == wanted == ran.stdout


@pytest.fixture(scope="module")
def disk_once(tmp_path_factory: pytest.TempPathFactory) -> Job:
    path = tmp_path_factory.mktemp("disk") / "disk.img"
    make_gpt_disk(path, 200 * MIB, 512, VOLUMES)
    return take_in([path], seed="files")


def test_it_is_kept_in_a_job_file_and_stays_behind_other_changes(disk: Job, tmp_path: Path) -> None:
    _, ext = calls(disk)
    job = change(exactly(disk, WriteFile(ext, "/note", ("x",))), "label", ext, label="desk")
    jobfile.save(job, tmp_path / "job.json")
    again = jobfile.load(tmp_path / "job.json")
    assert again.steps == job.steps
    assert [one.kind for one in again.steps] == ["write-file", "label"]
