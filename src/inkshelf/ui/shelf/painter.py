"""Draws a shelf: spines with hatches, ribbons, planks, tape. It draws what the layout says and computes nothing about disks."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF

from inkshelf.core.size import binary
from inkshelf.ui import theme
from inkshelf.ui.parts import draw_call
from inkshelf.ui.shelf.hatches import draw_hatch, draw_lines
from inkshelf.ui.shelf.layout import Brace, Edge, Ribbon, Shelf, Spine

FOUND_TOP, FOUND_HEIGHT = 30.0, 122.0
FOUND_FOOT = FOUND_TOP + FOUND_HEIGHT
PLANNED_TOP, PLANNED_HEIGHT = FOUND_FOOT + 66.0, 146.0
PLANNED_FOOT = PLANNED_TOP + PLANNED_HEIGHT
TAPE_TOP, TAPE_HEIGHT = PLANNED_FOOT + 12.0, 25.0
BESIDE_PLANNED = 92.0  # where the words "as planned" end
CALL_ROOM = 44.0  # pixels of a spine's height that its call number takes
WIDE = 150.0  # a spine with room for its words in full
TOTAL = TAPE_TOP + TAPE_HEIGHT + 6


def draw_shelf(
    painter: QPainter, shelf: Shelf, width: float, unit: str, selected: str, edge: str, hovered: str, *, focused: bool
) -> None:
    """Draw everything."""
    ink = theme.current()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for ribbon in sorted(shelf.ribbons, key=lambda one: one.kind == "lost"):  # what is lost is said over what is kept
        _ribbon(painter, ribbon)
    for words, y in (("as found", FOUND_TOP - 14), ("as planned", PLANNED_TOP - 18)):
        painter.setFont(theme.serif(14, 600))
        wide = painter.fontMetrics().horizontalAdvance(words)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("paper"))
        painter.drawRoundedRect(QRectF(-4, y - 15, wide + 14, 21), 3, 3)
        painter.setPen(ink.color("pencil"))
        painter.drawText(QPointF(2, y), words)
    for spaces, foot, height in (
        (shelf.found_gaps, FOUND_FOOT, FOUND_HEIGHT),
        (shelf.planned_gaps, PLANNED_FOOT, PLANNED_HEIGHT),
    ):
        for space in spaces:
            draw_gap(painter, space.x, space.width, foot, height, space.size)
    for spine in shelf.found:
        draw_spine(painter, spine, FOUND_FOOT, FOUND_HEIGHT, chosen=spine.call == selected, warm=spine.call == hovered)
    for spine in shelf.planned:
        draw_spine(painter, spine, PLANNED_FOOT, PLANNED_HEIGHT, chosen=spine.call == selected, warm=spine.call == hovered)
    _notches(painter, shelf, {selected, hovered})
    painter.setPen(QPen(ink.color("ink"), 4))
    for foot in (FOUND_FOOT, PLANNED_FOOT):
        painter.drawLine(QPointF(0, foot + 2), QPointF(width, foot + 2))
    for brace in shelf.braces:
        _brace(painter, brace)
    _tape(painter, shelf, width, unit)
    for one in shelf.edges:
        _edge(painter, one, active=one.key == edge, focused=focused)


def _notches(painter: QPainter, shelf: Shelf, near: set[str]) -> None:
    """The end that cannot be moved; and, of what is selected or under the mouse, the smallest size."""
    for spine in shelf.found:
        if spine.pinned_x is not None and spine.pinned is not None:
            _pinned(painter, spine, spine.pinned_x, spine.pinned)
        if spine.smallest_x is not None and spine.smallest is not None and spine.call in near:
            _smallest(painter, spine, spine.smallest_x, spine.smallest)


def _given_up(painter: QPainter, ribbon: Ribbon) -> None:
    """A stub that is torn off: what lay here goes nowhere, and says so where there is room."""
    ink = theme.current()
    left, right, top = ribbon.top[0] + 1, ribbon.top[1] - 1, FOUND_FOOT + 4
    count = max(2, round((right - left) / 7))
    teeth = [QPointF(right - (right - left) * at / count, top + (12 if at % 2 else 19)) for at in range(count + 1)]
    painter.setPen(QPen(ink.color("stop"), 1.2))
    painter.setBrush(ink.color("stop_wash"))
    painter.drawPolygon(QPolygonF([QPointF(left, top), QPointF(right, top), *teeth]))
    painter.setFont(theme.serif(14, 600, italic=True))
    wide = painter.fontMetrics().horizontalAdvance(ribbon.words)
    begin = max(BESIDE_PLANNED, left + (right - left - wide) / 2)
    if begin + wide <= right:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("paper"))
        painter.drawRoundedRect(QRectF(begin - 5, top + 24, wide + 10, 19), 3, 3)
        painter.setPen(ink.color("stop"))
        painter.drawText(QPointF(begin, top + 38), ribbon.words)


def _ribbon(painter: QPainter, ribbon: Ribbon) -> None:
    if ribbon.kind == "lost":
        _given_up(painter, ribbon)
        return
    ink = theme.current()
    top, foot = FOUND_FOOT + 4, PLANNED_TOP
    middle = (top + foot) / 2
    path = QPainterPath(QPointF(ribbon.top[0] + 1, top))
    path.lineTo(ribbon.top[1] - 1, top)
    path.cubicTo(ribbon.top[1] - 1, middle + 6, ribbon.foot[1] - 1, middle - 6, ribbon.foot[1] - 1, foot)
    path.lineTo(ribbon.foot[0] + 1, foot)
    path.cubicTo(ribbon.foot[0] + 1, middle - 6, ribbon.top[0] + 1, middle + 6, ribbon.top[0] + 1, top)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink.color("ribbon" if ribbon.kind != "stays" else "used"))
    painter.drawPath(path)
    if ribbon.words:
        painter.setFont(theme.serif(14, 600, italic=True))
        wide = painter.fontMetrics().horizontalAdvance(ribbon.words)
        left = max(BESIDE_PLANNED, ribbon.foot[0] + max(12.0, (ribbon.foot[1] - ribbon.foot[0] - wide) / 2))
        if ribbon.top[1] - left > wide + 40:
            painter.setPen(ink.color("ink"))
            painter.drawText(QPointF(left, middle + 3), ribbon.words)


def draw_gap(painter: QPainter, x: float, width: float, foot: float, height: float, size: int) -> None:
    """Draw free room on a plank, with its size."""
    ink = theme.current()
    box = QRectF(x + 2, foot - height * 0.82, max(8.0, width - 4), height * 0.82)
    pen = QPen(ink.color("faint"), 1.2)
    pen.setDashPattern([1.5, 3])
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(box)
    painter.setPen(ink.color("pencil"))
    if width < 40:
        return
    lines = ["free", *_size_lines(size, width)]
    for place, text in enumerate(lines):
        painter.setFont(theme.sans(11) if place == 0 else theme.mono(11))
        top = foot - 8 - 14 * (len(lines) - place)
        painter.drawText(QRectF(x - 6, top, width + 12, 15), Qt.AlignmentFlag.AlignCenter, text)


def _size_lines(size: int, width: float) -> list[str]:
    """A size with its unit, on one line or, where there is no room for that, on two."""
    figure = binary(size, 1 if size % (1 << 30) else 0)
    return [figure] if QFontMetricsF(theme.mono(11)).horizontalAdvance(figure) <= width - 4 else figure.split(" ")


def draw_spine(painter: QPainter, spine: Spine, foot: float, height: float, *, chosen: bool, warm: bool) -> None:
    """Draw a volume that stands on a plank at ``foot``, ``height`` pixels high where it is a full one."""
    ink = theme.current()
    high = height * spine.height
    box = QRectF(spine.x, foot - high, spine.width, high)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink.color("card"))
    painter.drawRect(box)
    if spine.level:
        level = high * max(spine.level, 0.02)
        painter.setBrush(ink.color("used"))
        painter.drawRect(QRectF(box.left(), foot - level, box.width(), level))
    draw_hatch(painter, box, spine.role)
    if spine.level and not spine.planned:
        painter.setPen(QPen(ink.color("ink"), 1.2))
        painter.drawLine(
            QPointF(box.left(), foot - high * max(spine.level, 0.02)),
            QPointF(box.right(), foot - high * max(spine.level, 0.02)),
        )
    pen = QPen(ink.color("pencil" if spine.planned else "ink"), 2.6 if chosen else 1.5)
    if spine.planned:
        pen.setDashPattern([3.2, 2.2])
    if chosen:
        pen.setColor(ink.color("stop"))
    elif warm:
        pen.setWidthF(2.4)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(box, 2, 2)
    if spine.widened:
        _break(painter, box)
    if spine.inner:
        from inkshelf.ui.shelf.boxes import draw_inner  # late: most volumes hold no other ones

        draw_inner(painter, spine, box)
    _spine_words(painter, spine, box)


def _brace(painter: QPainter, brace: Brace) -> None:
    """Under the plank, from end to end of the extended partition, so that logical volumes are seen to belong together."""
    ink = theme.current()
    top = (PLANNED_FOOT if brace.planned else FOUND_FOOT) + 4
    painter.setPen(QPen(ink.color("pencil"), 1.6))
    for left, right in brace.lines:
        painter.drawLine(QPointF(left + 2, top + 5), QPointF(right - 2, top + 5))
    ends = {brace.lines[0][0], brace.lines[-1][1]} & {brace.x, brace.x + brace.width} if brace.lines else set()
    for end in ends:
        inner = end + 2 if end == brace.x else end - 2
        painter.drawLine(QPointF(inner, top), QPointF(inner, top + 5))
    if not brace.planned and brace.words_x is not None:
        painter.setFont(theme.sans(11))
        painter.drawText(QPointF(brace.words_x + 4, top + 18), "extended: logical volumes")


def _break(painter: QPainter, box: QRectF) -> None:
    """The drawn break: this spine is wider than its size says."""
    ink = theme.current()
    y, x = box.top(), box.center().x()
    zigzag = QPolygonF([QPointF(x - 7, y + 2.5), QPointF(x - 3, y - 3), QPointF(x + 1, y + 3), QPointF(x + 5, y - 2.5)])
    painter.setPen(QPen(ink.color("paper"), 5))
    painter.drawPolyline(zigzag)
    painter.setPen(QPen(ink.color("pencil"), 1.3))
    painter.drawPolyline(zigzag)


def _spine_words(painter: QPainter, spine: Spine, box: QRectF) -> None:
    ink = theme.current()
    mark = 12.0 * 0.62 * len(spine.call) + 12
    left = box.left() + 12 if box.width() >= WIDE else box.center().x() - mark / 2
    draw_call(painter, left, box.top() + 9, spine.call, planned=spine.planned)
    if spine.locked:
        wide = box.width() >= WIDE
        _lock(painter, left + mark + 11 if wide else box.center().x(), box.top() + (19 if wide else 40))
    painter.setPen(ink.color("ink"))
    if box.width() >= WIDE:
        free = spine.size - (spine.used or 0)
        detail = (
            binary(spine.size)
            if spine.used is None
            else f"{binary(spine.size)} · {binary(free)} free ({100 * free // spine.size} %)"
        )
        painter.setFont(theme.sans(12, 500))
        _over(painter, QRectF(box.left() + 10, box.bottom() - 44, box.width() - 16, 18), spine.words)
        painter.setFont(theme.mono(12))
        if painter.fontMetrics().horizontalAdvance(detail) > box.width() - 16:
            detail = binary(spine.size)
        _over(painter, QRectF(box.left() + 10, box.bottom() - 25, box.width() - 16, 18), detail)
    elif box.width() >= 44:
        lines = [_short(spine), *_size_lines(spine.size, box.width())]
        for place, text in enumerate(lines):
            painter.setFont(theme.sans(11, 500) if place == 0 else theme.mono(11))
            top = box.bottom() - 7 - 16 * (len(lines) - place)
            _over(painter, QRectF(box.left() + 2, top, box.width() - 4, 16), text, centre=True)
    else:
        _along(painter, spine, box)


def _lock(painter: QPainter, x: float, y: float) -> None:
    """A small lock: a person set this size."""
    ink = theme.current()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink.color("paper"))
    painter.drawRect(QRectF(x - 7, y - 10, 14, 18))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(ink.color("ink"), 1.6))
    painter.drawArc(QRectF(x - 3.5, y - 8, 7, 9), 0, 180 * 16)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink.color("ink"))
    painter.drawRoundedRect(QRectF(x - 5.5, y - 3.5, 11, 9), 1.5, 1.5)


def _short(spine: Spine) -> str:
    """What a planned volume is for, without the word that its neighbours bear too; what was found is named in full."""
    if not spine.planned:
        return spine.words
    return "root" if spine.role == "system" else spine.words.split("-")[-1]


def _along(painter: QPainter, spine: Spine, box: QRectF) -> None:
    """On a narrow spine the words run up it, as on the back of a book: name and size, on two lines where one is too short."""
    room = box.height() - CALL_ROOM
    figure = binary(spine.size, 1 if spine.size % (1 << 30) else 0)
    painter.setFont(theme.sans(11, 500))
    words = _short(spine)
    together = f"{words}  {figure}".strip()
    fits = not words or painter.fontMetrics().horizontalAdvance(together) <= room
    lines = [together] if fits else [words, figure]
    painter.save()
    painter.translate(box.center().x(), box.bottom() - 6)
    painter.rotate(-90)
    for place, text in enumerate(lines):
        _over(painter, QRectF(0, -7 * len(lines) + 14 * place, room, 14), text)
    painter.restore()


def _over(painter: QPainter, box: QRectF, text: str, *, centre: bool = False) -> None:
    """Write on a hatch: a wash of paper under the words keeps them readable."""
    metrics = painter.fontMetrics()
    wide = metrics.horizontalAdvance(text)
    if wide > box.width():
        text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
        wide = metrics.horizontalAdvance(text)
    left = box.left() + ((box.width() - wide) / 2 if centre else 0)
    painter.fillRect(QRectF(left - 3, box.top() + 1, wide + 6, box.height() - 2), theme.current().color("card", 205))
    painter.drawText(QRectF(left, box.top(), wide + 2, box.height()), Qt.AlignmentFlag.AlignVCenter, text)


def _pinned(painter: QPainter, spine: Spine, x: float, pinned: int) -> None:
    """The notch: behind it nothing lies that the volume's own system could not move."""
    ink = theme.current()
    top = FOUND_FOOT - FOUND_HEIGHT * spine.height
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink.color("stop"))
    painter.drawPolygon(QPolygonF([QPointF(x - 6, top - 8), QPointF(x + 6, top - 8), QPointF(x, top)]))
    pen = QPen(ink.color("stop"), 1.3)
    pen.setDashPattern([3, 3])
    painter.setPen(pen)
    foot = FOUND_FOOT - (46 if spine.width >= WIDE else 0)  # not through the words at the foot
    painter.drawLine(QPointF(x, top), QPointF(x, foot))
    painter.setFont(theme.sans(11, 500))
    words = f"not movable up to {binary(pinned)}"
    wide = painter.fontMetrics().horizontalAdvance(words)
    left = x + 8 if x + wide + 16 < spine.x + spine.width else x - wide - 8
    painter.fillRect(QRectF(left - 3, top + 4, wide + 6, 17), ink.color("card", 215))
    painter.setPen(ink.color("stop"))
    painter.drawText(QPointF(left, top + 16.5), words)


