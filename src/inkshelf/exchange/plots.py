"""Plots of a shop's times, drawn by a plotting library: readable in grey, shapes before tints, saved as SVG, PDF or PNG.

A figure is made for one look and one size; nothing here knows the window.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from functools import cache
from typing import TYPE_CHECKING, Any

from inkshelf.core.learned.times import Band, Held
from inkshelf.core.value import Value
from inkshelf.data import FOLDER

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

FORMATS = ("svg", "pdf", "png")
POINT = 72  # points an inch: one point is one pixel here
TALL, LEAST = 25, 4  # pixels of a row; rows for which there is room at least


class Look(Value, frozen=True):
    """Colours by name, as the window's theme has them."""

    paper: str = "#ffffff"
    ink: str = "#1f2a3a"
    pencil: str = "#6a645a"
    line: str = "#dcd2bd"
    used: str = "#e4d9c1"
    ok: str = "#3c7458"
    stop: str = "#ad3227"


class StageRow(Value, frozen=True):
    """A stage: its band, what one job took for it (``None``: it was not timed), how many times as long as planned it takes in the middle."""

    stage: str
    band: Band
    took: float | None = None
    over: float | None = None


@cache
def _faces() -> str:
    from matplotlib import font_manager

    for path in sorted((FOLDER / "fonts").glob("Inter-*.otf")):
        font_manager.fontManager.addfont(str(path))
    return "Inter"


def _figure(width: int, height: int, look: Look) -> tuple[Figure, Axes]:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width / POINT, height / POINT), dpi=POINT, facecolor=look.paper, layout="constrained")
    axes = figure.add_subplot()
    axes.set_facecolor(look.paper)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.tick_params(length=0, colors=look.pencil, labelsize=11.5, labelfontfamily=_faces())
    return figure, axes


def stages(rows: Sequence[StageRow], look: Look, width: int, height: int) -> Figure:
    """Return how long each stage takes: a bar that holds eight of ten, a line at the middle; a dot (a cross outside) for one job."""
    figure, axes = _figure(width, height, look)
    for at, row in enumerate(rows):
        axes.barh(at, row.band.high - row.band.low, 0.5, row.band.low, color=look.used, edgecolor=look.pencil, linewidth=0.8)
        axes.plot([row.band.middle] * 2, [at - 0.32, at + 0.32], color=look.ink, linewidth=1.8, solid_capstyle="butt")
        if row.took is not None:
            inside = row.band.holds(row.took)
            axes.plot(row.took, at, "o" if inside else "X", color=look.ok if inside else look.stop, markersize=7, clip_on=False)
        if row.over is not None:
            said = f"{row.over:.1f} times planned"
            axes.annotate(
                said,
                (1, at),
                xycoords=("axes fraction", "data"),
                ha="right",
                va="center",
                color=look.pencil,
                fontfamily=_faces(),
                fontsize=11,
            )
    axes.set_yticks(range(len(rows)), [one.stage for one in rows], color=look.ink)
    axes.set_ylim(max(LEAST, len(rows)) - 0.4, -0.6)
    axes.set_xlim(right=1.3 * max((max(one.band.high, one.took or 0) for one in rows), default=10))
    _minutes(axes, look)
    axes.set_xlim(left=0)
    return figure


def _minutes(axes: Axes, look: Look) -> None:
    axes.grid(axis="x", color=look.line, linewidth=0.8)
    axes.set_axisbelow(True)
    axes.set_xlabel("minutes", color=look.pencil, fontfamily=_faces(), fontsize=11.5, loc="right")


def kept(past: Sequence[Held], look: Look, width: int, height: int) -> Figure:
    """Return planned bands and what came of each job, in their order: a dot inside its band, a cross outside."""
    figure, axes = _figure(width, height, look)
    for at, one in enumerate(past):
        axes.plot([at, at], [one.band.low, one.band.high], color=look.used, linewidth=7, solid_capstyle="butt")
        axes.plot([at - 0.3, at + 0.3], [one.band.middle] * 2, color=look.pencil, linewidth=1.2)
    for inside, sign, tint in ((True, "o", look.ok), (False, "X", look.stop)):
        points = [(at, one.took) for at, one in enumerate(past) if one.held == inside]
        axes.plot([at for at, _ in points], [took for _, took in points], sign, color=tint, markersize=5.5)
    axes.set_xticks([])
    axes.set_xlim(-1, max(len(past), 10))
    axes.set_ylim(bottom=0)
    axes.grid(axis="y", color=look.line, linewidth=0.8)
    axes.set_axisbelow(True)
    axes.set_ylabel("minutes", color=look.pencil, fontfamily=_faces(), fontsize=11.5, loc="top")
    axes.set_xlabel("jobs, the oldest first", color=look.pencil, fontfamily=_faces(), fontsize=11.5, loc="right")
    return figure


def counted(rows: Sequence[tuple[str, float]], unit: str, look: Look, width: int, height: int) -> Figure:
    """Return what there is most of: a bar each, with its number at the end."""
    figure, axes = _figure(width, height, look)
    most = max((value for _, value in rows), default=1.0)
    for at, (_, value) in enumerate(rows):
        axes.barh(at, value, 0.5, color=look.used, edgecolor=look.pencil, linewidth=0.8)
        said = f"{value:.0f} {unit}"
        axes.text(value + most * 0.01, at, said, va="center", color=look.ink, fontfamily=_faces(), fontsize=11.5)
    axes.set_yticks(range(len(rows)), [_short(one) for one, _ in rows], color=look.ink)
    axes.set_ylim(max(LEAST, len(rows)) - 0.4, -0.6)
    axes.set_xlim(0, most * 1.2)
    axes.set_xticks([])
    return figure


def _short(words: str) -> str:
    return words if len(words) < 46 else f"{words[:44]}…"


def saved(figure: Figure, form: str, scale: float = 1.0) -> bytes:
    """Return a figure's bytes in one of ``FORMATS``; ``scale``: pixels a point, for a PNG."""
    import matplotlib as mpl

    out = io.BytesIO()
    plain: dict[str, Any] = {"svg": {"Date": None}, "pdf": {"CreationDate": None}}
    with mpl.rc_context({"svg.hashsalt": "inkshelf", "svg.fonttype": "none", "pdf.fonttype": 42}):
        figure.savefig(out, format=form, dpi=POINT * scale, metadata=plain.get(form))
    return out.getvalue()
