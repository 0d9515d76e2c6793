"""Where everything on the shelf is drawn. Pure numbers: bytes in, pixels out; no Qt, so that it can be tested by itself.

Both boards of a disk share one scale: proportional, with slivers widened to a readable least width (and a break drawn).
"""

from __future__ import annotations

import itertools
from bisect import bisect_right
from typing import Literal

from inkshelf.core.disk.filesystems import title
from inkshelf.core.fit.room import givers
from inkshelf.core.machine.state import Disk, Inside, Role, Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import GB, GIB, MIB
from inkshelf.core.steps.kinds import Shrink
from inkshelf.core.value import Value, replace

LEAST_VOLUME, LEAST_GAP = 36.0, 44.0
CLOSE, CLOSE_SHARE = (
    118.0,
    0.8,
)  # pixels of a small volume that is looked at closer; the share of the board that all of them take at most
WALL, LEAST_INNER = 7.0, 20.0  # of a container, and of what stands in it
BRACE_WORDS = 150.0  # pixels that the words under an extended partition take
UNIT_ROOM = 40.0  # pixels at the end of the tape where its unit stands
HEIGHT: dict[Role, float] = {
    "system": 1.0,
    "data": 0.97,
    "container": 0.97,
    "swap": 0.8,
    "startup": 0.86,
    "reserved": 0.86,
    "recovery": 0.86,
    "medium": 0.92,
    "unknown": 0.9,
}


class Scale(Value, frozen=True):
    """A monotonic map from bytes to pixels, linear between its edges. ``bulk`` is pixels per byte where nothing is widened."""

    places: tuple[int, ...]
    pixels: tuple[float, ...]
    widened: frozenset[int]
    bulk: float

    def x(self, place: int) -> float:
        """Return the pixel of a byte."""
        at = max(0, min(bisect_right(self.places, place) - 1, len(self.places) - 2))
        low, high = self.places[at], self.places[at + 1]
        share = (place - low) / (high - low) if high > low else 0.0
        return self.pixels[at] + share * (self.pixels[at + 1] - self.pixels[at])


class Inner(Value, frozen=True):
    """One thing in a container: pixels, what it is, its name and size."""

    x: float
    width: float
    role: Role
    words: str
    size: int
    planned: bool


class Spine(Value, frozen=True):
    """One volume on a board: pixels, and what is written on it. ``locked``: a person set its size. ``level`` is the used share, or ``None``; ``inner`` what a container holds."""

    call: str
    role: Role
    x: float
    width: float
    height: float
    level: float | None
    planned: bool
    widened: bool
    size: int
    used: int | None
    words: str
    pinned_x: float | None = None
    pinned: int | None = None
    smallest_x: float | None = None
    smallest: int | None = None
    inner: tuple[Inner, ...] = ()
    locked: bool = False


class Space(Value, frozen=True):
    """A gap on a board."""

    x: float
    width: float
    size: int


class Ribbon(Value, frozen=True):
    """What is kept, from where it was to where it goes; or that it is given up (``lost``: it goes nowhere)."""

    call: str
    top: tuple[float, float]
    foot: tuple[float, float]
    kind: Literal["stays", "shrinks", "moves", "lost"]
    words: str


class Edge(Value, frozen=True):
    """An edge that can be dragged: where it is, what it changes, between which bytes."""

    key: Literal["room", "root"]
    x: float
    place: int
    least: int
    most: int
    call: str


class Tick(Value, frozen=True):
    """A mark on the tape."""

    x: float
    text: str
    long: bool


class Brace(Value, frozen=True):
    """The extended partition of an MBR: what its logical volumes are held together by.

    ``lines``: the stretches (left, right) where it is drawn, clear of torn stubs; ``words_x``: where its words begin, ``None`` without room.
    """

    x: float
    width: float
    planned: bool
    lines: tuple[tuple[float, float], ...]
    words_x: float | None


class Shelf(Value, frozen=True):
    """Everything on one disk's two boards."""

    scale: Scale
    found: tuple[Spine, ...]
    planned: tuple[Spine, ...]
    found_gaps: tuple[Space, ...]
    planned_gaps: tuple[Space, ...]
    ribbons: tuple[Ribbon, ...]
    edges: tuple[Edge, ...]
    ticks: tuple[Tick, ...]
    braces: tuple[Brace, ...] = ()


def make_scale(size: int, parts: list[tuple[int, int, float]], left: float, width: float) -> Scale:
    """Return the scale for ``parts`` of (start, end, least pixels) that lie on ``size`` bytes.

    A stretch between two edges is as wide as its share, but at least as wide as the part that it is the whole of needs.
    """
    edges = sorted({0, size, *(edge for start, end, _ in parts for edge in (start, end) if 0 <= edge <= size)})
    whole = {(start, end): least for start, end, least in parts}
    least = [whole.get((low, high), 0.0) for low, high in itertools.pairwise(edges)]
    fixed: set[int] = set()
    while True:
        loose = [at for at in range(len(least)) if at not in fixed]
        total = sum(edges[at + 1] - edges[at] for at in loose) or 1
        bulk = max(0.0, width - sum(least[at] for at in fixed)) / total
        narrow = {at for at in loose if (edges[at + 1] - edges[at]) * bulk < least[at]}
        if not narrow:
            break
        fixed |= narrow
    pixels = [left]
    for at in range(len(least)):
        pixels.append(pixels[-1] + (least[at] if at in fixed else (edges[at + 1] - edges[at]) * bulk))
    return Scale(tuple(edges), tuple(pixels), frozenset(edges[at] for at in fixed), bulk)