def _smallest(painter: QPainter, spine: Spine, x: float, smallest: int) -> None:
    """An open bracket at the foot: the volume could end here, and no earlier."""
    ink = theme.current()
    painter.setPen(QPen(ink.color("stop"), 1.8))
    painter.drawPolyline(
        QPolygonF(
            [
                QPointF(x - 6, FOUND_FOOT - 30),
                QPointF(x, FOUND_FOOT - 30),
                QPointF(x, FOUND_FOOT - 2),
                QPointF(x - 6, FOUND_FOOT - 2),
            ]
        )
    )
    painter.setFont(theme.sans(11, 500))
    words = f"smallest {binary(smallest)}"
    wide = painter.fontMetrics().horizontalAdvance(words)
    left = x + 6 if x + wide + 12 < spine.x + spine.width else x - wide - 12
    if spine.width > wide + 20:
        painter.fillRect(QRectF(left - 3, FOUND_FOOT - 66, wide + 6, 17), ink.color("card", 225))
        painter.drawText(QPointF(left, FOUND_FOOT - 53.5), words)


def _tape(painter: QPainter, shelf: Shelf, width: float, unit: str) -> None:
    ink = theme.current()
    painter.setPen(QPen(ink.color("tape_ink", 120), 1))
    painter.setBrush(ink.color("tape"))
    painter.drawRect(QRectF(0.5, TAPE_TOP, width - 1, TAPE_HEIGHT))
    painter.setFont(theme.mono(11))
    painter.setPen(QPen(ink.color("tape_ink"), 1))
    draw_lines(painter, [(tick.x, TAPE_TOP, tick.x, TAPE_TOP + (11 if tick.long else 5)) for tick in shelf.ticks])
    for tick in shelf.ticks:
        if tick.text and tick.x < width - 46:
            wide = painter.fontMetrics().horizontalAdvance(tick.text)
            crossed = any(edge.key == "room" and tick.x <= edge.x <= tick.x + wide + 5 for edge in shelf.edges)
            left = tick.x - wide - 3 if crossed else tick.x + 3  # the edge's line would hide the figures
            painter.drawText(QPointF(left, TAPE_TOP + 20.5), tick.text)
    painter.setFont(theme.sans(11, 600))
    painter.drawText(
        QRectF(width - 40, TAPE_TOP, 36, TAPE_HEIGHT), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, unit
    )


