"""Blocks of the printed sheet: each knows its height at a width and draws itself; none is ever split between pages."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPainter, QPen

from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.papercode import paper_code
from inkshelf.core.sheet.reckon import byte_figures
from inkshelf.core.sheet.settings import Setting
from inkshelf.core.sheet.sheet import Row, Sheet
from inkshelf.core.value import Value, replace
from inkshelf.exchange.squares import rows
from inkshelf.ui import theme
from inkshelf.ui.sheetview.rows import RowDelegate
from inkshelf.ui.sheetview.words import text_height, write
from inkshelf.ui.shelf import painter as boards
from inkshelf.ui.shelf.layout import lay_out

DOT, QUIET = 2.6, 4.0  # pixels of a square of the printed code, and of the border around all of them
BOARDS = 0.86  # the boards are drawn smaller than on the screen
SIGNED = ("owner, date", "typed confirmation: the serial of the disk", "technician, date")


class Block(Value, frozen=True):
    """One piece of a page. ``height`` gives pixels for a width; ``joined``: stays with the block behind it."""

    height: Callable[[float], float]
    draw: Callable[[QPainter, QRectF], object]
    joined: bool = False


def blocks(made: Sheet, reading: Reading) -> list[Block]:
    """Return the whole sheet in the order in which it is read."""
    stops = [one for one in made.findings if one.severity == "stop"]
    written = [one for one in made.findings if one.overridden]
    found = [
        _title(made, paper_code(reading.job)),
        *_list("What is to be done", (*made.aims, *(f"why this way: {one}" for one in made.reasons)), "ink"),
        *(_disk(disk) for disk in made.disks),
        *_list("Before anything", made.cautions, "ink"),
        *_list("Stops", (f"{one.title}{_of(one.calls)}: {one.why}" for one in stops), "stop"),
        *_list("Answered for in writing", (f"{one.title}: {one.overridden}" for one in written), "ink"),
    ]
    planned = {disk.id: disk for disk in reading.plan.planned.disks}
    found += [_boards(reading, disk) for disk in made.disks if planned.get(disk.id) != disk]
    drawn = RowDelegate()
    found += [_heading("Steps", "if it stops here"), *(_step(row, drawn) for row in made.rows)]
    found += _list("Firmware settings", (_switch(one) for one in made.settings), "ink")
    found += [_heading("What becomes of every byte"), _figures(made)]
    found += _starts(made)
    found += _list("To put back", made.put_back, "ink", sign="☐")
    return [*found, _signatures()]


def _about(made: Sheet) -> str:
    return f"{made.owner or 'owner not known yet'} · {len(made.rows)} steps · about {made.minutes:.0f} minutes, with a margin for people · the machine starts {made.restarts} times"


def _title(made: Sheet, code: str) -> Block:
    """Whose sheet it is, and at the right the printed code by which a filled paper finds its job again."""
    font, dots = theme.serif(26), rows(code)
    title, about = made.title or "Run sheet", _about(made)
    square = QUIET * 2 + len(dots) * DOT

    def room(width: float) -> float:
        return width - square - 24

    def draw(painter: QPainter, box: QRectF) -> None:
        tall = text_height(title, font, room(box.width()))
        write(painter, title, font, "ink", box.adjusted(0, 0, -square - 24, 0))
        write(painter, about, theme.sans(13), "pencil", box.adjusted(0, tall, -square - 24, 0))
        below = tall + text_height(about, theme.sans(13), room(box.width())) + 6
        write(painter, code, theme.mono(11), "pencil", box.adjusted(0, below, -square - 24, 0))
        left, top = box.right() - square + QUIET, box.top() + QUIET
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.current().color("ink"))
        for down, row in enumerate(dots):
            for along, dark in enumerate(row):
                if dark:
                    painter.drawRect(QRectF(left + along * DOT, top + down * DOT, DOT, DOT))

    def height(width: float) -> float:
        words = text_height(title, font, room(width)) + text_height(about, theme.sans(13), room(width))
        return max(float(square), words + 6 + text_height(code, theme.mono(11), room(width)))

    return Block(height, draw)


def _switch(one: Setting) -> str:
    ends = f"at the end {one.end}{', as found' if one.back else ''}"
    return "; ".join([f"{one.title}: found {one.found}, then {one.work}, {ends}", *([one.key] if one.key else [])])


def _of(calls: tuple[str, ...]) -> str:
    return f" ({', '.join(calls)})" if calls else ""


def _text(text: str, font: QFont, tint: str, *, above: float = 4, left: float = 0, joined: bool = False) -> Block:
    def draw(painter: QPainter, box: QRectF) -> None:
        write(painter, text, font, tint, box.adjusted(left, above, 0, 0))

    return Block(lambda width: above + text_height(text, font, width - left), draw, joined)


def _heading(title: str, beside: str = "") -> Block:
    font = theme.serif(17)

    def draw(painter: QPainter, box: QRectF) -> None:
        write(painter, title, font, "ink", box.adjusted(0, 20, 0, 0))
        stops = QRectF(box.right() - RowDelegate.STOPS, box.top() + 25, RowDelegate.STOPS, 20)
        write(painter, beside, theme.sans(12), "pencil", stops)
        painter.setPen(QPen(theme.current().color("ink"), 1.2))
        painter.drawLine(QPointF(box.left(), box.bottom() - 4), QPointF(box.right(), box.bottom() - 4))

    return Block(lambda width: 30 + text_height(title, font, width), draw, joined=True)


def _list(title: str, lines: Iterator[str] | tuple[str, ...], tint: str, *, sign: str = "·") -> list[Block]:
    said = list(lines)
    if not said:
        return []

    def line(text: str) -> Block:
        inner = _text(text, theme.sans(12, 600 if tint == "stop" else 400), tint, left=20)

        def draw(painter: QPainter, box: QRectF) -> None:
            write(painter, sign, theme.sans(12), tint, box.adjusted(2, 4, 0, 0))
            inner.draw(painter, box)

        return Block(inner.height, draw)

    return [_heading(title), *(line(text) for text in said)]


def _disk(disk: Disk) -> Block:
    """Which disk, in a frame: the line that must not be overlooked."""
    text, font = f"Disk {disk.id}: {disk.identity()}", theme.sans(14, 600)

    def draw(painter: QPainter, box: QRectF) -> None:
        painter.setPen(QPen(theme.current().color("ink"), 1.4))
        painter.drawRect(box.adjusted(0, 10, 0, 0))
        write(painter, text, font, "ink", box.adjusted(12, 18, -12, 0))

    return Block(lambda width: 26 + text_height(text, font, width - 24), draw)


def _boards(reading: Reading, disk: Disk) -> Block:
    """The disk as found and as planned, without the handles that only a mouse can take."""

    def draw(painter: QPainter, box: QRectF) -> None:
        width = box.width() / BOARDS
        shelf = lay_out(reading, disk.id, 0.0, width, reading.job.unit)
        if shelf is not None:
            write(painter, f"Disk {disk.id}", theme.serif(17), "ink", box.adjusted(0, 20, 0, 0))
            painter.translate(box.left(), box.top() + 44)
            painter.scale(BOARDS, BOARDS)
            boards.draw_shelf(painter, replace(shelf, edges=()), width, reading.job.unit, "", "", "", focused=False)

    return Block(lambda _: 44 + boards.TOTAL * BOARDS, draw)


def _step(row: Row, drawn: RowDelegate) -> Block:
    return Block(lambda width: drawn.height(row, width), lambda painter, box: drawn.draw(painter, row, box))


def _figures(made: Sheet) -> Block:
    figures = byte_figures(made.ledger)

    def draw(painter: QPainter, box: QRectF) -> None:
        for place, (words, figure) in enumerate(figures):
            left = place * box.width() / len(figures)
            write(painter, words, theme.sans(12), "pencil", box.adjusted(left, 4, 0, 0))
            write(painter, figure, theme.mono(14, 700), "ink", box.adjusted(left, 20, 0, 0))

    return Block(lambda _: 44, draw)


def _starts(made: Sheet) -> list[Block]:
    if not made.outcomes:
        return []

    def line(system: str, mishap: str, starts: str, how: str) -> Block:
        def draw(painter: QPainter, box: QRectF) -> None:
            tint = "stop" if starts == "does not start" else "ink"
            for left, words in ((0, system), (190, mishap), (300, starts)):
                write(painter, words, theme.sans(12), tint, box.adjusted(left, 4, 0, 0))
            write(painter, how, theme.sans(12), "pencil", box.adjusted(400, 4, 0, 0))

        return Block(lambda width: 5 + max(16.0, text_height(how, theme.sans(12), width - 400)), draw)

    rows = [
        line(f"{one.system} {made.titles[one.system]}", made.mishaps[one.mishap], one.verdict, " → ".join(one.path) or one.why)
        for one in made.outcomes
    ]
    return [_heading("What starts afterwards"), *rows]


def _signatures() -> Block:
    def draw(painter: QPainter, box: QRectF) -> None:
        each = (box.width() + 24) / len(SIGNED)
        for place, words in enumerate(SIGNED):
            left = box.left() + place * each
            painter.setPen(QPen(theme.current().color("ink"), 1.2))
            painter.drawLine(QPointF(left, box.top() + 64), QPointF(left + each - 24, box.top() + 64))
            write(painter, words, theme.sans(11), "pencil", QRectF(left, box.top() + 68, each - 24, 30))

    return Block(lambda _: 90, draw)
