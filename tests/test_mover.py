"""Moves inside an image: every byte arrives, whatever the places, and after a power cut that loses any writes not yet flushed."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from inkshelf.bench import mover
from inkshelf.bench.journal import Journal
from inkshelf.bench.mover import Mover, freed
from inkshelf.core.machine.state import Disk, Machine, Table, Volume
from inkshelf.core.size import MIB

BLOCK, BLOCKS = 4096, 900


class Power:
    """Stands between the mover and the file: knows which writes are not flushed, and can go off after any of them."""

    def __init__(self, patch: pytest.MonkeyPatch, dice: random.Random) -> None:
        self.dice, self.left = dice, 1 << 60
        self.pending: dict[int, list[tuple[int, bytes]]] = {}
        self.real_fsync = os.fsync
        patch.setattr(mover, "copy_some", self.copy)
        patch.setattr(mover, "punch", self.punch)
        patch.setattr(mover.os, "fsync", self.fsync)
        patch.setattr(mover.os, "fdatasync", self.fsync)

    def _count(self) -> None:
        self.left -= 1
        if self.left < 0:
            raise KeyboardInterrupt

    def _remember(self, fd: int, at: int, length: int) -> None:
        self._count()
        self.pending.setdefault(fd, []).append((at, os.pread(fd, length, at)))

    def copy(self, source: int, target: int, low: int, length: int, at: int) -> int:
        self._remember(target, at, length)
        return os.pwrite(target, os.pread(source, length, low), at)

    def punch(self, fd: int, start: int, size: int) -> None:
        if size > 0:
            self._remember(fd, start, size)
            os.pwrite(fd, bytes(size), start)

    def fsync(self, fd: int) -> None:
        self.pending.pop(fd, None)

    def go_off(self, image: int, window: Path) -> None:
        """Any of the writes that were not flushed are lost, in whole or in part, in the image and in the window's file."""
        for written, lost in self.pending.items():
            fd = image if written == image else os.open(window, os.O_RDWR | os.O_CREAT)
            for at, old in reversed(lost):
                old = old or bytes(BLOCK)  # noqa: PLW2901 - behind the end of the file as it was
                for sector in range(0, len(old), 512):
                    if self.dice.random() < 0.4:
                        os.pwrite(fd, old[sector : sector + 512], at + sector)
            if fd != image:
                os.close(fd)
        self.pending.clear()


def filled(path: Path, pieces: list[tuple[int, int]], dice: random.Random) -> int:
    fd = os.open(path, os.O_RDWR | os.O_CREAT)
    os.ftruncate(fd, BLOCKS * BLOCK)
    for place, length in pieces:
        os.pwrite(fd, dice.randbytes(length), place * BLOCK)
    return fd


@pytest.mark.parametrize("batch", range(4))
def test_a_move_loses_nothing_when_power_goes_off_at_any_time(tmp_path: Path, batch: int) -> None:
    went_off = 0
    for seed in range(batch * 100, batch * 100 + 100):
        dice = random.Random(seed)
        start, size = dice.randrange(100, 300), dice.randrange(1, 250)
        to = start + dice.choice([dice.randrange(-99, 0), dice.randrange(1, 100), dice.randrange(1, 350)])
        pieces = [(start + dice.randrange(size), dice.randrange(1, 90_000)) for _ in range(dice.randrange(8))]
        went_off += moved(tmp_path / str(seed), dice, pieces, (start * BLOCK, size * BLOCK, to * BLOCK))
    assert went_off > 100  # the scenarios are worth something