def _edge(painter: QPainter, edge: Edge, *, active: bool, focused: bool) -> None:
    ink = theme.current()
    top = PLANNED_TOP - 12 if edge.key == "room" else PLANNED_TOP + 26
    painter.setPen(QPen(ink.color("stop"), 2.6 if active else 1.8))
    painter.drawLine(QPointF(edge.x, top), QPointF(edge.x, TAPE_TOP + (TAPE_HEIGHT if edge.key == "room" else 0)))
    centre = QPointF(edge.x, PLANNED_TOP + PLANNED_HEIGHT * 0.5)
    if active and focused:
        painter.setPen(QPen(ink.color("stop"), 1.4, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, 15, 15)
    painter.setPen(QPen(ink.color("stop"), 2))
    painter.setBrush(ink.color("stop" if active else "card"))
    painter.drawEllipse(centre, 10.5, 10.5)
    painter.setPen(QPen(ink.color("card" if active else "stop"), 1.6))
    painter.drawLine(centre + QPointF(-5, 0), centre + QPointF(5, 0))
    for way in (-1, 1):
        painter.drawLine(centre + QPointF(way * 5, 0), centre + QPointF(way * 2, -3))
        painter.drawLine(centre + QPointF(way * 5, 0), centre + QPointF(way * 2, 3))
