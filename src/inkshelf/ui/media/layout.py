"""Where things stand on a stick as it is drawn: numbers only, in pixels; a sliver is widened so that it can be read and pressed."""

from __future__ import annotations

from inkshelf.core.machine.state import Volume
from inkshelf.core.sheet.media import StickPlan
from inkshelf.core.value import Value

LEAST_VOLUME, LEAST_BOOK, BETWEEN, INSIDE = 40.0, 30.0, 3.0, 7.0
NARROW = 90.0  # pixels: a volume that is drawn narrower shows no books
LEAST_GAP = 64 << 20  # bytes: less than that behind the last volume is not drawn


class Book(Value, frozen=True):
    """An image, or room that is free (empty ``name``): where it stands, how large it is."""

    name: str
    x: float
    width: float
    size: int


class Frame(Value, frozen=True):
    """A volume with the images in it; ``used``: the share of it that is in use."""

    call: str
    x: float
    width: float
    volume: Volume
    books: tuple[Book, ...]
    used: float


class Drawn(Value, frozen=True):
    """A whole stick: its volumes, where the tape has its marks, as (pixel, bytes), and what is free behind the last volume."""

    frames: tuple[Frame, ...]
    marks: tuple[tuple[float, int], ...]
    behind: Book | None = None


def shares(sizes: list[int], room: float, least: float) -> list[float]:
    """Return widths that come to ``room``: by size, none below ``least`` as far as that is possible."""
    if not sizes:
        return []
    least = min(least, room / len(sizes))
    small: set[int] = set()
    while True:
        left = room - least * len(small)
        whole = sum(size for at, size in enumerate(sizes) if at not in small)
        wide = [least if at in small else left * size / whole if whole else left / len(sizes) for at, size in enumerate(sizes)]
        more = {at for at, one in enumerate(wide) if at not in small and one < least - 1e-9}
        if not more:
            return wide
        small |= more


def drawn(plan: StickPlan, width: float) -> Drawn:
    """Return where everything of a stick stands in ``width`` pixels."""
    volumes = plan.volumes
    if not volumes:
        return Drawn((), _marks(plan.size, width))
    left = plan.size - max(one.end for one in volumes)
    sizes = [one.size for one in volumes] + ([left] if left >= LEAST_GAP else [])
    wides = shares(sizes, width - BETWEEN * (len(sizes) - 1), LEAST_VOLUME)
    frames, x = [], 0.0
    for volume, wide in zip(volumes, wides, strict=False):
        used = (volume.used or 0) / volume.size if volume.size else 0.0
        frames.append(Frame(volume.call, x, wide, volume, tuple(_books(plan, volume, x, wide)), min(1.0, used)))
        x += wide + BETWEEN
    behind = Book("", x, wides[-1], left) if len(sizes) > len(volumes) else None
    return Drawn(tuple(frames), _marks(plan.size, width), behind)


def _books(plan: StickPlan, volume: Volume, left: float, width: float) -> list[Book]:
    """The images that lie in a volume, those first that were there before, then what is free."""
    own = [(one.name, size) for one in plan.images if one.fits for call, size in one.parts if call == volume.call]
    planned = {one.path for one in plan.images if one.path}
    own = [(one.path.strip("/"), one.size) for one in volume.images if one.path not in planned] + own
    if not own or width < NARROW:
        return []  # its own title takes the room
    free = max(0, volume.size - (volume.used or 0))
    sizes = [size for _, size in own] + ([free] if free else [])
    room = width - 2 * INSIDE - BETWEEN * (len(sizes) - 1)
    books, x = [], left + INSIDE
    for (name, size), wide in zip([*own, *([("", free)] if free else [])], shares(sizes, room, LEAST_BOOK), strict=True):
        books.append(Book(name, x, wide, size))
        x += wide + BETWEEN
    return books


def _marks(size: int, width: float) -> tuple[tuple[float, int], ...]:
    """Marks in steps of 1, 2 or 5 times a power of ten GiB, about seven of them."""
    unit = 1 << 30
    step = 1.0
    while size / (step * unit) > 8:
        step *= 2 if f"{step:e}"[0] != "2" else 2.5
    while size / (step * unit) < 3 and step > 1 / 64:
        step /= 2
    count = int(size / (step * unit))
    return tuple((width * at * step * unit / size, int(at * step * unit)) for at in range(count + 1)) if size else ()
