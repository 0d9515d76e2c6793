"""The drills of a list: what each is about, how one stands with it, when it comes again."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QObject, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from inkshelf.core.practice.drills import KINDS, LEVELS, Kind
from inkshelf.core.practice.repetition import Card
from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.listing import VALUE_ROLE, Listing, draw_chosen, draw_text

ROW, PIP, DUE = 44, 9.0, 84.0
GROUPS = {"mend": "a start to mend", "plan": "a plan to put right", "look": "a question"}
DAY = 86_400


class KindRow(Value, frozen=True):
    """A kind of drill, and how somebody stands with it (``None``: it was never tried); ``now``: seconds since the epoch. ``blind``: a drill is
    being worked, and nothing is said of what it comes of."""

    kind: Kind
    card: Card | None
    now: int
    blind: bool = False

    @property
    def below(self) -> str:
        """What it was, to whoever worked it before; else what kind of thing it is."""
        told = self.card is not None and not self.blind and self.kind.face != self.kind.title
        return f"it was: {self.kind.title[0].lower()}{self.kind.title[1:]}" if told else GROUPS[self.kind.group]

    @property
    def due(self) -> str:
        """When it comes, in a word or two."""
        if self.card is None:
            return "new"
        left = self.card.due - self.now
        if left <= 0:
            return "due"
        if left < DAY:
            return "today"
        days = -(-left // DAY)
        return f"in {days} day{'s' if days > 1 else ''}"

    @property
    def words(self) -> str:
        """All of it for who hears it."""
        level = self.card.level if self.card else 1
        points = f", {self.card.latest} points last" if self.card else ""
        return f"{self.kind.face}, {self.below}, level {level}, {self.due}{points}"


class Kinds(Listing[KindRow]):
    """The kinds as a Qt model, in the order in which they come."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(lambda one: one.words, parent)

    def show_kinds(self, order: tuple[str, ...], cards: dict[str, Card], now: int, *, blind: bool) -> None:
        """Show these."""
        self.show_rows(tuple(KindRow(KINDS[key], cards.get(key), now, blind) for key in order))


class KindDelegate(QStyledItemDelegate):
    """Draws a kind: its title and group, its level as pips, its last points as a bar, when it comes."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(40, ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        one: KindRow | None = index.data(VALUE_ROLE)
        if painter is None or one is None:
            return
        box = QRectF(option.rect)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            draw_chosen(painter, box)
        left, room = box.left() + 10, box.width() - DUE - 24
        draw_text(painter, QRectF(left, box.top() + 4, room, 20), one.kind.face, "ink", 13, 600)
        draw_text(painter, QRectF(left, box.top() + 22, room, 18), one.below, "pencil", 12, 400)
        right = box.right() - 10
        tint = "stop" if one.due == "due" else "pencil"
        draw_text(painter, QRectF(right - DUE, box.top() + 4, DUE, 18), one.due, tint, 12, 500, right=True)
        self._pips(painter, right, box.top() + 28, one.card)
        painter.restore()

    def _pips(self, painter: QPainter, right: float, top: float, card: Card | None) -> None:
        ink = theme.current()
        reached = 0 if card is None else card.level
        painter.setPen(QPen(ink.color("pencil"), 1.2))
        for at in range(len(LEVELS)):
            painter.setBrush(ink.color("ok") if at < reached else Qt.BrushStyle.NoBrush)
            x = right - (len(LEVELS) - at) * (PIP + 4) + 4
            painter.drawEllipse(QRectF(x, top, PIP, PIP))
