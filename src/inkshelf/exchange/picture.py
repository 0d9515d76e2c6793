"""A disk as a small picture for the HTML sheet: spines by size, a hatch by role, the call number, what is new in pencil."""

from __future__ import annotations

from html import escape

from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.size import binary

WIDTH, HEIGHT, LEAST = 840, 62, 30
INK, PENCIL, PAPER = "#1f2a3a", "#8a857c", "#fdf9f0"
HATCH = {
    "startup": "M0 6 H6",
    "system": "",
    "data": "M0 6 L6 0",
    "swap": "M0 0 L6 6",
    "recovery": "M3 0 V6",
    "container": "M0 3 H6 M3 0 V6",
    "reserved": "M0 6 L6 0 M0 0 L6 6",
    "medium": "M0 3 H3",
    "unknown": "M3 3 H4",
}


def widths(sizes: list[int], room: int = WIDTH) -> list[float]:
    """Return widths that add up to ``room``: in proportion, but none below what a call number needs."""
    least = min(LEAST, room / max(1, len(sizes)))
    narrow = {at for at, size in enumerate(sizes) if size * room < least * sum(sizes)}
    while True:
        left = room - least * len(narrow)
        whole = sum(size for at, size in enumerate(sizes) if at not in narrow)
        more = {at for at, size in enumerate(sizes) if at not in narrow and whole and size * left < least * whole}
        if not more:
            break
        narrow |= more
    return [least if at in narrow else left * size / whole for at, size in enumerate(sizes)]


def board(disk: Disk) -> str:
    """Return the disk as an SVG element; text in it is escaped, and the whole has a title for who cannot see it."""
    pieces: list[tuple[int, int, Volume | None]] = [(one.start, one.size, one) for one in disk.volumes if one.size > 0]
    pieces += [(gap.start, gap.size, None) for gap in disk.gaps()]
    pieces.sort(key=lambda one: one[0])
    parts = []
    x = 0.0
    for (_, size, volume), wide in zip(pieces, widths([size for _, size, _ in pieces]), strict=True):
        parts.append(_spine(volume, x, wide) if volume else _gap(size, x, wide))
        x += wide
    said = ", ".join(f"{one.call} {binary(one.size)}" for one in disk.volumes) or "no volumes"
    return (
        f'<svg viewBox="0 0 {WIDTH} {HEIGHT}" role="img" width="100%"><title>disk {escape(disk.id)}: {escape(said)}</title>'
        f"<defs>{_patterns()}</defs>{''.join(parts)}</svg>"
    )


def _patterns() -> str:
    return "".join(
        f'<pattern id="h-{role}" width="6" height="6" patternUnits="userSpaceOnUse">'
        f'<path d="{path}" stroke="{INK}" stroke-width="0.7" fill="none" opacity="0.5"/></pattern>'
        for role, path in HATCH.items()
        if path
    )


def _spine(volume: Volume, x: float, wide: float) -> str:
    dashed = ' stroke-dasharray="4 3"' if volume.planned else ""
    tint = PENCIL if volume.planned else INK
    fill = f"url(#h-{volume.role})" if HATCH.get(volume.role) else "none"
    box = f'x="{x + 1:.1f}" y="1" width="{max(1.0, wide - 2):.1f}" height="{HEIGHT - 2}"'
    size = f'<text x="{x + wide / 2:.1f}" y="48" font-size="11" text-anchor="middle" fill="{INK}">{escape(binary(volume.size))}</text>'
    plate = max(18, 9 * len(volume.call))
    return (
        f'<rect {box} fill="{PAPER}"/><rect {box} fill="{fill}" stroke="{tint}" stroke-width="1.4"{dashed}/>'
        f'<rect x="{x + wide / 2 - plate / 2:.1f}" y="14" width="{plate}" height="17" fill="{PAPER}"/>'
        f'<text x="{x + wide / 2:.1f}" y="28" font-size="14" font-weight="700" text-anchor="middle" fill="{INK}">{escape(volume.call)}</text>'
        + (size if wide > 62 else "")
    )


def _gap(size: int, x: float, wide: float) -> str:
    words = f"{binary(size)} free" if wide > 70 else "free" if wide > 26 else ""
    return f'<text x="{x + wide / 2:.1f}" y="36" font-size="11" text-anchor="middle" fill="{PENCIL}">{escape(words)}</text>'