def lay_out(
    reading: Reading, disk_id: str, left: float, width: float, unit: str = "GiB", *, closer: bool = False
) -> Shelf | None:
    """Return the layout of a disk's boards, or ``None`` where the disk is not there. ``closer``: small volumes are as wide as their words."""
    before = next((disk for disk in reading.plan.found.disks if disk.id == disk_id), None)
    after = next((disk for disk in reading.plan.planned.disks if disk.id == disk_id), None)
    if before is None or after is None:
        return None
    places = {(one.start, one.end) for disk in (before, after) for one in disk.volumes}
    gaps = {(gap.start, gap.end) for disk in (before, after) for gap in disk.gaps(_least_gap(disk))}
    edges = sorted({edge for place in (*places, *gaps) for edge in place})
    apart = places & set(itertools.pairwise(edges))  # what others lie in has no width of its own
    room = (CLOSE_SHARE * width - LEAST_GAP * len(gaps)) / max(1, len(apart))
    least = max(LEAST_VOLUME, min(CLOSE, room)) if closer else LEAST_VOLUME
    parts = [(start, end, least) for start, end in sorted(places)]
    parts += [(start, end, LEAST_GAP) for start, end in sorted(gaps)]
    scale = make_scale(before.size, parts, left, width)
    ribbons, kept = _ribbons(before, after, reading.ledger.lost, scale), _locked(reading)
    return Shelf(
        scale=scale,
        found=tuple(_spine(one, scale) for one in before.volumes),
        planned=tuple(replace(_spine(one, scale), locked=one.call in kept) for one in after.volumes),
        found_gaps=_spaces(before, scale),
        planned_gaps=_spaces(after, scale),
        ribbons=ribbons,
        edges=_edges(reading, before, after, scale),
        ticks=tuple(one for one in _ticks(scale, before.size, unit) if one.x < left + width - UNIT_ROOM),
        braces=(*_braces(before, scale, ribbons, planned=False), *_braces(after, scale, ribbons, planned=True)),
    )


def _locked(reading: Reading) -> frozenset[str]:
    if not any(aim.sizes for aim in reading.job.aims):
        return frozenset()
    from inkshelf.core.plan.locks import locked  # late: most jobs have none

    return frozenset(locked(reading.job))


def _braces(disk: Disk, scale: Scale, ribbons: tuple[Ribbon, ...], *, planned: bool) -> tuple[Brace, ...]:
    inside = disk.table.extended
    if inside is None:
        return ()
    x, end = scale.x(inside.start), scale.x(inside.end)
    torn = [] if planned else sorted(one.top for one in ribbons if one.kind == "lost" and one.top[0] < end and x < one.top[1])
    edges = [x, *(edge for stub in torn for edge in (max(x, stub[0]), min(end, stub[1]))), end]
    lines = tuple((low, high) for low, high in zip(edges[::2], edges[1::2], strict=True) if high > low)
    words_x = next((low for low, high in lines if high - low >= BRACE_WORDS), None)
    return (Brace(x, end - x, planned, lines, words_x),)


def _spine(volume: Volume, scale: Scale) -> Spine:
    x, end = scale.x(volume.start), scale.x(volume.end)
    system = volume.filesystem
    level = None if volume.used is None or not volume.size else min(1.0, volume.used / volume.size)
    pinned = system.pinned_bytes if system and volume.role == "system" and not volume.planned else None
    words = volume.holds.title if volume.holds else (system.label or title(system.kind) if system else volume.name)
    least_x, least = _smallest(volume, scale)
    return Spine(
        call=volume.call,
        role=volume.role,
        x=x + 1,
        width=max(4.0, end - x - 2),
        height=HEIGHT[volume.role],
        level=level,
        planned=volume.planned,
        widened=volume.start in scale.widened,
        size=volume.size,
        used=volume.used,
        words=words,
        pinned_x=scale.x(volume.start + pinned) if pinned else None,
        pinned=pinned,
        smallest_x=least_x,
        smallest=least,
        inner=_inner(volume, x + 1, max(4.0, end - x - 2)),
    )


def _inner(volume: Volume, left: float, width: float) -> tuple[Inner, ...]:
    """What a container holds, side by side between its walls, in the order in which it was made; none where it is too narrow."""
    held = volume.filesystem.inside if volume.filesystem else ()
    room = width - 2 * WALL
    if volume.disk_files:
        return _files(volume, left + width - WALL, room)
    if not held or room < LEAST_INNER * len(held):
        return ()
    total = sum(one.size_bytes for one in held) or 1
    spare, at, found = room - LEAST_INNER * len(held), left + WALL, []
    for one in held:
        wide = LEAST_INNER + spare * one.size_bytes / total
        found.append(Inner(at, wide, _inner_role(one), one.name, one.size_bytes, volume.planned))
        at += wide
    return tuple(found)


