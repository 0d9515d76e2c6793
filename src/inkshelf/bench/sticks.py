"""Simulated sticks: ordinary files that stand for real ones, each with a size, a model, a serial, a port, and a speed that it really shows.

A stick is measured and tried before anything on it is lost. Time is the stick's own clock: nothing waits.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import msgspec

from inkshelf.atomic import write_atomically
from inkshelf.bench.image import inspect, open_checked, refuse_in_use
from inkshelf.bench.opening import open_own
from inkshelf.bench.sparse import data_ranges, punch, write_all
from inkshelf.core.errors import BenchError, InkshelfError
from inkshelf.core.machine.state import Disk, StickFacts
from inkshelf.core.size import GIB, KIB, MIB, align_down, binary
from inkshelf.core.texts import Count, Key, Line, one_line
from inkshelf.core.value import Value, replace
from inkshelf.data import table

IMAGE, FACTS = ".img", ".json"
SAMPLE, PIECE, SMALL, STRETCH = 256 * MIB, MIB, 4 * KIB, 64 * MIB
MARK = b"tried by its planner; put back at once"
FORMAT, VERSION = "inkshelf-stick", 1


class Simulated(Value, frozen=True):
    """What a simulated stick is. Speeds in bytes a second; ``slows_after``: bytes in one go after which it writes at ``slow`` only.

    ``real_size``: what it really holds, where that is less than it says (0: it does not lie). ``dies_after``: bytes after which writing
    fails (0: it does not).
    """

    name: Key
    size: Count
    model: Line
    serial: Line
    port: Literal["usb2", "usb3"] = "usb3"
    writes: Count = 38_000_000
    small: Count = 2_000_000
    slows_after: Count = 0
    slow: Count = 0
    real_size: Count = 0
    dies_after: Count = 0
    format: Literal["inkshelf-stick"] = "inkshelf-stick"
    version: Literal[1] = 1


DEMO = (
    Simulated("tern-04", 31_042_043_904, "Tern U2", "7731-04", "usb2"),
    Simulated("tern-19", 31_042_043_904, "Tern U2", "7731-19", "usb2", 37_000_000),
    Simulated("dunlin-s1", 128_043_712_512, "Dunlin S1", "0C-5518", "usb3", 310_000_000, 24_000_000),
    Simulated(
        "plover-9", 15_376_318_464, "Plover 9", "P9-20417", "usb3", 55_000_000, 900_000, slows_after=2 * GIB, slow=9_000_000
    ),
    Simulated("sanderling", 64_023_257_088, "Sanderling", "SD-1", "usb3", 30_000_000, real_size=7_751_073_792),
    Simulated("old-knot", 8_003_780_608, "Knot", "K-77", "usb2", 4_000_000, 200_000, dies_after=64 * MIB),
)
"""Those that a demonstration has: two that look alike, a fast one, one that slows down, one that lies about its size, one that dies."""


def make(folder: Path, sticks: tuple[Simulated, ...] = DEMO) -> list[Path]:
    """Make sticks that are not there yet in a folder: sparse files with what is known of them beside."""
    folder.mkdir(parents=True, exist_ok=True)
    made = []
    for one in sticks:
        path = folder / f"{one.name}{IMAGE}"
        if path.exists():
            continue
        fd = open_own(folder, path.name, fresh=True)
        try:
            os.ftruncate(fd, one.size)
        finally:
            os.close(fd)
        write_atomically(folder / f"{one.name}{FACTS}", msgspec.json.format(msgspec.json.encode(one), indent=1) + b"\n")
        made.append(path)
    return made


def listed(folder: Path) -> list[Simulated]:
    """Return the sticks of a folder, by name; raises ``BenchError`` where one cannot be read."""
    return [described(path) for path in sorted(folder.glob(f"*{FACTS}"))] if folder.is_dir() else []


def described(path: Path) -> Simulated:
    """Return what a stick's description says; raises ``BenchError`` where it is none."""
    try:
        found = msgspec.json.decode(path.read_bytes(), type=Simulated)
        one_line(found.name, "The stick's name")
    except (OSError, ValueError, InkshelfError) as error:
        raise BenchError(
            f"{path} is no stick's description: {error}", "Take it out of the folder, or make the sticks anew."
        ) from None
    if found.name != path.stem:
        raise BenchError(f"{path} describes {found.name}.", "Give it the name of its stick.")
    return found


def find(folder: Path, name: str) -> tuple[Simulated, Path]:
    """Return a stick by its name, with its file."""
    known = {one.name: one for one in listed(folder)}
    if name not in known:
        from inkshelf.core.machine.figures import near

        raise BenchError(
            f"There is no stick {name} in {folder}.", near(name, known) if known else "Make some: inkshelf sticks --make."
        )
    return known[name], folder / f"{name}{IMAGE}"


class Clock:
    """A stick's own clock: seconds go by as bytes are written. Nothing waits."""

    def __init__(self, stick: Simulated) -> None:
        self.stick, self.seconds, self.written = stick, 0.0, 0
        self._fast = min(stick.writes, int(table("defaults")["rates"][stick.port]))

    def passed(self, count: int, *, small: bool = False) -> None:
        """Let the time of so many bytes go by; raises ``BenchError`` where the stick dies under them."""
        one = self.stick
        slow = bool(one.slow and self.written >= one.slows_after)
        self.written += count
        if one.dies_after and self.written > one.dies_after:
            raise BenchError(f"Stick {one.name} failed after {binary(one.dies_after)}.", "Throw it away, and take another one.")
        self.seconds += count / (one.small if small else one.slow if slow else self._fast)


