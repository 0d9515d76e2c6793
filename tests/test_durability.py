"""A disk that may lose everything that was not flushed: whatever the work relies on after a cut is on it before it is relied on."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from inkshelf import atomic
from inkshelf.bench import cut, hands, journal
from inkshelf.bench.inker import ink
from inkshelf.bench.journal import Entry, Journal
from inkshelf.bench.mover import Mover
from inkshelf.core.errors import JobError
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.size import GIB, MIB
from inkshelf.store import jobfile

Inode = tuple[int, int]


def inode(place: int | Path) -> Inode:
    seen = os.fstat(place) if isinstance(place, int) else place.stat()
    return seen.st_dev, seen.st_ino


class Cache:
    """Knows which files hold bytes that are not on the disk; a file that utilities wrote counts as such until it is flushed."""

    def __init__(self, patch: pytest.MonkeyPatch) -> None:
        self.dirty: set[Inode] = set()
        self.relied_on: list[str] = []
        for name in ("fsync", "fdatasync"):
            patch.setattr(os, name, self._flushing(getattr(os, name)))
        before_write, before_copy, hand_over = cut.before_write, cut.before_copy, hands.hand_over
        replace = Path.replace

        def wrote(fd: int, data: bytes, at: int) -> None:
            self.dirty.add(inode(fd))
            before_write(fd, data, at)

        def copied(source: int, low: int, target: int, at: int, length: int) -> None:
            self.dirty.add(inode(target))
            before_copy(source, low, target, at, length)

        def handed(fd: int, path: Path, *more: object, **options: object) -> None:
            hand_over(fd, path, *more, **options)
            self.dirty.add(inode(path))

        def replaced(path: Path, target: Path) -> Path:
            assert inode(path) not in self.dirty | {self.opened}, f"{target} is put in place before its bytes are on the disk"
            self.dirty.add(inode(path.parent))
            return replace(path, target)

        patch.setattr(cut, "before_write", wrote)
        patch.setattr(cut, "before_copy", copied)
        patch.setattr(hands, "hand_over", handed)
        patch.setattr(Path, "replace", replaced)
        self.opened: Inode = (0, 0)
        real_fdopen = os.fdopen

        def fdopen(fd: int, *more: object, **options: object) -> object:
            self.opened = inode(fd)
            return real_fdopen(fd, *more, **options)

        patch.setattr(os, "fdopen", fdopen)

    def _flushing(self, real):  # type: ignore[no-untyped-def]
        def flush(fd: int) -> None:
            real(fd)
            self.dirty.discard(inode(fd))
            if inode(fd) == self.opened:
                self.opened = (0, 0)

        return flush

    def clean(self, path: Path, why: str) -> None:
        self.relied_on.append(why)
        assert inode(path) not in self.dirty, f"{path.name}: {why}"


@pytest.fixture
def cache(monkeypatch: pytest.MonkeyPatch) -> Cache:
    made = Cache(monkeypatch)
    put, reached, write = Journal._put, Journal.reached, journal.write_atomically

    def noted(self: Journal, entry: Entry) -> None:
        if self.folder.name == "bench":
            images = [one for one in self.folder.iterdir() if one.suffix == ".img"]
            if entry.back and not self.entry.back:
                made.clean(self.folder / hands.HAND / hands.VOLUME, "it is brought back from now on")
            if entry.part > self.entry.part or entry.state != "copying":
                for image in images if not entry.back and entry.ranges == () else []:
                    made.clean(image, "the work goes on behind this")
        put(self, entry)

    def moved(self: Journal, pieces: int, *, window: bool = False) -> None:
        if window:
            made.clean(self.folder / "window", "pieces come from it from now on")
        if pieces and self.folder.name == "move":
            made.clean(self.folder / "image", "these pieces are safe")
        reached(self, pieces, window=window)
        made.clean(self.folder / journal.PROGRESS, "how far the move is")

    def written(path: Path, data: bytes) -> None:
        write(path, data)
        made.clean(path.parent, f"{path.name} is in place")

    monkeypatch.setattr(Journal, "_put", noted)
    monkeypatch.setattr(Journal, "reached", moved)
    monkeypatch.setattr(journal, "write_atomically", written)
    return made


def test_what_inking_relies_on_is_on_the_disk(cache: Cache, job: Job, tmp_path: Path) -> None:
    report = ink(change(job, "label", "R1", label="PLATES"), tmp_path / "bench")
    assert report.verified
    assert {"it is brought back from now on", "the work goes on behind this", "journal.json is in place"} <= set(
        cache.relied_on
    )


@pytest.mark.parametrize("shift", [MIB, 64 * MIB])
def test_what_a_move_relies_on_is_on_the_disk(cache: Cache, tmp_path: Path, shift: int) -> None:
    folder = tmp_path / "move"
    folder.mkdir()
    with (folder / "image").open("w+b") as out:
        out.truncate(GIB)
        for at in range(160):
            out.seek(at * MIB)
            out.write(bytes([at]) * MIB)
        out.flush()
        made = Journal(folder)
        Mover(out.fileno(), made, folder).move(0, 160 * MIB, shift)
    wanted = {"pieces come from it from now on"} if shift == MIB else set()
    assert {*wanted, "these pieces are safe", "how far the move is"} <= set(cache.relied_on)


def test_a_file_is_put_in_place_whole(cache: Cache, tmp_path: Path) -> None:
    atomic.write_atomically(tmp_path / "job.json", b"{}")
    cache.clean(tmp_path, "its folder says so")


@pytest.mark.parametrize("name", ["pipe", "link to it", "folder"])
def test_what_is_no_ordinary_file_is_not_written_over(tmp_path: Path, name: str) -> None:
    """The name of a device would lead to a file from then on, and what was meant to be printed would be nowhere."""
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "link to it").symlink_to(tmp_path / "pipe")
    (tmp_path / "folder").mkdir()
    before = {one.name: one.lstat().st_mode for one in tmp_path.iterdir()}
    with pytest.raises(OSError, match="no ordinary file"):
        atomic.write_atomically(tmp_path / name, b"{}")
    with pytest.raises(JobError, match="cannot be written: it is no ordinary file"):
        jobfile.write_atomically(tmp_path / name, b"{}")
    assert {one.name: one.lstat().st_mode for one in tmp_path.iterdir()} == before


def test_who_may_read_a_file_stays_as_it_was_said(tmp_path: Path) -> None:
    """A job names its owner."""
    for name, mode in (("kept.json", 0o600), ("new.json", None)):
        if mode:
            (tmp_path / name).touch(mode)
        atomic.write_atomically(tmp_path / name, b"{}")
        assert (tmp_path / name).stat().st_mode & 0o777 == (mode or 0o644)