def _files(volume: Volume, right: float, room: float) -> tuple[Inner, ...]:
    """Files that are disks, from the right wall: each as wide as its share of the volume, at its full size."""
    found, at = [], right
    for one in reversed(volume.disk_files):
        wide = max(LEAST_INNER, room * one.size_bytes / volume.size)
        at -= wide
        if at < right - room:
            return ()
        found.append(Inner(at, wide, "system", f"{one.call} {one.path}".strip(), one.size_bytes, one.planned))
    return tuple(reversed(found))


def _inner_role(one: Inside) -> Role:
    return "swap" if one.kind == "swap" else "system" if one.name == "root" else "data"


def _smallest(volume: Volume, scale: Scale) -> tuple[float | None, int | None]:
    """Where the volume would end at its smallest, as found; nothing where it cannot shrink or that is not known."""
    system = volume.filesystem
    least = system.smallest_bytes if system and not volume.planned else None
    if not least or least >= volume.size:
        return None, None
    return scale.x(volume.start + least), least


def _least_gap(disk: Disk) -> int:
    """Smaller gaps are not drawn: a quarter of a GiB, less on a small disk."""
    return min(GIB // 4, disk.size // 100)


def _spaces(disk: Disk, scale: Scale) -> tuple[Space, ...]:
    return tuple(
        Space(scale.x(gap.start), scale.x(gap.end) - scale.x(gap.start), gap.size) for gap in disk.gaps(_least_gap(disk))
    )


def _ribbons(before: Disk, after: Disk, lost: tuple[str, ...], scale: Scale) -> tuple[Ribbon, ...]:
    from inkshelf.core.size import binary

    found = []
    for old in before.volumes:
        if old.call in lost:
            ends = scale.x(old.start), scale.x(old.end)
            found.append(Ribbon(old.call, ends, ends, "lost", f"{old.call} is given up"))
            continue
        new = next((one for one in after.volumes if one.call == old.call and not one.planned), None)
        if new is None:
            continue
        kind: Literal["stays", "shrinks", "moves"] = (
            "moves" if new.start != old.start else "shrinks" if new.size < old.size else "stays"
        )
        words = {
            "stays": "",
            "shrinks": f"{old.call} stays where it is, gives {binary(old.size - new.size)} from its end",
            "moves": f"{old.call} moves",
        }[kind]
        found.append(
            Ribbon(old.call, (scale.x(old.start), scale.x(old.end)), (scale.x(new.start), scale.x(new.end)), kind, words)
        )
    return tuple(found)


def _edges(reading: Reading, before: Disk, after: Disk, scale: Scale) -> tuple[Edge, ...]:
    aim = reading.job.aim
    if aim is None or not reading.job.steps or aim.disk != before.id:
        return ()
    found: list[Edge] = []
    shrink = next((step for step in reading.job.steps if isinstance(step, Shrink)), None)
    giver = next((one for one in givers(before) if shrink and one.volume.call == shrink.call), None)
    if giver and shrink:
        volume = giver.volume
        place = volume.start + shrink.to_bytes
        least = volume.start + max(giver.smallest, giver.kept)
        found.append(Edge("room", scale.x(place), place, min(least, place), volume.end + giver.behind - GIB, volume.call))
    root = next((one for one in after.volumes if one.planned and one.role == "system"), None)
    home = next((one for one in after.volumes if one.planned and one.role == "data"), None)
    if root and home and aim.home == "apart":
        found.append(Edge("root", scale.x(root.end), root.end, root.start + GIB, root.end + home.size - GIB, root.call))
    return tuple(found)


def snap(edge: Edge, place: int, behind: int, grain: int = GIB) -> int:
    """Return the nearest sensible place for a dragged edge: the new room in whole ``grain`` bytes, within its limits.

    ``behind``: the end of the stretch that the edge divides, from which the new room is counted.
    """
    place = max(edge.least, min(edge.most, place))
    room = behind - place if edge.key == "room" else place - behind
    snapped = max(grain, round(room / grain) * grain)
    wanted = behind - snapped if edge.key == "room" else behind + snapped
    if not edge.least <= wanted <= edge.most:
        wanted = max(edge.least, min(edge.most, wanted))
        wanted = -(-wanted // MIB) * MIB if wanted == edge.least else wanted // MIB * MIB
    return wanted


def _ticks(scale: Scale, size: int, unit: str) -> tuple[Tick, ...]:
    one = GIB if unit == "GiB" else GB
    whole = size / one
    step = next(
        (value for value in (1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000, 5000) if whole / value <= 12), 10_000
    )
    ticks: list[Tick] = []
    labelled = -100.0
    for index in range(int(whole / step * 5) + 1):
        value = index * step / 5
        x = scale.x(int(value * one))
        long = index % 5 == 0
        if long and x - labelled < 38:
            ticks.append(Tick(x, "", False))
            continue
        labelled = x if long else labelled
        ticks.append(Tick(x, f"{value:g}" if long else "", long))
    return tuple(ticks)