class Device:
    """A stick at work: bytes go to its file, seconds go by on its own clock."""

    def __init__(self, stick: Simulated, path: Path) -> None:
        refuse_in_use(path)
        self.stick, self.clock = stick, Clock(stick)
        self._fd = open_checked(path, os.O_RDWR)
        if os.fstat(self._fd).st_size != stick.size:
            os.close(self._fd)
            raise BenchError(f"{path} is not as long as stick {stick.name}.", "Make the sticks anew.")

    @property
    def seconds(self) -> float:
        """What has gone by on its clock."""
        return self.clock.seconds

    def __enter__(self) -> Device:
        return self

    def __exit__(self, *_: object) -> None:
        os.close(self._fd)

    def _place(self, at: int) -> int:
        """A stick that lies about its size writes over its own start."""
        return at % self.stick.real_size if self.stick.real_size else at

    def read(self, at: int, length: int) -> bytes:
        """Return bytes of the stick."""
        return os.pread(self._fd, length, self._place(at))

    def holes(self, at: int, length: int) -> bool:
        """Whether nothing was ever written there."""
        return next(data_ranges(self._fd, self._place(at), self._place(at) + length), None) is None

    def write(self, at: int, data: bytes, *, small: bool = False) -> None:
        """Write bytes; raises ``BenchError`` where the stick dies."""
        self.passed(len(data), small=small)
        write_all(self._fd, data, self._place(at))

    def put_back(self, at: int, data: bytes, *, hole: bool) -> None:
        """Put bytes back as they were; what was never written becomes a hole again."""
        if hole:
            punch(self._fd, self._place(at), len(data))
        else:
            write_all(self._fd, data, self._place(at))

    def passed(self, count: int, *, small: bool = False) -> None:
        """Let the time of so many bytes go by."""
        self.clock.passed(count, small=small)


def measure(device: Device, sample: int = SAMPLE) -> StickFacts:
    """Return how fast a stick writes: what is there already is written again, so that nothing is lost. Raises ``BenchError`` where it dies."""
    one = device.stick
    begun, seconds, slows, slow = device.seconds, list[float](), 0, 0.0
    length = min(max(sample, one.slows_after + sample if one.slow else sample), align_down(one.size, PIECE))
    for at in range(0, length, PIECE):
        before = device.seconds
        _again(device, at, PIECE)
        seconds.append(device.seconds - before)
    fast = seconds[0]
    late = next((at for at, took in enumerate(seconds) if took > 2 * fast), None)
    if late is not None:
        slows, slow = late * PIECE, PIECE / seconds[late]
    begun = device.seconds
    for at in range(0, 64 * SMALL, SMALL):
        _again(device, at, SMALL, small=True)
    small = 64 * SMALL / (device.seconds - begun)
    return StickFacts(one.port, round(PIECE / fast), round(small), slows, round(slow))


def _again(device: Device, at: int, length: int, *, small: bool = False) -> None:
    if device.holes(at, length):
        device.passed(length, small=small)
    else:
        device.write(at, device.read(at, length), small=small)


def real_size(device: Device) -> int:
    """Return the bytes that a stick really holds: a mark in every stretch, read back, and everything put back as it was.

    A stick that lies writes what lies beyond its end over its start: marks of the stretches behind it are then found in the first one,
    and the difference between where they stand and where they should is what it holds.
    """
    size = device.stick.size
    places = [*range(0, size - SMALL, STRETCH), align_down(size - SMALL, SMALL)]
    was: list[tuple[int, bytes, bool]] = []
    limit, holds = 2 * STRETCH, size
    try:
        for at in places:
            was.append((at, device.read(at, SMALL), device.holes(at, SMALL)))
            device.write(at, _mark(at), small=True)
            if at < limit and at != places[-1]:
                continue
            limit *= 2  # looked at before what lies behind the end has come round twice
            holds = min([size, *_lost(device, [one for one, _, _ in was])])
            if holds < size:
                break
    finally:
        for at, data, hole in reversed(was):
            device.put_back(at, data, hole=hole)
    return holds


def _lost(device: Device, places: list[int]) -> Iterator[int]:
    """Where the stick ends, as marks say that are not where they should be, or stand in the first stretch."""
    first = device.read(0, min(STRETCH, device.stick.size))
    place = first.find(MARK)
    while place >= 0:
        at = _marked(first[place : place + SMALL])
        if place % SMALL == 0 and at is not None and at > place:
            yield at - place
        place = first.find(MARK, place + 1)
    yield from (at for at in places if _marked(device.read(at, SMALL)) is None)


def _mark(at: int) -> bytes:
    return (MARK + at.to_bytes(8, "little")).ljust(SMALL, b"\x5a")


def _marked(raw: bytes) -> int | None:
    """Where a mark was meant to stand, or ``None`` where there is none."""
    found = int.from_bytes(raw[len(MARK) : len(MARK) + 8], "little")
    return found if raw.startswith(MARK) else None


def tried(stick: Simulated, path: Path, *, sample: int = SAMPLE) -> tuple[StickFacts, bool]:
    """Return what is known of a stick after it was measured and its size tried, and whether it fails."""
    try:
        with Device(stick, path) as device:
            facts = measure(device, sample)
            holds = real_size(device)
    except BenchError:
        return StickFacts(stick.port), True
    return replace(facts, real_size=holds), False


def as_disk(stick: Simulated, path: Path, facts: StickFacts | None, *, failing: bool | None) -> Disk:
    """Return a stick as a disk of a machine, with what is on it."""
    disk = inspect(path)
    return replace(
        disk,
        size=stick.size,
        model=stick.model,
        serial=stick.serial,
        transport="usb",
        removable=True,
        failing=failing,
        stick=facts or StickFacts(stick.port),
    )
