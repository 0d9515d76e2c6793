"""Draws what a container holds: small spines that stand inside its own, as books in a box."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from inkshelf.core.size import binary
from inkshelf.ui import theme
from inkshelf.ui.shelf.hatches import draw_hatch
from inkshelf.ui.shelf.layout import Inner, Spine

HEAD, FOOT = 32.0, 50.0  # of the container's spine: where its call number stands, and where its own words do


def draw_inner(painter: QPainter, spine: Spine, box: QRectF) -> None:
    """Draw the spines inside a container's own; nothing where it is not high enough for them."""
    room = QRectF(box.left(), box.top() + HEAD, box.width(), box.height() - HEAD - (FOOT if box.width() >= 44 else 6))
    if room.height() < 24:
        return
    ink = theme.current()
    for one in spine.inner:
        own = QRectF(one.x + 1.5, room.top(), one.width - 3, room.height())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(ink.color("card"))
        painter.drawRect(own)
        draw_hatch(painter, own, one.role)
        pen = QPen(ink.color("pencil" if one.planned else "ink"), 1.2)
        if one.planned:
            pen.setDashPattern([3.2, 2.2])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(own, 2, 2)
        _words(painter, one, own)


def _words(painter: QPainter, one: Inner, box: QRectF) -> None:
    """Name over size where both fit, else along the back."""
    ink = theme.current()
    size = binary(one.size, 1 if one.size % (1 << 30) else 0)
    painter.setFont(theme.sans(11, 500))
    painter.setPen(ink.color("ink"))
    metrics = painter.fontMetrics()
    lines = [one.words, size]
    if max(metrics.horizontalAdvance(text) for text in lines) <= box.width() - 6 and box.height() >= 34:
        for place, text in enumerate(lines):
            _washed(painter, QRectF(box.left(), box.center().y() - 15 + 15 * place, box.width(), 15), text)
        return
    painter.save()
    painter.translate(box.center().x(), box.center().y())
    painter.rotate(-90)
    both = f"{one.words}  {size}"
    text = both if metrics.horizontalAdvance(both) <= box.height() - 4 else one.words
    text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(box.height() - 2))
    _washed(painter, QRectF(-box.height() / 2, -7, box.height(), 14), text)
    painter.restore()


def _washed(painter: QPainter, box: QRectF, text: str) -> None:
    wide = painter.fontMetrics().horizontalAdvance(text)
    painter.fillRect(
        QRectF(box.center().x() - wide / 2 - 2, box.top(), wide + 4, box.height()), theme.current().color("card", 215)
    )
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