def moved(folder: Path, dice: random.Random, pieces: list[tuple[int, int]], places: tuple[int, int, int]) -> int:
    """Move with up to three cuts on the way, check every byte, and return how often the power went off."""
    folder.mkdir()
    start, size, to = places
    fd, journal, went_off = filled(folder / "image", pieces, dice), Journal(folder), 0
    before = os.pread(fd, BLOCKS * BLOCK, 0)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(mover, "PIECE", dice.choice([1, 3, 16]) * BLOCK)
        patch.setattr(mover, "TOGETHER", dice.choice([0, 0, 5, 30, 500]) * BLOCK)
        patch.setattr(mover, "LEAST_CHAIN", dice.choice([1, 2, 8]))
        patch.setattr("inkshelf.bench.journal.write_atomically", lambda path, data: path.write_bytes(data))
        power = Power(patch, dice)
        journal.step(1)
        for cut in [*(dice.randrange(1, dice.choice([4, 12, 60])) for _ in range(3)), 1 << 60]:
            power.left = cut
            try:
                Mover(fd, journal, folder).move(start, size, to)
            except KeyboardInterrupt:
                went_off += 1
                power.go_off(fd, folder / mover.NAME)
                journal = Journal(folder)
                journal.load_entry()
    after = os.pread(fd, BLOCKS * BLOCK, 0)
    os.close(fd)
    (folder / "image").unlink()
    assert after[to : to + size] == before[start : start + size]
    left, right = min(start, to), max(start, to) + size
    assert (after[:left], after[right:]) == (before[:left], before[right:])
    if to >= start + size or start >= to + size:
        assert after[start : start + size] == before[start : start + size]  # given back at the end, not before
    return went_off


def test_few_flushes_are_made_where_places_are_far_apart(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    fd = filled(tmp_path / "image", [(0, 100 * BLOCK)], random.Random(1))
    seen: list[int] = []
    monkeypatch.setattr(mover.os, "fsync", seen.append)
    monkeypatch.setattr(mover.os, "fdatasync", seen.append)
    monkeypatch.setattr(mover, "PIECE", 10 * BLOCK)
    journal = Journal(tmp_path)
    journal.step(1)
    Mover(fd, journal, tmp_path).move(0, 100 * BLOCK, 500 * BLOCK)
    os.close(fd)
    assert len([one for one in seen if one == fd]) == 1


def test_only_what_nobody_takes_any_more_is_given_back() -> None:
    def machine(*places: tuple[int, int]) -> Machine:
        volumes = tuple(Volume(f"D{at}", at, start * MIB, size * MIB, "") for at, (start, size) in enumerate(places, 1))
        return Machine(disks=(Disk("A", 400 * MIB, table=Table("gpt", "", "", 34, 400 * 2048 - 34), volumes=volumes),))

    steps = (machine((10, 50), (100, 50)), machine((10, 30), (100, 50)), machine((10, 30), (120, 50)))
    assert freed(steps, "A") == [(40 * MIB, 60 * MIB), (100 * MIB, 120 * MIB)]
    around = freed(steps, "A", ((50 * MIB, 55 * MIB), (90 * MIB, 130 * MIB)))
    assert around == [(40 * MIB, 50 * MIB), (55 * MIB, 60 * MIB)], "what a step wrote there stays"


@pytest.fixture
def moving(tmp_path: Path) -> Journal:
    """A journal of a move that is seven pieces on its way."""
    journal = Journal(tmp_path)
    journal.step(2)
    journal.note(ranges=((0, 100),))
    for pieces in range(1, 8):
        journal.reached(pieces)
    return journal


def read_again(journal: Journal) -> Journal:
    again = Journal(journal.folder)
    again.load_entry()
    return again


def test_how_far_a_move_is_belongs_to_its_own_entry_only(moving: Journal) -> None:
    assert read_again(moving).entry == moving.entry
    assert moving.entry.pieces == 7
    kept = (moving.folder / "progress").read_bytes()
    moving.step(3)
    assert read_again(moving).entry.pieces == 0
    moving.note(ranges=((0, 100),))
    moving.reached(1, window=True)
    assert (read_again(moving).entry.pieces, read_again(moving).entry.window) == (1, True)
    (moving.folder / "progress").write_bytes(kept)
    assert read_again(moving).entry.pieces == 0, "records of another step are not taken"


def test_a_torn_record_leaves_the_one_before_it(moving: Journal) -> None:
    path = moving.folder / "progress"
    raw = bytearray(path.read_bytes())
    newest = 512 * (7 % 2)
    raw[newest + 5] ^= 1
    path.write_bytes(raw)
    assert read_again(moving).entry.pieces == 6
    again = read_again(moving)
    again.reached(7)
    assert read_again(again).entry.pieces == 7


def test_the_same_job_begun_again_starts_at_the_first_piece(moving: Journal) -> None:
    from inkshelf.core.plan.job import Job

    moving.begin(Job())
    moving.step(2)
    moving.note(ranges=((0, 100),))
    assert read_again(moving).entry.pieces == 0
